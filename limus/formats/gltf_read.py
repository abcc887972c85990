"""glTF 2.0 and GLB intake, straight from the accessors (Khronos glTF 2.0 specification, 2021)."""

from __future__ import annotations

import base64
import binascii
import io
import json
import struct
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from limus.errors import InputError
from limus.formats.beside import beside
from limus.surface.base_maps import BaseMaps
from limus.surface.crosses import edge_crosses, lengths
from limus.surface.mesh import Mesh, Part

_TYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_AGAIN = "Export the object again"


class _Reader:
    def __init__(self, name: str, document: dict[str, Any], binary: bytes | None, folder: Path | None) -> None:
        self.name, self.doc, self.binary, self.folder = name, document, binary, folder
        self._buffers: dict[int, bytes] = {}

    def fail(self, problem: str, field: str = "", remedy: str = _AGAIN) -> InputError:
        return InputError(problem, where=f"{self.name}: {field}" if field else self.name, remedy=remedy)

    def item(self, listing: str, number: Any, asked_by: str) -> dict[str, Any]:
        items = self.doc.get(listing, [])
        if (
            not isinstance(number, int)
            or not isinstance(items, list)
            or not 0 <= number < len(items)
            or not isinstance(items[number], dict)
        ):
            raise self.fail(f"refers to {listing}[{number}], which does not exist", asked_by)
        return items[number]

    def buffer(self, number: int, asked_by: str) -> bytes:
        if number in self._buffers:
            return self._buffers[number]
        entry = self.item("buffers", number, asked_by)
        uri = entry.get("uri")
        if uri is None:
            if number != 0 or self.binary is None:
                raise self.fail("has no data", f"buffers[{number}]")
            data = self.binary
        elif isinstance(uri, str) and uri.startswith("data:"):
            try:
                data = base64.b64decode(uri.split(",", 1)[1], validate=True)
            except (binascii.Error, IndexError) as error:
                raise self.fail("is not valid base64", f"buffers[{number}].uri") from error
        else:
            data = beside(self.folder, str(uri), f"{self.name}: buffers[{number}].uri").read_bytes()
        if len(data) < entry.get("byteLength", 0):
            raise self.fail(
                f"is cut short: {len(data)} of {entry['byteLength']} bytes",
                f"buffers[{number}]",
                "Copy the file again; it was not written to its end",
            )
        self._buffers[number] = data
        return data

    def view(self, number: int, asked_by: str) -> tuple[memoryview, int]:
        entry = self.item("bufferViews", number, asked_by)
        data = self.buffer(entry.get("buffer", 0), f"bufferViews[{number}].buffer")
        start, length = entry.get("byteOffset", 0), entry.get("byteLength", 0)
        if start < 0 or length < 0 or start + length > len(data):
            raise self.fail("reaches past the end of its buffer", f"bufferViews[{number}]")
        return memoryview(data)[start : start + length], entry.get("byteStride", 0)

    def accessor(self, number: Any, asked_by: str) -> np.ndarray:
        """(count, width) array in its own type; normalised integers become float32."""
        entry = self.item("accessors", number, asked_by)
        field = f"accessors[{number}]"
        kind = _TYPES.get(entry.get("componentType", 0))
        width = _WIDTH.get(entry.get("type", ""))
        count = entry.get("count", 0)
        if kind is None or width is None or not isinstance(count, int) or count < 0:
            raise self.fail("has an unknown componentType, type or count", field)
        dtype = np.dtype(kind).newbyteorder("<")
        if "bufferView" in entry:
            out = self._strided(entry["bufferView"], entry.get("byteOffset", 0), dtype, width, count, field)
        else:
            out = np.zeros((count, width), dtype)
        if "sparse" in entry:
            sparse = entry["sparse"]
            try:
                kind_of_index = np.dtype(_TYPES[sparse["indices"]["componentType"]]).newbyteorder("<")
                where = self._strided(
                    sparse["indices"]["bufferView"],
                    sparse["indices"].get("byteOffset", 0),
                    kind_of_index,
                    1,
                    sparse["count"],
                    field,
                )
                values = self._strided(
                    sparse["values"]["bufferView"], sparse["values"].get("byteOffset", 0), dtype, width, sparse["count"], field
                )
            except (KeyError, TypeError) as error:
                raise self.fail("has an incomplete sparse block", field) from error
            if sparse["count"] and int(where.max()) >= count:
                raise self.fail("has a sparse index out of range", field)
            out = out.copy()
            out[where[:, 0]] = values
        if entry.get("normalized") and out.dtype.kind in "iu":
            limit = np.iinfo(out.dtype).max
            out = np.maximum(out.astype(np.float32) / np.float32(limit), -1.0)
        return out

    def _strided(self, view: Any, offset: int, dtype: np.dtype[Any], width: int, count: int, field: str) -> np.ndarray:
        data, stride = self.view(view, field)
        size = dtype.itemsize * width
        stride = stride or size
        if count and offset + stride * (count - 1) + size > len(data):
            raise self.fail("reaches past the end of its bufferView", field)
        if count == 0:
            return np.zeros((0, width), dtype)
        return np.ndarray((count, width), dtype, data, offset, (stride, dtype.itemsize))


def _split_glb(name: str, raw: bytes) -> tuple[dict[str, Any], bytes | None]:
    if len(raw) < 20:
        raise InputError("the file is cut short", where=name, remedy="Copy the file again; it was not written to its end")
    magic, version, length = struct.unpack_from("<4sII", raw)
    if magic != b"glTF":
        raise InputError(
            "this is not a GLB file (it does not begin with 'glTF')", where=name, remedy="Save the object as binary glTF 2.0 (.glb)"
        )
    if version != 2:
        raise InputError(f"glTF version {version} is not supported", where=name, remedy="Save the object as glTF 2.0")
    if length > len(raw):
        raise InputError(
            f"the file is cut short: {len(raw)} of {length} bytes",
            where=name,
            remedy="Copy the file again; it was not written to its end",
        )
    chunks: dict[bytes, bytes] = {}
    at = 12
    while at + 8 <= length:
        size, kind = struct.unpack_from("<I4s", raw, at)
        if at + 8 + size > length:
            raise InputError("a chunk reaches past the end of the file", where=name, remedy=_AGAIN)
        chunks.setdefault(kind, raw[at + 8 : at + 8 + size])
        at += 8 + size
    if b"JSON" not in chunks:
        raise InputError("the file has no JSON chunk", where=name, remedy=_AGAIN)
    return _parse(name, chunks[b"JSON"]), chunks.get(b"BIN\x00")


def _parse(name: str, text: bytes) -> dict[str, Any]:
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise InputError(f"the JSON part cannot be read ({error})", where=name, remedy=_AGAIN) from error
    if not isinstance(document, dict) or not str(document.get("asset", {}).get("version", "")).startswith("2"):
        raise InputError("asset.version is not 2.x", where=name, remedy="Save the object as glTF 2.0")
    return document


def _node_matrix(node: dict[str, Any]) -> np.ndarray:
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    out = np.eye(4)
    x, y, z, w = np.array(node.get("rotation", (0, 0, 0, 1)), np.float64)
    out[:3, :3] = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    out[:3, :3] *= np.array(node.get("scale", (1, 1, 1)), np.float64)
    out[:3, 3] = node.get("translation", (0, 0, 0))
    return out


def _placed(reader: _Reader) -> list[tuple[str, int, np.ndarray]]:
    """(node name, mesh number, world matrix) of every mesh in the default scene."""
    nodes = reader.doc.get("nodes", [])
    scenes = reader.doc.get("scenes", [])
    if scenes:
        roots = reader.item("scenes", reader.doc.get("scene", 0), "scene").get("nodes", [])
    else:
        children = {c for n in nodes for c in n.get("children", [])}
        roots = [k for k in range(len(nodes)) if k not in children]
    out: list[tuple[str, int, np.ndarray]] = []
    stack = [(k, np.eye(4), 0) for k in reversed(roots)]
    while stack:
        number, above, depth = stack.pop()
        node = reader.item("nodes", number, "nodes")
        if depth > 256:
            raise reader.fail("nodes are nested too deep or in a loop", f"nodes[{number}]")
        try:
            matrix = above @ _node_matrix(node)
        except (ValueError, TypeError) as error:
            raise reader.fail("has a matrix, rotation, scale or translation of the wrong shape", f"nodes[{number}]") from error
        if "mesh" in node:
            out.append((str(node.get("name", "")), node["mesh"], matrix))
        stack.extend((k, matrix, depth + 1) for k in reversed(node.get("children", [])))
    return out


def _triangles(reader: _Reader, primitive: dict[str, Any], count: int, field: str) -> np.ndarray | None:
    mode = primitive.get("mode", 4)
    if mode not in (4, 5, 6):
        return None
    if "indices" in primitive:
        index = reader.accessor(primitive["indices"], f"{field}.indices").reshape(-1)
        # Two billion vertices do not fit any limit here; what is larger is out of range either way.
        index = index.astype(np.int32) if count < 2**31 and (not len(index) or index.max() < 2**31) else index.astype(np.int64)
    else:
        index = np.arange(count, dtype=np.int64)
    if len(index) and (index.min() < 0 or index.max() >= count):
        raise reader.fail(f"an index is out of range: {index.max()} of {count} vertices", f"{field}.indices")
    if mode == 4:
        if len(index) % 3:
            raise reader.fail(f"{len(index)} indices do not make whole triangles", f"{field}.indices")
        return index.reshape(-1, 3)
    if mode == 5:
        rows = np.stack([index[:-2], index[1:-1], index[2:]], axis=1)
        rows[1::2] = rows[1::2, [1, 0, 2]]
        return rows
    return np.stack([np.broadcast_to(index[:1], len(index) - 2), index[1:-1], index[2:]], axis=1)


def _picture(reader: _Reader, entry: Any, field: str, mode: str, notes: list[str]) -> np.ndarray | None:
    """A texture as (h, w, c) uint8; one that cannot be read is left out and said so."""
    if not isinstance(entry, dict):
        return None
    texture = reader.item("textures", entry.get("index"), field)
    try:
        image = reader.item("images", texture.get("source"), field)
        if "bufferView" in image:
            data = bytes(reader.view(image["bufferView"], field)[0])
        elif str(image.get("uri", "")).startswith("data:"):
            data = base64.b64decode(image["uri"].split(",", 1)[1])
        else:
            data = beside(reader.folder, str(image.get("uri")), field).read_bytes()
        with Image.open(io.BytesIO(data)) as picture:
            return np.ascontiguousarray(np.asarray(picture.convert(mode)))
    except (OSError, ValueError, Image.DecompressionBombError) as error:
        notes.append(f"{field} could not be read and was left out ({error})")
        return None


def _normal_map(reader: _Reader, material: int | None, notes: list[str]) -> np.ndarray | None:
    """The material's normal texture as (h, w, 3) uint8."""
    if material is None:
        return None
    field = f"materials[{material}].normalTexture"
    entry = reader.item("materials", material, "material").get("normalTexture")
    out = _picture(reader, entry, field, "RGB", notes)
    if out is None or entry is None:
        return None
    scale = float(entry.get("scale", 1.0))
    if scale != 1.0:
        bent = out.astype(np.float32) / 127.5 - 1
        bent[..., :2] *= scale
        bent /= np.maximum(np.linalg.norm(bent, axis=2, keepdims=True), 1e-6)
        out = ((bent + 1) * 127.5 + 0.5).astype(np.uint8)
    return np.ascontiguousarray(out)


def _base_maps(reader: _Reader, material: int | None, notes: list[str]) -> BaseMaps | None:
    """The material's metallic-roughness part, or None where it says nothing."""
    if material is None:
        return None
    entry = reader.item("materials", material, "material").get("pbrMetallicRoughness")
    if not isinstance(entry, dict) or not entry:
        return None
    field = f"materials[{material}].pbrMetallicRoughness"
    factor = [min(max(float(x), 0.0), 1.0) for x in entry.get("baseColorFactor", (1, 1, 1, 1))]
    if len(factor) != 4:
        raise reader.fail("has a baseColorFactor that is not four numbers", field)
    return BaseMaps(
        color=_picture(reader, entry.get("baseColorTexture"), f"{field}.baseColorTexture", "RGBA", notes),
        orm=_picture(reader, entry.get("metallicRoughnessTexture"), f"{field}.metallicRoughnessTexture", "RGB", notes),
        color_factor=(factor[0], factor[1], factor[2], factor[3]),
        roughness=float(entry.get("roughnessFactor", 1.0)),
        metalness=float(entry.get("metallicFactor", 1.0)),
    )


def read_gltf(path: Path | str, *, name: str | None = None) -> Mesh:
    """Read a ``.glb`` or ``.gltf`` file.

    Node transforms are applied; every primitive becomes a part (named after its node or mesh) and every material a map set. A
    primitive without a material keeps its UVs and vertex colours. Normal textures come along as the base's own normals. Missing normals become flat ones, as the standard asks.

    Raises
    ------
    InputError : not glTF, cut short, no triangles, positions that are not numbers, indices out of range, only degenerate
        triangles; the message names the file and the field.
    """
    path = Path(path)
    shown = name or path.name
    try:
        raw = path.read_bytes()
    except OSError as error:
        raise InputError(f"the file cannot be read ({error.strerror})", where=str(path), remedy="Check the path") from error
    if raw[:4] == b"glTF" or path.suffix.lower() == ".glb":
        document, binary = _split_glb(shown, raw)
        reader = _Reader(shown, document, binary, path.parent)
    else:
        if not raw.lstrip()[:1] == b"{":
            raise InputError("this is not a glTF file", where=shown, remedy="Save the object as glTF 2.0 (.glb or .gltf)")
        reader = _Reader(shown, _parse(shown, raw), None, path.parent)
    try:
        return _mesh(reader)
    except (KeyError, TypeError, AttributeError, ValueError) as error:
        if isinstance(error, InputError):
            raise
        raise reader.fail(f"the file does not follow the glTF standard ({error})") from error


def _mesh(reader: _Reader) -> Mesh:
    required = set(reader.doc.get("extensionsRequired", []))
    if required - {"KHR_mesh_quantization", "KHR_materials_clearcoat", "KHR_texture_transform"} and any(
        "draco" in e or "meshopt" in e for e in required
    ):
        raise reader.fail(
            f"uses compression {', '.join(sorted(required))}", "extensionsRequired", "Export the object without mesh compression"
        )
    blocks: list[dict[str, Any]] = []
    map_sets: dict[Any, int] = {}
    names: dict[str, int] = {}
    skipped = 0
    for node_name, mesh_number, matrix in _placed(reader):
        mesh = reader.item("meshes", mesh_number, "nodes[].mesh")
        primitives = mesh.get("primitives", [])
        for k, primitive in enumerate(primitives):
            field = f"meshes[{mesh_number}].primitives[{k}]"
            attributes = primitive.get("attributes", {})
            if "POSITION" not in attributes:
                raise reader.fail("has no POSITION", f"{field}.attributes")
            p = reader.accessor(attributes["POSITION"], f"{field}.attributes.POSITION").astype(np.float64)
            if p.shape[1:] != (3,):
                raise reader.fail("is not VEC3", f"{field}.attributes.POSITION")
            if not np.isfinite(p).all():
                bad = int((~np.isfinite(p).all(axis=1)).sum())
                raise reader.fail(
                    f"{bad} of {len(p)} positions are not finite numbers (NaN or infinite)",
                    f"{field}.attributes.POSITION",
                    "Clean the mesh and export it again",
                )
            tri = _triangles(reader, primitive, len(p), field)
            if tri is None:
                skipped += 1
                continue

            def attribute(
                key: str, width: int, count: int = len(p), attributes: dict[str, int] = attributes, field: str = field
            ) -> np.ndarray | None:
                if key not in attributes:
                    return None
                values = reader.accessor(attributes[key], f"{field}.attributes.{key}").astype(np.float32)
                if len(values) != count or values.shape[1] < width:
                    raise reader.fail(
                        f"has {len(values)} entries of width {values.shape[1]}; {count} of width {width} are needed",
                        f"{field}.attributes.{key}",
                    )
                if not np.isfinite(values).all():
                    raise reader.fail(
                        "holds values that are not finite numbers",
                        f"{field}.attributes.{key}",
                        "Clean the mesh and export it again",
                    )
                return values

            n, uv, tangent, colour = (
                attribute("NORMAL", 3),
                attribute("TEXCOORD_0", 2),
                attribute("TANGENT", 4),
                attribute("COLOR_0", 3),
            )
            linear = matrix[:3, :3]
            mirrored = np.linalg.det(linear) < 0
            plain = np.array_equal(matrix, np.eye(4))
            if not plain:
                p = p @ linear.T + matrix[:3, 3]
            if mirrored:
                tri = tri[:, ::-1]
            if n is not None and plain:
                long = np.einsum("ij,ij->i", n, n)
                if np.abs(long - 1).max() > 1e-3:
                    n = n / np.maximum(np.sqrt(long), 1e-20)[:, None]
            elif n is not None:
                turn = np.linalg.inv(linear).T if abs(np.linalg.det(linear)) > 1e-18 else linear
                n = (n @ turn.T).astype(np.float32)
                n /= np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-20)
            if tangent is not None:
                tangent = tangent.copy()
                tangent[:, :3] = tangent[:, :3] @ linear.T
                tangent[:, :3] /= np.maximum(np.linalg.norm(tangent[:, :3], axis=1, keepdims=True), 1e-20)
                if mirrored:
                    tangent[:, 3] *= -1
            if n is None:
                flat = tri.reshape(-1)
                p = p[flat]
                uv, colour, tangent = (a[flat] if a is not None else None for a in (uv, colour, None))
                tri = np.arange(len(flat)).reshape(-1, 3)
                face = np.cross(p[1::3] - p[0::3], p[2::3] - p[0::3])
                face /= np.maximum(np.linalg.norm(face, axis=1, keepdims=True), 1e-20)
                n = np.repeat(face, 3, axis=0).astype(np.float32)
            if colour is not None and colour.shape[1] == 3:
                colour = np.concatenate([colour, np.ones((len(colour), 1), np.float32)], axis=1)
            material = primitive.get("material")
            if material is not None:
                title = str(reader.item("materials", material, f"{field}.material").get("name") or f"material {material}")
            else:
                title = "object"
            map_set = map_sets.setdefault((material, title), len(map_sets))
            wanted = node_name or str(mesh.get("name") or f"part {len(blocks) + 1}")
            if len(primitives) > 1:
                wanted = f"{wanted} {k + 1}"
            names[wanted] = names.get(wanted, 0) + 1
            blocks.append(
                {
                    "name": wanted if names[wanted] == 1 else f"{wanted} {names[wanted]}",
                    "p": p,
                    "n": n,
                    "uv": uv,
                    "t": tangent,
                    "c": colour,
                    "tri": tri,
                    "set": map_set,
                }
            )
    if not blocks or not sum(len(b["tri"]) for b in blocks):
        raise reader.fail("the mesh is empty: there are no triangles", "meshes", "Export the object with its mesh")

    notes: list[str] = []
    normal_maps = tuple(_normal_map(reader, material, notes) for material, _ in map_sets)
    base_maps = tuple(_base_maps(reader, material, notes) for material, _ in map_sets)
    if skipped:
        notes.append(f"{skipped} primitives of points or lines were left out")
    parts: list[Part] = []
    triangles: list[np.ndarray] = []
    base = first = dropped = 0
    for block in blocks:
        p, tri = block["p"], block["tri"]
        area = lengths(edge_crosses(p, tri))
        keep = area > 0
        if block["uv"] is not None and not keep.all():
            # A triangle without area in space may still own texels; it borrows its vertices' normals.
            q = block["uv"][tri].astype(np.float64)
            d1, d2 = q[:, 1] - q[:, 0], q[:, 2] - q[:, 0]
            keep |= np.abs(d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]) > 1e-12
        if not (area > 0).any():
            keep[:] = False
        dropped += int((~keep).sum())
        tri = (tri if keep.all() else tri[keep]).astype(np.int32)
        triangles.append(tri + np.int32(base) if base else tri)
        parts.append(Part(block["name"], first, len(tri), block["set"]))
        base += len(p)
        first += len(tri)
    if first == 0:
        raise reader.fail("every triangle is degenerate (no area)", "meshes", "Clean the mesh and export it again")
    if dropped:
        notes.append(f"{dropped} degenerate triangles were left out")

    def joined(key: str, width: int, fill: float) -> np.ndarray | None:
        if all(b[key] is None for b in blocks):
            return None
        columns = [b[key] if b[key] is not None else np.full((len(b["p"]), width), fill, np.float32) for b in blocks]
        return columns[0] if len(columns) == 1 else np.concatenate(columns)

    missing = [b["name"] for b in blocks if b["uv"] is None and len(b["tri"])]
    partly = any(b["uv"] is not None for b in blocks)
    return Mesh(
        positions=np.concatenate([b["p"] for b in blocks]).astype(np.float32),
        normals=np.concatenate([b["n"] for b in blocks]).astype(np.float32),
        triangles=np.concatenate(triangles) if len(triangles) > 1 else np.ascontiguousarray(triangles[0]),
        uv=joined("uv", 2, 0.0),
        tangents=joined("t", 4, 0.0) if all(b["t"] is not None for b in blocks) else None,
        colours=joined("c", 4, 1.0),
        parts=tuple(p for p in parts if p.count),
        uv_domains=tuple(title for _, title in map_sets),
        normal_maps=normal_maps if any(image is not None for image in normal_maps) else (),
        base_maps=base_maps if any(maps is not None for maps in base_maps) else (),
        without_uv=tuple(missing) if partly else (),
        source=reader.name,
        notes=tuple(notes),
    )
