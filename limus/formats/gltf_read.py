"""glTF 2.0 and GLB intake, straight from the accessors (Khronos glTF 2.0 specification, 2021)."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from limus.common.errors import InputError
from limus.common.wording import plain
from limus.formats.draco_read import unpacked
from limus.formats.gltf_document import Document, open_document
from limus.formats.gltf_materials import Materials
from limus.formats.gltf_placing import FREE_TRIANGLES, Placed, bounded, placed, world
from limus.surface.base_maps import BaseMaps
from limus.surface.crosses import edge_crosses, lengths
from limus.surface.mesh import Mesh, Part
from limus.surface.picture import Texture
from limus.surface.recentre import recentred

DRACO = "KHR_draco_mesh_compression"
#: Extensions that a file may require: what they add is read, or does not touch what is read.
KNOWN = {
    DRACO, "KHR_mesh_quantization", "KHR_texture_transform", "EXT_texture_webp", "KHR_lights_punctual",
    "KHR_xmp_json_ld",
    "KHR_materials_variants", "KHR_animation_pointer",
}  # fmt: skip
#: Extensions that move or multiply the surface itself: without them another object would be read.
SHAPING = {"EXT_mesh_gpu_instancing": "copies of meshes"}
#: Positions beyond this are no places.
_FARTHEST = 1e13


@dataclass
class _Block:
    """One primitive where a node puts it."""

    name: str
    map_set: int
    p: np.ndarray
    n: np.ndarray
    tri: np.ndarray
    uv: np.ndarray | None
    other: np.ndarray | None
    t: np.ndarray | None
    c: np.ndarray | None


class _Primitive:
    """Arrays of a primitive, whether they lie open or are packed by Draco; the vertices that its triangles use and no
    others.
    """

    def __init__(self, doc: Document, primitive: dict[str, Any], field: str) -> None:
        self.doc, self.field = doc, field
        self.attributes: dict[str, Any] = primitive["attributes"]
        self._packed: dict[str, np.ndarray] = {}
        faces = None
        draco = doc.extensions(primitive).get(DRACO)
        if draco is not None:
            faces = self._unpack(draco, primitive)
        if "POSITION" not in self.attributes:
            raise doc.fail("has no POSITION", f"{field}.attributes")
        p = self._raw("POSITION")
        if p.shape[1:] != (3,):
            raise doc.fail("is not VEC3", f"{field}.attributes.POSITION")
        self.count = len(p)
        self.tri = faces if faces is not None else _triangles(doc, primitive, self.count, field)
        self.used: np.ndarray | None = None
        if self.tri is None:
            return
        if len(self.tri) and (self.tri.min() < 0 or self.tri.max() >= self.count):
            raise doc.fail(f"an index is out of range: {self.tri.max()} of {self.count} vertices", f"{field}.indices")
        if self.tri.size < self.count:
            # Many primitives may share one long array of vertices.
            self.used, local = np.unique(self.tri, return_inverse=True)
            self.tri = np.asarray(local).reshape(-1, 3)
        self.p = self._of(p).astype(np.float64)
        wrong = ~(np.abs(self.p) < _FARTHEST).all(axis=1)
        if wrong.any():
            raise doc.fail(
                f"{int(wrong.sum())} of {len(self.p)} positions are not finite numbers (NaN or infinite), or are "
                "beyond all measure",
                f"{field}.attributes.POSITION",
                "Clean the mesh and export it again",
            )

    def _unpack(self, draco: dict[str, Any], primitive: dict[str, Any]) -> np.ndarray:
        field = f"{self.field}.extensions.{DRACO}"
        wanted = draco.get("attributes")
        if not isinstance(wanted, dict) or not all(isinstance(x, int) and 0 <= x < 2**31 for x in wanted.values()):
            raise self.doc.fail("does not say which attributes it holds", field)
        data = bytes(self.doc.view(draco.get("bufferView"), field)[0])
        try:
            faces, self._packed = unpacked(data, wanted, FREE_TRIANGLES + self.doc.size // 2)
        except ValueError as error:
            raise self.doc.fail(str(error), field, "Export the object again, or without mesh compression") from error
        self._as_announced(faces, primitive, field)
        for name, values in self._packed.items():
            number = self.attributes.get(name)
            if values.dtype.kind in "iu" and isinstance(number, int):
                entry = self.doc.item("accessors", number, f"{self.field}.attributes.{name}")
                if entry.get("normalized") is True:
                    self._packed[name] = np.maximum(
                        values.astype(np.float32) / np.float32(np.iinfo(values.dtype).max), -1.0
                    )
        return faces

    def _as_announced(self, faces: np.ndarray, primitive: dict[str, Any], field: str) -> None:
        """Hold what was unpacked against the accessors, which say what it was before (KHR_draco_mesh_compression,
        "conformance"): data damaged in the middle unpacks to something else without a complaint.
        """
        again = "Copy the file again, or export it without mesh compression"

        def entry(number: Any, where: str) -> dict[str, Any]:
            return self.doc.item("accessors", number, where) if isinstance(number, int) else {}

        def differs(what: str) -> InputError:
            return self.doc.fail(
                f"unpacks to something else than its accessors say ({what}): it is damaged", field, again
            )

        stated = entry(primitive.get("indices"), f"{self.field}.indices").get("count")
        if isinstance(stated, int) and stated != faces.size:
            raise differs(f"{faces.size} indices, not {stated}")
        for name, values in self._packed.items():
            about = entry(self.attributes.get(name), f"{self.field}.attributes.{name}")
            # Packing may join points that are alike in everything, and some writers leave the count of before: a few,
            # never most.
            if isinstance(about.get("count"), int) and not 0.5 * about["count"] <= len(values) <= about["count"]:
                raise differs(f"{len(values)} entries of {name}, not {about['count']}")
            low, high = about.get("min"), about.get("max")
            if name != "POSITION" or not (_three(low) and _three(high)) or not len(values):
                continue
            low, high = np.array(low, np.float64), np.array(high, np.float64)
            extent = max(float((high - low).max()), 1e-12)
            off = max(np.abs(values.min(axis=0) - low).max(), np.abs(values.max(axis=0) - high).max())
            # Packing rounds places to at least eight bits of the extent in use.
            if not off <= 0.01 * extent:
                shown = float(np.max(values.max(axis=0) - values.min(axis=0)))
                raise differs(f"an extent of {shown:.3g}, not {extent:.3g}")

    def _raw(self, key: str) -> np.ndarray:
        if key in self._packed:
            return self._packed[key]
        return self.doc.accessor(self.attributes[key], f"{self.field}.attributes.{key}")

    def _of(self, values: np.ndarray) -> np.ndarray:
        return values if self.used is None else values[self.used]

    def attribute(self, key: str, width: int, *, mended: list[str] | None = None) -> np.ndarray | None:
        """(V, at least ``width``) float32, or None; what is no number is refused, or set to 0 and noted in
        ``mended``.
        """
        if key not in self.attributes and key not in self._packed:
            return None
        values = self._raw(key)
        if len(values) != self.count or values.shape[1] < width:
            raise self.doc.fail(
                f"has {len(values)} entries of width {values.shape[1]}; {self.count} of width {width} are needed",
                f"{self.field}.attributes.{key}",
            )
        out = self._of(values).astype(np.float32)
        wrong = ~(np.abs(out) < 1e9)
        if wrong.any():
            if mended is None:
                raise self.doc.fail(
                    "holds values that are not finite numbers",
                    f"{self.field}.attributes.{key}",
                    "Clean the mesh and export it again",
                )
            mended.append(f"{int(wrong.any(axis=1).sum())} entries of {key} were not numbers and were set to 0")
            out = np.where(wrong, np.float32(0), out)
        return out


def _three(value: Any) -> bool:
    return isinstance(value, list) and len(value) == 3 and all(isinstance(x, (int, float)) for x in value)


def _triangles(doc: Document, primitive: dict[str, Any], count: int, field: str) -> np.ndarray | None:
    mode = primitive.get("mode", 4)
    if mode not in (0, 1, 2, 3, 4, 5, 6):
        raise doc.fail(
            f"{str(mode)[:20]} is not among 0 to 6", f"{field}.mode", "Export the object again; 4 means triangles"
        )
    if mode not in (4, 5, 6):
        # Points and lines have no surface.
        return None
    if "indices" in primitive:
        index = doc.accessor(primitive["indices"], f"{field}.indices").reshape(-1)
        if index.dtype.kind not in "iu":
            raise doc.fail("are no whole numbers", f"{field}.indices")
        index = index.astype(np.int64)
    else:
        index = np.arange(count, dtype=np.int64)
    if mode == 4:
        if len(index) % 3:
            raise doc.fail(f"{len(index)} indices do not make whole triangles", f"{field}.indices")
        return index.reshape(-1, 3)
    if len(index) < 3:
        return np.zeros((0, 3), np.int64)
    if mode == 5:
        rows = np.stack([index[:-2], index[1:-1], index[2:]], axis=1)
        rows[1::2] = rows[1::2, [1, 0, 2]]
        return rows
    return np.stack([np.broadcast_to(index[:1], len(index) - 2), index[1:-1], index[2:]], axis=1)


def _skinned(doc: Document, place: Placed, primitive: _Primitive, matrices: dict[int, np.ndarray]) -> np.ndarray | None:
    """(V, 3) positions in the rest pose of the skeleton, or None where it says nothing usable (glTF 2.0, 3.7.3.3)."""
    joints, weights = primitive.attribute("JOINTS_0", 4), primitive.attribute("WEIGHTS_0", 4)
    if place.skin is None or joints is None or weights is None:
        return None
    skin = doc.item("skins", place.skin, f"nodes[{place.node}].skin")
    bones = doc.listing(skin, "joints", f"skins[{place.skin}]")
    if not bones or not all(isinstance(k, int) and k in matrices for k in bones):
        return None
    bind = np.broadcast_to(np.eye(4), (len(bones), 4, 4))
    if "inverseBindMatrices" in skin:
        given = doc.accessor(skin["inverseBindMatrices"], f"skins[{place.skin}].inverseBindMatrices").astype(np.float64)
        if given.shape != (len(bones), 16):
            return None
        bind = given.reshape(-1, 4, 4).transpose(0, 2, 1)
    moves = np.stack([matrices[k] for k in bones]) @ bind
    total = weights.sum(axis=1)
    if (
        not np.isfinite(moves).all()
        or joints.max(initial=0) >= len(bones)
        or joints.min(initial=0) < 0
        or (total <= 0).any()
    ):
        return None
    out = np.zeros_like(primitive.p)
    for k in range(4):
        move = moves[joints[:, k].astype(np.int64)]
        share = (weights[:, k] / total)[:, None]
        out += share * (np.einsum("vij,vj->vi", move[:, :3, :3], primitive.p) + move[:, :3, 3])
    return out


def read_gltf(path: Path | str, *, name: str | None = None) -> Mesh:
    """Read a ``.glb`` or ``.gltf`` file.

    Node transforms are applied; every primitive becomes a part (named after its node or mesh) and every material a map
    set. A primitive without a material keeps its UVs and vertex colours. Normal textures come along as the base's own
    normals. Missing normals become flat ones, as the standard asks; so do normals without a length. Skeletons are taken
    in their rest pose. An object far from the origin is moved to it, and ``Mesh.offset`` says by how much.

    Raises
    ------
    InputError : not glTF, cut short, nodes that are no tree, no triangles, positions that are not numbers, indices out
        of range, counts beyond what the bytes hold, only degenerate triangles, extensions that change the shape; the
        message names the file and the field.
    """
    path = Path(path)
    doc = open_document(path, name or path.name)
    try:
        return _mesh(doc)
    except (KeyError, TypeError, AttributeError, ValueError, IndexError, OverflowError) as error:
        if isinstance(error, InputError):
            raise
        raise doc.fail(f"the file does not follow the glTF standard ({str(error)[:100]})") from error


def _extensions(doc: Document) -> list[str]:
    """Refuse a file whose shape we would get wrong; notes on what is left out."""
    required = {str(x) for x in doc.listing(doc.doc, "extensionsRequired")}
    used = {str(x) for x in doc.listing(doc.doc, "extensionsUsed")} | required
    for extension in sorted(used):
        if "meshopt" in extension:
            raise doc.fail(
                f"uses {extension}, which is not read here",
                "extensionsUsed",
                "Export the object without mesh compression",
            )
    unknown = sorted(x for x in required if x not in KNOWN and not x.startswith("KHR_materials_"))
    if unknown:
        raise doc.fail(
            f"needs {', '.join(unknown[:6])}, which is not known here",
            "extensionsRequired",
            "Export it as plain glTF 2.0",
        )
    return [f"it uses {x}: {what} are not read" for x, what in SHAPING.items() if x in used]


def _mesh(doc: Document) -> Mesh:
    notes = _extensions(doc)
    matrices = world(doc)
    places = placed(doc, matrices)
    bounded(doc, places)
    materials = Materials(doc)
    blocks: list[_Block] = []
    map_sets: dict[Any, int] = {}
    names: dict[str, int] = {}
    skipped = zero_normals = 0
    posed = morphed = False
    read: dict[tuple[int, int], _Primitive] = {}
    for place in places:
        mesh = doc.item("meshes", place.mesh, "nodes[].mesh")
        primitives = doc.listing(mesh, "primitives")
        for k, entry in enumerate(primitives):
            field = f"meshes[{place.mesh}].primitives[{k}]"
            primitive = read.get((place.mesh, k))
            if primitive is None:
                primitive = read[(place.mesh, k)] = _Primitive(doc, entry, field)
            if primitive.tri is None:
                skipped += 1
                continue
            morphed = morphed or bool(entry.get("targets"))
            posed = posed or place.skin is not None
            material = entry.get("material")
            title = (
                plain(materials.title(material, f"{field}.material"), 80, f"material {material}")
                if material is not None
                else "object"
            )
            map_set = map_sets.setdefault((material, title), len(map_sets))
            wanted = place.name or plain(mesh.get("name") or "", 80, f"part {len(blocks) + 1}")
            if len(primitives) > 1:
                wanted = f"{wanted} {k + 1}"
            names[wanted] = names.get(wanted, 0) + 1
            block, zero = _block(
                doc,
                place,
                primitive,
                matrices,
                wanted if names[wanted] == 1 else f"{wanted} {names[wanted]}",
                map_set,
                notes,
            )
            zero_normals += zero
            blocks.append(block)
    if not blocks or not sum(len(b.tri) for b in blocks):
        raise doc.fail("the mesh is empty: there are no triangles", "meshes", "Export the object with its mesh")
    normal_maps = tuple(materials.normal_map(material) for material, _ in map_sets)
    base_maps = tuple(materials.base_maps(material) for material, _ in map_sets)
    notes = [*dict.fromkeys(notes), *materials.notes]
    if skipped:
        notes.append(f"{skipped} primitives of points or lines were left out")
    if zero_normals:
        notes.append(f"{zero_normals} normals had no length; they were taken from their faces")
    if posed:
        notes.append("it has a skeleton; it is taken in its rest pose")
    if morphed:
        notes.append("it has shapes to morph into; it is taken without them")
    textures = [t for t in (*normal_maps, *(x for m in base_maps if m for x in (m.color, m.orm))) if t is not None]
    if any(t.uv_set > 1 for t in textures):
        notes.append("some of its pictures are laid on by a third UV set or a later one; the first is used for them")
    return _joined(doc, blocks, tuple(title for _, title in map_sets), normal_maps, base_maps, notes)


def _block(
    doc: Document,
    place: Placed,
    primitive: _Primitive,
    matrices: dict[int, np.ndarray],
    name: str,
    map_set: int,
    notes: list[str],
) -> tuple[_Block, int]:
    """A primitive in the axes of the scene, and how many normals without a length were replaced."""
    assert primitive.tri is not None
    tri, p = primitive.tri, primitive.p
    n, tangent, colour = (
        primitive.attribute("NORMAL", 3, mended=notes),
        primitive.attribute("TANGENT", 4, mended=notes),
        None,
    )
    uv, other = primitive.attribute("TEXCOORD_0", 2, mended=notes), primitive.attribute("TEXCOORD_1", 2, mended=notes)
    colour = primitive.attribute("COLOR_0", 3, mended=notes)
    matrix = place.matrix
    skinned = _skinned(doc, place, primitive, matrices)
    if skinned is not None:
        # Its node does not count (glTF 2.0, 3.7.3.3); normals are made anew from the pose.
        p, matrix, n, tangent = skinned, np.eye(4), None, None
    linear = matrix[:3, :3]
    mirrored = bool(np.linalg.det(linear) < 0)
    plain_matrix = np.array_equal(matrix, np.eye(4))
    if not plain_matrix:
        p = p @ linear.T + matrix[:3, 3]
        if not (np.abs(p) < _FARTHEST).all():
            raise doc.fail("its positions are moved beyond all measure", f"nodes[{place.node}]")
    if mirrored:
        tri = tri[:, ::-1]
    zero = 0
    if n is not None:
        n = n[:, :3].astype(np.float64)
        long = np.linalg.norm(n, axis=1)
        if not plain_matrix:
            turn = np.linalg.inv(linear).T if abs(np.linalg.det(linear)) > 1e-18 else linear
            n = n @ turn.T
            long = np.where(long > 1e-6, np.linalg.norm(n, axis=1), 0.0)
        lost = ~(long > (1e-6 if plain_matrix else 0.0)) | ~np.isfinite(long)
        n = (n / np.where(lost, 1.0, np.maximum(long, 1e-300))[:, None]).astype(np.float32)
        if lost.any():
            zero = int(lost.sum())
            faces = edge_crosses(p, tri)
            summed = np.zeros((len(p), 3))
            for corner in range(3):
                np.add.at(summed, tri[:, corner], faces)
            size = np.linalg.norm(summed, axis=1, keepdims=True)
            n[lost] = np.where(size > 0, summed / np.maximum(size, 1e-300), [0.0, 1.0, 0.0])[lost]
    if tangent is not None:
        direction = tangent[:, :3] @ linear.T
        long = np.linalg.norm(direction, axis=1)
        if (long > 1e-9).all() and (np.abs(np.abs(tangent[:, 3]) - 1) < 0.01).all():
            hand = np.sign(tangent[:, 3:4]) * (-1 if mirrored else 1)
            tangent = np.concatenate([direction / long[:, None], hand], axis=1).astype(np.float32)
        else:
            tangent = None
    if n is None:
        flat = tri.reshape(-1)
        p = p[flat]
        uv, other, colour = (a[flat] if a is not None else None for a in (uv, other, colour))
        tangent = None
        tri = np.arange(len(flat)).reshape(-1, 3)
        face = np.cross(p[1::3] - p[0::3], p[2::3] - p[0::3])
        size = np.linalg.norm(face, axis=1, keepdims=True)
        face = np.where(size > 0, face / np.maximum(size, 1e-300), [0.0, 1.0, 0.0])
        n = np.repeat(face, 3, axis=0).astype(np.float32)
    if colour is not None:
        colour = np.clip(colour[:, :4], 0.0, 1.0)
        if colour.shape[1] == 3:
            colour = np.concatenate([colour, np.ones((len(colour), 1), np.float32)], axis=1)
    return _Block(
        name,
        map_set,
        p,
        n,
        tri,
        None if uv is None else uv[:, :2],
        None if other is None else other[:, :2],
        tangent,
        colour,
    ), zero


def _joined(
    doc: Document,
    blocks: list[_Block],
    titles: tuple[str, ...],
    normal_maps: tuple[Texture | None, ...],
    base_maps: tuple[BaseMaps | None, ...],
    notes: list[str],
) -> Mesh:
    parts: list[Part] = []
    triangles: list[np.ndarray] = []
    base = first = dropped = 0
    uv_set = 0
    if all(b.uv is None for b in blocks) and any(b.other is not None for b in blocks):
        # A file whose only UVs are its second set.
        uv_set = 1
        for block in blocks:
            block.uv, block.other = block.other, None
    for block in blocks:
        p, tri = block.p, block.tri
        area = lengths(edge_crosses(p, tri))
        keep = area > 0
        if block.uv is not None and not keep.all():
            # A triangle without area in space may still own texels; it borrows its vertices' normals.
            q = block.uv[tri].astype(np.float64)
            d1, d2 = q[:, 1] - q[:, 0], q[:, 2] - q[:, 0]
            keep |= np.abs(d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]) > 1e-12
        if not (area > 0).any():
            keep[:] = False
        dropped += int((~keep).sum())
        tri = (tri if keep.all() else tri[keep]).astype(np.int32)
        triangles.append(tri + np.int32(base) if base else tri)
        parts.append(Part(block.name, first, len(tri), block.map_set))
        base += len(p)
        first += len(tri)
    if first == 0:
        raise doc.fail("every triangle is degenerate (no area)", "meshes", "Clean the mesh and export it again")
    if dropped:
        notes.append(f"{dropped} degenerate triangles were left out")

    def joined(key: str, width: int, fill: float) -> np.ndarray | None:
        held = [getattr(b, key) for b in blocks]
        if all(values is None for values in held):
            return None
        columns = [
            v if v is not None else np.full((len(b.p), width), fill, np.float32)
            for v, b in zip(held, blocks, strict=True)
        ]
        return columns[0] if len(columns) == 1 else np.concatenate(columns)

    missing = [b.name for b in blocks if b.uv is None and len(b.tri)]
    positions, offset, note = recentred(np.concatenate([b.p for b in blocks]))
    if note:
        notes.append(note)
    return Mesh(
        positions=positions,
        normals=np.concatenate([b.n for b in blocks]).astype(np.float32),
        triangles=np.concatenate(triangles) if len(triangles) > 1 else np.ascontiguousarray(triangles[0]),
        uv=joined("uv", 2, 0.0),
        other_uv=joined("other", 2, 0.0),
        uv_set=uv_set,
        tangents=joined("t", 4, 0.0) if all(b.t is not None for b in blocks) else None,
        colours=joined("c", 4, 1.0),
        parts=tuple(p for p in parts if p.count),
        uv_domains=titles,
        normal_maps=normal_maps if any(image is not None for image in normal_maps) else (),
        base_maps=base_maps if any(maps is not None for maps in base_maps) else (),
        without_uv=tuple(missing) if any(b.uv is not None for b in blocks) else (),
        offset=offset,
        source=doc.name,
        notes=tuple(notes),
    )
