"""Source: facing one camera."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from limus.common.fields import choice
from limus.masks.hand.stroke import Triple
from limus.masks.source import Scope, Source


def facing_eye(position: np.ndarray, normal: np.ndarray, eye: np.ndarray) -> np.ndarray:
    """Cosine of the angle under which a surface is seen from a point.

    Parameters
    ----------
    position, normal : (n, 3) metres, and unit. eye : (3,) metres.

    Returns
    -------
    (n,) float32 0..1: 1 straight on, 0 edge on or turned away.
    """
    away = eye.astype(np.float32) - position
    away /= np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-12)
    return np.clip(np.einsum("ij,ij->i", away, normal), 0.0, 1.0).astype(np.float32)


class Facing(Source):
    """How squarely the surface faces one camera: for the view, and for masks that serve one picture only."""

    kind: Literal["facing"] = "facing"
    order: ClassVar[int] = 12
    title: ClassVar[str] = "Facing one camera"
    sentence: ClassVar[str] = "{way} the camera"
    suggest: ClassVar[tuple[float, float]] = (0.0, 1.0)

    way: Literal["facing", "grazing"] = choice(
        "facing", "Where", "White where the surface is seen straight on, or where it is seen edge on",
        facing="facing", grazing="seen edge on by",
    )  # fmt: skip
    eye: Triple | None = Field(
        None,
        title="Camera",
        description="Where the camera stands, in units and axes of the file. The mask is right from there only",
        json_schema_extra={"control": "eye"},
    )

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; black while no camera is taken."""
        texels = scope.place.texels
        if self.eye is None:
            return np.zeros(len(texels), np.float32)
        eye = np.array(self.eye) @ texels.mesh.turn.T * texels.mesh.scale
        seen = facing_eye(texels.position, texels.normal, eye)
        return seen if self.way == "facing" else 1.0 - seen

    def finding(self, scope: Scope) -> str:
        """No camera yet."""
        return "" if self.eye is not None else "No camera is taken yet: turn the view as it is to be seen and take it"
