"""GLB out: the object with its finished maps, as metallic-roughness glTF 2.0."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from limus import __version__
from limus.formats.files import write_whole
from limus.surface.alike import rows_alike
from limus.surface.mesh import Mesh
from limus.surface.tangents import corner_tangents


@dataclass(frozen=True)
class GltfMaps:
    """PNG files of one map set, already encoded, and where extensions of glTF take them.

    Attributes
    ----------
    pictures : "base_color" sRGB RGB or RGBA; "orm" linear: red ambient occlusion, green roughness, blue metalness;
        "normal" tangent space, green up; "emission" sRGB; and whatever ``slots`` name.
    slots : path of a texture ("KHR_materials_clearcoat.clearcoatTexture") -> the picture it takes. Its factor is 1,
        so that the picture is all.
    numbers : path of a number or a colour of an extension -> its value.
    opaque : False asks for alpha blending.
    """

    pictures: Mapping[str, bytes]
    slots: Mapping[str, str] = field(default_factory=dict)
    numbers: Mapping[str, float | list[float]] = field(default_factory=dict)
    opaque: bool = True


#: What pictures are called in the file, where that is not their name.
_WORDS = {"orm": "occlusion roughness metalness", "film": "thin film"}


def _extensions(maps: GltfMaps, texture: Callable[[str], dict[str, Any]]) -> dict[str, dict[str, Any]]:
    """The extensions of glTF 2.0 that a material needs."""
    out: dict[str, dict[str, Any]] = {}
    for path, picture in maps.slots.items():
        extension, key = path.split(".")
        entry = out.setdefault(extension, {})
        entry[key] = texture(picture)
        factor = key.replace("Texture", "Factor")
        # A normal has a scale and a thickness a range instead.
        if "Normal" not in key and "Thickness" not in key:
            entry[factor] = [1.0, 1.0, 1.0] if "Color" in key else 1.0
    for path, value in maps.numbers.items():
        extension, key = path.split(".")
        out.setdefault(extension, {})[key] = value
    return out


class _Builder:
    def __init__(self) -> None:
        self.blob = bytearray()
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []

    def view(self, data: bytes, target: int | None = None) -> int:
        while len(self.blob) % 4:
            self.blob.append(0)
        entry: dict[str, Any] = {"buffer": 0, "byteOffset": len(self.blob), "byteLength": len(data)}
        if target:
            entry["target"] = target
        self.blob += data
        self.views.append(entry)
        return len(self.views) - 1

    def array(self, values: np.ndarray, kind: str, component: int, target: int, *, limits: bool = False) -> int:
        entry: dict[str, Any] = {
            "bufferView": self.view(np.ascontiguousarray(values).tobytes(), target),
            "componentType": component,
            "count": len(values),
            "type": kind,
        }
        if limits:
            entry["min"] = [float(x) for x in values.min(axis=0)]
            entry["max"] = [float(x) for x in values.max(axis=0)]
        self.accessors.append(entry)
        return len(self.accessors) - 1


def glb_bytes(
    mesh: Mesh,
    textures: list[GltfMaps] | None = None,
    *,
    name: str = "object",
    where_it_was: bool = False,
    outward: np.ndarray | None = None,
) -> bytes:
    """The object as one GLB file.

    Parameters
    ----------
    textures : one entry per map set, or None for the bare mesh (used by the 3D view).
    where_it_was : move an object that came from far off the origin back there, by the translation of its nodes.
    outward : (V, 3) float32 written as the attribute "_OUTWARD", which way the view moves each vertex by the relief.

    Notes
    -----
    Tangents are written, so that every renderer uses the very frames the normal map was made for. Corners whose
    tangents differ (mirrored or split UVs) become vertices of their own.
    """
    build = _Builder()
    tri = mesh.triangles
    nodes: list[dict[str, Any]] = []
    meshes: list[dict[str, Any]] = []
    corner_t, hand = corner_tangents(mesh) if mesh.uv is not None else (None, None)
    for k, part in enumerate(mesh.parts):
        rows = slice(part.first, part.first + part.count)
        corners = tri[rows].reshape(-1)
        columns = [mesh.positions[corners], mesh.normals[corners]]
        if mesh.uv is not None and corner_t is not None and hand is not None:
            columns += [mesh.uv[corners], corner_t[rows].reshape(-1, 3), np.repeat(hand[rows], 3)[:, None]]
        if mesh.colours is not None:
            columns.append(mesh.colours[corners])
        if outward is not None:
            columns.append(outward[corners])
        table = np.ascontiguousarray(np.concatenate(columns, axis=1, dtype=np.float32))
        # Vertices stay in the order of their first use: smaller jumps for the reader and the same file for the same
        # mesh.
        first, inverse = rows_alike(list(table.view(np.int32).T))
        index = inverse.astype(np.uint32)
        table = table[first]
        long = np.linalg.norm(table[:, 3:6], axis=1, keepdims=True)
        # A normal without a length is an error in the standard.
        normals = np.where(long > 1e-12, table[:, 3:6] / np.maximum(long, 1e-12), np.array([0, 1, 0], np.float32))
        attributes = {
            "POSITION": build.array(table[:, :3], "VEC3", 5126, 34962, limits=True),
            "NORMAL": build.array(normals.astype(np.float32), "VEC3", 5126, 34962),
        }
        at = 6
        if mesh.uv is not None:
            attributes["TEXCOORD_0"] = build.array(table[:, 6:8], "VEC2", 5126, 34962)
            attributes["TANGENT"] = build.array(table[:, 8:12], "VEC4", 5126, 34962)
            at = 12
        if mesh.colours is not None:
            attributes["COLOR_0"] = build.array(table[:, at : at + 4], "VEC4", 5126, 34962)
        if outward is not None:
            attributes["_OUTWARD"] = build.array(table[:, -3:], "VEC3", 5126, 34962)
        primitive: dict[str, Any] = {
            "attributes": attributes,
            "indices": build.array(index, "SCALAR", 5125, 34963),
            "mode": 4,
        }
        primitive["material"] = part.map_set
        meshes.append({"name": part.name, "primitives": [primitive]})
        node: dict[str, Any] = {"name": part.name, "mesh": k}
        if where_it_was and mesh.offset.any():
            node["translation"] = [float(x) for x in mesh.offset]
        nodes.append(node)

    document: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": f"Limus {__version__}"},
        "scene": 0,
        "scenes": [{"name": name, "nodes": list(range(len(nodes)))}],
        "nodes": nodes,
        "meshes": meshes,
    }
    if textures:
        images: list[dict[str, Any]] = []
        materials: list[dict[str, Any]] = []
        extensions: set[str] = set()

        for title, entry in zip(mesh.uv_domains, textures, strict=True):
            known: dict[str, int] = {}

            def texture(
                name: str, title: str = title, entry: GltfMaps = entry, known: dict[str, int] = known
            ) -> dict[str, Any]:
                if name not in known:
                    words = _WORDS.get(name, name.replace("_", " "))
                    known[name] = len(images)
                    images.append(
                        {
                            "name": f"{title} {words}",
                            "mimeType": "image/png",
                            "bufferView": build.view(entry.pictures[name]),
                        }
                    )
                return {"index": known[name]}

            orm, normal = texture("orm"), texture("normal")
            material: dict[str, Any] = {
                "name": title,
                "pbrMetallicRoughness": {
                    "baseColorTexture": texture("base_color"),
                    "metallicRoughnessTexture": orm,
                },
                "occlusionTexture": dict(orm),
                "normalTexture": normal,
            }
            if not entry.opaque:
                material["alphaMode"] = "BLEND"
            if "emission" in entry.pictures:
                material |= {"emissiveFactor": [1.0, 1.0, 1.0], "emissiveTexture": texture("emission")}
            more = _extensions(entry, texture)
            if more:
                extensions |= set(more)
                material["extensions"] = more
            materials.append(material)
        document |= {
            "materials": materials,
            "images": images,
            "textures": [{"source": k, "sampler": 0} for k in range(len(images))],
            "samplers": [{"magFilter": 9729, "minFilter": 9987, "wrapS": 33071, "wrapT": 33071}],
        }
        if extensions:
            document["extensionsUsed"] = sorted(extensions)
    else:
        document["materials"] = [{"name": title} for title in mesh.uv_domains]
    while len(build.blob) % 4:
        build.blob.append(0)
    document |= {"buffers": [{"byteLength": len(build.blob)}], "bufferViews": build.views, "accessors": build.accessors}
    text = json.dumps(document, separators=(",", ":"), allow_nan=False).encode()
    text += b" " * (-len(text) % 4)
    total = 12 + 8 + len(text) + 8 + len(build.blob)
    return b"".join(
        [
            struct.pack("<4sII", b"glTF", 2, total),
            struct.pack("<I4s", len(text), b"JSON"),
            text,
            struct.pack("<I4s", len(build.blob), b"BIN\0"),
            bytes(build.blob),
        ]
    )


def write_glb(path: Path, mesh: Mesh, textures: list[GltfMaps] | None = None, *, name: str = "object") -> None:
    """``glb_bytes`` to a file, whole or not at all."""
    write_whole(path, glb_bytes(mesh, textures, name=name, where_it_was=True))
