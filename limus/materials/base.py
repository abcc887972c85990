"""Base materials made by the program: what the object is before anything happened to it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from limus.fields import Document, choice, number
from limus.materials.channels import one
from limus.materials.substance import Substance
from limus.materials.tone import toned
from limus.patterns.noise import fractal

BaseName = Literal["cast iron", "rolled steel", "brass", "bronze", "aluminium", "concrete", "slate", "timber", "plaster"]


@dataclass(frozen=True)
class BaseMaterial:
    """Colour is linear Rec. 709; ``grain_mm`` and ``relief_mm`` size the relief of the skin, ``mottle`` its unevenness 0..1."""

    substance: Substance
    color: tuple[float, float, float]
    metalness: float
    roughness: float
    grain_mm: float
    relief_mm: float
    mottle: float


BASES: dict[str, BaseMaterial] = {
    "cast iron": BaseMaterial(Substance("ferrous", porosity=0.02), (0.33, 0.32, 0.305), 1.0, 0.48, 3.0, 0.045, 0.16),
    "rolled steel": BaseMaterial(Substance("ferrous"), (0.42, 0.415, 0.40), 1.0, 0.34, 6.0, 0.008, 0.08),
    "brass": BaseMaterial(Substance("copper alloy"), (0.72, 0.52, 0.22), 1.0, 0.30, 8.0, 0.006, 0.10),
    "bronze": BaseMaterial(Substance("copper alloy"), (0.58, 0.36, 0.18), 1.0, 0.38, 5.0, 0.012, 0.12),
    "aluminium": BaseMaterial(Substance("aluminium"), (0.82, 0.83, 0.84), 1.0, 0.36, 6.0, 0.008, 0.06),
    "concrete": BaseMaterial(Substance("mineral", porosity=0.15), (0.29, 0.28, 0.26), 0.0, 0.88, 9.0, 0.35, 0.22),
    "slate": BaseMaterial(Substance("mineral", porosity=0.01), (0.060, 0.066, 0.075), 0.0, 0.62, 14.0, 0.28, 0.25),
    "timber": BaseMaterial(Substance("timber", porosity=0.5), (0.27, 0.17, 0.09), 0.0, 0.72, 7.0, 0.12, 0.25),
    "plaster": BaseMaterial(Substance("mineral", porosity=0.35), (0.62, 0.60, 0.56), 0.0, 0.92, 12.0, 0.12, 0.10),
}


class BaseChoice(Document):
    """A base material on some parts (no names: on every part that no later entry takes)."""

    material: BaseName = choice("cast iron", "Material", "What these parts are made of", **{k: k for k in BASES})
    parts: list[str] | None = None
    relief: float = number(1.0, "Relief", "", 0.0, 10.0, (0.0, 3.0), "Strength of the skin's relief")


def lay_base(points_m: np.ndarray, entry: BaseMaterial, seed: int, relief: float = 1.0) -> tuple[dict[str, np.ndarray], np.ndarray]:
    """The base at (n, 3) points: its sheet and its (n,) relief in mm.

    Colour and roughness are never quite even (wide and fine noise), which is what keeps a surface from looking computer-made.
    """
    wide = fractal(points_m, entry.grain_mm * 12, octaves=3, seed=seed + 11)
    fine = fractal(points_m, entry.grain_mm, octaves=3, gain=0.55, seed=seed + 12)
    tone = np.float32(1.0) + np.float32(entry.mottle) * (np.float32(0.6) * wide + np.float32(0.4) * fine)
    uneven = np.float32(0.10 * entry.mottle / 0.15) * (np.float32(0.5) * wide + np.float32(0.5) * fine) * np.float32(0.3)
    sheet = {
        "base_color": toned(entry.color, tone),
        "metalness": one(entry.metalness),
        "roughness": np.clip(np.float32(entry.roughness) - uneven, 0.05, 1.0),
    }
    return sheet, (fine * np.float32(0.5 * entry.relief_mm * relief)).astype(np.float32)
