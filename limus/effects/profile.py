"""Cross-sections of grooves, dents and cracks."""

from __future__ import annotations

import itertools
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from limus.common.refusal import refusal
from limus.masks.shape import curved

Profile = Literal["step", "v", "u", "rounded", "own"]
Unit = Annotated[float, Field(ge=0.0, le=1.0)]
#: A point of a profile of one's own: the way from the edge, and the share of the depth there.
Corner = tuple[Unit, Unit]


def profile_of(along: np.ndarray, profile: Profile, points: list[tuple[float, float]] | None = None) -> np.ndarray:
    """(n,) share of the depth 0..1 from (n,) the way from the edge, 0, to the end of the bevel, 1.

    "u" is a quarter of a circle, "rounded" has no edge at either end, "own" goes through ``points``.
    """
    t = np.clip(along, 0.0, 1.0).astype(np.float32)
    if profile == "v":
        return t
    if profile == "u":
        return np.sqrt(np.maximum(1.0 - np.square(1.0 - t), 0.0)).astype(np.float32)
    if profile == "rounded":
        return (t * t * (3.0 - 2.0 * t)).astype(np.float32)
    if profile == "own" and points:
        return curved(np.ascontiguousarray(t), points)
    return (t > 0).astype(np.float32)


def rising(points: list[Corner] | None) -> list[Corner] | None:
    """The points of a profile, which must go from left to right."""
    for k, (a, b) in enumerate(itertools.pairwise(points or [])):
        if b[0] - a[0] < 1e-4:
            raise refusal(f"[{k + 1}]", "the profile goes back on itself", "Let its points go from left to right")
    return points
