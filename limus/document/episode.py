"""An episode: layers that belong together."""

from __future__ import annotations

from pydantic import Field

from limus.common.fields import Document, Name, number
from limus.masks.recipe import Recipe


class Episode(Document):
    """Layers under one bracket: a winter, a repaint, ten years of use. Its place multiplies into theirs, its strength
    as well.
    """

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$", description="Stays the same when it is renamed or moved")
    name: Name = Field(min_length=1, max_length=80)
    on: bool = True
    strength: float = number(1.0, "Strength", "%", 0.0, 1.0, about="Multiplies the strength of its layers")
    where: Recipe = Field(default_factory=Recipe)
    folded: bool = Field(False, description="Shown as one card")
