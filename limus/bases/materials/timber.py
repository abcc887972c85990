"""Timber, as the tree grew it."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Timber(BaseMaterial):
    """Rings through the whole body, so that ends and sides fit; pores, rays and knots; grey and ridged where it has
    weathered.
    """

    kind: Literal["timber"] = "timber"
    title: ClassVar[str] = "Timber"
    summary: ClassVar[str] = "Growth rings, pores, knots; fresh or weathered"
    substance: ClassVar[Substance] = Substance("timber", porosity=0.5, brittleness=0.4)
    grained: ClassVar[bool] = True

    early: tuple[float, float, float] = colour_field((0.40, 0.25, 0.125), "Early wood", "The wide, pale part of a ring")
    late: tuple[float, float, float] = colour_field(
        (0.235, 0.125, 0.05), "Late wood", "The narrow, dark part of a ring"
    )
    ring_mm: float = number(3.2, "Rings", "mm", 0.3, 30.0, (1.0, 10.0), "Width of a year", log=True)
    pores: float = number(0.7, "Pores", "%", 0.0, 1.0, about="Open vessels, as oak has them; pine has none")
    knots: float = number(0.25, "Knots", "%", 0.0, 1.0)
    weathered: float = number(
        0.0, "Weathered", "%", 0.0, 1.0, about="Grey, with the late wood standing proud, and checks"
    )
    roughness: float = roughness_field(0.62)
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """A cut through a tree whose heart runs along the grain."""
        return grown(ground, self)


def grown(ground: Ground, wood: Timber) -> Skin:
    """Timber at the points of ``ground``; also of each board of a floor or wall."""
    u, w, ring = np.float32(wood.uneven), np.float32(wood.weathered), wood.ring_mm
    p = ground.points.astype(np.float32) * 1000.0
    slow = ground.noise(180, octaves=2, salt=1, long=6)
    wave = ground.noise(40, octaves=3, salt=2, long=9)
    # The heart lies outside of most pieces.
    y, z = (
        p[:, 1] + 37.0 + ring * 1.6 * slow,
        p[:, 2] - 95.0 + ring * 1.1 * ground.noise(180, octaves=2, salt=3, long=6),
    )
    radius = np.sqrt(y * y + z * z) + ring * 0.35 * wave
    knot: np.ndarray = np.zeros(len(ground), np.float32)
    heart: np.ndarray = np.zeros(len(ground), np.float32)
    if wood.knots > 0:
        from_heart = ground.cells(420, salt=4, edges=False)
        there = from_heart.value < 0.9 * wood.knots
        off = from_heart.from_middle.copy()
        off[:, 2] *= np.float32(0.12)
        around = np.sqrt((off**2).sum(axis=1)) + 1.6 * ground.noise(14, octaves=2, salt=5)
        size = 7.0 + 12.0 * ((from_heart.value * 17.0) % 1.0)
        heart = np.where(there, step(around / size, 1.12, 0.94), 0).astype(np.float32)
        knot = np.where(there, np.exp(-((around / (size * 2.1)) ** 2)), 0).astype(np.float32)
        # Rings part and flow around a branch.
        radius = radius + knot * size * 0.95
        radius = np.where(heart > 0.5, around * 0.8, radius)
    years = radius / ring
    years = years + 0.35 * np.sin(years * 0.71 + 1.3) + 0.22 * np.sin(years * 0.23)
    rest = (years - np.floor(years)).astype(np.float32)
    seen = np.float32(ground.seen(ring))
    line = step(rest, 0.35, 0.92) * step(rest, 1.0, 0.955)
    line = seen * line + (1 - seen) * 0.38
    dark = 0.75 + 0.25 * np.sin(np.floor(years) * 2.7)
    fibre = ground.noise(0.8, octaves=3, gain=0.7, salt=6, long=40)
    figure = ground.noise(90, octaves=3, gain=0.6, salt=7, long=5)
    pore: np.ndarray = np.zeros(len(ground), np.float32)
    if wood.pores > 0:
        stretched = ground.noise(0.55, octaves=2, gain=0.6, salt=8, long=26)
        pore = wood.pores * step(stretched, 0.75, 1.7) * (0.25 + 0.75 * step(rest, 0.5, 0.05)) * ground.seen(0.8)
        # Rays: silvery flecks across the rings where the cut follows them.
        ray = step(ground.noise(2.6, octaves=2, salt=9, long=5), 1.9, 2.5) * wood.pores
    else:
        ray = np.zeros(len(ground), np.float32)
    color = mixed(wood.early, wood.late, np.clip(line * dark, 0, 1))
    color = times(color, 1 + u * (0.10 * slow + 0.09 * figure + 0.05 * fibre))
    color = mixed(color, np.asarray(wood.late, np.float32) * 0.42, np.clip(0.8 * pore, 0, 1))
    color = mixed(color, np.asarray(wood.early, np.float32) * 1.15, 0.35 * ray)
    color = mixed(
        color,
        np.asarray(wood.late, np.float32) * np.array([0.62, 0.52, 0.45], np.float32),
        np.clip(0.8 * heart + 0.3 * knot, 0, 1),
    )
    # Checks open along the grain, more in weathered wood, and from the middle of knots.
    crack = step(
        ground.noise(5.5, octaves=3, gain=0.5, salt=10, long=34) - 0.5 * (1 - w), 2.3 - 0.55 * w, 2.9 - 0.4 * w
    )
    crack = np.maximum(crack, heart * step(np.abs(ground.noise(9, octaves=2, salt=11)), 0.16, 0.04)) * (0.25 + 0.75 * w)
    if w > 0:
        grey = 0.155 + 0.035 * figure + 0.02 * fibre - 0.055 * line
        silver = np.clip(grey, 0.03, 1)[:, None] * np.array([1.0, 0.975, 0.93], np.float32)
        much = w * step(slow + 0.6 * figure, -2.6 + 0.6 * (1 - w), 0.2 + 1.8 * (1 - w))
        color = mixed(color, silver.astype(np.float32), np.clip(much * (1 - 0.35 * heart), 0, 1))
    color = times(color, 1 - 0.8 * crack)
    relief = 0.012 * fibre - 0.07 * pore + 0.25 * u * ground.noise(150, octaves=2, salt=12, long=4) - 1.3 * crack
    relief = relief + (0.03 + 0.42 * w) * (line - 0.38) + w * 0.09 * fibre + w * 0.35 * heart
    rough = wood.roughness + u * (0.04 * figure + 0.03 * fibre) - 0.06 * line + 0.10 * pore + 0.22 * w - 0.08 * ray
    return Skin(
        {"base_color": color, "metalness": one(0.0), "roughness": np.clip(rough, 0.2, 1.0).astype(np.float32)},
        relief.astype(np.float32),
    )
