"""Photographs of the real thing: what kinds of surface are in them, and how much, how large, how ragged each is."""
