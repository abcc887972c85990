"""How a surface would look with something more done to it: the pictures of the picker."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from limus.common.errors import InputError
from limus.document.scene import Scene
from limus.playing.session import Session
from limus.review.close_view import close_view, outstanding
from limus.review.surface_picture import surface_picture

#: Texels along a side: enough for a picture of this size.
TEXELS = 384


@dataclass(frozen=True)
class Glimpse:
    """``picture`` (h, w, 3) uint8; ``coverage`` of the last layer; ``note`` where it would do nothing."""

    picture: np.ndarray
    coverage: float
    note: str


def glimpse(
    session: Session, scene: Scene, size: tuple[int, int], added: int, check: Callable[[], None] = lambda: None
) -> Glimpse:
    """A picture of what the last ``added`` layers of ``scene`` do, small and quick, with whatever readings there are.

    Parameters
    ----------
    session : on the same object. size : width and height in pixels. check : called between layers, may raise
        ``Cancelled``.

    Raises
    ------
    InputError : nothing was measured yet.
    """
    readings = session.measuring.best()
    if readings is None:
        raise InputError("the object has not been measured yet", where="object", remedy="Wait for the draft readings")
    chronicle = session.chronicle(
        readings.measured, min(TEXELS, session.fitted(TEXELS)), weather=scene.asks_for_weather
    )
    chapters = chronicle.play(scene, check=check)
    pile = chapters[-1].pile if chapters else chronicle.as_made(scene)
    check()
    last = chapters[-1] if chapters else None
    # Where it did most: from afar one looks like the other.
    done = chapters[-added:] if added else []
    change = np.max([c.shown for c in done], axis=0) if done else np.zeros(len(chronicle.texels), np.float32)
    near = close_view(chronicle.texels, change, *size, session.store)
    view = near.picture(chronicle.texels, *size, session.store)
    surface = chronicle.finish(pile)
    up = {"azimuth": near.azimuth}
    picture = surface_picture(chronicle.texels, view, surface.sheet, surface.normal, surface.occlusion, **up)
    if len(done) == 1 and done[0].coverage < 0.6:
        picture = outstanding(picture, view.show(change))
    return Glimpse(picture, last.coverage if last else 0.0, last.note if last else "")
