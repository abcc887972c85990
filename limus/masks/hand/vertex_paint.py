"""Painting vertex colours with the same brush."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Literal

import numpy as np
from pydantic import Field

from limus.common.fields import Document, FileName
from limus.masks.hand.painting import Canvas, Workspace, footprint
from limus.masks.hand.stroke import load_stroke
from limus.surface.grid import grid_of
from limus.surface.mesh import Mesh


class VertexStroke(Document):
    """A stroke on one channel of the vertex colours."""

    file: FileName = Field(min_length=1, max_length=500, description="The stroke file, relative to the scene document")
    channel: Literal["R", "G", "B", "A"] = "R"


def vertex_canvas(mesh: Mesh) -> Canvas:
    """The vertices of a mesh, joined by its edges and where several lie in one place."""
    tri = mesh.triangles
    pairs = [np.stack([tri[:, a], tri[:, b]], axis=1) for a, b in ((0, 1), (1, 2), (2, 0), (1, 0), (2, 1), (0, 2))]
    # Vertices in one place hang together in a ring.
    order = np.argsort(mesh.welded, kind="stable")
    same = mesh.welded[order][1:] == mesh.welded[order][:-1]
    twins = np.stack([order[:-1][same], order[1:][same]], axis=1)
    edges = np.concatenate([*pairs, twins, twins[:, ::-1]]).astype(np.int64)
    edges = edges[np.argsort(edges[:, 0], kind="stable")]
    starts = np.concatenate([[0], np.cumsum(np.bincount(edges[:, 0], minlength=len(mesh.positions)))]).astype(np.int64)
    # Vertices are points, not areas: the rim of a dab is not widened for them.
    return Canvas(
        mesh,
        mesh.positions,
        mesh.normals,
        starts,
        np.ascontiguousarray(edges[:, 1], np.int32),
        grid_of(mesh.positions),
        1e-6,
    )


def painted_colours(mesh: Mesh, strokes: Sequence[VertexStroke], find: Callable[[str], Path] | None) -> np.ndarray:
    """(V, 4) float32 linear: the colours of the file (black and opaque where it brought none) with the strokes on
    them.
    """
    if mesh.colours is not None:
        out = mesh.colours.astype(np.float32, copy=True)
    else:
        out = np.zeros((len(mesh.positions), 4), np.float32)
        out[:, 3] = 1.0
    if not strokes:
        return out
    canvas = vertex_canvas(mesh)
    space = Workspace(len(mesh.positions))
    for entry in strokes:
        stroke = load_stroke(entry.file, find)
        rows, alpha = footprint(canvas, stroke, find, space)
        column = "RGBA".index(entry.channel)
        out[rows, column] = out[rows, column] * (1 - alpha) + (alpha if stroke.action == "add" else 0)
    return out
