"""What a texture file can be, and what its name says of that."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

from limus.materials.channels import CHANNELS

Kind = Literal["colour", "data", "direction"]


@dataclass(frozen=True)
class Role:
    """``kind``: colour is sRGB unless the file says otherwise, data and directions are numbers; ``channel``: what it
    fills, "" for relief and occlusion; ``words``: how files of this role are called in the trade (common practice, no
    source).
    """

    title: str
    kind: Kind
    channel: str
    words: tuple[str, ...]


#: Roles that are not simply a channel of the registry, and the registry's own words for those that are.
ROLES: dict[str, Role] = {
    "base_color": Role("Base color", "colour", "base_color", ("basecolor", "basecolour", "albedo", "diffuse", "diff",
        "color", "colour", "col", "dif", "alb", "bc")),
    "roughness": Role("Roughness", "data", "roughness", ("roughness", "rough", "rgh")),
    "gloss": Role("Gloss", "data", "roughness", ("gloss", "glossiness", "glossy", "smoothness", "smooth", "gls")),
    "metalness": Role("Metalness", "data", "metalness", ("metalness", "metallic", "metal", "mtl", "met")),
    "reflectance": Role("Specular level", "data", "specular_ior", ("specularlevel", "reflectance", "f0")),
    "specular": Role("Specular color", "colour", "specular_color", ("specular", "spec", "specularcolor",
        "reflection", "refl")),
    "normal": Role("Normal", "direction", "", ("normal", "normals", "nrm", "norm", "nor", "nml", "normalgl",
        "normaldx", "nrml")),
    "height": Role("Height", "data", "", ("height", "displacement", "disp", "displace", "depth", "heightmap")),
    "bump": Role("Bump", "data", "", ("bump", "bmp")),
    "occlusion": Role("Ambient occlusion", "data", "", ("ao", "occlusion", "ambientocclusion", "ambient", "occ",
        "cavity")),
    "opacity": Role("Opacity", "data", "opacity", ("opacity", "alpha", "mask", "transparency", "cutout")),
    "emission": Role("Emission", "colour", "emission_color", ("emission", "emissive", "emit", "glow")),
} | {
    name: Role(channel.title, "colour" if channel.colour else "data", name, (name.replace("_", ""),))
    for name, channel in CHANNELS.items()
    if name not in ("base_color", "roughness", "metalness", "opacity", "emission_color")
}  # fmt: skip
#: Packed files: words of the name -> roles of red, green, blue, alpha.
PACKED: dict[str, tuple[str, ...]] = {
    "orm": ("occlusion", "roughness", "metalness"),
    "arm": ("occlusion", "roughness", "metalness"),
    "aorm": ("occlusion", "roughness", "metalness"),
    "occlusionroughnessmetallic": ("occlusion", "roughness", "metalness"),
    "occlusionroughnessmetalness": ("occlusion", "roughness", "metalness"),
    "rma": ("roughness", "metalness", "occlusion"),
    "rmo": ("roughness", "metalness", "occlusion"),
    "mra": ("metalness", "roughness", "occlusion"),
    "mro": ("metalness", "roughness", "occlusion"),
    "rmh": ("roughness", "metalness", "height"),
    "metallicroughness": ("", "roughness", "metalness"),
    "metalnessroughness": ("", "roughness", "metalness"),
}
#: Words that tell which way green points in a normal map (common practice, no source).
GREEN = {"gl": "up", "ogl": "up", "opengl": "up", "normalgl": "up", "dx": "down", "directx": "down", "normaldx": "down"}
_WORDS = {word: role for role, entry in reversed(ROLES.items()) for word in entry.words}
#: Alone these are parts of longer names as often as roles: "metal_plate_roughness", "smooth_concrete".
_WEAK = {"metal", "smooth", "rough", "color", "colour", "mask", "ambient", "depth", "norm", "col", "met"}


def words_of(name: str) -> list[str]:
    """The words of a file name in small letters: "OldWall_BaseColor-2K.png" -> old, wall, base, color, 2k."""
    stem = re.sub(r"\.[A-Za-z0-9]{1,5}$", "", name.replace("\\", "/").rsplit("/", 1)[-1])
    split = re.sub(r"([a-z0-9])([A-Z])", r"\1 \2", stem)
    return [w for w in re.split(r"[^0-9A-Za-z\u0080-\uffff]+", split.lower()) if w]


def by_name(name: str) -> tuple[str, tuple[str, ...]]:
    """(role, roles of components): what the name of a file says. ("", ()) where it says nothing; packed files have
    role "packed".
    """
    words = words_of(name)
    joined = [("".join(words[k : k + n]), k + n, n) for n in (3, 2, 1) for k in range(len(words) - n + 1)]
    for text, _, _ in joined:
        if text in PACKED:
            return "packed", PACKED[text]
    # The last telling word counts: names begin with the thing and end with the role. Longer words first.
    found = [
        (end, n, _WORDS[text])
        for text, end, n in joined
        if text in _WORDS and (text not in _WEAK or end == len(words) or n > 1)
    ]
    if not found:
        found = [(end, n, _WORDS[text]) for text, end, n in joined if text in _WORDS]
    return (max(found)[2], ()) if found else ("", ())


def green_by_name(name: str) -> str:
    """ "up", "down", or "" where the name says nothing."""
    return next((GREEN[w] for w in (*words_of(name), "".join(words_of(name)[-2:])) if w in GREEN), "")
