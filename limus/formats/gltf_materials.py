"""Materials of a glTF file: the pictures and factors of its metallic-roughness part, and its normal maps."""

from __future__ import annotations

from typing import Any

import numpy as np

from limus.common.errors import InputError
from limus.formats.beside import beside
from limus.formats.gltf_document import Document
from limus.formats.packed_picture import PictureBox
from limus.surface.base_maps import BaseMaps
from limus.surface.picture import Texture


class Materials:
    """Reads materials; what cannot be read of them is left out and noted."""

    def __init__(self, doc: Document) -> None:
        self.doc, self._box = doc, PictureBox()
        self.notes: list[str] = []

    def title(self, number: int, field: str) -> str:
        """Name of a material, "" where it has none."""
        return str(self.doc.item("materials", number, field).get("name") or "")

    def base_maps(self, number: int | None) -> BaseMaps | None:
        """The metallic-roughness part, or None where it says nothing."""
        if number is None:
            return None
        entry = self.doc.item("materials", number, "material").get("pbrMetallicRoughness")
        if not isinstance(entry, dict) or not entry:
            return None
        field = f"materials[{number}].pbrMetallicRoughness"
        factor = [
            min(max(x, 0.0), 1.0) for x in self.doc.numbers(entry, "baseColorFactor", (1.0, 1.0, 1.0, 1.0), field)
        ]
        share = [
            min(max(self.doc.number(entry, key, 1.0, field), 0.0), 1.0) for key in ("roughnessFactor", "metallicFactor")
        ]
        return BaseMaps(
            color=self._texture(entry.get("baseColorTexture"), f"{field}.baseColorTexture", "RGBA"),
            orm=self._texture(entry.get("metallicRoughnessTexture"), f"{field}.metallicRoughnessTexture", "RGB"),
            color_factor=(factor[0], factor[1], factor[2], factor[3]),
            roughness=share[0],
            metalness=share[1],
        )

    def normal_map(self, number: int | None) -> Texture | None:
        """The normal texture."""
        if number is None:
            return None
        field = f"materials[{number}].normalTexture"
        entry = self.doc.item("materials", number, "material").get("normalTexture")
        scale = self.doc.number(entry, "scale", 1.0, field) if isinstance(entry, dict) else 1.0
        return self._texture(entry, field, "RGB", min(max(scale, -100.0), 100.0))

    def _texture(self, entry: Any, field: str, mode: str, bend: float = 1.0) -> Texture | None:
        if not isinstance(entry, dict):
            return None
        doc = self.doc
        texture = doc.item("textures", entry.get("index"), field)
        try:
            number = doc.extensions(texture).get("EXT_texture_webp", {}).get("source", texture.get("source"))
            if number is None:
                kinds = ", ".join(doc.extensions(texture)) or "no picture"
                raise ValueError(f"it is kept as {kinds}, which is not read here")
            data = self._bytes(number, field)
            picture = self._box.take(
                data, mode, None if bend == 1.0 else lambda p: _bent(p, bend), "" if bend == 1.0 else str(bend)
            )
        except InputError as error:
            self.notes.append(f"{field} was left out: {error.problem}")
            return None
        except (OSError, ValueError) as error:
            self.notes.append(f"{field} could not be read and was left out ({str(error)[:100]})")
            return None
        moved = doc.extensions(entry).get("KHR_texture_transform", {})
        where = f"{field}.extensions.KHR_texture_transform"
        offset, scale = doc.numbers(moved, "offset", (0.0, 0.0), where), doc.numbers(moved, "scale", (1.0, 1.0), where)
        return Texture(
            picture,
            doc.whole(moved if "texCoord" in moved else entry, "texCoord", 0, field, 15),
            (offset[0], offset[1]),
            doc.number(moved, "rotation", 0.0, where),
            (scale[0], scale[1]),
        )

    def _bytes(self, number: Any, field: str) -> bytes:
        image = self.doc.item("images", number, field)
        if "bufferView" in image:
            return bytes(self.doc.view(image["bufferView"], field)[0])
        uri = str(image.get("uri", ""))
        if uri.startswith("data:"):
            return self.doc.inline(uri, field)
        return beside(self.doc.folder, uri, field).read_bytes()


def _bent(pixels: np.ndarray, scale: float) -> np.ndarray:
    """A normal map with its slopes scaled."""
    bent = pixels.astype(np.float32) / 127.5 - 1
    bent[..., :2] *= scale
    bent /= np.maximum(np.linalg.norm(bent, axis=2, keepdims=True), 1e-6)
    return ((bent + 1) * 127.5 + 0.5).astype(np.uint8)
