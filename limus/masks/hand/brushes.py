"""The brushes that ship with the program. Their size is the hand's own business."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from limus.masks.hand.stroke import Brush


@dataclass(frozen=True)
class ShippedBrush:
    """``title`` and ``about`` in words; ``settings``: what differs from a fresh brush."""

    title: str
    about: str
    settings: dict[str, Any]

    @property
    def brush(self) -> Brush:
        """As a whole, and checked."""
        return Brush.model_validate(self.settings)


#: By a short key, in the order in which they are offered.
SHIPPED: dict[str, ShippedBrush] = {
    "round": ShippedBrush("Round", "Soft at the rim, even along the stroke", {}),
    "line": ShippedBrush(
        "Line", "Hard and narrow to its rim, thinner where the pen is light: marks, joints, edges of tape",
        {"hardness": 1.0, "spacing": 0.05, "pressure_size": 0.8, "pressure_flow": 0.0},
    ),
    "chalk": ShippedBrush(
        "Chalk", "Broken and dry: it catches here and there",
        {"shape": "ragged", "hardness": 0.8, "flow": 0.35, "spacing": 0.12, "scatter": 0.35},
    ),
    "dry": ShippedBrush(
        "Dry brush", "Ragged streaks along the stroke, laid over one another until it covers",
        {"shape": "ragged", "hardness": 0.45, "flow": 0.16, "spacing": 0.08, "turn": "stroke", "scatter": 0.12},
    ),
    "spatter": ShippedBrush(
        "Spatter", "Single drops that stray far from the stroke",
        {"hardness": 0.9, "spacing": 1.2, "scatter": 2.0, "pressure_size": 0.5},
    ),
    "stamp": ShippedBrush(
        "Stamp", "One square after the other, upright as seen, with room between them",
        {"shape": "square", "hardness": 1.0, "spacing": 1.5, "turn": "camera", "pressure_flow": 0.0},
    ),
}  # fmt: skip
