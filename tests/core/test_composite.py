"""Coats over a base, channel by channel, against the formula written out in double precision."""

from __future__ import annotations

from typing import Any, ClassVar
from unittest import TestCase
from unittest.mock import patch

import numpy as np

from limus.materials.channels import CHANNELS
from limus.materials.channels import Sheet as Values
from limus.strata.composite import FULL, Laid, Use, composited

N = 1000
#: W3C, Compositing and Blending Level 1, section 10: B(backdrop, source).
W3C: dict[int, Any] = {
    0: lambda b, s: s,
    1: lambda b, s: b * s,
    2: lambda b, s: b + s - b * s,
    5: np.maximum,
    6: lambda b, s: np.abs(b - s),
}


def one(*numbers: float) -> np.ndarray:
    """A value that is the same everywhere."""
    return np.array(numbers if len(numbers) > 1 else numbers[0], np.float32)


class _Darker:
    """A rule in place of a colour: what shows, times a number of each texel."""

    reads: ClassVar[tuple[str, ...]] = ("base_color", "roughness")
    speaks: ClassVar[tuple[str, ...]] = ("base_color", "roughness")

    def __init__(self, times: np.ndarray) -> None:
        self.times = times

    def values(self, below: Values, here: slice) -> dict[str, np.ndarray]:
        return {
            "base_color": (below["base_color"] * self.times[here, None]).astype(np.float32),
            "roughness": np.array(0.25, np.float32),
        }

    def at(self, rows: np.ndarray) -> _Darker:
        return _Darker(self.times[rows])


class Composited(TestCase):
    def setUp(self) -> None:
        self.draw = np.random.Generator(np.random.PCG64(7))

    def values(self, *shape: int) -> np.ndarray:
        return self.draw.random(shape).astype(np.float32)

    def thickness(self) -> np.ndarray:
        # Nothing in half of the places, and a rounding error below nothing in a few.
        t = np.maximum(self.draw.normal(0.0, 20.0, N), 0.0).astype(np.float32)
        t[::97] = -1e-3
        return t

    def by_formula(self, below: dict[str, np.ndarray], coats: list[Laid]) -> dict[str, np.ndarray]:
        out: dict[str, Any] = {}
        for name, value in below.items():
            wide = CHANNELS[name].width
            out[name] = np.broadcast_to(value.astype(np.float64), (N, wide) if wide > 1 else (N,)).copy()
        for thickness, hide_um, spoken, alters in coats:
            given = alters.values({k: v.astype(np.float32) for k, v in out.items()}, slice(0, N)) if alters else {}
            cover = 1.0 - np.exp(-np.maximum(thickness.astype(np.float64), 0.0) / hide_um)
            for name, value, use in spoken:
                channel = CHANNELS[name]
                source = np.asarray(given[name] if value is None else value, np.float64)
                low, span = channel.low, channel.high - channel.low
                b, s = (out[name] - low) / span, (source - low) / span
                v = cover * use.weight
                mixed = W3C[use.mode](b, s)
                out[name] = (b + (v[:, None] if channel.width > 1 else v) * (mixed - b)) * span + low
        return out

    def test_every_way_a_coat_can_speak(self) -> None:
        below = {
            "base_color": self.values(N, 3), "roughness": one(0.5), "metalness": self.values(N),
            "coat_ior": one(1.5), "fuzz_color": one(1.0, 1.0, 1.0), "fuzz_weight": one(0.0), "coat_roughness": one(0.1),
        }  # fmt: skip
        coats = [
            # One value each; several values; both in one coat, by weights.
            Laid(self.thickness(), 12.0, [("roughness", one(0.9), FULL), ("metalness", one(0.0), Use(0.3))]),
            Laid(self.thickness(), 5.0, [("base_color", self.values(N, 3), FULL), ("roughness", self.values(N), FULL)]),
            Laid(self.thickness(), 30.0, [("base_color", one(0.1, 0.2, 0.3), Use(0.6)), ("fuzz_weight", one(0.4), FULL),
                ("fuzz_color", one(0.9, 0.1, 0.5), FULL)]),
            Laid(self.thickness(), 9.0, [("coat_ior", one(1.8), Use(0.5)), ("metalness", self.values(N), FULL)]),
            # By every kind of blending, of a channel that does not go from 0 to 1 too.
            *(Laid(self.thickness(), 8.0, [("base_color", self.values(N, 3), Use(0.8, mode)),
                ("roughness", one(0.3), Use(1.0, mode)), ("coat_ior", one(2.0), Use(0.7, mode)),
                ("fuzz_color", one(0.2, 0.4, 0.6), Use(1.0, mode))]) for mode in W3C),
            # By a rule that looks at what shows.
            Laid(self.thickness(), 10.0, [("base_color", None, FULL), ("roughness", None, Use(0.5))],
                _Darker(self.values(N))),
        ]  # fmt: skip
        wanted = self.by_formula(below, coats)
        # Whole, and in blocks of which the last is a short one.
        for block in (1 << 16, 300):
            with patch("limus.strata.composite._BLOCK", block):
                got = composited(N, below, coats)
            self.assertEqual(set(got), set(below))
            for name, value in got.items():
                whole = np.broadcast_to(value, wanted[name].shape)
                np.testing.assert_allclose(whole, wanted[name], atol=2e-5, err_msg=f"{name} {block}")
            # What no coat speaks of is what it was.
            self.assertIs(got["coat_roughness"], below["coat_roughness"])

    def test_what_says_nothing_new_leaves_one_value(self) -> None:
        half = np.array(0.5, np.float32)
        below = {"roughness": half, "metalness": half}
        got = composited(
            N, below, [Laid(np.ones(N, np.float32), 1.0, [("roughness", half.copy(), FULL), ("metalness", half, FULL)])]
        )
        self.assertEqual((got["roughness"].ndim, got["metalness"].ndim), (0, 0))
        self.assertIs(got["roughness"], half)

    def test_nothing_of_a_coat_changes_not_a_bit(self) -> None:
        below = {"base_color": self.values(N, 3), "roughness": self.values(N)}
        spoken = [("base_color", self.values(N, 3), FULL), ("roughness", np.array(0.9, np.float32), FULL)]
        for thickness in (np.zeros(N, np.float32), np.full(N, -2.0, np.float32)):
            got = composited(N, below, [Laid(thickness, 10.0, spoken)])  # type: ignore[arg-type]
            for name in below:
                np.testing.assert_array_equal(got[name], below[name])
        # And a little of it in one place changes that place alone.
        thickness = np.zeros(N, np.float32)
        thickness[-1] = 50.0
        got = composited(N, below, [Laid(thickness, 10.0, spoken)])  # type: ignore[arg-type]
        changed = np.flatnonzero((got["base_color"] != below["base_color"]).any(axis=1))
        self.assertEqual(changed.tolist(), [N - 1])
