"""What lies one texel beyond the border of an island: read over the seam, so that a field goes on there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from limus.common.parallel import for_ranges
from limus.surface import seams

if TYPE_CHECKING:
    from limus.surface.texels import Texels


@dataclass(frozen=True)
class Gutter:
    """Samples beyond the borders.

    Attributes
    ----------
    stencil : (n, 4) int32 left, right, up, down of each texel; numbers from n on are samples of the gutter, its own
        where the surface ends.
    sources : (m, 4) int32 texels that a sample is read from.
    weights : (m, 4) float32 shares of them, 1 together.
    """

    stencil: np.ndarray
    sources: np.ndarray
    weights: np.ndarray


@dataclass(frozen=True)
class Walked:
    """What was found over the borders: ``gutter``; the ``border`` (m,) texel that each sample belongs to, and the
    pixel that it ``aims`` (m,) int64 at, -1 where the surface ends.
    """

    gutter: Gutter
    border: np.ndarray
    aims: np.ndarray


def gutter_of(texels: Texels) -> Gutter:
    """Walk one texel over every border."""
    return walked_over(texels).gutter


def walked_over(texels: Texels) -> Walked:
    """The same, with where each walk led."""
    mesh, near = texels.mesh, texels.adjacency
    inner, (table, shift, index) = np.empty((len(texels), 4), np.int32), texels.look_up
    longest = np.maximum(np.linalg.norm(texels.along_u, axis=1), np.linalg.norm(texels.along_v, axis=1))
    reach = (4.0 * longest / texels.size).astype(np.float32)
    for_ranges(
        seams.find_inner, len(texels), texels.pixel, texels.triangle, near.island, texels.position, reach,
        table, shift, index, texels.size, seams.STEPS, inner,
    )  # fmt: skip
    border, side = np.nonzero(inner < 0)
    count = len(border)
    sources, weights = np.zeros((count, 4), np.int32), np.zeros((count, 4), np.float32)
    aims = np.empty(count, np.int64)
    flat = texels.corners
    for_ranges(
        seams.walk, count, border, side, texels.pixel, texels.triangle, table, shift, index, texels.size, seams.STEPS,
        flat.uv, flat.position, flat.number, mesh.triangle_map_set, flat.welded,
        near.twin, near.twin_edge, near.kind, near.island, sources, weights, aims,
    )  # fmt: skip
    # Where the surface ends a texel is its own neighbour, so that who takes slopes knows.
    ends = (sources[:, 0] == border) & (weights[:, 0] == 1.0)
    inner[border, side] = np.where(ends, border, len(texels) + np.arange(count)).astype(np.int32)
    return Walked(Gutter(inner, sources, weights), border, aims)
