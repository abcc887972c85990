"""The place where a base material is laid, and what comes of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from limus.bases.placing import Placing
from limus.common.hashing import key_of
from limus.masks.shape import smoothstep
from limus.patterns.cells import Cells, cells
from limus.patterns.noise import fractal
from limus.patterns.outline import Character, pull_of
from limus.patterns.speckle import speckle
from limus.patterns.tiling import Tiling, tiling

#: Returns what was made for a key before, or makes it.
Keeping = Callable[[str, Callable[[], Any]], Any]
Real = float | np.floating[Any]
Values = np.ndarray | tuple[float, ...] | Real


@dataclass(frozen=True)
class Ground:
    """Points of a surface in the material's own space.

    Attributes
    ----------
    points : (n, 3) float32 metres, the material's grain along x; normals : (n, 3) in the same axes. texel_mm : what
        is finer fades out.
    seed : of all chance. x_mm, y_mm : (n,) places in the plane, y up, for materials that are laid in one; else None.
    side : (n,) which of three sides the plane is, so that pieces on different sides differ. files : where files lie.
    uv_mm : (n, 2) places by the UVs, mm, v down; only where the material is placed by them. placing : for what is
        made of pictures. extent_mm : diagonal
    of the whole object. keep : where patterns are kept while settings are dragged that do not change them; ``label``
    tells these points from others there.
    """

    points: np.ndarray
    normals: np.ndarray
    texel_mm: float
    seed: int = 1
    x_mm: np.ndarray | None = None
    y_mm: np.ndarray | None = None
    files: Callable[[str], Path] | None = None
    uv_mm: np.ndarray | None = None
    placing: Placing = field(default_factory=Placing)
    extent_mm: float = 1000.0
    keep: Keeping | None = None
    label: str = ""

    def __len__(self) -> int:
        return len(self.points)

    def _kept(self, what: tuple[object, ...], make: Callable[[], Any], points: np.ndarray | None = None) -> Any:
        if self.keep is None:
            return make()
        where = self.label if points is None else key_of(points)
        return self.keep(key_of("pattern of a base", where, self.seed, self.texel_mm, *what), make)

    def noise(
        self,
        size_mm: float,
        *,
        octaves: int = 4,
        gain: float = 0.5,
        salt: int = 0,
        long: float = 1.0,
        points: np.ndarray | None = None,
    ) -> np.ndarray:
        """(n,) float32 of deviation 1 (less where it is finer than texels); ``long`` times as long along the grain."""

        def make() -> np.ndarray:
            at = self.points if points is None else points
            if long != 1.0:
                at = at * np.array([1.0 / long, 1.0, 1.0], np.float32)
            return fractal(
                at, size_mm, octaves=octaves, gain=gain, seed=self.seed * 7919 + salt, texel_mm=self.texel_mm
            )

        found: np.ndarray = self._kept(("noise", size_mm, octaves, gain, salt, long), make, points)
        return found

    def cells(
        self,
        size_mm: float,
        *,
        salt: int = 0,
        edges: bool = True,
        jitter: float = 1.0,
        points: np.ndarray | None = None,
    ) -> Cells:
        """Cells about ``size_mm`` wide."""

        def make() -> Cells:
            at = self.points if points is None else points
            return cells(at, size_mm, jitter=jitter, seed=self.seed * 7919 + salt, edges=edges)

        found: Cells = self._kept(("cells", size_mm, salt, edges, jitter), make, points)
        return found

    def speckle(
        self, size_mm: float, amount: Real, *, vary: float = 0.5, soft: float = 0.3, salt: int = 0
    ) -> np.ndarray:
        """(n,) float32 0..1 dots; finer ones than texels become their mean."""
        seen = self.seen(size_mm)
        if seen <= 0:
            return np.full(len(self), amount * 0.2, np.float32)
        amount = float(amount)
        return self._kept(
            ("speckle", size_mm, amount, vary, soft, salt),
            lambda: self._speckle(size_mm, amount, vary, soft, salt, seen),
        )  # type: ignore[no-any-return]

    def _speckle(self, size_mm: float, amount: float, vary: float, soft: float, salt: int, seen: float) -> np.ndarray:
        # Nothing that time or gas made is quite round.
        away = np.stack(
            [self.noise(size_mm * 0.55, octaves=3, gain=0.6, salt=salt + 900 + k) for k in range(3)], axis=1
        )
        dots = speckle(
            self.moved(away * (0.13 * size_mm)).points,
            size_mm,
            amount=float(amount),
            vary=vary,
            soft=max(soft, min(self.texel_mm / size_mm, 1.0)),
            seed=self.seed * 7919 + salt,
        )
        return seen * dots + (1 - seen) * amount * 0.2

    def pull(self, size_mm: float, character: Character, *, salt: int = 0) -> np.ndarray:
        """(n,) float32 about -1.2..1.2: how far a broken edge is pulled, see ``patterns.outline``."""
        found: np.ndarray = self._kept(
            ("outline", size_mm, character, salt),
            lambda: pull_of(self.points, size_mm, character, self.seed * 7919 + salt, texel_mm=self.texel_mm),
        )
        return found

    def tiling(self, width_mm: float, height_mm: float, **how: float) -> Tiling:
        """Pieces in the plane."""
        assert self.x_mm is not None and self.y_mm is not None
        return tiling(
            self.x_mm,
            self.y_mm,
            width_mm,
            height_mm,
            seed=self.seed * 7919,
            fade=self.seen(min(width_mm, height_mm)),
            **how,
        )  # type: ignore[arg-type]

    def seen(self, size_mm: float) -> float:
        """0..1: how well something of this size is seen; it fades out between four texels and two."""
        return float(np.clip(size_mm / max(2.0 * self.texel_mm, 1e-9) - 1.0, 0.0, 1.0))

    def calm(self, size_mm: float) -> np.float32:
        """0..1: what patches of this size may still stand out on the object: a few of them are its story, hundreds
        are a camouflage.
        """
        return np.float32(min(1.0, 7.0 * size_mm / max(self.extent_mm, 1e-6)) ** 0.8)

    def moved(self, by_mm: np.ndarray) -> Ground:
        """The same with its points moved by (n, 3) or (3,) mm."""
        points = (self.points + by_mm.astype(np.float32) * 0.001).astype(np.float32)
        return replace(self, points=points, label=key_of(points) if self.keep is not None else "")


@dataclass(frozen=True)
class Skin:
    """A base as laid: its ``sheet`` (see ``materials.channels``) and its ``relief`` (n,) mm.

    ``joint`` (n,) 0..1 and ``piece`` (n,) 0..1, a value for each piece, where it consists of pieces; ``occlusion``
    (n,) 0 open, where its maps tell.
    """

    sheet: dict[str, np.ndarray]
    relief: np.ndarray
    joint: np.ndarray | None = None
    piece: np.ndarray | None = None
    occlusion: np.ndarray | None = None


def mixed(a: Values, b: Values, share: np.ndarray) -> np.ndarray:
    """(n, 3) float32: colour ``a``, one or (n, 3), where ``share`` (n,) is 0, ``b`` where it is 1."""
    one, other = np.asarray(a, np.float32), np.asarray(b, np.float32)
    return (one + (other - one) * share[:, None]).astype(np.float32)


def between(a: Values, b: Values, share: np.ndarray) -> np.ndarray:
    """(n,) float32: number ``a``, one or (n,), where ``share`` (n,) is 0, ``b`` where it is 1.

    Apart from ``mixed``, since the numbers of three texels look like a colour.
    """
    one, other = np.asarray(a, np.float32), np.asarray(b, np.float32)
    return (one + (other - one) * share).astype(np.float32)


def times(color: np.ndarray | tuple[float, float, float], tone: np.ndarray) -> np.ndarray:
    """(n, 3) float32 0..1: a colour, one or (n, 3), by an (n,) tone."""
    return np.clip(np.asarray(color, np.float32) * np.maximum(tone, 0.0)[:, None], 0.0, 1.0).astype(np.float32)


def step(values: np.ndarray, low: Real, high: Real) -> np.ndarray:
    """(n,) float32: smoothly from 0 at ``low`` to 1 at ``high`` (or the other way round)."""
    if low > high:
        return 1.0 - smoothstep(values, float(high), float(low))
    return smoothstep(values, float(low), float(high))
