"""Maps that a user packs: which channel, mask or number goes into which component, as it is, turned round, or several
multiplied.

Written ``name=component,component,...``, one to four of them; ``base-color`` or ``normal`` fill three. A component is a
map (``roughness``), one component of it (``normal.g``), a mask (``mask:rust:acted``) or a number (``0.5``), with ``1-``
before it the other way round, and several with ``*`` between them. ``name@srgb=`` has its first three encoded as
colours are.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from limus.common.refusal import refusal
from limus.common.wording import one_of
from limus.materials.channels import CHANNELS

MOST_MAPS, MOST_FACTORS = 32, 8
#: Maps that are no channel -> components.
OTHERS = {"ambient-occlusion": 1, "normal": 3, "height": 1}
#: Title of a map -> how many components it has.
WIDTHS: Mapping[str, int] = {**{channel.file: channel.width for channel in CHANNELS.values()}, **OTHERS}
#: Recipes by what is in them.
PRESETS: dict[str, tuple[str, ...]] = {
    "Occlusion, roughness, metalness": (
        "base-color=base-color", "occlusion-roughness-metalness=ambient-occlusion,roughness,metalness",
        "normal=normal", "height=height",
    ),
    "Metalness with smoothness": (
        "color-opacity=base-color,opacity", "metalness-smoothness=metalness,metalness,metalness,1-roughness",
        "normal=normal",
    ),
    "Normal with height, occlusion with gloss": (
        "color-opacity=base-color,opacity", "normal-height=normal,height",
        "occlusion-gloss-metalness=ambient-occlusion,1-roughness,metalness",
    ),
}  # fmt: skip
_NAME = re.compile(r"(?P<name>[A-Za-z0-9][A-Za-z0-9_-]{0,59})(?:@(?P<space>srgb|linear))?")
_FACTOR = re.compile(
    r"(?P<turned>1\s*-\s*)?(?:mask:(?P<mask>.+)|(?P<number>\d*\.?\d+)|(?P<map>[a-z-]+)(?:\.(?P<one>[rgb]))?)"
)


@dataclass(frozen=True)
class Factor:
    """One of the numbers that are multiplied: a ``map`` and which ``component`` of it, a ``mask``, or a ``number``;
    ``turned``: one minus it.
    """

    map: str = ""
    component: int = 0
    mask: str = ""
    number: float = 1.0
    turned: bool = False


@dataclass(frozen=True)
class PackedMap:
    """A map of the recipe: its ``name``, what each component is the product of, and whether it is encoded as colour."""

    name: str
    components: tuple[tuple[Factor, ...], ...]
    srgb: bool

    @property
    def masks(self) -> list[str]:
        """Masks that it takes in."""
        return [factor.mask for factors in self.components for factor in factors if factor.mask]

    @classmethod
    def read(cls, text: str, path: str) -> PackedMap:
        """Of its line.

        Raises
        ------
        ValueError : a ``refusal`` with the path ``path``.
        """
        head, _, tail = text.partition("=")
        named = _NAME.fullmatch(head.strip())
        if named is None or not tail.strip():
            raise refusal(
                path, "it begins with a name for its file and =", "Write orm=ambient-occlusion,roughness,metalness"
            )
        out: list[tuple[Factor, ...]] = []
        colour = False
        for word in tail.split(","):
            word = word.strip()
            if WIDTHS.get(word) == 3:
                out += [(Factor(word, k),) for k in range(3)]
                colour = colour or (len(out) == 3 and _is_colour(word))
                continue
            out.append(tuple(_factor(one.strip(), path) for one in word.split("*")[: MOST_FACTORS + 1]))
            if len(out[-1]) > MOST_FACTORS:
                raise refusal(path, f"more than {MOST_FACTORS} are multiplied", "Leave some out")
        if not 1 <= len(out) <= 4:
            raise refusal(path, f"a picture has 1 to 4 components, not {len(out)}", "Make two maps of it")
        return cls(named["name"], tuple(out), named["space"] == "srgb" or (colour and named["space"] is None))


def _is_colour(title: str) -> bool:
    return any(channel.file == title and channel.colour for channel in CHANNELS.values())


def _factor(text: str, path: str) -> Factor:
    found = _FACTOR.fullmatch(text)
    if found is None:
        raise refusal(path, f"'{text[:40]}' is nothing that can be packed", one_of(list(WIDTHS), text))
    turned = found["turned"] is not None
    if found["mask"]:
        return Factor(mask=found["mask"].strip(), turned=turned)
    if found["number"]:
        number = float(found["number"])
        if number > 1:
            raise refusal(path, f"{text} is more than white", "Numbers go from 0 to 1")
        return Factor(number=number, turned=turned)
    if found["map"] not in WIDTHS:
        raise refusal(path, f"there is no map '{found['map'][:40]}'", one_of(list(WIDTHS), found["map"]))
    if WIDTHS[found["map"]] == 3 and not found["one"]:
        raise refusal(path, f"{found['map']} has three components", f"Take one: {found['map']}.r, .g or .b")
    if WIDTHS[found["map"]] == 1 and found["one"]:
        raise refusal(path, f"{found['map']} has one component", f"Write {found['map']}")
    return Factor(found["map"], "rgb".index(found["one"] or "r"), turned=turned)
