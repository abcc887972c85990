"""One file for each kind of finding."""
