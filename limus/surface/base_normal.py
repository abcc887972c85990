"""The base material's own normals at the texels."""

from __future__ import annotations

import numpy as np
import scipy

from limus.surface.texels import Texels


def base_normal(texels: Texels) -> np.ndarray | None:
    """Read the normal maps that came with the object.

    Returns
    -------
    (n, 3) float32 unit vectors in tangent space (green up), or None where the object brought no normal map.
    """
    maps = texels.mesh.normal_maps
    if not maps:
        return None
    page = texels.page_xy[0]
    out = np.zeros((len(texels), 3), np.float32)
    out[:, 2] = 1.0
    for k, texture in enumerate(maps):
        if texture is None:
            continue
        here = page == k
        image = texture.pixels
        height, width = image.shape[:2]
        u, v = texels.uv_of(texture.uv_set)
        u, v = texture.placed(u[here], v[here])
        # What is laid on as it is ends at the border of the picture; what is repeated or turned goes on behind it.
        mode = "nearest" if texture.plain and texture.uv_set == texels.mesh.uv_set else "grid-wrap"
        at = np.stack([v * height - 0.5, u * width - 0.5])
        for c in range(3):
            out[here, c] = (
                scipy.ndimage.map_coordinates(image[:, :, c].astype(np.float32), at, order=1, mode=mode) / 127.5 - 1.0
            )
    # 128 stands for 0 in 8 bit.
    out[:, :2] -= np.float32(1 / 255)
    out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-6)
    return out
