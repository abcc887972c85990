"""Fields of what breaks the repetition of a picture, for everything that lays one."""

from __future__ import annotations

from typing import Any, Protocol

from limus.common.fields import number, switch
from limus.common.refusal import refusal
from limus.patterns.by_example import Patches


class Patched(Protocol):
    """What holds these fields."""

    turned: bool
    turn_step_deg: float
    scaled: bool
    scale_low: float
    scale_high: float
    patch: float
    blend: float


def turned_field(**when: Any) -> Any:
    """Whether patches are turned."""
    return switch(
        True, "Turn the patches", "Off for what has a direction, such as boards", when={"broken": True, **when}
    )


def turn_step_field(**when: Any) -> Any:
    """By whole steps of this."""
    return number(
        10.0, "Turn step", "°", 1.0, 180.0, (5.0, 90.0), "180 for what is alike upside down, 90 for what has two ways",
        when={"broken": True, "turned": True, **when},
    )  # fmt: skip


def scaled_field(**when: Any) -> Any:
    """Whether patches are scaled."""
    return switch(True, "Scale the patches", "In steps of a tenth", when={"broken": True, **when})


def scale_low_field(**when: Any) -> Any:
    """From this scale."""
    return number(
        0.7, "Smallest", "", 0.1, 10.0, (0.3, 1.0), "Scale of a patch", when={"broken": True, "scaled": True, **when}
    )


def scale_high_field(**when: Any) -> Any:
    """Up to this one."""
    return number(
        1.2, "Largest", "", 0.1, 10.0, (1.0, 3.0), "Scale of a patch", when={"broken": True, "scaled": True, **when}
    )


def patch_field(**when: Any) -> Any:
    """How large patches are."""
    return number(
        1.0, "Patch size", "", 0.1, 10.0, (0.3, 3.0), "In widths of the tile", log=True, when={"broken": True, **when}
    )


def blend_field(**when: Any) -> Any:
    """How wide they blend."""
    return number(
        0.25, "Blend of patches", "%", 0.05, 1.0, about="How wide one goes over into the next",
        when={"broken": True, **when},
    )  # fmt: skip


def smallest_first(fields: Patched) -> None:
    """Refuse a smallest scale above the largest one."""
    if fields.scale_low > fields.scale_high:
        raise refusal(
            "scale_low",
            f"{fields.scale_low:g} is above the largest scale, {fields.scale_high:g}",
            "Make the smallest smaller, or the largest larger",
        )


def patches_of(fields: Patched) -> Patches:
    """How patches differ where repetition is broken."""
    low, high = (fields.scale_low, fields.scale_high) if fields.scaled else (1.0, 1.0)
    return Patches(fields.turn_step_deg if fields.turned else 0.0, low, high, fields.patch, fields.blend)
