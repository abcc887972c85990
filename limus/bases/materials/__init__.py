"""The base materials, one file each: adding one is adding a file here, and an entry in ``store_room``."""
