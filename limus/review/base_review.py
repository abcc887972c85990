"""What there is to say of a base on an object: its relief, its colour, whether its tile shows to repeat."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from limus.bases.choice import BaseChoice
from limus.bases.laying import finished, laid
from limus.bases.materials.map_set import MapSet
from limus.bases.site import Site
from limus.common.colour import luminance, to_srgb
from limus.common.hashing import key_of
from limus.materials.albedo import plausible
from limus.materials.channels import CHANNELS, spread
from limus.patterns.repetition import SEEN, Repetition, repetition
from limus.playing.session import Session
from limus.strata.pile import Pile

#: Pixels along one side of the patch on which repetition is looked for, and tiles across it at most.
_PATCH, _TILES = 320, 4.0


@dataclass(frozen=True)
class Said:
    """See ``answer.BaseAnswer``."""

    title: str
    relief_mm: tuple[float, float]
    color: tuple[float, float, float]
    repetition: float
    notes: list[str]


def repeats(choice: BaseChoice, extent_mm: float, seed: int, files: Callable[[str], Path] | None = None) -> Repetition:
    """How much the tile of a map set shows to repeat on a flat wall of this width; nothing where the wall holds
    hardly more than a tile.
    """
    tile_mm = choice.placing.size_cm * 10.0 * choice.placing.scale
    if not isinstance(choice.material, MapSet) or not choice.material.files or extent_mm < 1.4 * tile_mm:
        return Repetition(0.0, 0.0)
    side = min(extent_mm, _TILES * tile_mm)
    at = (np.arange(_PATCH) + 0.5) / _PATCH * side * 0.001
    x, y = np.meshgrid(at, at[::-1])
    points = np.stack([x.ravel(), y.ravel(), np.zeros(x.size)], axis=1).astype(np.float32)
    normals = np.tile(np.array([[0, 0, 1]], np.float32), (len(points), 1))
    straight = choice.model_copy(
        update={"placing": choice.placing.model_copy(update={"way": "box", "scatter": "none", "turn_deg": 0.0})}
    )
    skin = finished(straight, laid(straight, Site(points, normals, side / _PATCH), seed, files))
    color = spread(skin.sheet["base_color"], CHANNELS["base_color"], len(points))
    seen = to_srgb(luminance(np.ascontiguousarray(color, np.float32)))
    rise = np.gradient(skin.relief.reshape(_PATCH, _PATCH), side / _PATCH)[0].ravel()
    # What is seen is colour, and relief by the light on it.
    both = seen + np.clip(rise, -1, 1) * 0.25
    if float(both.std()) < 0.008:
        return Repetition(0.0, 0.0)
    found = repetition(both.reshape(_PATCH, _PATCH), least=max(16.0, 0.35 * tile_mm / side * _PATCH))
    return Repetition(found.strength, found.apart * side / _PATCH)


def said_of(choice: BaseChoice, pile: Pile, here: np.ndarray, session: Session) -> Said:
    """What there is to say of ``choice`` where it lies, ``here`` (n,) 0..1."""
    rows = np.flatnonzero(here > 0)[:: max(1, int(here.sum()) // 40000)]
    if not len(rows):
        rows = np.zeros(1, np.int64)
    relief = pile.skin[rows]
    low, high = (float(np.quantile(relief, q)) for q in (0.01, 0.99))
    color = spread(pile.base["base_color"], CHANNELS["base_color"], len(pile.skin))[rows].mean(axis=0)
    metal = float(spread(pile.base["metalness"], CHANNELS["metalness"], len(pile.skin))[rows].mean())
    extent = float(np.linalg.norm(session.mesh.bounds[1] - session.mesh.bounds[0])) * 1000 / np.sqrt(2)
    key = key_of(
        "repeats", choice.material.model_dump(), choice.placing.model_dump(), round(extent, 1), session.scene.seed
    )
    found: Repetition = session.store.get(key, lambda: repeats(choice, extent, session.scene.seed, session.find))
    notes = []
    if choice.where is not None and float(here.max(initial=0.0)) < 0.02:
        notes.append(
            "Nothing of it shows: where two meet the higher one wins. Raise how high it stands, or sharpen its mask"
        )
    odd = plausible(color, metal)
    if odd:
        notes.append(f"Its mean colour is unlikely: {odd}")
    if found.strength > SEEN:
        mend = "give it a larger tile" if choice.placing.broken else "break its repetition, or give it a larger tile"
        notes.append(f"Its tile shows to repeat every {found.apart:.3g} mm ({found.strength:.0%}): {mend}")
    if isinstance(choice.material, MapSet) and choice.material.files:
        wide = max(session.picture_width(name) for name in choice.material.files)
        pixel = choice.placing.size_cm * 10 * choice.placing.scale / wide
        if pixel > 3 * pile.texels.texel_mm:
            notes.append(f"One of its pixels is {pixel:.2g} mm wide, several texels: it will look soft")
    if high - low > 0.2 * extent:
        notes.append(
            "Its relief is as high as a large part of the object: look at the relief range and the size of the tile"
        )
    return Said(
        choice.title, (low, high), (float(color[0]), float(color[1]), float(color[2])), max(0.0, found.strength), notes
    )
