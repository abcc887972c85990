"""What a delivery can be: one file for each target, found by itself."""
