"""The pile at every texel: a substrate and coats on it, oldest first.

A pile is never changed; a layer makes a new one that shares the arrays it did not touch.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from limus.errors import InputError
from limus.masks.combine import blend_value
from limus.materials.channels import BLUE, COLUMNS, COLUMNS_OF, METALNESS, RED, ROUGHNESS
from limus.materials.substance import Substance
from limus.parallel import for_ranges, kernel
from limus.surface.texels import Texels

NORMAL_MODES = np.zeros(COLUMNS, np.int64)
FULL_WEIGHTS = np.ones(COLUMNS, np.float32)
#: Which columns a clear coat speaks through, and which it leaves alone.
_CLEAR = np.array([0, 0, 0, 0, 0, 1, 1], np.float32)


@dataclass(frozen=True)
class Coat:
    """What a deposit left.

    Attributes
    ----------
    layer : id of the layer. name : shown in the list of coats.
    thickness : (n,) float32 micrometres.
    sheet : (n, 7) or (1, 7) float32, see ``materials.channels``.
    weights : (7,) float32 how much the coat says in each column, 0..1. modes : (7,) int64 numbers of blend modes.
    """

    layer: str
    name: str
    substance: Substance
    thickness: np.ndarray
    sheet: np.ndarray
    weights: np.ndarray
    modes: np.ndarray


@kernel
def _cover(start, end, thickness, hide, sheet, weights, modes, out):  # type: ignore[no-untyped-def]
    one = len(sheet) == 1
    for i in range(start, end):
        t = thickness[i]
        if t <= 0:
            continue
        v = np.float32(1.0) - np.exp(-t / hide)
        j = 0 if one else i
        for c in range(out.shape[1]):
            b = out[i, c]
            s = sheet[j, c]
            if modes[c] != 0:
                s = blend_value(modes[c], b, s)
            out[i, c] = b + v * weights[c] * (s - b)


@kernel
def _see_through(start, end, thickness, hide, open_above):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        if thickness[i] > 0:
            open_above[i] *= np.exp(-thickness[i] / hide)


@kernel
def _share_out(start, end, thickness, hide, open_above, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        through = np.exp(-thickness[i] / hide) if thickness[i] > 0 else np.float32(1.0)
        out[i] = open_above[i] * (np.float32(1.0) - through)
        open_above[i] *= through


@dataclass(frozen=True)
class Pile:
    """State of the surface at one moment of the chronicle.

    Attributes
    ----------
    key : hash of everything that led here.
    base : (n, 7) sheet of the substrate. ferrous : (n,) float32 1 where the substrate is iron or steel.
    coats : oldest first. skin : (n,) float32 mm, relief of the substrate with what layers pressed in or raised (coats not counted).
    """

    texels: Texels
    key: str
    base: np.ndarray
    ferrous: np.ndarray
    skin: np.ndarray
    coats: tuple[Coat, ...] = ()

    def with_coat(self, coat: Coat) -> Pile:
        """The pile with one more coat on top."""
        return replace(self, coats=(*self.coats, coat))

    def visible(self) -> np.ndarray:
        """(n, 7) float32: what shows, composited bottom up with ``v = 1 - exp(-t / hide)``."""
        out = self.base.copy()
        for coat in self.coats:
            weights = coat.weights * _CLEAR if coat.substance.clear else coat.weights
            for_ranges(_cover, len(out), coat.thickness, np.float32(coat.substance.hide_um), coat.sheet, weights, coat.modes, out)
        return out

    def relief(self) -> np.ndarray:
        """(n,) float32 mm: the skin and the thickness of all coats (veils have none)."""
        out = self.skin.copy()
        for coat in self.coats:
            if coat.substance.family != "veil":
                out += coat.thickness * np.float32(0.001)
        return out

    def only(self, rows: np.ndarray) -> Pile:
        """The pile at chosen texels, for small pictures: ``visible`` works on it, readings of the surface do not."""
        coats = tuple(
            replace(c, thickness=c.thickness[rows], sheet=c.sheet if len(c.sheet) == 1 else c.sheet[rows]) for c in self.coats
        )
        return replace(self, base=self.base[rows], ferrous=self.ferrous[rows], skin=self.skin[rows], coats=coats)

    def open_above(self, index: int) -> np.ndarray:
        """(n,) float32 0..1: how much of coat ``index`` (-1: the base) is not hidden by the coats above it."""
        out = np.ones(len(self.texels), np.float32)
        for coat in self.coats[index + 1 :]:
            if not coat.substance.clear and coat.substance.family != "veil":
                for_ranges(_see_through, len(out), coat.thickness, np.float32(coat.substance.hide_um), out)
        return out

    def exposure(self, index: int) -> np.ndarray:
        """(n,) float32 0..1: how much of what shows is coat ``index`` (-1: the base)."""
        out = self.open_above(index)
        if index >= 0:
            coat = self.coats[index]
            out *= np.float32(1.0) - np.exp(-coat.thickness / np.float32(coat.substance.hide_um))
        return out

    def exposures(self) -> list[np.ndarray]:
        """(n,) exposure of the base and of every coat, oldest first, in one pass from the top."""
        left = np.ones(len(self.texels), np.float32)
        out: list[np.ndarray] = []
        for coat in reversed(self.coats):
            shown = np.zeros(len(left), np.float32)
            if not coat.substance.clear and coat.substance.family != "veil":
                for_ranges(_share_out, len(left), coat.thickness, np.float32(coat.substance.hide_um), left, shown)
            out.append(shown)
        return [left, *reversed(out)]

    def exposure_of(self, what: str) -> np.ndarray:
        """(n,) float32: ``what`` is "base", "iron" (bare ferrous base), "coating", or the id of a layer.

        Raises
        ------
        InputError : no earlier layer has that id (the scene's validation normally says so first).
        """
        if what in ("base", "iron"):
            bare = self.exposure(-1)
            return bare * self.ferrous if what == "iron" else bare
        numbers = [
            k for k, c in enumerate(self.coats) if (c.substance.family == "coating" if what == "coating" else c.layer == what)
        ]
        if not numbers and what != "coating":
            raise InputError(
                f"no earlier layer left a coat with the id '{what}'",
                where="exposed",
                remedy="Choose a layer to its left in the chronicle",
            )
        out = np.zeros(len(self.texels), np.float32)
        for k in numbers:
            out += self.exposure(k)
        return np.minimum(out, np.float32(1.0))

    def coat_thickness(self, layer: str) -> np.ndarray:
        """(n,) float32 micrometres of everything the layer with that id has left; 0 where it left nothing."""
        out = np.zeros(len(self.texels), np.float32)
        for coat in self.coats:
            if coat.layer == layer and coat.substance.family != "veil":
                out += coat.thickness
        return out

    def wetness(self) -> np.ndarray:
        """(n,) float32 0..1: how much of the surface films of water cover."""
        dry = np.ones(len(self.texels), np.float32)
        for coat in self.coats:
            if coat.substance.family == "water":
                for_ranges(_see_through, len(dry), coat.thickness, np.float32(coat.substance.hide_um), dry)
        return np.float32(1.0) - dry

    def base_map(self, what: str) -> np.ndarray:
        """(n,) float32 of the substrate: "height" mm, "roughness", "metalness" or "brightness" (BT.709 luminance) 0..1."""
        if what == "height":
            return self.skin
        if what == "brightness":
            return self.base[:, RED : BLUE + 1] @ np.array([0.2126, 0.7152, 0.0722], np.float32)
        return np.ascontiguousarray(self.base[:, ROUGHNESS if what == "roughness" else METALNESS])

    def coating(self) -> np.ndarray:
        """(n,) float32 micrometres of paint and primer."""
        out = np.zeros(len(self.texels), np.float32)
        for coat in self.coats:
            if coat.substance.family == "coating":
                out += coat.thickness
        return out


def weights_for(amounts: Mapping[str, float]) -> np.ndarray:
    """(7,) column weights from amounts per channel; channels not named count full."""
    out = FULL_WEIGHTS.copy()
    for name, columns in COLUMNS_OF.items():
        out[columns] = amounts.get(name, 1.0)
    return out
