"""A snapshot: a state of the surface to come back to, such as dry, wet, or in winter."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from limus.common.fields import Document, Name


class Snapshot(Document):
    """Which layers and episodes are off, and the year. Everything else is that of the scene, so a snapshot never
    grows old.
    """

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")
    name: Name = Field(min_length=1, max_length=60)
    layers_off: list[str] = Field(default_factory=list, max_length=200, description="Ids of layers that are off")
    episodes_off: list[str] = Field(default_factory=list, max_length=100, description="Ids of episodes that are off")
    year: float | None = Field(None, ge=0.0, le=500.0, description="Year it is looked at in; empty: today")


def state_of(document: dict[str, Any]) -> dict[str, Any]:
    """What a snapshot would hold now, of a plain scene document."""
    return {
        "layers_off": [layer["id"] for layer in document.get("layers", []) if not layer.get("on", True)],
        "episodes_off": [episode["id"] for episode in document.get("episodes", []) if not episode.get("on", True)],
        "year": document.get("year"),
    }


def snapshot_shown(document: dict[str, Any]) -> str:
    """Id of the snapshot whose state a plain scene document is in, or ""."""
    now = state_of(document)
    for snapshot in document.get("snapshots", []):
        if snapshot.get("year") == now["year"] and all(
            set(snapshot.get(off, [])) == set(now[off]) for off in ("layers_off", "episodes_off")
        ):
            return str(snapshot["id"])
    return ""
