"""The picture of an object in a list: how its surface looks today."""

from __future__ import annotations

from limus.document.scene import Scene
from limus.formats.png import png_bytes
from limus.playing.chronicle import Chronicle
from limus.playing.session import Session
from limus.review.moment import moment_picture
from limus.review.picture import Picture

#: Pixels of the picture, and texels along a side that it is made from: enough for its size, and a matter of moments.
WIDTH, HEIGHT, TEXELS = 480, 320, 512


def portrait(session: Session) -> bytes | None:
    """PNG of the surface with everything that happened to it; None without UVs, or where no readings are measured yet:
    looking at a list measures nothing.

    Raises
    ------
    InputError : the object or its scene cannot be read.
    """
    readings = session.measuring.best() if session.mesh.uv is not None else None
    if readings is None:
        return None
    return portrait_on(
        session.chronicle(readings.measured, TEXELS, weather=session.scene.asks_for_weather), session.scene
    )


def portrait_on(chronicle: Chronicle, scene: Scene) -> bytes:
    """The same, of a scene over an object that is measured."""
    pile = chronicle.as_made(scene)
    for chapter in chronicle.playing(scene):
        pile = chapter.pile
    picture = Picture.of(chronicle.texels, WIDTH, HEIGHT, zoom=1.04, supersample=2)
    return png_bytes(moment_picture(pile, picture, chronicle.occlusion()))
