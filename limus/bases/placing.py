"""How a base is laid on the surface."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import model_validator

from limus.common.fields import Document, choice, number, switch
from limus.common.refusal import refusal
from limus.patterns.by_example import Patches


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
        0.0, "Turned", "°", -360.0, 360.0, (-180.0, 180.0), "About the direction it is looked at from"
    )
    across_cm: float = number(0.0, "Across", "cm", -100000.0, 100000.0, (-100.0, 100.0), "Moved sideways")
    up_cm: float = number(0.0, "Up", "cm", -100000.0, 100000.0, (-100.0, 100.0), "Moved upwards")
    scatter: Literal["none", "part", "island"] = choice(
        "part",
        "Moved by chance",
        "So that like parts do not look alike",
        none="not at all",
        part="each part",
        island="each UV island",
    )
    grain: Literal["longest", "x", "y", "z"] = choice(
        "longest",
        "Grain along",
        "Where it has a direction",
        longest="the longest side of each part",
        x="x (sideways)",
        y="y (up)",
        z="z (forwards)",
    )
    broken: bool = switch(
        False,
        "Break repetition",
        "Patches of it are moved each its own way, and blended without ghosts or loss of contrast",
    )
    turned: bool = switch(
        True, "Turn the patches", "Off for what has a direction, such as boards", when={"broken": True}
    )
    turn_step_deg: float = number(
        10.0, "Turn step", "°", 1.0, 180.0, (5.0, 90.0), "180 for what is alike upside down, 90 for what has two ways",
        when={"broken": True, "turned": True},
    )  # fmt: skip
    scaled: bool = switch(True, "Scale the patches", "In steps of a tenth", when={"broken": True})
    scale_low: float = number(
        0.7, "Smallest", "", 0.1, 10.0, (0.3, 1.0), "Scale of a patch", when={"broken": True, "scaled": True}
    )
    scale_high: float = number(
        1.2, "Largest", "", 0.1, 10.0, (1.0, 3.0), "Scale of a patch", when={"broken": True, "scaled": True}
    )
    patch: float = number(
        1.0, "Patch size", "", 0.1, 10.0, (0.3, 3.0), "In widths of the tile", log=True, when={"broken": True}
    )
    blend: float = number(
        0.25, "Blend of patches", "%", 0.05, 1.0, about="How wide one goes over into the next", when={"broken": True}
    )

    @model_validator(mode="after")
    def _smallest_first(self) -> Self:
        if self.scale_low > self.scale_high:
            raise refusal(
                "scale_low",
                f"{self.scale_low:g} is above the largest scale, {self.scale_high:g}",
                "Make the smallest smaller, or the largest larger",
            )
        return self

    @property
    def patches(self) -> Patches:
        """How patches differ where repetition is broken."""
        low, high = (self.scale_low, self.scale_high) if self.scaled else (1.0, 1.0)
        return Patches(self.turn_step_deg if self.turned else 0.0, low, high, self.patch, self.blend)
