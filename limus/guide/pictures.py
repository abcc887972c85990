"""The pictures of the guide: each effect at three levels, each source as a mask, each base, on a box or a figure."""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal

import numpy as np

from limus.bases.choice import from_stock
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
from limus.masks.recipe import SOURCES, Recipe, term
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
#: Texels along a side of the bodies' map set, pairs of rays of their readings, rays towards sun and rain; then the
#: pixels of a picture.
_SIZE, _PAIRS, _RAYS = 512, 12, 4
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


def _ready(on: On, weather: bool) -> tuple[Chronicle, Picture]:
    """The body measured, with sun, rain and run-off where ``weather`` is asked for, and the view of it: once however
    many ask, within the budget of the store.
    """
    store = shared()
    texels: Texels = store.get(key_of("guide body", on, _SIZE), lambda: Texels.of(body(on), _SIZE))
    plan = RayPlan.for_mesh(texels.mesh, _PAIRS)
    table: np.ndarray = store.get(key_of("guide rays", plan.key(texels)), lambda: measure_rays(texels, plan))
    measured = Measured(texels, plan, table)
    exposure: Exposure | None = None
    if weather:
        exposure = store.get(
            key_of("guide weather", texels.key), lambda: measure_exposure(texels, Setting(), rays=_RAYS)
        )
    view: Picture = store.get(
        key_of("guide view", texels.key),
        lambda: Picture.of(texels, *SIZE, azimuth=_FROM[0], elevation=_FROM[1], supersample=2),
    )
    return Chronicle(texels, measured, store, exposure), view


def _seen(chronicle: Chronicle, view: Picture, pile: Pile) -> np.ndarray:
    """(h, w, 3) uint8: the surface in simple light, leaning as its relief does."""
    texels = chronicle.texels
    slope = surface_gradient(texels, pile.relief() * 0.001)
    normal = texels.normal - slope
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-6)
    eye = np.broadcast_to(_EYE, normal.shape)
    return view.show(lit(pile.visible(), normal.astype(np.float32), eye, 1 - chronicle.occlusion()))


def guide_picture(what: What, kind: str, on: On = "box", level: Level = "default") -> np.ndarray:
    """(h, w, 3) uint8.

    Raises
    ------
    InputError : there is no such effect, source or base.
    """
    known: dict[str, Collection[str]] = {"effect": EFFECTS, "source": SOURCES, "base": STOCK}
    if kind not in known[what]:
        raise InputError(f"there is no {what} '{kind}'", where="kind", remedy=one_of(known[what], kind))
    size = ObjectSize(body(on).diagonal)
    recipe = Recipe()
    if what == "effect":
        scene = scene_of(kind, level, kind, size)
    elif what == "base":
        scene = Scene(object=ObjectFile(file="guide.glb"), bases=[from_stock(kind)])
    else:
        # A painted surface that chipped: what looks back sees something there.
        scene = scene_of("chipping", "high", kind, size)
        recipe = Recipe(terms=[term(SOURCES[kind].model_validate(size.fields(SOURCES[kind])))])
    chronicle, view = _ready(on, scene.asks_for_weather or recipe.weather)
    played = chronicle.play(scene)
    pile = played[-1].pile if played else chronicle.as_made(scene)
    if what == "source":
        return view.show(recipe.value(chronicle.scope(scene, pile)), shade=0.35)
    return _seen(chronicle, view, pile)
