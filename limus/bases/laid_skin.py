"""A material as it lies on texels, kept by what it hangs on."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from limus.bases.ground import Skin
from limus.bases.laid_material import LaidMaterial
from limus.bases.laying import finished, laid_in_blocks
from limus.bases.site import site_of
from limus.common.hashing import key_of
from limus.masks.source import Keep
from limus.surface.texels import Texels

Find = Callable[[str], Path] | None
#: Texels of a base up to which its patterns are kept one by one, for dragging; more are made again.
MOST_KEPT = 1_200_000


def stamps_of(files: tuple[str, ...], find: Find) -> list[object]:
    """What tells the files from others of their names: size and time of each."""
    out: list[object] = []
    for name in files:
        if find is None:
            continue
        try:
            about = find(name).stat()
            out.append([name, about.st_size, about.st_mtime_ns])
        except OSError:
            out.append(name)
    return out


def laid_skin(
    laid: LaidMaterial,
    texels: Texels,
    seed: int,
    keep: Keep,
    find: Find = None,
    rows: np.ndarray | None = None,
    name: object = "all",
) -> Skin:
    """The material on the texels, or on some ``rows`` of them, with its levels; ``name`` tells these from others."""
    whole = rows is None or len(rows) == len(texels)
    count = len(texels) if rows is None else len(rows)
    stamps = stamps_of(laid.files, find)
    # Levels, relief and flags are not among the parts of the key: dragging them lays nothing again.
    raw_key = key_of("laid base", texels.key, laid.material.model_dump(), laid.placing.model_dump(), seed, stamps, name)
    label = key_of(
        "ground of a base", texels.key, laid.material.is_solid, laid.placing.model_dump(), laid.material.kind, name
    )
    kept = keep.get if count <= MOST_KEPT else None

    def make() -> Skin:
        site = keep.get(key_of("site", texels.key), lambda: site_of(texels))
        return laid_in_blocks(laid, site if whole else site.at(rows), seed, find, kept, label)

    raw: Skin = keep.get(raw_key, make)
    return finished(laid, raw, texels.area if whole else texels.area[rows])
