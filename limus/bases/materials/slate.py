"""Riven slate."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Slate(BaseMaterial):
    """Split along its cleavage: terraces with ragged edges, a silky grain, now and then a rusty speck or a paler
    bed.
    """

    kind: Literal["slate"] = "slate"
    title: ClassVar[str] = "Slate"
    summary: ClassVar[str] = "Split stone with terraces"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.01, brittleness=0.9)
    grained: ClassVar[bool] = True

    color: tuple[float, float, float] = colour_field((0.060, 0.066, 0.075))
    roughness: float = roughness_field(0.58)
    terraces: float = number(0.5, "Terraces", "%", 0.0, 1.0, about="Steps where it split at another level")
    step_mm: float = number(0.9, "Step", "mm", 0.0, 10.0, (0.0, 2.0), "Height of a terrace")
    specks: float = number(0.25, "Rusty specks", "%", 0.0, 1.0, about="Pyrite that has rusted")
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Terraces, grain and specks."""
        return riven(ground, self)


def riven(ground: Ground, slate: Slate) -> Skin:
    """A split face of slate; also of each piece of a slate roof."""
    u, k = np.float32(slate.uneven), np.float32(slate.terraces)
    wide, part = ground.noise(260, octaves=3, salt=1), ground.noise(60, octaves=7, gain=0.68, salt=2, long=1.6)
    silk = ground.noise(3.2, octaves=3, gain=0.7, salt=3, long=7)
    # Terraces: the level of a slow, ragged field, rounded to whole steps.
    field_ = 1.25 * ground.noise(150, octaves=6, gain=0.46, salt=4, long=1.6) + 0.6 * wide
    whole, rest = np.floor(field_), field_ - np.floor(field_)
    sharp = step(rest, 0.86, 0.99)
    level = whole + sharp + 0.25 * rest
    edge = (step(rest, 0.84, 0.93) * step(rest, 1.0, 0.93)).astype(np.float32)
    bed = ground.noise(30, octaves=2, salt=5, long=14)
    ripple = ground.noise(15, octaves=3, gain=0.6, salt=6, long=2.5)
    speck = ground.speckle(5.0, 0.05 * slate.specks, vary=0.8, soft=0.6, salt=7)
    halo = ground.speckle(26.0, 0.05 * slate.specks, vary=0.6, soft=1.0, salt=8)
    relief = (
        slate.step_mm * k * level
        + 0.07 * ripple
        + 0.02 * silk
        + 0.5 * u * ground.noise(200, octaves=2, salt=9)
        - 0.2 * speck
    )
    tone = (
        1
        + u * (0.07 * wide + 0.10 * part + 0.09 * silk + 0.08 * step(bed, 1.0, 2.0))
        + 0.75 * k * edge
        + k * 0.16 * np.sin(whole * 2.4 + sharp)
    )
    color = times(slate.color, tone)
    color = mixed(
        color,
        np.array([0.075, 0.070, 0.066], np.float32) * (np.mean(slate.color) / 0.067),
        step(part, 0.2, 2.0) * 0.45 * u,
    )
    color = mixed(color, np.array([0.15, 0.075, 0.03], np.float32), np.clip(0.75 * speck + 0.28 * halo, 0, 1))
    rough = slate.roughness + u * (0.05 * wide + 0.06 * part + 0.05 * silk) + 0.14 * edge * k
    return Skin(
        {"base_color": color, "metalness": one(0.0), "roughness": np.clip(rough, 0.2, 1.0).astype(np.float32)},
        relief.astype(np.float32),
    )
