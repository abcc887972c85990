"""The parts of a glTF 2.0 file: its JSON, its buffers, and arrays out of them, with every count held against the
bytes that are there.
"""

from __future__ import annotations

import base64
import binascii
import json
import math
import struct
from pathlib import Path
from typing import Any

import numpy as np

from limus.common.errors import InputError
from limus.formats.beside import beside
from limus.formats.files import need_regular

TYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
AGAIN = "Export the object again"
#: Bytes that arrays without data of their own (zeros, sparse) may take, besides 16 for each byte of the file.
_ROOM = 16 << 20


class Document:
    """The parsed JSON with its binary part, and the folder that other files of it may lie in."""

    def __init__(
        self, name: str, document: dict[str, Any], binary: bytes | None, folder: Path | None, size: int
    ) -> None:
        self.name, self.doc, self.binary, self.folder = name, document, binary, folder
        #: Bytes of the file and of those beside it that were read.
        self.size = size
        self._buffers: dict[int, bytes] = {}
        self._arrays: dict[int, np.ndarray] = {}
        self._zeros = 0

    def fail(self, problem: str, field: str = "", remedy: str = AGAIN) -> InputError:
        """A refusal that names the file and the field."""
        return InputError(problem, where=f"{self.name}: {field}" if field else self.name, remedy=remedy)

    # -- values ------------------------------------------------------------------------------------

    def listing(self, owner: dict[str, Any], key: str, field: str = "") -> list[Any]:
        """A list of the document; empty where there is none."""
        found = owner.get(key, [])
        if not isinstance(found, list):
            raise self.fail("is not a list", f"{field}.{key}" if field else key)
        return found

    def whole(self, owner: dict[str, Any], key: str, default: int, field: str, most: int = 2**53) -> int:
        """A whole number from 0 to ``most``."""
        found = owner.get(key, default)
        if isinstance(found, float) and found.is_integer():
            found = int(found)
        if not isinstance(found, int) or isinstance(found, bool) or not 0 <= found <= most:
            raise self.fail("is not a whole number from 0, or too large", f"{field}.{key}")
        return found

    def number(self, owner: dict[str, Any], key: str, default: float, field: str) -> float:
        """A finite number."""
        return self.numbers(owner, key, (default,), field, single=True)[0]

    def numbers(
        self, owner: dict[str, Any], key: str, default: tuple[float, ...], field: str, *, single: bool = False
    ) -> tuple[float, ...]:
        """As many finite numbers as ``default`` has."""
        found = owner.get(key)
        if found is None:
            return default
        values = [found] if single else found
        if not isinstance(values, list) or len(values) != len(default):
            raise self.fail(f"is not {len(default)} numbers", f"{field}.{key}")
        for value in values:
            if not isinstance(value, (int, float)) or isinstance(value, bool) or not abs(value) < 1e30:
                raise self.fail("is not a finite number of a sensible size", f"{field}.{key}")
        return tuple(float(value) for value in values)

    def item(self, listing: str, number: Any, asked_by: str) -> dict[str, Any]:
        """Entry ``number`` of a list of the document."""
        items = self.doc.get(listing, [])
        if (
            not isinstance(number, int)
            or isinstance(number, bool)
            or not isinstance(items, list)
            or not 0 <= number < len(items)
            or not isinstance(items[number], dict)
        ):
            raise self.fail(f"refers to {listing}[{str(number)[:20]}], which does not exist", asked_by)
        return items[number]

    def extensions(self, owner: dict[str, Any]) -> dict[str, Any]:
        """The extensions of an entry that are objects."""
        found = owner.get("extensions")
        return {k: v for k, v in found.items() if isinstance(v, dict)} if isinstance(found, dict) else {}

    # -- bytes -------------------------------------------------------------------------------------

    def buffer(self, number: int, asked_by: str) -> bytes:
        """The bytes of a buffer."""
        if number in self._buffers:
            return self._buffers[number]
        entry = self.item("buffers", number, asked_by)
        field = f"buffers[{number}]"
        uri = entry.get("uri")
        length = self.whole(entry, "byteLength", 0, field)
        if uri is None:
            if number != 0 or self.binary is None:
                raise self.fail("has no data", field)
            data = self.binary
        elif isinstance(uri, str) and uri.startswith("data:"):
            data = self.inline(uri, f"{field}.uri")
        else:
            data = beside(self.folder, str(uri), f"{self.name}: {field}.uri").read_bytes()
            self.size += len(data)
        if len(data) < length:
            raise self.fail(
                f"is cut short: {len(data)} of {length} bytes",
                field,
                "Copy the file again; it was not written to its end",
            )
        self._buffers[number] = data
        return data

    def inline(self, uri: str, field: str) -> bytes:
        """The bytes of a data address."""
        try:
            return base64.b64decode(uri.split(",", 1)[1], validate=True)
        except (binascii.Error, IndexError, ValueError) as error:
            raise self.fail("is not valid base64", field) from error

    def view(self, number: Any, asked_by: str) -> tuple[memoryview, int]:
        """The bytes of a buffer view, and the distance between its elements (0: side by side)."""
        entry = self.item("bufferViews", number, asked_by)
        field = f"bufferViews[{number}]"
        if "meshopt" in " ".join(self.extensions(entry)):
            raise self.fail(
                "is packed by meshopt, which is not read here", field, "Export the object without mesh compression"
            )
        data = self.buffer(self.whole(entry, "buffer", 0, field), f"{field}.buffer")
        start, length = self.whole(entry, "byteOffset", 0, field), self.whole(entry, "byteLength", 0, field)
        if start + length > len(data):
            raise self.fail("reaches past the end of its buffer", field)
        return memoryview(data)[start : start + length], self.whole(entry, "byteStride", 0, field)

    # -- arrays ------------------------------------------------------------------------------------

    def count(self, number: Any, asked_by: str) -> int:
        """How many elements an accessor says it has."""
        return self.whole(self.item("accessors", number, asked_by), "count", 0, f"accessors[{number}]")

    def accessor(self, number: Any, asked_by: str) -> np.ndarray:
        """(count, width) array in its own type, not to be written to; normalised integers become float32."""
        entry = self.item("accessors", number, asked_by)
        if number in self._arrays:
            return self._arrays[number]
        field = f"accessors[{number}]"
        kind = TYPES.get(entry["componentType"]) if isinstance(entry.get("componentType"), int) else None
        width = WIDTHS.get(entry["type"]) if isinstance(entry.get("type"), str) else None
        count = self.whole(entry, "count", 0, field)
        if kind is None or width is None:
            raise self.fail("has an unknown componentType or type", field)
        dtype = np.dtype(kind).newbyteorder("<")
        if "bufferView" in entry:
            out = self._strided(
                entry["bufferView"], self.whole(entry, "byteOffset", 0, field), dtype, width, count, field
            )
        else:
            self._zeros += count * width * dtype.itemsize
            if self._zeros > _ROOM + 16 * self.size:
                raise self.fail(f"claims {count} elements without any data", field)
            out = np.zeros((count, width), dtype)
        if "sparse" in entry:
            out = self._sparse(entry["sparse"], out, dtype, width, field)
        if entry.get("normalized") is True and out.dtype.kind in "iu":
            limit = np.iinfo(out.dtype).max
            out = np.maximum(out.astype(np.float32) / np.float32(limit), -1.0)
        self._arrays[number] = out
        return out

    def _sparse(self, sparse: Any, out: np.ndarray, dtype: np.dtype[Any], width: int, field: str) -> np.ndarray:
        if (
            not isinstance(sparse, dict)
            or not isinstance(sparse.get("indices"), dict)
            or not isinstance(sparse.get("values"), dict)
        ):
            raise self.fail("has an incomplete sparse block", field)
        indices, values = sparse["indices"], sparse["values"]
        count = self.whole(sparse, "count", 0, f"{field}.sparse")
        if indices.get("componentType") not in (5121, 5123, 5125):
            raise self.fail("has sparse indices that are no unsigned integers", f"{field}.sparse.indices")
        kind = np.dtype(TYPES[indices["componentType"]]).newbyteorder("<")
        offset = self.whole(indices, "byteOffset", 0, f"{field}.sparse.indices")
        where = self._strided(indices.get("bufferView"), offset, kind, 1, count, f"{field}.sparse.indices")
        offset = self.whole(values, "byteOffset", 0, f"{field}.sparse.values")
        put = self._strided(values.get("bufferView"), offset, dtype, width, count, f"{field}.sparse.values")
        if count and int(where.max()) >= len(out):
            raise self.fail("has a sparse index out of range", field)
        out = out.copy()
        out[where[:, 0]] = put
        return out

    def _strided(self, view: Any, offset: int, dtype: np.dtype[Any], width: int, count: int, field: str) -> np.ndarray:
        data, stride = self.view(view, field)
        size = dtype.itemsize * width
        stride = stride or size
        if stride < size:
            raise self.fail(f"has a byteStride of {stride}, less than the {size} bytes of an element", field)
        if count and offset + stride * (count - 1) + size > len(data):
            raise self.fail("reaches past the end of its bufferView", field)
        if count == 0:
            return np.zeros((0, width), dtype)
        return np.ndarray((count, width), dtype, data, offset, (stride, dtype.itemsize))


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(f"{text[:20]} is too large a number")
    return value


def _constant(word: str) -> Any:
    raise ValueError(f"{word} is not a number")


def _parse(name: str, text: bytes) -> dict[str, Any]:
    try:
        document = json.loads(text, parse_float=_finite, parse_constant=_constant)
    except (ValueError, RecursionError) as error:
        raise InputError(f"the JSON part cannot be read ({str(error)[:100]})", where=name, remedy=AGAIN) from error
    asset = document.get("asset") if isinstance(document, dict) else None
    if not isinstance(asset, dict) or not str(asset.get("version", "")).startswith("2"):
        raise InputError("asset.version is not 2.x", where=name, remedy="Save the object as glTF 2.0")
    return document  # type: ignore[no-any-return]


def _split(name: str, raw: bytes) -> tuple[dict[str, Any], bytes | None]:
    if len(raw) < 20:
        raise InputError(
            "the file is cut short", where=name, remedy="Copy the file again; it was not written to its end"
        )
    magic, version, length = struct.unpack_from("<4sII", raw)
    if magic != b"glTF":
        raise InputError(
            "this is not a GLB file (it does not begin with 'glTF')",
            where=name,
            remedy="Save the object as binary glTF 2.0 (.glb)",
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
            raise InputError("a chunk reaches past the end of the file", where=name, remedy=AGAIN)
        if kind in (b"JSON", b"BIN\x00"):
            chunks.setdefault(kind, raw[at + 8 : at + 8 + size])
        at += 8 + size
    if b"JSON" not in chunks:
        raise InputError("the file has no JSON chunk", where=name, remedy=AGAIN)
    return _parse(name, chunks[b"JSON"]), chunks.get(b"BIN\x00")


def open_document(path: Path, name: str) -> Document:
    """Parse a ``.glb`` or ``.gltf`` file; nothing is unpacked yet.

    Raises
    ------
    InputError : unreadable, not glTF 2.0, cut short.
    """
    need_regular(path, name)
    try:
        raw = path.read_bytes()
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise InputError(f"the file cannot be read ({reason})", where=name, remedy="Check the path") from error
    if raw[:4] == b"glTF" or path.suffix.lower() == ".glb":
        document, binary = _split(name, raw)
        return Document(name, document, binary, path.parent, len(raw))
    if raw.removeprefix(b"\xef\xbb\xbf").lstrip()[:1] != b"{":
        raise InputError("this is not a glTF file", where=name, remedy="Save the object as glTF 2.0 (.glb or .gltf)")
    return Document(name, _parse(name, raw), None, path.parent, len(raw))
