"""What is ordered: which target, in which sizes, under which names, with which masks."""

from __future__ import annotations

import math
from typing import Annotated, Any

from pydantic import ConfigDict, Field, ValidationError, field_validator, model_validator

from limus.common.fields import Document
from limus.common.refusal import first_refusal, refusal, refuse_odd_text
from limus.common.wording import one_of
from limus.targets.masks import MOST
from limus.targets.naming import LONGEST, check_pattern
from limus.targets.recipe import MOST_MAPS, WIDTHS, PackedMap
from limus.targets.target import Target
from limus.targets.targets import TARGETS

#: A map may be so many times smaller than the others.
SHRINK = (1, 2, 4, 8, 16)
#: Pixels beyond the surface that a gutter can be asked to end after.
WIDEST_GUTTER = 64


#: Snapshots in one delivery.
MOST_SNAPSHOTS = 16
#: Fields that not every target takes.
_OF_TARGETS = ("names", "sizes", "gutter", "gutter_mm", "dither", "recipe", "snapshots", "moved", "edge_mm")


class Order(Document):
    """What a delivery is to be. Every way to it (command line, interface, batch, API) gives one of these."""

    model_config = ConfigDict(frozen=True)
    target: str = Field("gltf", max_length=40, description="A target of the catalogue")
    resolution: int = Field(2048, ge=16, le=16384, description="Pixels along a side of each map")
    bits: int = Field(0, description="Of each number; 0: as the target usually has them")
    masks: tuple[Annotated[str, Field(max_length=120)], ...] = Field(
        (), max_length=MOST, description="Masks to take along: rust, rust:acted, rust:2, paint:coat/primer"
    )
    packed: bool = Field(False, description="Four masks to a file")
    names: str = Field("", max_length=LONGEST, description="Pattern for the names of maps, like {object}_{set}_{map}")
    sizes: dict[str, int] = Field(default_factory=dict, description="Maps that are to be smaller: title -> pixels")
    gutter: int | None = Field(
        None, ge=0, le=WIDEST_GUTTER, description="Pixels that colours run on beyond the surface; null: everywhere"
    )
    gutter_mm: float | None = Field(
        None, ge=0, le=1000, description="The same as mm of the surface, by the mean size of its texels"
    )
    dither: bool = Field(False, description="Spread the rounding to 8 bit, so that smooth slopes show no steps")
    recipe: tuple[Annotated[str, Field(max_length=300)], ...] = Field(
        (), max_length=MOST_MAPS, description="Maps of one's own: orm=ambient-occlusion,roughness,metalness"
    )

    snapshots: tuple[Annotated[str, Field(max_length=120)], ...] = Field(
        (), max_length=MOST_SNAPSHOTS, description="Snapshots of the scene that go along, each as a variant"
    )
    moved: bool = Field(False, description="The relief moves the vertices")
    edge_mm: float | None = Field(
        None, ge=0.1, le=10_000, description="The mesh is cut until no edge is longer; null: as it is"
    )

    @field_validator("names")
    @classmethod
    def _pattern(cls, given: str) -> str:
        return check_pattern(given)

    @model_validator(mode="after")
    def _fits(self) -> Order:
        if self.target not in TARGETS:
            raise refusal("target", f"'{self.target}' is not a target", one_of(list(TARGETS), self.target))
        kind = self.kind
        if self.bits and self.bits not in kind.depths:
            offered = ", ".join(map(str, kind.depths))
            raise refusal("bits", f"{self.target} has no maps of {self.bits} bits", f"Take {offered}", accepted=offered)
        if self.resolution > max(kind.sizes):
            raise refusal("resolution", f"{self.target} goes up to {max(kind.sizes)}", "Take a smaller one")
        for field in _OF_TARGETS:
            if field not in kind.takes and getattr(self, field) not in ("", {}, None, False, ()):
                able = ", ".join(name for name, one in TARGETS.items() if field in one.takes)
                raise refusal(field, f"{self.target} does not take this", f"Leave it out, or take one of: {able}")
        if self.gutter is not None and self.gutter_mm is not None:
            raise refusal("gutter_mm", "the gutter is given twice", "Give it in pixels or in mm")
        if kind.masks_within and len(self.masks) > kind.masks_within:
            raise refusal(
                "masks", f"{self.target} takes {kind.masks_within} masks, and {len(self.masks)} are asked for",
                f"Take {kind.masks_within} at most",
            )  # fmt: skip
        if self.snapshots and self.masks:
            raise refusal("masks", "masks are those of one condition", "Leave them out, or deliver them by themselves")
        if len(set(self.snapshots)) < len(self.snapshots):
            raise refusal("snapshots", "one is named twice", "Name each once")
        if self.dither and self.depth != 8:
            raise refusal("dither", "only maps of 8 bits are dithered", "Take 8 bits, or leave it out")
        for title, size in self.sizes.items():
            if title not in WIDTHS:
                raise refusal("sizes", f"there is no map '{title[:40]}'", one_of(list(WIDTHS), title))
            able_to = [self.resolution // k for k in SHRINK if self.resolution % k == 0 and self.resolution // k >= 16]
            if size not in able_to:
                raise refusal(
                    "sizes", f"{title} cannot be {size} pixels wide in maps of {self.resolution}",
                    "Take one of these; the largest map gives the resolution", accepted=", ".join(map(str, able_to)),
                )  # fmt: skip
        if "recipe" in kind.takes and not self.recipe:
            raise refusal("recipe", "there is no map in it", "Say what goes where: orm=ambient-occlusion,roughness,0")
        names = [one.name.lower() for one in self.packing]
        for k, name in enumerate(names):
            if name in names[:k]:
                raise refusal(f"recipe[{k}]", f"two maps are called {name}", "Give one another name")
        return self

    @property
    def kind(self) -> type[Target]:
        """The target."""
        return TARGETS[self.target]

    @property
    def depth(self) -> int:
        """Bits of each number."""
        return self.bits or self.kind.depths[0]

    @property
    def packing(self) -> list[PackedMap]:
        """The maps of its recipe."""
        return [PackedMap.read(text, f"recipe[{k}]") for k, text in enumerate(self.recipe)]

    def gutter_at(self, texel_mm: float) -> int | None:
        """Pixels that the gutter is wide, where a texel has sides of ``texel_mm`` in the mean; None: everywhere."""
        if self.gutter_mm is None:
            return self.gutter
        return min(math.ceil(self.gutter_mm / texel_mm), WIDEST_GUTTER)

    def said_at(self, texel_mm: float) -> list[str]:
        """What there is to say of it where a texel has sides of ``texel_mm``: a gutter that is wider than any."""
        if self.gutter_mm is None or self.gutter_mm <= WIDEST_GUTTER * texel_mm:
            return []
        return [
            f"The gutter of {self.gutter_mm:g} mm would be {math.ceil(self.gutter_mm / texel_mm)} pixels wide, and the "
            f"widest is {WIDEST_GUTTER}: colors run on over {WIDEST_GUTTER * texel_mm:.2g} mm"
        ]

    def shrink(self, title: str) -> int:
        """How many pixels along a side become one in a map."""
        return self.resolution // self.sizes.get(title, self.resolution)


def order_from(document: Any, where: str = "order") -> Order:
    """The order of a parsed document.

    Raises
    ------
    InputError : a field that cannot be, with its path.
    """
    refuse_odd_text(document, where)
    try:
        return Order.model_validate(document)
    except ValidationError as error:
        raise first_refusal(error).error(where) from error
