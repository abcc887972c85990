"""Boards."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.arrises import Side, arris_as_field, arris_field, arris_size_field, arris_way_field, broken_by
from limus.bases.base_material import BaseMaterial, colour_field, uneven_field
from limus.bases.ground import Ground, Skin, between, mixed, step, times
from limus.bases.materials.timber import Timber, grown
from limus.common.fields import number
from limus.common.hashing import key_of
from limus.materials.channels import one
from limus.materials.substance import Substance
from limus.patterns.outline import Character


class Boards(BaseMaterial):
    """Sawn boards side by side, each cut from another tree, nailed at the ends, gaping a little."""

    kind: Literal["boards"] = "boards"
    title: ClassVar[str] = "Boards"
    summary: ClassVar[str] = "Boards side by side, each its own"
    substance: ClassVar[Substance] = Substance("timber", porosity=0.5, brittleness=0.4)
    solid: ClassVar[bool] = False

    early: tuple[float, float, float] = colour_field((0.44, 0.29, 0.15), "Early wood")
    late: tuple[float, float, float] = colour_field((0.27, 0.145, 0.06), "Late wood")
    width_mm: float = number(140.0, "Width", "mm", 10.0, 1000.0, (50.0, 300.0))
    length_mm: float = number(2200.0, "Length", "mm", 50.0, 20000.0, (500.0, 5000.0))
    gap_mm: float = number(4.0, "Gap", "mm", 0.0, 50.0, (0.0, 12.0))
    weathered: float = number(
        0.3, "Weathered", "%", 0.0, 1.0, about="Grey, with the late wood standing proud, and checks"
    )
    tone: float = number(0.5, "Tone", "%", 0.0, 1.0, about="How much boards differ")
    level_mm: float = number(1.2, "Level", "mm", 0.0, 20.0, (0.0, 5.0), "How far boards stand out or lie back")
    arris_mm: float = arris_field()
    arris_size_mm: float = arris_size_field()
    arris_as: Character = arris_as_field()
    arris_way: Side = arris_way_field()
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Boards lie along the plane's x."""
        assert ground.x_mm is not None and ground.y_mm is not None
        t = ground.tiling(
            self.length_mm, self.width_mm, joint_mm=self.gap_mm, stagger=0.5, loose=1.0, vary=0.3, corner_mm=1.5
        )
        a, b, c, d = (t.chance(k) for k in (1, 2, 3, 4))
        # Where in a tree of its own each board was sawn: flat ones show arches, upright ones stripes.
        turn = (b - 0.5) * 1.1
        y, z = t.up * np.cos(turn) + 140 * (c - 0.5), -t.up * np.sin(turn) + 60 + 70 * d
        tree = np.stack([ground.x_mm + 7000 * a, y, z], axis=1).astype(np.float32) * 0.001
        wood = Timber(
            early=self.early,
            late=self.late,
            ring_mm=3.6,
            pores=0.0,
            knots=0.35,
            weathered=self.weathered,
            uneven=self.uneven,
        )
        place = Ground(
            tree,
            ground.normals,
            ground.texel_mm,
            ground.seed,
            extent_mm=ground.extent_mm,
            keep=ground.keep,
            label=key_of(tree) if ground.keep else "",
        )
        face = grown(place, wood)
        ragged = ground.noise(20, octaves=3, gain=0.6, salt=41)
        edge = t.edge + 0.35 * ragged + broken_by(self, ground)
        inside = step(edge, -0.4 - ground.texel_mm, 0.4 + ground.texel_mm)
        arris = step(edge, 3.0, 0.0)
        cup = (t.up / np.maximum(t.half_height, 1)) ** 2
        high = (
            face.relief
            + self.level_mm
            * ((a - 0.5) + 0.6 * (c - 0.5) * t.up / np.maximum(t.half_height, 1) + 0.5 * (d - 0.3) * cup)
            - 0.9 * arris**2
        )
        # Two nails near each end.
        gx, gy = t.half_width - np.abs(t.across) - 28.0, np.abs(t.up) - 0.52 * t.half_height
        far = np.sqrt(gx**2 + gy**2)
        nail = step(far, 3.4 + ground.texel_mm, 2.6)
        stain = np.exp(-np.maximum(far - 3, 0) / 9.0).astype(np.float32) * (0.2 + 0.8 * self.weathered)
        tint = (0.62 + 0.76 * a)[:, None] * np.stack(
            [np.ones_like(b), 1 + 0.06 * (b - 0.5), 1 + 0.16 * (b - 0.5)], axis=1
        )
        color = np.clip(face.sheet["base_color"] * (1 + self.tone * (tint - 1)), 0, 1).astype(np.float32)
        color = mixed(color, np.array([0.055, 0.045, 0.04], np.float32), 0.5 * stain)
        color = mixed(color, np.array([0.08, 0.06, 0.05], np.float32), nail)
        color = times(color, 0.12 + 0.88 * inside)
        relief = between(np.float32(-7.0), (high - 0.7 * nail).astype(np.float32), inside)
        return Skin(
            {"base_color": color, "metalness": one(0.0), "roughness": np.clip(face.sheet["roughness"] - 0.2 * nail,
                0.2, 1.0).astype(np.float32)},
            relief.astype(np.float32), (1 - inside).astype(np.float32), a,
        )  # fmt: skip
