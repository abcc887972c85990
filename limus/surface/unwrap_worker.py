"""Unwrapping in a process of its own: the library can neither be stopped nor asked how far it is.

``python -m limus.surface.unwrap_worker PARENT MEMORY`` reads the meshes of some map sets from its standard input, as
one NumPy ``.npz``, and writes their UVs to its standard output one after the other, each as an ``.npz`` behind its
length; how far it is goes to standard error, as ``number share``.
"""

from __future__ import annotations

import io
import struct
import sys
from collections.abc import Callable
from contextlib import suppress
from typing import Any

import numpy as np

from limus.common.dying import die_with_parent

#: Resolution for which the packing leaves its gaps, and the gap in texels of that resolution.
PACKED_FOR = 1024
GAP = 4
#: Triangles from which on charts are grown (``dense_charts``); below, the library finds them, in a few seconds and with
#: fewer triangles apart.
DENSE = 30_000


def charts_of(
    positions: np.ndarray, triangles: np.ndarray, normals: np.ndarray
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(W,) rows of the vertices, (T, 3) triangles of them, (W, 2) UVs 0..1, v upwards."""
    import xatlas

    atlas = xatlas.Atlas()
    atlas.add_mesh(positions, triangles, normals)
    charts, packing = xatlas.ChartOptions(), xatlas.PackOptions()
    packing.padding = GAP
    packing.resolution = PACKED_FOR
    packing.bilinear = True
    # The library turns islands by swapping u and v, which mirrors them; mirrored texture is a nuisance to everyone
    # after us.
    packing.rotate_charts = False
    charts.fix_winding = True
    packing.create_image = False
    # Trying every place packs no better (measured on boxes, stones and loose triangles) and takes up to forty times as
    # long.
    packing.bruteForce = False
    atlas.generate(charts, packing)
    mapping, faces, uv = atlas[0]
    # The atlas may be taller than wide: one scale for both axes keeps the texels square.
    size = np.array([atlas.width, atlas.height], np.float64)
    return mapping, faces, np.clip(np.asarray(uv, np.float64) * size / size.max(), 0.0, 1.0)


def dense_charts_of(
    positions: np.ndarray, triangles: np.ndarray, welded: np.ndarray, say: Callable[[float], None]
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The same for a dense mesh: charts grown over it and laid flat here, and packed by the library."""
    import xatlas

    from limus.surface.dense_charts import dense_charts

    rows, faces, flat, chart = dense_charts(positions, triangles, welded, lambda share: say(0.85 * share))
    atlas = xatlas.Atlas()
    # Charts lie over one another, each flat in its own place: told apart as materials, or alike ones would be taken for
    # one.
    atlas.add_uv_mesh(
        np.ascontiguousarray(flat, np.float32),
        np.ascontiguousarray(faces, np.uint32),
        np.ascontiguousarray(chart, np.uint32).reshape(-1, 1),
    )
    charts, packing = xatlas.ChartOptions(), xatlas.PackOptions()
    packing.padding, packing.resolution, packing.bilinear = GAP, PACKED_FOR, True
    packing.rotate_charts = packing.create_image = packing.bruteForce = False
    atlas.generate(charts, packing)
    mapping, packed, uv = atlas[0]
    size = np.array([atlas.width, atlas.height], np.float64)
    say(1.0)
    return rows[mapping], packed, np.clip(np.asarray(uv, np.float64) * size / size.max(), 0.0, 1.0)


def _main() -> None:
    parent, memory = (int(x) for x in sys.argv[1:3])
    die_with_parent(parent)
    if memory:
        import resource

        with suppress(ValueError, OSError):
            resource.setrlimit(resource.RLIMIT_DATA, (memory, memory))
    with np.load(io.BytesIO(sys.stdin.buffer.read()), allow_pickle=False) as given:
        sets: dict[str, Any] = {name: given[name] for name in given.files}
    for k in range(int(sets["count"])):
        positions, triangles, normals = sets[f"positions {k}"], sets[f"triangles {k}"], sets[f"normals {k}"]

        def say(share: float, k: int = k) -> None:
            print(f"{k} {share:.4f}", file=sys.stderr, flush=True)

        say(0.0)
        if len(triangles) >= DENSE:
            rows, faces, uv = dense_charts_of(positions, triangles, sets[f"welded {k}"], say)
        else:
            rows, faces, uv = charts_of(positions, triangles, normals)
        out = io.BytesIO()
        np.savez(out, rows=rows, triangles=faces, uv=uv)
        # One after the other, so that what is done stays done when the next one takes too long.
        sys.stdout.buffer.write(struct.pack("<Q", out.tell()) + out.getvalue())
        sys.stdout.buffer.flush()


if __name__ == "__main__":
    _main()
