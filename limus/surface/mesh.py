"""The mesh of an object."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.store import own_bytes
from limus.common.wording import one_of
from limus.surface.alike import rows_alike
from limus.surface.base_maps import BaseMaps
from limus.surface.crosses import edge_crosses, lengths
from limus.surface.picture import Texture


@dataclass(frozen=True)
class Part:
    """A named piece of the object: triangles ``first .. first + count``, textured by map set ``map_set``.

    ``back``: this is the back of a thin sheet, split off from the part it lies against.
    """

    name: str
    first: int
    count: int
    map_set: int
    back: bool = False


def distinct(names: Iterable[str], between: str = " ") -> tuple[str, ...]:
    """The names, each once: a later one of the same name gets the next free number behind it."""
    given = list(names)
    taken, out = set(given), []
    seen: set[str] = set()
    for name in given:
        own, k = name, 1
        while own in seen or (k > 1 and own in taken):
            k += 1
            own = f"{name}{between}{k}"
        seen.add(own)
        out.append(own)
    return tuple(out)


@dataclass(frozen=True)
class Mesh:
    """Triangles of one object, in metres, y up (glTF's axes), node transforms applied.

    Attributes
    ----------
    positions : (V, 3) float32, metres.
    normals : (V, 3) float32, unit length.
    uv : (V, 2) float32 or None; v = 0 is the first row of an image, as in glTF.
    tangents : (V, 4) float32 or None; xyz unit tangent, w the handedness of the bitangent ``cross(n, t) * w``.
    colours : (V, 4) float32 linear or None.
    triangles : (T, 3) int32, counter-clockwise seen from outside.
    parts : in triangle order, covering all triangles.
    uv_domains : names, one per UV domain (one per glTF material); where several have one name, a number is added to
        the later ones.
    uv_titles : the names as the file has them.
    other_uv : (V, 2) float32 or None; the second UV set of the file, which pictures may be laid on by.
    uv_set : number of the UV set in the file that ``uv`` is.
    normal_maps : per UV domain the base material's own normal map, of (h, w, 3) uint8, green up, or None; empty when
        there is none.
    base_maps : per UV domain the colour, roughness and metalness that came with the file, or None; empty when there
        are none.
    without_uv : names of the parts that brought no UVs although others did; their UVs are (0, 0), so they own no
        texels.
    turn : (3, 3) float64 rotation from the axes of the file to y up; position in the file = position @ turn.
    scale : metres per unit of the file.
    offset : (3,) float64, metres in the axes of this mesh: what was taken off the positions of an object that lies far
        from the origin of its file, so that single precision holds it. Zero for all others. Exports put it back.
    notes : what intake mended, in words.
    """

    positions: np.ndarray
    normals: np.ndarray
    triangles: np.ndarray
    uv: np.ndarray | None = None
    tangents: np.ndarray | None = None
    colours: np.ndarray | None = None
    parts: tuple[Part, ...] = ()
    uv_domains: tuple[str, ...] = ("object",)
    other_uv: np.ndarray | None = None
    uv_set: int = 0
    normal_maps: tuple[Texture | None, ...] = ()
    base_maps: tuple[BaseMaps | None, ...] = ()
    without_uv: tuple[str, ...] = ()
    turn: np.ndarray = field(default_factory=lambda: np.eye(3))
    scale: float = 1.0
    offset: np.ndarray = field(default_factory=lambda: np.zeros(3))
    source: str = "object"
    notes: tuple[str, ...] = field(default=())
    uv_titles: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        if len(self.uv_titles) != len(self.uv_domains):
            object.__setattr__(self, "uv_titles", self.uv_domains)
        object.__setattr__(self, "uv_domains", distinct(self.uv_domains))

    def held(self) -> tuple[int, tuple[object, ...]]:
        """Bytes, for the store."""
        return own_bytes(self), ()

    @cached_property
    def key(self) -> str:
        """Hash of everything that readings and texels depend on."""
        empty = np.zeros(0, np.float32)
        return key_of(
            self.positions,
            self.normals,
            self.triangles,
            self.uv if self.uv is not None else empty,
            self.tangents if self.tangents is not None else empty,
            self.colours if self.colours is not None else empty,
            [[p.name, p.first, p.count, p.map_set, p.back] for p in self.parts],
            self.turn,
            list(self.uv_domains),
            *(texture.key if texture is not None else "" for texture in self.normal_maps),
            *(maps.key if maps is not None else "" for maps in self.base_maps),
            *([self.other_uv, self.uv_set] if self.other_uv is not None else []),
        )

    @cached_property
    def bounds(self) -> np.ndarray:
        """(2, 3) lowest and highest corner, metres."""
        # Column by column: along the rows of a narrow array NumPy is ten times as slow.
        flat = self.triangles.ravel()
        columns = [np.ascontiguousarray(self.positions[:, k])[flat] for k in range(3)]
        return np.array([[c.min() for c in columns], [c.max() for c in columns]], np.float64)

    @cached_property
    def diagonal(self) -> float:
        """Length of the bounding box's diagonal, metres."""
        return float(np.linalg.norm(self.bounds[1] - self.bounds[0]))

    @cached_property
    def triangle_part(self) -> np.ndarray:
        """(T,) int32 index into ``parts``."""
        out = np.zeros(len(self.triangles), np.int32)
        for k, part in enumerate(self.parts):
            out[part.first : part.first + part.count] = k
        return out

    @cached_property
    def triangle_map_set(self) -> np.ndarray:
        """(T,) int32 index into ``uv_domains``."""
        of_part = np.array([p.map_set for p in self.parts] or [0], np.int32)
        return of_part[self.triangle_part]

    @cached_property
    def crosses(self) -> np.ndarray:
        """(T, 3) float64: cross product of two edges; its length is twice the triangle's area in m2."""
        return edge_crosses(self.positions, self.triangles)

    @cached_property
    def areas(self) -> np.ndarray:
        """(T,) float64 triangle areas, m2."""
        return 0.5 * lengths(self.crosses)

    @cached_property
    def face_normals(self) -> np.ndarray:
        """(T, 3) float32 unit normals; triangles without area borrow their vertices' normal."""
        length = 2.0 * self.areas
        flat = length <= 1e-18 * max(self.diagonal, 1e-9) ** 2
        out = self.crosses / np.where(flat, 1.0, length)[:, None]
        if flat.any():
            borrowed = self.normals[self.triangles[flat]].sum(axis=1).astype(np.float64)
            borrowed /= np.maximum(np.linalg.norm(borrowed, axis=1), 1e-20)[:, None]
            out[flat] = borrowed
        return out.astype(np.float32)

    @cached_property
    def welded(self) -> np.ndarray:
        """(V,) int32: vertices at one place share a number (tolerance: a millionth of the diagonal)."""
        cell = max(self.diagonal * 1e-6, 1e-12)
        grid = np.round((self.positions.astype(np.float64) - self.bounds[0]) / cell)
        # A millionth of the diagonal needs 20 bits an axis, so that a place fits one 64-bit number.
        grid = np.clip(grid, 0, (1 << 21) - 1).astype(np.int64)
        return rows_alike([(grid[:, 0] << 42) | (grid[:, 1] << 21) | grid[:, 2]])[1]

    def part_index(self, name: str) -> int:
        """Number of the part called ``name``.

        Raises
        ------
        InputError : no part has that name; the message lists those there are.
        """
        for k, part in enumerate(self.parts):
            if part.name == name:
                return k
        raise InputError(
            f"there is no part named '{name}'", where=self.source, remedy=one_of([p.name for p in self.parts], name)
        )

    def need_uv(self) -> np.ndarray:
        """The UVs, or an InputError that says which parts lack them."""
        if self.uv is None:
            raise InputError(
                "no UVs (attribute TEXCOORD_0)",
                where=self.source,
                remedy="Unwrap the object in the program it comes from and save it again with its UVs",
            )
        return self.uv


def pieces_of(meshes: Sequence[Mesh], wanted: Sequence[Sequence[bool]]) -> Mesh | None:
    """The parts of several meshes that are ``wanted`` (one flag for each part) as one bare mesh of positions, normals
    and triangles; None where that is nothing.
    """
    positions, normals, triangles, parts = [], [], [], []
    base = done = 0
    for mesh, flags in zip(meshes, wanted, strict=True):
        for part in (p for p, flag in zip(mesh.parts, flags, strict=True) if flag and p.count):
            rows = mesh.triangles[part.first : part.first + part.count]
            used, local = np.unique(rows, return_inverse=True)
            parts.append(Part(part.name, done, part.count, 0))
            done += part.count
            positions.append(mesh.positions[used])
            normals.append(mesh.normals[used])
            triangles.append(local.reshape(-1, 3) + base)
            base += len(used)
    if not triangles:
        return None
    return Mesh(
        positions=np.concatenate(positions),
        normals=np.concatenate(normals),
        triangles=np.concatenate(triangles).astype(np.int32),
        parts=tuple(parts),
    )
