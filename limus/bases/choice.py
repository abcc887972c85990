"""A base as it stands in a scene: a material as it is laid, and where."""

from __future__ import annotations

from typing import Any

from pydantic import Field, field_validator

from limus.bases.laid_material import LaidMaterial
from limus.common.fields import number
from limus.common.refusal import refusal
from limus.masks.recipe import Recipe


class BaseChoice(LaidMaterial):
    """A base material on some parts (no names: on every part that no later entry takes).

    ``material`` may be given as a name of the store room. With ``where`` it lies over the bases before it, as far as
    that mask goes.
    """

    parts: list[str] | None = Field(None, max_length=5000)
    where: Recipe | None = None
    blend_mm: float = number(
        1.0, "Blend", "mm", 0.0, 200.0, (0.0, 10.0), "Where two bases meet the higher one wins within this", grows=0.5
    )
    stands_mm: float = number(
        0.0, "Stands", "mm", -500.0, 500.0, (-10.0, 10.0), "How much higher than the base below it lies"
    )
    file_maps: bool = Field(
        True,
        description="Colour, roughness and metalness as they came with the object, where it brought some; off where "
        "a base was chosen instead",
    )

    @field_validator("where")
    @classmethod
    def _sees_no_past(cls, where: Recipe | None) -> Recipe | None:
        for k, term in enumerate(where.terms if where is not None else []):
            source = term.source
            if source.looks_back or source.layer_named or source.kind == "base_map":
                raise refusal(
                    f"where.terms[{k}].source",
                    "a base cannot be placed by what happens later",
                    "Use a reading, a pattern, a picture or strokes",
                )
        return where


def from_stock(name: str, **more: Any) -> BaseChoice:
    """An entry of a scene for a base of the store room.

    Raises
    ------
    ValueError (pydantic) : there is none of that name.
    """
    return BaseChoice.model_validate({"material": name, **more})
