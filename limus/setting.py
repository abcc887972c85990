"""The place the object stands in."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from limus.fields import Document, choice

Corrosivity = Literal["C1", "C2", "C3", "C4", "C5", "CX"]


class Setting(Document):
    """Ground and climate. Heights are measured from the ground, along glTF's up axis (+y)."""

    ground_mm: float | None = Field(
        default=None,
        title="Ground",
        description="Height of the ground; empty: the lowest point of the object",
        json_schema_extra={"unit": "mm"},
    )
    corrosivity: Corrosivity = choice(
        "C4", "Corrosivity", "Class of the place after ISO 9223",
        C1="C1 very low, heated rooms", C2="C2 low, dry country air", C3="C3 medium, towns", C4="C4 high, by the water", C5="C5 very high, by the sea", CX="CX extreme",
    )  # fmt: skip
