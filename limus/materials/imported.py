"""The maps that came with an object, as its base material."""

from __future__ import annotations

import numpy as np

from limus.materials.channels import BLUE, METALNESS, RED, ROUGHNESS
from limus.materials.colour import to_linear
from limus.surface.base_maps import sample
from limus.surface.texels import Texels


def lay_maps(texels: Texels, sheet: np.ndarray) -> None:
    """Write the imported colour, roughness and metalness over the base's ``sheet`` (n, 7), map set by map set.

    A material without pictures leaves the chosen base material as it is: a bare colour says less than that does.
    """
    maps = texels.mesh.base_maps
    if not maps:
        return
    page, u, v = texels.page_xy
    for k, entry in enumerate(maps):
        if entry is None or (entry.color is None and entry.orm is None):
            continue
        here = np.flatnonzero(page == k)
        if not len(here):
            continue
        factor = np.array(entry.color_factor[:3], np.float32)
        if entry.color is not None:
            sheet[here, RED : BLUE + 1] = to_linear(sample(entry.color[:, :, :3], u[here], v[here])) * factor
        if entry.orm is not None:
            orm = sample(entry.orm, u[here], v[here])
            sheet[here, ROUGHNESS] = np.clip(orm[:, 1] * entry.roughness, 0.03, 1.0)
            sheet[here, METALNESS] = orm[:, 2] * entry.metalness
        else:
            sheet[here, ROUGHNESS] = max(entry.roughness, 0.03)
            sheet[here, METALNESS] = entry.metalness
