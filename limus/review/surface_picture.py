"""A small picture of a finished surface in simple light, with its gloss and relief."""

from __future__ import annotations

import numpy as np

from limus.materials.channels import Sheet, at_rows
from limus.review.lit import lit
from limus.review.picture import Picture
from limus.surface.frames import to_object_space
from limus.surface.texels import Texels


def surface_picture(
    texels: Texels,
    picture: Picture,
    sheet: Sheet,
    normal: np.ndarray,
    occlusion: np.ndarray,
    azimuth: float = 35.0,
    elevation: float = 22.0,
) -> np.ndarray:
    """(h, w, 3) uint8; only the texels that are seen are lit.

    Parameters
    ----------
    picture : made with the same ``azimuth`` and ``elevation``. normal : (n, 3) tangent space. occlusion : (n,) 0 open.
    """
    seen, back = picture.seen
    world = to_object_space(texels, normal, seen)
    a, e = np.radians([azimuth, elevation])
    towards = np.array([np.sin(a) * np.cos(e), np.sin(e), np.cos(a) * np.cos(e)])
    right = np.cross([0.0, 1.0, 0.0], towards)
    right /= np.linalg.norm(right)
    frame = np.stack([right, np.cross(towards, right), towards])
    view = np.broadcast_to(np.array([0.0, 0.0, 1.0], np.float32), world.shape)
    colour = lit(at_rows(sheet, seen), (world @ frame.T).astype(np.float32), view, 1 - occlusion[seen])
    return picture.show_rows(colour[back])
