"""The finished maps as the view takes them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.hashing import key_of
from limus.looks.answer import LookAnswer, MapsAnswer
from limus.looks.catalogue import shown
from limus.looks.gallery import MAP, Blob, Gallery
from limus.looks.look import Look
from limus.looks.seen import Seen
from limus.materials.encode import encode_surface, in_use
from limus.review.look import coloured, legend, rgba


@dataclass(frozen=True)
class _Encoded:
    maps: MapsAnswer
    blobs: list[Blob]


def finished_maps(seen: Seen, gallery: Gallery, *, relief: bool) -> MapsAnswer:
    """Encoded once for each state of the surface; ``relief`` for a view that moves the surface by it."""
    found: _Encoded = seen.session.store.get(key_of("maps", seen.surface_key), lambda: _encoded(seen))
    gallery.pictures |= {blob.name: blob for blob in found.blobs}
    if not relief:
        return found.maps
    texels = seen.chronicle.texels

    def halves() -> np.ndarray:
        return texels.image(np.clip(seen.chronicle.finish(seen.pile).relief, -60000, 60000).astype(np.float16))

    names = gallery.pages(key_of("relief maps", seen.pile.key, texels.key), halves)
    return found.maps.model_copy(update={"relief": names})


def _encoded(seen: Seen) -> _Encoded:
    texels = seen.chronicle.texels
    surface = seen.chronicle.finish(seen.pile)
    encoded = encode_surface(texels, surface.sheet, surface.normal, surface.occlusion)
    blobs = {name: [Blob.of(page.tobytes(), MAP) for page in pages] for name, pages in encoded.items()}
    names = {name: [blob.name for blob in group] for name, group in blobs.items()}
    numbers = {
        channel.name: texels.share(np.ascontiguousarray(surface.channel(channel.name), np.float32))
        for channel in in_use(surface.sheet)
        if channel.number
    }
    maps = MapsAnswer(
        base_color=names.pop("base_color"),
        orm=names.pop("orm"),
        normal=names.pop("normal"),
        more=names,
        numbers=numbers,
        relief_mm=(float(surface.relief.min()), float(surface.relief.max())),
    )
    return _Encoded(maps, [blob for group in blobs.values() for blob in group])


def look_through(seen: Seen, gallery: Gallery, look: Look) -> LookAnswer | None:
    """The look-through asked for; None for lit."""
    if look.kind == "lit":
        return None
    found = shown(seen, look)
    texels = seen.chronicle.texels
    out = LookAnswer(
        title=found.title,
        maps=[],
        unit=found.unit,
        about=found.about,
        components=found.components,
        decimals=found.decimals,
    )
    # What is looked through changes with every step of a drag: nothing of it is kept.
    if found.colour is not None:
        out.maps = gallery.now(rgba(texels, found.colour))
    else:
        assert found.values is not None
        out.maps = gallery.now(coloured(texels, found.values, found.low, found.high, found.ramp))
        out.legend = legend(found.ramp, found.low, found.high, found.unit, found.words)
    if found.values is not None:
        half = np.clip(found.values, -65000, 65000).astype(np.float16)
        out.values = gallery.now(texels.image(half, empty=np.nan))
    return out
