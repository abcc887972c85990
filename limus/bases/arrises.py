"""The arrises of what is laid in pieces: how bricks, stones, slates and boards are broken along their joints."""

from __future__ import annotations

from typing import Any, Literal, Protocol

import numpy as np

from limus.bases.ground import Ground
from limus.common.fields import choice, number
from limus.patterns.outline import CHARACTERS, Character, one_way

Side = Literal["inward", "outward", "across"]


class Broken(Protocol):
    """A base whose pieces can be broken along their joints."""

    arris_mm: float
    arris_size_mm: float
    arris_as: Character
    arris_way: Side


def arris_field() -> Any:
    """How far pieces are broken along their joints."""
    return number(0.0, "Broken edges", "mm", 0.0, 200.0, (0.0, 20.0), "How far each piece is broken along its joints")


def arris_size_field() -> Any:
    """Size of what broke off."""
    return number(
        25.0, "Size", "mm", 1.0, 1000.0, (5.0, 100.0), "Of what broke off", log=True, unless={"arris_mm": 0.0}
    )


def arris_as_field() -> Any:
    """What the broken edge looks like."""
    return choice(
        "crumbled", "Edge", "What the broken edge looks like", hints={"unless": {"arris_mm": 0.0}}, **CHARACTERS
    )


def arris_way_field() -> Any:
    """Which way the edge goes."""
    return choice(
        "inward", "Breaks", "Which way the edge goes", hints={"unless": {"arris_mm": 0.0}},
        inward="inwards: pieces lose", outward="outwards: pieces spread into the joint", across="in and out",
    )  # fmt: skip


def broken_by(base: Broken, ground: Ground) -> np.ndarray | np.float32:
    """(n,) float32 mm to be added to the distance to a piece's border: below 0 where it lost, above 0 where it
    spread; 0 where nothing is broken.

    No edge goes further than ``arris_mm``.
    """
    if base.arris_mm <= 0:
        return np.float32(0.0)
    # Less of what texels are too coarse to tell apart.
    by = np.float32(base.arris_mm * ground.seen(base.arris_size_mm))
    pull = ground.pull(base.arris_size_mm, base.arris_as, salt=61)
    if base.arris_way == "across":
        return by * np.clip(pull, -1.0, 1.0)
    return by * one_way(pull) * (-1.0 if base.arris_way == "inward" else 1.0)
