"""How a base is laid on the surface."""

from __future__ import annotations

from typing import Literal

from limus.common.fields import Document, choice, number, switch


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
    scaled: bool = switch(True, "Scale the patches", "70 to 120 %, in steps", when={"broken": True})
