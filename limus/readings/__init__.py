"""Readings: quantities measured from geometry, one file each, most of them from one shared ray pass."""
