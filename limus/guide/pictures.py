"""The pictures of the guide: each effect at three levels, each source as a mask, each base, on a box or a figure."""

from __future__ import annotations

from typing import Literal

import numpy as np

from limus.bases.choice import BaseChoice, from_stock
from limus.bases.store_room import STOCK
from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.object_size import ObjectSize
from limus.common.store import shared
from limus.common.wording import one_of
from limus.document.scene import Scene
from limus.effects.catalogue import EFFECTS
from limus.guide.bodies import body
from limus.guide.shown_on import Level, scene_of
from limus.intake.object_file import ObjectFile
from limus.masks.recipe import SOURCES, Recipe, Term
from limus.playing.chronicle import Chronicle
from limus.readings.exposure import Exposure, measure_exposure
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.readings.setting import Setting
from limus.review.lit import lit
from limus.review.picture import Picture
from limus.strata.pile import Pile
from limus.surface.texels import Texels
from limus.surface.walk import surface_gradient

On = Literal["box", "figure"]
What = Literal["effect", "source", "base"]
#: Texels along a side of the bodies' map set, pairs of rays of their readings, and pixels of a picture.
_SIZE, _PAIRS = 512, 24
SIZE = (264, 208)
#: Where it is looked at from: degrees about up, degrees high; and the direction towards the eye.
_FROM = (32.0, 18.0)
_EYE = np.array(
    [
        np.sin(np.radians(_FROM[0])) * np.cos(np.radians(_FROM[1])),
        np.sin(np.radians(_FROM[1])),
        np.cos(np.radians(_FROM[0])) * np.cos(np.radians(_FROM[1])),
    ],
    np.float32,
)


def _ready(on: On) -> tuple[Chronicle, Picture]:
    """The body measured, and the view of it: once however many ask, within the budget of the store."""
    store = shared()
    texels: Texels = store.get(key_of("guide body", on, _SIZE), lambda: Texels.of(body(on), _SIZE))
    plan = RayPlan.for_mesh(texels.mesh, _PAIRS)
    table: np.ndarray = store.get(key_of("guide rays", plan.key(texels)), lambda: measure_rays(texels, plan))
    measured = Measured(texels, plan, table)
    exposure: Exposure = store.get(key_of("guide weather", texels.key), lambda: measure_exposure(texels, Setting()))
    view: Picture = store.get(
        key_of("guide view", texels.key),
        lambda: Picture.of(texels, *SIZE, azimuth=_FROM[0], elevation=_FROM[1], supersample=2),
    )
    return Chronicle(texels, measured, store, exposure), view


def _seen(chronicle: Chronicle, view: Picture, pile: Pile) -> np.ndarray:
    """(h, w, 3) uint8: the surface in simple light, leaning as its relief does."""
    texels = chronicle.texels
    slope = surface_gradient(texels, pile.relief() * np.float32(0.001))
    normal = texels.normal - slope
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), np.float32(1e-6))
    eye = np.broadcast_to(_EYE, normal.shape)
    return view.show(lit(pile.visible(), normal.astype(np.float32), eye, 1 - chronicle.occlusion()))


def guide_picture(what: What, kind: str, on: On = "box", level: Level = "default") -> np.ndarray:
    """(h, w, 3) uint8.

    Raises
    ------
    InputError : there is no such effect, source or base.
    """
    names: dict[str, object] = {"effect": dict(EFFECTS), "source": dict(SOURCES), "base": dict(STOCK)}
    known = names[what]
    assert isinstance(known, dict)
    if kind not in known:
        raise InputError(f"there is no {what} '{kind}'", where="kind", remedy=one_of(known, kind))
    chronicle, view = _ready(on)
    size = ObjectSize(chronicle.texels.mesh.diagonal)
    if what == "effect":
        return _seen(chronicle, view, chronicle.play(scene_of(kind, level, EFFECTS[kind].title, size))[-1].pile)
    if what == "base":
        scene = Scene(object=ObjectFile(file="guide.glb"), bases=[BaseChoice.model_validate(from_stock(kind))])
        return _seen(chronicle, view, chronicle.as_made(scene))
    source = SOURCES[kind]
    low, high = source.suggest
    line = Term(source=source.model_validate(size.fields(source)), low=low, high=high)
    # A painted surface that chipped: what looks back sees something there.
    scene = scene_of("chipping", "high", source.title, size)
    pile = chronicle.play(scene)[-1].pile
    return view.show(Recipe(terms=[line]).value(chronicle.scope(scene, pile)), shade=0.35)
