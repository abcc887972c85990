"""A base from recognised texture files."""

from __future__ import annotations

from collections.abc import Sequence

from limus.bases.choice import BaseChoice
from limus.bases.store_room import STOCK, guessed
from limus.map_sets.recognise import Recognised
from limus.map_sets.roles import by_name, words_of

#: Words of file names that say nothing of what a set shows.
_IDLE = {
    "1k",
    "2k",
    "4k",
    "8k",
    "16k",
    "png",
    "jpg",
    "exr",
    "tif",
    "tiff",
    "map",
    "texture",
    "tex",
    "gl",
    "dx",
    "opengl",
    "directx",
    "ogl",
    "16bit",
    "8bit",
}


def set_name(names: Sequence[str]) -> str:
    """What a set of files is called: the words that all of them begin with, or the first name."""
    split = [words_of(n) for n in names]
    common: list[str] = []
    for k, word in enumerate(split[0] if split else []):
        if word in _IDLE or (k > 0 and by_name(word)[0]) or any(len(s) <= k or s[k] != word for s in split):
            break
        common.append(word)
    name = " ".join(common) or (" ".join(split[0]) if split else "") or "Map set"
    return (name[0].upper() + name[1:])[:80]


def base_from_maps(found: Recognised, name: str = "", *, size_cm: float = 100.0) -> BaseChoice:
    """The entry of a scene for a recognised set; its physical flags are those of what its name speaks of."""
    title = name or set_name([f.name for f in found.files])
    like = guessed(title)
    flags: dict[str, object] = {}
    if like:
        substance = STOCK[like].substance
        flags = {"family": substance.family, "porosity": substance.porosity, "brittleness": substance.brittleness}
    elif any(u.role == "metalness" for u in found.uses):
        flags = {"family": "ferrous", "porosity": 0.0}
    share = found.range_share
    return BaseChoice.model_validate(
        {
            "file_maps": False,
            "name": title,
            "material": {
                "kind": "map_set",
                "maps": [u.model_dump() for u in found.uses],
                "green": found.green,
                "range_share": max(-1.0, min(1.0, share)),
            },
            "placing": {"size_cm": size_cm},
            "flags": flags,
        }
    )
