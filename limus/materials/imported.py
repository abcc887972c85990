"""The maps that came with an object, as its base material."""

from __future__ import annotations

import numpy as np

from limus.common.colour import to_linear
from limus.materials.channels import CHANNELS, spread
from limus.surface.base_maps import sample
from limus.surface.picture import Texture
from limus.surface.texels import Texels


def lay_maps(texels: Texels, sheet: dict[str, np.ndarray], wanted: np.ndarray | None = None) -> None:
    """Put the imported colour, roughness and metalness into ``sheet`` in place of the base's, map set by map set.

    ``wanted`` : (n,) bool, the texels that get them; all where it is None.

    A material without pictures leaves the chosen base material as it is: a bare colour says less than that does.
    """
    maps = texels.mesh.base_maps
    if not maps:
        return
    page = texels.page_xy[0] if wanted is None else np.where(wanted, texels.page_xy[0], -1)

    def read(texture: Texture, here: np.ndarray) -> np.ndarray:
        u, v = texels.uv_of(texture.uv_set)
        return sample(texture.pixels, *texture.placed(u[here], v[here]))

    opened: set[str] = set()

    def writable(name: str) -> np.ndarray:
        if name not in opened:
            opened.add(name)
            sheet[name] = np.array(spread(sheet[name], CHANNELS[name], len(texels)), np.float32)
        return sheet[name]

    for k, entry in enumerate(maps):
        if entry is None or (entry.color is None and entry.orm is None):
            continue
        here = np.flatnonzero(page == k)
        if not len(here):
            continue
        if entry.color is not None:
            factor = np.array(entry.color_factor[:3], np.float32)
            writable("base_color")[here] = to_linear(read(entry.color, here)[:, :3]) * factor
        roughness, metalness = writable("roughness"), writable("metalness")
        if entry.orm is not None:
            orm = read(entry.orm, here)
            roughness[here] = np.clip(orm[:, 1] * entry.roughness, 0.03, 1.0)
            metalness[here] = orm[:, 2] * entry.metalness
        else:
            roughness[here] = max(entry.roughness, 0.03)
            metalness[here] = entry.metalness
