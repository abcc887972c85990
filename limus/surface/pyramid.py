"""Texels of one mesh at other resolutions, made once."""

from __future__ import annotations

from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.store import shared
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from limus.surface.window import Window


def texels_key(mesh: Mesh, size: int) -> str:
    """Under which ``texels_of`` keeps them."""
    return key_of("texels", mesh.key, size)


#: Diagonals in metres of objects that can be weathered. Below, not a speck of dust has its size; above, single
#: precision has no millimetres.
SMALLEST, LARGEST = 2e-5, 2e4


def texels_of(mesh: Mesh, size: int) -> Texels:
    """The texels of ``mesh`` at ``size``; kept in memory for the next caller.

    Raises
    ------
    InputError : no UVs; an object of a size at which nothing here has a meaning.
    """
    if not SMALLEST <= mesh.diagonal <= LARGEST:
        raise InputError(
            f"it is {mesh.diagonal:.3g} m across; objects from {SMALLEST * 1000:g} mm to {LARGEST / 1000:g} km can "
            "be weathered",
            where=mesh.source,
            remedy="Give the unit of its file (scale)",
            accepted=f"{SMALLEST:g} to {LARGEST:g} m",
        )
    found: Texels = shared().get(texels_key(mesh, size), lambda: Texels.of(mesh, size))
    return found


def coarser(texels: Texels) -> Texels:
    """The texels of the same mesh, or of the same window of it, at half the resolution."""
    if isinstance(texels, Window):
        return texels.half
    return texels_of(texels.mesh, texels.size // 2)
