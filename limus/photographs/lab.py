"""CIELAB: distances in it are roughly those that an eye sees."""

from __future__ import annotations

import numpy as np

#: Linear Rec. 709 to XYZ of D65 (IEC 61966-2-1), rows over the white point.
_TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
_WHITE = _TO_XYZ.sum(axis=1)


def to_lab(linear: np.ndarray) -> np.ndarray:
    """(..., 3) linear Rec. 709 to (..., 3) float32 L* 0..100, a*, b* under D65 (CIE 15:2004, section 8.2.1)."""
    xyz = np.asarray(linear, np.float64) @ (_TO_XYZ / _WHITE[:, None]).T
    f = np.where(xyz > (6 / 29) ** 3, np.cbrt(xyz), xyz / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1).astype(
        np.float32
    )
