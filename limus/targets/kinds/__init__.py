"""What a delivery can be, one file each."""
