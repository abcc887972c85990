"""Texels: the surface points of an object's map sets.

A field over the surface is a 1-D float32 array with one value per texel that exists. All map sets of the object lie in
one such array, one after the other ("pages"), so that a coverage is a coverage of the object and not of one picture.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy

from limus.common.deciding import decided
from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.common.store import own_bytes
from limus.surface import seams
from limus.surface.adjacency import Adjacency, adjacency
from limus.surface.grid import Grid, grid_of
from limus.surface.gutter import Gutter, gutter_of
from limus.surface.mesh import Mesh
from limus.surface.rasterise import rasterise
from limus.surface.resampling import resampled
from limus.surface.shells import shells
from limus.surface.tangents import corner_tangents, uv_gradients
from limus.surface.texel_frames import texel_frames, texel_tangents
from limus.surface.weighted_mean import weighted_mean


@kernel
def _links(start, end, stencil, strongest, out):  # type: ignore[no-untyped-def]
    count = len(out)
    for i in range(start, end):
        for k in range(4):
            j = stencil[i, k]
            if j >= count:
                j = strongest[j - count]
            out[i, k] = j if j != i else np.int32(-1)


@dataclass(frozen=True)
class Corners:
    """The corners of all triangles, three each: ``uv`` (3T, 2) float64, ``position`` (3T, 3) float64 m, ``normal``
    (3T, 3) float32, ``welded`` (3T,) as in the mesh; ``number`` (T, 3) int32 which they are of each triangle.
    """

    uv: np.ndarray
    position: np.ndarray
    normal: np.ndarray
    welded: np.ndarray
    number: np.ndarray


@dataclass(frozen=True)
class Texels:
    """All texels of an object at one resolution.

    Attributes
    ----------
    size : pixels along one side of each map set. pages : number of map sets.
    pixel : (n,) int32 place in the (pages, size, size) images, ascending (int64 where there are more than fit).
    triangle : (n,) int32. position : (n, 3) float32 m. normal : (n, 3) float32 unit.
    area : (n,) float32 m2 of real surface that the texel stands for.
    along_u, along_v : (T, 3) float32 metres per unit of u / v for each triangle. uv : (T, 3, 2) float64 of its corners.

    Notes
    -----
    What follows from these is made when it is asked for and not kept: there are tens of millions of texels.
    """

    mesh: Mesh
    size: int
    pages: int
    pixel: np.ndarray
    triangle: np.ndarray
    position: np.ndarray
    normal: np.ndarray
    area: np.ndarray
    along_u: np.ndarray
    along_v: np.ndarray
    adjacency: Adjacency
    uv: np.ndarray

    @classmethod
    def of(cls, mesh: Mesh, size: int) -> Texels:
        """Rasterise ``mesh`` at ``size`` x ``size`` per map set.

        Raises
        ------
        InputError : no UVs, or UVs so small that no texel has its centre on the surface.
        """
        uv = mesh.need_uv().astype(np.float64)
        tri = mesh.triangles
        # A triangle outside 0..1 is moved back by whole units, as a repeating texture would show it.
        shift = np.floor(uv[tri].mean(axis=1))
        if np.any(shift != 0):
            flat = tri.ravel()
            uv = uv[flat] - np.repeat(shift, 3, axis=0)
            positions, normals = mesh.positions[flat], mesh.normals[flat]
            corners = np.arange(len(flat), dtype=np.int32).reshape(-1, 3)
        else:
            positions, normals, corners = mesh.positions, mesh.normals, tri
        pages = len(mesh.uv_domains)
        owner = rasterise(uv, corners, mesh.triangle_map_set, pages, size)
        pixel = np.flatnonzero(owner >= 0)
        if len(pixel) == 0:
            raise InputError(
                f"no texel of a {size} x {size} map lies on the surface",
                where=f"{mesh.source}: TEXCOORD_0",
                remedy="The UVs have no area or lie outside the picture: unwrap the object again, or raise the "
                "resolution",
            )
        triangle = owner[pixel]
        if len(owner) <= np.iinfo(np.int32).max:
            pixel = pixel.astype(np.int32)
        p, n = texel_frames(mesh, size, pixel, triangle, uv, corners, positions, normals)
        along_u, along_v = uv_gradients(mesh)
        per_texel = np.linalg.norm(np.cross(along_u, along_v), axis=1) / (size * size)
        return cls(
            mesh=mesh,
            size=size,
            pages=pages,
            pixel=pixel,
            triangle=triangle,
            position=p,
            normal=n,
            area=per_texel[triangle].astype(np.float32),
            along_u=along_u.astype(np.float32),
            along_v=along_v.astype(np.float32),
            adjacency=adjacency(mesh),
            uv=np.stack([uv[corners[:, k]] for k in range(3)], axis=1),
        )

    def __len__(self) -> int:
        return len(self.pixel)

    def held(self) -> tuple[int, tuple[object, ...]]:
        """Bytes, for the store; they grow as cached properties are asked for."""
        return own_bytes(self, "mesh"), (self.mesh,)

    @cached_property
    def key(self) -> str:
        """Hash of the mesh and the resolution."""
        return key_of(self.mesh.key, self.size)

    @cached_property
    def total_area(self) -> float:
        """m2 of surface that has texels."""
        return float(self.area.sum(dtype=np.float64))

    @property
    def index(self) -> np.ndarray:
        """(pages * size * size,) int32: the texel at a pixel, or -1."""
        out = np.full(self.pages * self.size * self.size, -1, np.int32)
        out[self.pixel] = np.arange(len(self), dtype=np.int32)
        return out

    @property
    def look_up(self) -> tuple[np.ndarray, int, np.ndarray]:
        """What ``seams.texel_at`` finds the texel at a pixel by."""
        return np.empty(0, np.int32), 0, self.index

    @property
    def shown(self) -> tuple[np.ndarray, int, np.ndarray]:
        """The same, with the nearest texel at pixels off the surface where there is a picture of all of it."""
        return np.empty(0, np.int32), 0, self.fill_index

    @cached_property
    def corners(self) -> Corners:
        """The corners of the triangles, with their UVs as they are used."""
        flat, uv = self.mesh.triangles.ravel(), self.uv.reshape(-1, 2)
        return Corners(
            uv,
            self.mesh.positions[flat].astype(np.float64),
            self.mesh.normals[flat],
            self.mesh.welded[flat],
            np.arange(len(flat), dtype=np.int32).reshape(-1, 3),
        )

    @property
    def tangent(self) -> np.ndarray:
        """(n, 4) float32, w = handedness."""
        return texel_tangents(self.size, self.pixel, self.triangle, self.uv, self.normal, *self._corner_tangents)

    @property
    def island(self) -> np.ndarray:
        """(n,) int32 UV island of each texel."""
        return self.adjacency.island[self.triangle]

    @property
    def part(self) -> np.ndarray:
        """(n,) int32 part of each texel."""
        return self.mesh.triangle_part[self.triangle]

    @property
    def shell(self) -> np.ndarray:
        """(n,) int32 body of each texel: what hangs together over edges."""
        return np.asarray(shells(self.adjacency)[1], np.int32)[self.triangle]

    @cached_property
    def vertex_colour(self) -> np.ndarray:
        """(n, 4) float32 linear colours of the vertices, interpolated; white where the file brought none."""
        if self.mesh.colours is None:
            return np.ones((len(self), 4), np.float32)
        return self.from_vertices(self.mesh.colours)

    def from_vertices(self, values: np.ndarray) -> np.ndarray:
        """(n, c) float32: values (V, c) of the mesh's vertices, interpolated over its triangles."""
        tri, share = self.mesh.triangles[self.triangle], self.barycentric
        return sum(values[tri[:, k]] * share[:, k, None] for k in range(3)).astype(np.float32)  # type: ignore[union-attr]

    @property
    def barycentric(self) -> np.ndarray:
        """(n, 3) how near each texel lies to the corners of its triangle: 0..1, together 1."""
        _, u, v = self.page_xy
        a, b, c = (self.uv[self.triangle, k] for k in range(3))
        d1, d2 = b - a, c - a
        q = np.stack([u, v], axis=1) - a
        det = d1[:, 0] * d2[:, 1] - d2[:, 0] * d1[:, 1]
        b1 = np.clip((q[:, 0] * d2[:, 1] - d2[:, 0] * q[:, 1]) / det, 0, 1)
        b2 = np.clip((d1[:, 0] * q[:, 1] - q[:, 0] * d1[:, 1]) / det, 0, 1 - b1)
        return np.stack([1 - b1 - b2, b1, b2], axis=1)

    @cached_property
    def step_of_triangle(self) -> np.ndarray:
        """(T, 2) float32: real length of one texel along u and along v in each triangle, mm."""
        scale = 1000.0 / self.size
        both = np.stack([np.linalg.norm(self.along_u, axis=1), np.linalg.norm(self.along_v, axis=1)], axis=1) * scale
        return both.astype(np.float32)

    @cached_property
    def _corner_tangents(self) -> tuple[np.ndarray, np.ndarray]:
        return corner_tangents(self.mesh)

    @cached_property
    def texel_mm(self) -> float:
        """Typical side of a texel, mm (root of the mean texel area)."""
        return float(np.sqrt(self.total_area / max(len(self), 1)) * 1000.0)

    @property
    def spacing_mm(self) -> float:
        """How far apart texels that lie next to each other are, as a rule, mm. ``texel_mm`` is the size of what they
        stand for: smaller where they are samples of a finer surface.
        """
        return self.texel_mm

    @property
    def whole_mm(self) -> float:
        """``spacing_mm`` of the whole that these texels are, or are a window of."""
        return self.spacing_mm

    @property
    def near_mm(self) -> float:
        """What looks no further than this is done in a window by the window itself, mm."""
        return self.spacing_mm

    def wide(self, reach_mm: float) -> bool:
        """Whether what looks this far is decided for the whole of the surface, see ``far``."""
        return reach_mm > self.near_mm

    def far(self, name: str, make: Callable[[], np.ndarray], *, nearest: bool = False) -> np.ndarray:
        """(n, ...) a field for which more of the surface has to be seen than a window of it holds: made for the whole
        and read off there, between its texels or (``nearest``) at the one that lies there.
        """
        return decided(name, make, lambda field: self.from_whole(field, nearest=nearest))  # type: ignore[no-any-return]

    def from_whole(self, field: np.ndarray, *, nearest: bool = False) -> np.ndarray:
        """A (N, ...) field over the texels of the whole at these texels."""
        return field

    @cached_property
    def _gutter(self) -> Gutter:
        return gutter_of(self)

    @property
    def stencil(self) -> np.ndarray:
        """(n, 4) int32 where the values to the left, right, up and down stand in an extended field: numbers from n on
        are gutter samples (see ``extend``), its own where the surface ends.
        """
        return self._gutter.stencil

    @property
    def links(self) -> np.ndarray:
        """(n, 4) int32 the texel next door, also over a seam (there the one that counts most); -1 where the surface
        ends.
        """
        sources, weights = self._gutter.sources, self._gutter.weights
        strongest = sources[np.arange(len(sources)), weights.argmax(axis=1)].astype(np.int32)
        out = np.empty((len(self), 4), np.int32)
        for_ranges(_links, len(self), self._gutter.stencil, strongest, out)
        return out

    @cached_property
    def grid(self) -> Grid:
        """The texels sorted by where they are in space."""
        return grid_of(self.position)

    def extend(self, field: np.ndarray) -> np.ndarray:
        """``field`` (n,) or (n, c) with the values of the gutter samples behind it."""
        sources, weights = self._gutter.sources, self._gutter.weights
        # Readings are kept as half floats, which compiled loops do not know.
        flat = np.ascontiguousarray(
            field.reshape(len(self), -1), np.float32 if field.dtype == np.float16 else field.dtype
        )
        out = np.empty((len(self) + len(sources), flat.shape[1]), np.float32)
        out[: len(self)] = flat
        for_ranges(seams.gather, len(sources), flat, sources, weights, out[len(self) :])
        return out.reshape((-1, *field.shape[1:]))

    @cached_property
    def fill_index(self) -> np.ndarray:
        """(pages * size * size,) int32: the texel a pixel shows; pixels off the surface show the nearest one."""
        out = self.index.copy()
        page = self.size * self.size
        for k in range(self.pages):
            image = self.index[k * page : (k + 1) * page].reshape(self.size, self.size)
            empty = image < 0
            if empty.all():
                out[k * page : (k + 1) * page] = 0
            elif empty.any():
                near = scipy.ndimage.distance_transform_edt(empty, return_distances=False, return_indices=True)
                out[k * page : (k + 1) * page] = image[near[0], near[1]].ravel()
        return out

    def image(self, field: np.ndarray, *, empty: float | None = None) -> np.ndarray:
        """``field`` as (pages, size, size[, c]) images; off the surface the nearest texel's value, or ``empty``."""
        shape = (self.pages, self.size, self.size, *field.shape[1:])
        if empty is None:
            return field[self.fill_index].reshape(shape)
        out = np.full((self.pages * self.size * self.size, *field.shape[1:]), empty, field.dtype)
        out[self.pixel] = field
        return out.reshape(shape)

    @property
    def page_xy(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Map set, and u and v of the texel centres: (n,) int, (n,) float32, (n,) float32."""
        inside = self.pixel % (self.size * self.size)
        u = ((inside % self.size + 0.5) / self.size).astype(np.float32)
        v = ((inside // self.size + 0.5) / self.size).astype(np.float32)
        return self.pixel // (self.size * self.size), u, v

    def uv_of(self, uv_set: int) -> tuple[np.ndarray, np.ndarray]:
        """(n,) u and v of each texel in a UV set of the file, by its number; in the one in use where the file has no
        such set.
        """
        if uv_set == self.mesh.uv_set or self.mesh.other_uv is None:
            _, u, v = self.page_xy
            return u, v
        other = self.from_vertices(self.mesh.other_uv)
        return np.ascontiguousarray(other[:, 0]), np.ascontiguousarray(other[:, 1])

    def resample(self, field: np.ndarray, source: Texels) -> np.ndarray:
        """A field over ``source`` (the same mesh at another resolution) read at these texels' centres."""
        if source is self:
            return field
        return resampled(field, source, self)

    def share(self, field: np.ndarray, within: np.ndarray | None = None) -> float:
        """Area-weighted mean of ``field`` (n,), 0..1; ``within`` (n,) weights it to a part of the surface."""
        return decided(  # type: ignore[no-any-return]
            "share", lambda: weighted_mean(field, self.area if within is None else self.area * within)
        )
