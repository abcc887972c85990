"""One small valid file of every format that is read, to be mutated."""

from __future__ import annotations

import io
import struct
import zipfile
from functools import cache
from typing import Any

import DracoPy
import numpy as np
import trimesh
from PIL import Image

from limus.formats.field import exr_bytes
from limus.formats.gltf_write import glb_bytes
from limus.formats.png import png_bytes
from tests.core import shapes
from tests.core.stories import short_story
from tests.core.test_formats import pack

PIXELS = (np.arange(8 * 8 * 3) % 251).astype(np.uint8).reshape(8, 8, 3)


def rich_document() -> tuple[dict[str, Any], bytes]:
    """A glTF document with a bit of everything: two UV sets, textures that are moved, a skin, a sparse accessor, a
    strip, Draco.
    """
    p = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]], np.float32)
    uv = np.array([[0.1, 0.9], [0.9, 0.9], [0.1, 0.1], [0.9, 0.1]], np.float32)
    index = np.array([0, 1, 2, 1, 3, 2], np.uint16)
    joints, weights = np.zeros((4, 4), np.uint8), np.tile(np.array([[1, 0, 0, 0]], np.float32), (4, 1))
    bind = np.eye(4, dtype=np.float32).reshape(1, 16)
    far = np.array([[2]], np.uint16), np.array([[0, 2, 0]], np.float32)
    draco = DracoPy.encode(
        p.astype(np.float64), index.reshape(-1, 3).astype(np.uint32), tex_coord=uv.astype(np.float64)
    )
    pieces = [
        p.tobytes(),
        uv.tobytes(),
        (uv * 0.5).tobytes(),
        index.tobytes(),
        joints.tobytes(),
        weights.tobytes(),
        bind.tobytes(),
    ]
    pieces += [far[0].tobytes(), far[1].tobytes(), png_bytes(PIXELS), draco]
    views, blob = [], b""
    for piece in pieces:
        blob += b"\0" * (-len(blob) % 4)
        views.append({"buffer": 0, "byteOffset": len(blob), "byteLength": len(piece)})
        blob += piece

    def accessor(view: int, kind: int, count: int, shape: str, **more: Any) -> dict[str, Any]:
        return {"bufferView": view, "componentType": kind, "count": count, "type": shape, **more}

    sparse = {"count": 1, "indices": {"bufferView": 7, "componentType": 5123}, "values": {"bufferView": 8}}
    document = {
        "asset": {"version": "2.0"},
        "extensionsUsed": ["KHR_texture_transform", "KHR_draco_mesh_compression"],
        "scene": 0,
        "scenes": [{"nodes": [0, 2]}],
        "nodes": [{"name": "plate", "mesh": 0, "children": [1]}, {"name": "bone", "translation": [0, 0, 0]},
            {"name": "bent", "mesh": 1, "skin": 0}],
        "skins": [{"joints": [1], "inverseBindMatrices": 6}],
        "meshes": [
            {
                "primitives": [
                    {"attributes": {"POSITION": 0, "TEXCOORD_0": 1, "TEXCOORD_1": 2}, "indices": 3, "material": 0},
                    {"attributes": {"POSITION": 7, "TEXCOORD_0": 1}, "mode": 5},
                    {
                        "attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 3,
                        "extensions": {"KHR_draco_mesh_compression": {"bufferView": 10,
                            "attributes": {"TEXCOORD_0": 0, "POSITION": 1}}},
                    },
                ]
            },
            {"primitives": [{"attributes": {"POSITION": 0, "JOINTS_0": 4, "WEIGHTS_0": 5, "TEXCOORD_0": 1},
                "indices": 3}]},
        ],
        "materials": [
            {
                "name": "paint",
                "pbrMetallicRoughness": {
                    "baseColorFactor": [1, 0.5, 0.5, 1], "roughnessFactor": 0.5,
                    "baseColorTexture": {
                        "index": 0, "texCoord": 1,
                        "extensions": {"KHR_texture_transform": {"offset": [0.1, 0.2], "rotation": 0.3, "scale": [2,
                            2]}},
                    },
                },
                "normalTexture": {"index": 0, "scale": 0.5},
            }
        ],
        "textures": [{"source": 0}],
        "images": [{"bufferView": 9, "mimeType": "image/png"}],
        "accessors": [
            accessor(0, 5126, 4, "VEC3"), accessor(1, 5126, 4, "VEC2"), accessor(2, 5126, 4, "VEC2"), accessor(3,
                5123, 6, "SCALAR"),
            accessor(4, 5121, 4, "VEC4"), accessor(5, 5126, 4, "VEC4"), accessor(6, 5126, 1, "MAT4"), accessor(0,
                5126, 4, "VEC3", sparse=sparse),
        ],
        "bufferViews": views,
        "buffers": [{"byteLength": len(blob)}],
    }  # fmt: skip
    return document, blob


def picture(kind: str, **more: Any) -> bytes:
    """The pixels as a file of a kind that Pillow writes."""
    out = io.BytesIO()
    Image.fromarray(PIXELS).save(out, kind, **more)
    return out.getvalue()


def zipped(files: dict[str, bytes]) -> bytes:
    """A zip of files."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


@cache
def objects() -> dict[str, bytes]:
    """Name of a file -> bytes: objects of every format."""
    shape = trimesh.creation.box((1, 2, 3))
    obj = (
        b"mtllib box.mtl\no box\nv 0 0 0\nv 1 0 0 \nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvn 0 0 1\n"
        b"usemtl paint\nf 1/1/1 2/2/1 3/3/1 4/4/1\ng other\nf 1/1 3/3 2/2\n"
    )
    mtl = b"newmtl paint\nKd 0.8 0.1 0.1\nPr 0.4\nmap_Kd paint.png\n"
    text_stl = trimesh.exchange.stl.export_stl_ascii(shape).encode()
    return {
        "rich.glb": pack(*rich_document()),
        "plain.glb": glb_bytes(shapes.box(0.2)),
        "box.obj": obj,
        "box.ply": shape.export(file_type="ply", encoding="ascii"),
        "packed.ply": shape.export(file_type="ply"),
        "box.stl": shape.export(file_type="stl"),
        "text.stl": text_stl,
        "set.zip": zipped({"box.obj": obj, "box.mtl": mtl, "paint.png": png_bytes(PIXELS)}),
        "glb.zip": zipped({"box.glb": glb_bytes(shapes.box(0.2))}),
    }


@cache
def pictures() -> dict[str, bytes]:
    """Name of a file -> bytes: pictures of every kind."""
    deep = PIXELS.astype(np.uint16) * 257
    return {
        "a.png": png_bytes(PIXELS),
        "deep.png": png_bytes(deep),
        "a.jpg": picture("JPEG"),
        "a.tif": picture("TIFF"),
        "packed.tif": picture("TIFF", compression="tiff_lzw"),
        "a.webp": picture("WEBP", lossless=True),
        "a.bmp": picture("BMP"),
        "a.tga": picture("TGA"),
        "a.exr": exr_bytes({c: PIXELS[:, :, k].astype(np.float32) for k, c in enumerate("RGB")}),
        "a.svg": b'<svg xmlns="http://www.w3.org/2000/svg" width="8" height="8"><rect width="4" height="4" '
        b'fill="#f00"/></svg>',
    }


@cache
def scene_document() -> dict[str, Any]:
    """A scene with layers."""
    return short_story().model_dump(mode="json")


STROKE: dict[str, Any] = {
    "version": 1,
    "brush": {"size_mm": 20.0},
    "points": [[0, 0, 0, 0, 1, 0, 1, 0, 0], [0.1, 0, 0, 0, 1, 0, 0.5, 0, 0]],
}


def binary_stl(count: int, claimed: int | None = None) -> bytes:
    """A binary STL of ``count`` triangles that claims another number."""
    rows = b"".join(
        struct.pack("<12fH", 0, 0, 1, *np.random.default_rng(k).random(9).tolist(), 0) for k in range(count)
    )
    return b"x" * 80 + struct.pack("<I", count if claimed is None else claimed) + rows
