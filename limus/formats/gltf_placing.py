"""Where the nodes of a glTF file put its meshes, and how many triangles that makes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from limus.common.wording import plain
from limus.formats.gltf_document import Document

#: Triangles that a file may place beyond one for every two of its bytes, by naming a mesh many times; and parts of one
#: object.
FREE_TRIANGLES, MOST_PARTS = 300_000, 20_000


@dataclass(frozen=True)
class Placed:
    """A mesh of the file where a node puts it: ``matrix`` (4, 4) float64 to the axes of the scene, ``node`` the
    number of the node.
    """

    name: str
    mesh: int
    matrix: np.ndarray
    node: int
    skin: int | None = None


def node_matrix(doc: Document, node: dict[str, Any], field: str) -> np.ndarray:
    """(4, 4) float64 of a node in that above it."""
    if "matrix" in node:
        return np.array(doc.numbers(node, "matrix", (0.0,) * 16, field)).reshape(4, 4).T
    out = np.eye(4)
    turn = np.array(doc.numbers(node, "rotation", (0.0, 0.0, 0.0, 1.0), field), np.float64)
    length = float(np.linalg.norm(turn))
    if not length > 1e-6:
        raise doc.fail("is no rotation: a quaternion has length 1", f"{field}.rotation", "Export the object again")
    x, y, z, w = turn / length
    out[:3, :3] = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    out[:3, :3] *= np.array(doc.numbers(node, "scale", (1.0, 1.0, 1.0), field))
    out[:3, 3] = doc.numbers(node, "translation", (0.0, 0.0, 0.0), field)
    return out


def world(doc: Document) -> dict[int, np.ndarray]:
    """The world matrix of every node of the default scene, in the order in which they are met.

    Raises
    ------
    InputError : a node has two parents or lies in a loop (the nodes of glTF are trees), or a matrix is not one.
    """
    nodes = doc.listing(doc.doc, "nodes")
    above: dict[int, int] = {}
    for k in range(len(nodes)):
        for child in doc.listing(doc.item("nodes", k, "nodes"), "children", f"nodes[{k}]"):
            doc.item("nodes", child, f"nodes[{k}].children")
            if child in above:
                raise doc.fail(
                    f"is a child of both nodes[{above[child]}] and nodes[{k}]; the nodes of glTF are trees",
                    f"nodes[{child}]",
                )
            above[child] = k
    if doc.listing(doc.doc, "scenes"):
        scene = doc.item("scenes", doc.doc.get("scene", 0), "scene")
        roots = doc.listing(scene, "nodes", "scenes[].nodes")
    else:
        roots = [k for k in range(len(nodes)) if k not in above]
    out: dict[int, np.ndarray] = {}
    stack: list[tuple[Any, np.ndarray]] = [(k, np.eye(4)) for k in reversed(roots)]
    while stack:
        number, parent = stack.pop()
        node = doc.item("nodes", number, "nodes")
        if number in out:
            raise doc.fail("is named twice in the scene, or lies in a loop", f"nodes[{number}]")
        matrix = parent @ node_matrix(doc, node, f"nodes[{number}]")
        if not (np.abs(matrix) < 1e30).all():
            raise doc.fail("is moved or scaled beyond all measure", f"nodes[{number}]")
        out[number] = matrix
        stack.extend((k, matrix) for k in reversed(doc.listing(node, "children")))
    return out


def placed(doc: Document, matrices: dict[int, np.ndarray]) -> list[Placed]:
    """Every mesh of the default scene."""
    out = []
    for number, matrix in matrices.items():
        node = doc.item("nodes", number, "nodes")
        if "mesh" in node:
            doc.item("meshes", node["mesh"], f"nodes[{number}].mesh")
            skin = node.get("skin")
            out.append(
                Placed(
                    plain(node.get("name", ""), 80),
                    node["mesh"],
                    matrix,
                    number,
                    skin if isinstance(skin, int) else None,
                )
            )
    return out


def placed_triangles(doc: Document, places: list[Placed]) -> tuple[int, int]:
    """(triangles, parts) of all meshes where they are placed, by what their accessors say; every copy counts."""
    of_mesh: dict[int, tuple[int, int]] = {}
    triangles = parts = 0
    for place in places:
        if place.mesh not in of_mesh:
            mesh = doc.item("meshes", place.mesh, "nodes[].mesh")
            total = 0
            primitives = doc.listing(mesh, "primitives", f"meshes[{place.mesh}]")
            for k, primitive in enumerate(primitives):
                field = f"meshes[{place.mesh}].primitives[{k}]"
                if not isinstance(primitive, dict) or not isinstance(primitive.get("attributes"), dict):
                    raise doc.fail("has no attributes", field)
                number = primitive.get("indices", primitive["attributes"].get("POSITION"))
                if number is not None:
                    count = doc.count(number, field)
                    total += count // 3 if primitive.get("mode", 4) == 4 else max(count - 2, 0)
            of_mesh[place.mesh] = (total, len(primitives))
        more, pieces = of_mesh[place.mesh]
        triangles += more
        parts += pieces
    return triangles, parts


def bounded(doc: Document, places: list[Placed]) -> None:
    """Refuse a file that places far more triangles or parts than its bytes hold.

    Raises
    ------
    InputError : more than ``FREE_TRIANGLES`` and one for every two bytes, or more than ``MOST_PARTS``.
    """
    triangles, parts = placed_triangles(doc, places)
    if triangles > FREE_TRIANGLES + _held(doc) // 2:
        raise doc.fail(
            f"it places {triangles:,} triangles, far more than its {doc.size:,} bytes hold: one mesh many times over",
            "nodes",
            "Bring in fewer copies, or one of them",
        )
    if parts > MOST_PARTS:
        raise doc.fail(f"it has {parts:,} parts, more than {MOST_PARTS:,}", "meshes", "Join parts that belong together")


def _held(doc: Document) -> int:
    """Bytes of the file with the buffers beside it, as far as they are there."""
    for k in range(min(len(doc.listing(doc.doc, "buffers")), 64)):
        doc.buffer(k, "buffers") if "uri" in doc.item("buffers", k, "buffers") else None
    return doc.size
