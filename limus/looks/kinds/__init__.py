"""Everything that can be looked through, one file each."""
