"""Strata: the substrate and the coats on it, and the playing of the chronicle."""
