"""A stroke of the brush: where it went on the object, how hard, and with which brush."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, ValidationError

from limus.common.errors import InputError
from limus.common.fields import Document, FileName, choice, number
from limus.common.hashing import key_of
from limus.common.refusal import first_refusal, refuse_odd_text
from limus.common.store import shared
from limus.formats.json_read import read_json
from limus.surface.mesh import Mesh

#: Most dabs of one stroke.
MOST_DABS = 100_000
Coordinate = Annotated[float, Field(ge=-1e7, le=1e7)]
Triple = tuple[Coordinate, Coordinate, Coordinate]
#: x, y, z and the direction it faces, in the axes of the file; pressure 0..1; tilt of the pen in degrees from upright;
#: its compass direction about the facing direction in degrees.
Point = tuple[
    Coordinate, Coordinate, Coordinate, Coordinate, Coordinate, Coordinate,
    Annotated[float, Field(ge=0, le=1)], Annotated[float, Field(ge=0, le=90)], Annotated[float, Field(ge=-720, le=720)],
]  # fmt: skip


class Brush(Document):
    """How a dab looks, and how dabs follow each other."""

    size_mm: float = number(30.0, "Size", "mm", 0.05, 100000.0, (2.0, 300.0), "Across a dab", log=True, grows=0.75)
    hardness: float = number(0.6, "Hardness", "%", 0.0, 1.0, about="Share of the dab that is full before it fades")
    flow: float = number(1.0, "Flow", "%", 0.01, 1.0, about="How much one dab lays down")
    spacing: float = number(
        0.15, "Spacing", "%", 0.02, 4.0, (0.05, 2.0), "Distance between dabs as a share of the size"
    )
    shape: Literal["round", "square", "ragged", "picture"] = choice(
        "round", "Shape", "Outline of a dab", round="round", square="square", ragged="ragged", picture="picture"
    )
    picture: FileName = Field(
        "",
        max_length=500,
        title="Picture",
        description="White paints",
        json_schema_extra={"control": "picture", "when": {"shape": "picture"}},
    )
    scatter: float = number(0.0, "Scatter", "%", 0.0, 4.0, (0.0, 2.0), "How far dabs stray, as a share of the size")
    turn: Literal["fixed", "stroke", "camera", "pen"] = choice(
        "fixed", "Turned",
        "Which way a dab stands: as on the object, along the stroke, upright as seen, or as the pen is held",
        fixed="as it is", stroke="along the stroke", camera="upright as seen", pen="as the pen is held",
    )  # fmt: skip
    angle_deg: float = number(0.0, "Angle", "°", -360.0, 360.0, (-180.0, 180.0), "Added to that")
    pressure_size: float = number(
        0.0, "Pressure on size", "%", 0.0, 1.0, about="How much lighter pressure makes dabs smaller"
    )
    pressure_flow: float = number(
        1.0, "Pressure on flow", "%", 0.0, 1.0, about="How much lighter pressure lays down less"
    )
    tilt_wide: float = number(
        0.0, "Tilt widens", "%", 0.0, 1.0, about="A pen held flat draws wider across its direction"
    )
    seed: int = Field(0, ge=0, le=2**31 - 1, title="Seed", description="Of the scatter and the ragged outline")


class Mirror(Document):
    """A plane across which the stroke is repeated, in metres and the axes of the file."""

    normal: Triple
    at: Coordinate


class Stroke(Document):
    """One stroke, in metres and the axes of the file, at the scale it had then.

    ``reach``: "surface": what hangs together with the place under the brush; "front": everything within the dab that
    faces it; "through": front and back, through the whole object. ``facing``: dabs lie on the surface, or stand across
    the line of sight.
    """

    version: Literal[1] = 1
    action: Literal["add", "take"] = "add"
    brush: Brush = Field(default_factory=Brush)
    reach: Literal["surface", "front", "through"] = "surface"
    facing: Literal["surface", "camera"] = "surface"
    camera_up: Triple = (0.0, 1.0, 0.0)
    mirror: Mirror | None = None
    scale: float = Field(1.0, ge=1e-12, le=1e12, description="Metres per unit of the file when it was drawn")
    points: list[Point] = Field(min_length=1, max_length=20000)


def stroke_from(document: Any, where: str = "stroke") -> Stroke:
    """Check a parsed stroke.

    Raises
    ------
    InputError : the first problem, with the path of the field; also more than ``MOST_DABS`` dabs.
    """
    refuse_odd_text(document, where)
    try:
        stroke = Stroke.model_validate(document)
    except ValidationError as error:
        raise first_refusal(error).error(where) from error
    count = dab_count(stroke)
    if count > MOST_DABS:
        raise InputError(
            f"the stroke would take {count} dabs, more than {MOST_DABS}",
            where=f"{where}: brush.spacing",
            remedy="Use a larger brush or a wider spacing, or draw it in pieces",
        )
    return stroke


def _lengths(stroke: Stroke) -> np.ndarray:
    points = np.array([p[:3] for p in stroke.points], np.float64)
    return np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])


def dab_count(stroke: Stroke) -> int:
    """How many dabs lie along it."""
    step = stroke.brush.size_mm / 1000.0 * stroke.brush.spacing
    return int(_lengths(stroke)[-1] / step + 1e-9) + 1


@dataclass(frozen=True)
class _Loaded:
    stroke: Stroke

    def held(self) -> tuple[int, tuple[object, ...]]:
        # Nine Python numbers in a tuple for each point.
        return len(self.stroke.points) * 400, ()


def load_stroke(name: str, find: Callable[[str], Path] | None) -> Stroke:
    """A stroke by the name of its file; kept.

    Raises
    ------
    InputError : no such file, or not a stroke.
    """
    if find is None:
        raise InputError("strokes cannot be found here", where=name, remedy="Use a scene document")
    path = find(name)
    short = name.rsplit("/", 1)[-1]
    try:
        about = path.stat()
    except OSError as error:
        raise InputError(
            f"the stroke cannot be read ({error.strerror})",
            where=short,
            remedy="Remove it from the line, or restore the file",
        ) from error
    key = key_of("stroke", str(path.resolve()), about.st_size, about.st_mtime_ns)
    found: _Loaded = shared().get(key, lambda: _Loaded(stroke_from(read_json(path, short), short)))
    return found.stroke


def placed_points(stroke: Stroke, mesh: Mesh) -> tuple[np.ndarray, np.ndarray, float]:
    """(m, 3) places and (m, 3) facing directions in metres and axes of ``mesh``, and by how much lengths have grown
    since.
    """
    table = np.array(stroke.points, np.float64)
    grown = mesh.scale / stroke.scale
    facing = table[:, 3:6] @ mesh.turn.T
    facing /= np.maximum(np.linalg.norm(facing, axis=1, keepdims=True), 1e-12)
    return table[:, :3] @ mesh.turn.T * grown, facing, grown


def lines_of(names: Sequence[str], find: Callable[[str], Path] | None, mesh: Mesh) -> tuple[np.ndarray, np.ndarray]:
    """The paths of strokes as flat triangles: (V, 3) positions, metres, and (T, 3) corners; for distances to a drawn
    line.
    """
    points: list[np.ndarray] = []
    corners: list[np.ndarray] = []
    base = 0
    for name in names:
        path, _, _ = placed_points(load_stroke(name, find), mesh)
        first = np.arange(max(len(path) - 1, 1)) + base
        last = np.minimum(first + 1, base + len(path) - 1)
        points.append(path)
        corners.append(np.stack([first, last, last], axis=1))
        base += len(path)
    if not points:
        return np.zeros((0, 3), np.float32), np.zeros((0, 3), np.int32)
    return np.concatenate(points).astype(np.float32), np.concatenate(corners).astype(np.int32)
