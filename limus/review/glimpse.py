"""How a surface would look with something more done to it: the pictures of the picker."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.wording import one_of
from limus.document.scene import Layer, Scene, scene_from
from limus.document.start import fresh_effect
from limus.document.treatment import Treatment, treated
from limus.effects.catalogue import EFFECTS
from limus.playing.session import Session
from limus.review.picture import Picture
from limus.review.surface_picture import surface_picture

#: Texels along a side: enough for a picture of this size.
TEXELS = 384


@dataclass(frozen=True)
class Glimpse:
    """``picture`` (h, w, 3) uint8; ``coverage`` of the last layer; ``note`` where it would do nothing."""

    picture: np.ndarray
    coverage: float
    note: str


def with_effect(scene: Scene, kind: str, session: Session) -> Scene:
    """The scene and one more layer with the defaults of a kind of effect.

    Raises
    ------
    InputError : there is no such effect.
    """
    if kind not in EFFECTS:
        raise InputError(f"there is no effect '{kind[:40]}'", where="kind", remedy=one_of(EFFECTS, kind))
    taken = {layer.id for layer in scene.layers}
    name = next(name for k in range(len(taken) + 1) if (name := kind if k == 0 else f"{kind}-{k + 1}") not in taken)
    layer = Layer(
        id=name,
        name=EFFECTS[kind].title,
        effect=fresh_effect(kind, session.size, scene.setting, scene.bases),
        where=EFFECTS[kind].default_where(session.size),
    )
    return scene_from(
        {**scene.model_dump(mode="json"), "layers": [x.model_dump(mode="json") for x in (*scene.layers, layer)]}, "glimpse"
    )


def with_treatment(scene: Scene, treatment: Treatment, session: Session) -> Scene:
    """The scene with a treatment on it."""
    return treated(scene, treatment, session.size).scene


def glimpse(session: Session, scene: Scene, size: tuple[int, int], check: Callable[[], None] = lambda: None) -> Glimpse:
    """A picture of ``scene``, small and quick, with whatever readings there are; ``session`` is on the same object.

    Parameters
    ----------
    size : width and height in pixels. check : called between layers, may raise ``Cancelled``.

    Raises
    ------
    InputError : nothing was measured yet.
    """
    readings = session.readings()
    if readings is None:
        raise InputError("the object has not been measured yet", where="object", remedy="Wait for the draft readings")
    chronicle = session.chronicle(readings.measured, min(TEXELS, session.fitted(TEXELS)), weather=scene.asks_for_weather)
    chapters = chronicle.play(scene, check=check)
    pile = chapters[-1].pile if chapters else chronicle.as_made(scene)
    check()
    key = key_of("glimpse view", chronicle.texels.key, size)
    view: Picture = session.store.get(key, lambda: Picture.of(chronicle.texels, *size, zoom=1.05))
    surface = chronicle.finish(pile)
    picture = surface_picture(chronicle.texels, view, surface.sheet, surface.normal, surface.occlusion)
    last = chapters[-1] if chapters else None
    return Glimpse(picture, last.coverage if last else 0.0, last.note if last else "")
