"""Unwrapping in a process of its own: the library can neither be stopped nor asked how far it is.

``python -m limus.surface.unwrap_worker PARENT MEMORY`` reads one mesh of one map set from its standard input and writes its UVs to its standard output,
both as NumPy ``.npz``; nothing else of the program is loaded.
"""

from __future__ import annotations

import io
import sys
from contextlib import suppress
from typing import Any

import numpy as np

from limus.dying import die_with_parent

#: Resolution for which the packing leaves its gaps, and the gap in texels of that resolution.
PACKED_FOR = 1024
GAP = 4


def charts_of(positions: np.ndarray, triangles: np.ndarray, normals: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(W,) rows of the vertices, (T, 3) triangles of them, (W, 2) UVs 0..1, v upwards."""
    import xatlas

    atlas = xatlas.Atlas()
    atlas.add_mesh(positions, triangles, normals)
    charts, packing = xatlas.ChartOptions(), xatlas.PackOptions()
    packing.padding = GAP
    packing.resolution = PACKED_FOR
    packing.bilinear = True
    # The library turns islands by swapping u and v, which mirrors them; mirrored texture is a nuisance to everyone after us.
    packing.rotate_charts = False
    charts.fix_winding = True
    packing.create_image = False
    # Trying every place packs no better (measured on boxes, stones and loose triangles) and takes up to forty times as long.
    packing.bruteForce = False
    atlas.generate(charts, packing)
    mapping, faces, uv = atlas[0]
    # The atlas may be taller than wide: one scale for both axes keeps the texels square.
    size = np.array([atlas.width, atlas.height], np.float64)
    return mapping, faces, np.clip(np.asarray(uv, np.float64) * size / size.max(), 0.0, 1.0)


def _main() -> None:
    parent, memory = (int(x) for x in sys.argv[1:3])
    die_with_parent(parent)
    if memory:
        import resource

        with suppress(ValueError, OSError):
            resource.setrlimit(resource.RLIMIT_DATA, (memory, memory))
    with np.load(io.BytesIO(sys.stdin.buffer.read()), allow_pickle=False) as given:
        found: dict[str, Any] = {name: given[name] for name in given.files}
    rows, triangles, uv = charts_of(found["positions"], found["triangles"], found["normals"])
    out = io.BytesIO()
    np.savez(out, rows=rows, triangles=triangles, uv=uv)
    sys.stdout.buffer.write(out.getvalue())


if __name__ == "__main__":
    _main()
