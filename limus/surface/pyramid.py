"""Texels of one mesh at other resolutions, made once."""

from __future__ import annotations

from limus.hashing import key_of
from limus.store import shared
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels


def texels_key(mesh: Mesh, size: int) -> str:
    """Under which ``texels_of`` keeps them."""
    return key_of("texels", mesh.key, size)


def texels_of(mesh: Mesh, size: int) -> Texels:
    """The texels of ``mesh`` at ``size``; kept in memory for the next caller."""
    found: Texels = shared().get(texels_key(mesh, size), lambda: Texels.of(mesh, size))
    return found


def coarser(texels: Texels) -> Texels:
    """The texels of the same mesh at half the resolution."""
    return texels_of(texels.mesh, texels.size // 2)
