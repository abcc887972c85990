"""How a base is laid on the surface."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import model_validator

from limus.common.fields import Document, choice, number, switch
from limus.patterns.by_example import Patches
from limus.patterns.patch_fields import (
    blend_field,
    patch_field,
    patches_of,
    scale_high_field,
    scale_low_field,
    scaled_field,
    smallest_first,
    turn_step_field,
    turned_field,
)


class Placing(Document):
    """Way, real size, and what keeps repetition from showing."""

    way: Literal["triplanar", "box", "uv"] = choice(
        "triplanar", "Laid on",
        "From three sides blending where the surface turns, from three sides with hard borders, or by the UVs",
        triplanar="from three sides", box="as a box", uv="by the UVs",
    )  # fmt: skip
    size_cm: float = number(
        100.0, "Tile", "cm", 0.01, 100000.0, (5.0, 400.0), "Real width of one tile of its pictures", log=True
    )
    stretch: float = number(
        1.0, "Stretched", "", 0.05, 20.0, (0.25, 4.0), "Height of its pictures against what it is", log=True
    )
    scale: float = number(1.0, "Scale", "", 0.01, 100.0, (0.25, 4.0), "Times its real size", log=True)
    turn_deg: float = number(
        0.0, "Turned", "°", -360.0, 360.0, (-180.0, 180.0),
        "Counterclockwise, about the direction it is looked at from; a solid body about the upright",
    )  # fmt: skip
    across_cm: float = number(0.0, "Across", "cm", -100000.0, 100000.0, (-100.0, 100.0), "Moved sideways")
    up_cm: float = number(0.0, "Up", "cm", -100000.0, 100000.0, (-100.0, 100.0), "Moved upwards")
    scatter: Literal["none", "part", "island"] = choice(
        "part", "Moved by chance", "So that like parts do not look alike", none="not at all", part="each part",
        island="each UV island",
    )  # fmt: skip
    grain: Literal["longest", "x", "y", "z"] = choice(
        "longest", "Grain along", "Where it has a direction", longest="the longest side of each part", x="x (sideways)",
        y="y (up)", z="z (forwards)",
    )  # fmt: skip
    broken: bool = switch(
        False,
        "Break repetition",
        "Patches of it are moved each its own way, and blended without ghosts or loss of contrast",
    )
    turned: bool = turned_field()
    turn_step_deg: float = turn_step_field()
    scaled: bool = scaled_field()
    scale_low: float = scale_low_field()
    scale_high: float = scale_high_field()
    patch: float = patch_field()
    blend: float = blend_field()

    @model_validator(mode="after")
    def _smallest_first(self) -> Self:
        smallest_first(self)
        return self

    @property
    def patches(self) -> Patches:
        """How patches differ where repetition is broken."""
        return patches_of(self)
