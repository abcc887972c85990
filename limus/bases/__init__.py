"""Base materials: what an object is made of before anything happened to it."""
