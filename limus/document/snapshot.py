"""A snapshot: a state of the surface to come back to, such as dry, wet, or in winter."""

from __future__ import annotations

from pydantic import Field

from limus.common.fields import Document, Name


class Snapshot(Document):
    """Which layers and episodes are off, and the year. Everything else is that of the scene, so a snapshot never grows old."""

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")
    name: Name = Field(min_length=1, max_length=60)
    layers_off: list[str] = Field(default_factory=list, max_length=200, description="Ids of layers that are off")
    episodes_off: list[str] = Field(default_factory=list, max_length=100, description="Ids of episodes that are off")
    year: float | None = Field(None, ge=0.0, le=500.0, description="Year it is looked at in; empty: today")
