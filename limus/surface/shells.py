"""Connected pieces of a mesh."""

from __future__ import annotations

import numpy as np
import scipy

from limus.surface.adjacency import Adjacency


def shells(near: Adjacency) -> tuple[int, np.ndarray]:
    """How many shells a mesh has, and (T,) int32 the one each triangle belongs to: what hangs together over edges."""
    t, e = np.nonzero(near.twin >= 0)
    links = scipy.sparse.coo_array((np.ones(len(t), np.int8), (t, near.twin[t, e])), shape=(len(near.twin),) * 2)
    count, shell = scipy.sparse.csgraph.connected_components(links, directed=False)
    return int(count), shell
