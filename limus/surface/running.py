"""What water carries down a surface: each texel takes over from the texels above it, through seams.

Texels are gone through once, from the highest to the lowest, so that everything above is finished when a texel looks
up: one pass, whatever the length of the run. Where the ground is level nothing moves.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel
from limus.surface.texels import Texels


@kernel
def _run(order, links, position, normal, sign, fade, widen, source, out):  # type: ignore[no-untyped-def]
    for at in range(len(order)):
        i = order[at]
        own = source[i]
        # Straight up along the surface: up without its part along the normal.
        ny = normal[i, 1]
        ux, uy, uz = -ny * normal[i, 0], np.float32(1.0) - ny * ny, -ny * normal[i, 2]
        steep = np.sqrt(ux * ux + uy * uy + uz * uz)
        if steep < np.float32(0.06):
            out[i] = own
            continue
        ux, uy, uz = ux / steep, uy / steep, uz / steep
        total, value = np.float32(0.0), np.float32(0.0)
        for k in range(4):
            j = links[i, k]
            if j < 0:
                continue
            dx, dy, dz = (
                position[j, 0] - position[i, 0],
                position[j, 1] - position[i, 1],
                position[j, 2] - position[i, 2],
            )
            length = np.sqrt(dx * dx + dy * dy + dz * dz)
            if length <= np.float32(0.0) or sign * dy <= np.float32(0.0):
                continue
            along = sign * (dx * ux + dy * uy + dz * uz) / length
            # Over an edge the way up is not in the plane of this texel: height alone counts a little.
            along = max(along, sign * np.float32(0.3) * dy / length)
            if along <= np.float32(0.05):
                continue
            weight = along**widen
            total += weight
            value += weight * out[j] * np.exp(-length * fade)
        if total > np.float32(0.0):
            value /= total
            # On what is nearly level water spreads and loses what it carries.
            value *= min(steep * np.float32(3.0), np.float32(1.0))
        else:
            value = np.float32(0.0)
        out[i] = max(own, value)


@dataclass(frozen=True)
class Descent:
    """What every field that runs over the same texels needs: ``order`` (n,) their numbers from the highest to the
    lowest, ``links`` (n, 4) who is next door.
    """

    order: np.ndarray
    links: np.ndarray


def descent_of(texels: Texels) -> Descent:
    """That of these texels."""
    return Descent(np.argsort(-texels.position[:, 1], kind="stable"), texels.links)


def run_down(
    texels: Texels,
    source: np.ndarray,
    length_mm: float,
    descent: Callable[[], Descent] | None = None,
    *,
    upwards: bool = False,
) -> np.ndarray:
    """A (n,) float32 field carried down the surface, or up it, as smoke goes.

    Parameters
    ----------
    source : (n,) float32 from 0. length_mm : way after which 1/e of it is left. descent : gives
        ``descent_of(texels)``, where it is kept.

    Returns
    -------
    (n,) float32, nowhere less than ``source``.
    """

    def run() -> np.ndarray:
        out = np.zeros(len(texels), np.float32)
        over = descent() if descent is not None else descent_of(texels)
        _run(
            np.ascontiguousarray(over.order[::-1]) if upwards else over.order,
            over.links,
            texels.position,
            texels.normal,
            np.float32(-1.0 if upwards else 1.0),
            np.float32(1000.0 / max(length_mm, 1e-3)),
            np.float32(3.0),
            np.ascontiguousarray(source, np.float32),
            out,
        )
        return out

    carried = texels.far("run down", run)
    # Where it sets out it is as sharp as its source.
    return np.maximum(carried, source)


def lower_edges(texels: Texels) -> np.ndarray:
    """(n,) float32 0..1: where a steep surface ends below, because it turns under or stops: where drops hang before
    they fall.
    """
    links, p, n = texels.links, texels.position, texels.normal
    there = links >= 0
    below = np.where(there, p[np.maximum(links, 0), 1] - p[:, None, 1], np.float32(np.inf))
    next_down = links[np.arange(len(links)), np.argmin(below, axis=1)]
    ends = (below.min(axis=1) > -1e-9) | (~there).any(axis=1) & (below.min(axis=1) >= 0)
    under = n[np.maximum(next_down, 0), 1] < n[:, 1] - 0.25
    steep = 1.0 - np.abs(n[:, 1])
    return (np.minimum(steep * 2.0, 1.0) * (ends | (under & (next_down >= 0)))).astype(np.float32)
