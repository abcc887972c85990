"""A small picture of the surface at a moment of its chronicle."""

from __future__ import annotations

import numpy as np

from limus.common.colour import to_srgb
from limus.materials.channels import CHANNELS, spread
from limus.review.picture import Picture
from limus.strata.pile import Pile


def moment_picture(pile: Pile, picture: Picture, occlusion: np.ndarray) -> np.ndarray:
    """(h, w, 3) uint8: ``pile`` in simple light; only the texels that are seen are composited. ``occlusion`` (n,) 0
    open.
    """
    seen, back = picture.seen
    sheet = pile.only(seen).visible()

    def column(name: str) -> np.ndarray:
        return spread(sheet.get(name, CHANNELS[name].plain()), CHANNELS[name], len(seen))

    # Bare metal reflects the surround: show it by its reflectance, a little darkened by roughness.
    color = column("base_color") * (1 - 0.25 * column("metalness") * column("roughness"))[:, None]
    full = to_srgb(color * (0.45 + 0.55 * (1 - occlusion[seen]))[:, None])
    return picture.show_rows(full[back], shade=0.85)
