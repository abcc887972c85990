"""Texture files that belong together: what each of them is, and what they give as a base."""
