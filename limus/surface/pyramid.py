"""Texels of one mesh at other resolutions, made once."""

from __future__ import annotations

import threading
from collections import OrderedDict

from limus.surface.mesh import Mesh
from limus.surface.texels import Texels

_kept: OrderedDict[tuple[str, int], Texels] = OrderedDict()
_lock = threading.RLock()
#: How many (mesh, resolution) pairs are kept.
KEEP = 10


def texels_of(mesh: Mesh, size: int) -> Texels:
    """The texels of ``mesh`` at ``size``; kept in memory for the next caller."""
    with _lock:
        found = _kept.get((mesh.key, size))
        if found is None:
            found = _kept[(mesh.key, size)] = Texels.of(mesh, size)
            while len(_kept) > KEEP:
                _kept.popitem(last=False)
        _kept.move_to_end((mesh.key, size))
        return found


def coarser(texels: Texels) -> Texels:
    """The texels of the same mesh at half the resolution."""
    return texels_of(texels.mesh, texels.size // 2)
