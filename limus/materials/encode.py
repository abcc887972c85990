"""From fields to the pixels of finished maps."""

from __future__ import annotations

import numpy as np

from limus.materials.colour import SRGB_STEPS, SRGB_TABLE
from limus.parallel import for_ranges, kernel
from limus.surface.texels import Texels


@kernel
def _byte(x):  # type: ignore[no-untyped-def]
    return np.uint8(min(max(x, np.float32(0.0)), np.float32(1.0)) * np.float32(255.0) + np.float32(0.5))


@kernel
def _surface(start, end, fill, sheet, normal, occlusion, table, steps, color, orm, bump, coat):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        j = fill[i]
        for k in range(3):
            x = min(max(sheet[j, k], np.float32(0.0)), np.float32(1.0))
            color[i, k] = table[int(np.sqrt(x) * np.float32(steps) + np.float32(0.5))]
            bump[i, k] = _byte(normal[j, k] * np.float32(0.5) + np.float32(0.5))
        color[i, 3] = 255
        bump[i, 3] = 255
        orm[i, 0] = _byte(np.float32(1.0) - occlusion[j])
        orm[i, 1] = _byte(sheet[j, 4])
        orm[i, 2] = _byte(sheet[j, 3])
        orm[i, 3] = 255
        coat[i, 0] = _byte(sheet[j, 5])
        coat[i, 1] = _byte(sheet[j, 6])
        coat[i, 2] = 0
        coat[i, 3] = 255


def encode_surface(texels: Texels, sheet: np.ndarray, normal: np.ndarray, occlusion: np.ndarray) -> dict[str, np.ndarray]:
    """8-bit RGBA maps, each (pages, size, size, 4) uint8, ready for the screen and for PNG.

    ``base_color`` sRGB; ``orm`` red ambient occlusion (1 - occlusion), green roughness, blue metalness; ``normal`` tangent space,
    green up; ``clear_coat`` red weight, green roughness.
    """
    count = len(texels.fill_index)
    out = {name: np.empty((count, 4), np.uint8) for name in ("base_color", "orm", "normal", "clear_coat")}
    for_ranges(
        _surface, count, texels.fill_index, sheet, normal, occlusion, SRGB_TABLE, SRGB_STEPS,
        out["base_color"], out["orm"], out["normal"], out["clear_coat"],
    )  # fmt: skip
    return {name: values.reshape(texels.pages, texels.size, texels.size, 4) for name, values in out.items()}
