"""How large map sets may be: what memory holds, and what is measured in a reasonable time."""

from __future__ import annotations

from limus.surface.mesh import Mesh

#: Most pixels of all map sets together in readings of each quality, so that a draft is a matter of seconds whatever
#: comes in.
MOST_MEASURED = {"draft": 1 << 20, "good": 1 << 23, "fine": 1 << 24}
#: Sizes of maps that can be looked at, and bytes that the evaluation of one texel needs at once.
SIZES = (256, 512, 1024, 2048, 4096, 8192)
BYTES_PER_TEXEL = 320


def fitting(mesh: Mesh, resolution: int, most: int) -> int:
    """The resolution, or the largest smaller one by halves at which all map sets together fit into ``most`` pixels."""
    while len(mesh.uv_domains) * resolution * resolution > most and resolution > 32:
        resolution //= 2
    return resolution
