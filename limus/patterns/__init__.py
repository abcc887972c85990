"""Patterns: made from a seed, evaluated at points in space, so that no UV seam shows."""
