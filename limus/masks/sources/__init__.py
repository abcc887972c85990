"""Sources of masks, one file each."""
