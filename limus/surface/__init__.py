"""The surface: the mesh, and the texels (surface points) of its map sets."""
