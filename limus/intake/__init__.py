"""Bringing an object in: what the document says of it, the mesh that comes of that, and what is found to be wrong
with it.
"""
