"""Texels: the surface points of an object's map sets.

A field over the surface is a 1-D float32 array with one value per texel that exists. All map sets of the object lie in
one such array, one after the other ("pages"), so that a coverage is a coverage of the object and not of one picture.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy import ndimage

from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.common.store import own_bytes
from limus.surface import seams
from limus.surface.adjacency import Adjacency, adjacency
from limus.surface.grid import Grid, grid_of
from limus.surface.mesh import Mesh
from limus.surface.rasterise import rasterise
from limus.surface.shells import shells
from limus.surface.tangents import corner_tangents, uv_gradients


@kernel
def _frames(  # type: ignore[no-untyped-def]
    start, end, pixel, triangle, size, uv, triangles, positions, normals, faces, tangents, hand, out_p, out_n, out_t
):
    page_size = size * size
    for i in range(start, end):
        t = triangle[i]
        i0, i1, i2 = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        qx = (pixel[i] % size + 0.5) / size - uv[i0, 0]
        qy = ((pixel[i] % page_size) // size + 0.5) / size - uv[i0, 1]
        d1x, d1y = uv[i1, 0] - uv[i0, 0], uv[i1, 1] - uv[i0, 1]
        d2x, d2y = uv[i2, 0] - uv[i0, 0], uv[i2, 1] - uv[i0, 1]
        det = d1x * d2y - d2x * d1y
        b1 = min(max((qx * d2y - d2x * qy) / det, 0.0), 1.0)
        b2 = min(max((d1x * qy - qx * d1y) / det, 0.0), 1.0 - b1)
        b0 = 1.0 - b1 - b2
        length = 0.0
        dot = 0.0
        for k in range(3):
            out_p[i, k] = b0 * positions[i0, k] + b1 * positions[i1, k] + b2 * positions[i2, k]
            n = b0 * normals[i0, k] + b1 * normals[i1, k] + b2 * normals[i2, k]
            out_n[i, k] = n
            length += n * n
        if length < 1e-12:
            for k in range(3):
                out_n[i, k] = faces[t, k]
            length = 1.0
        length = length**0.5
        for k in range(3):
            out_n[i, k] /= length
            out_t[i, k] = b0 * tangents[t, 0, k] + b1 * tangents[t, 1, k] + b2 * tangents[t, 2, k]
            dot += out_t[i, k] * out_n[i, k]
        length = 0.0
        for k in range(3):
            out_t[i, k] -= dot * out_n[i, k]
            length += out_t[i, k] * out_t[i, k]
        length = max(length, 1e-20) ** 0.5
        for k in range(3):
            out_t[i, k] /= length
        out_t[i, 3] = hand[t]


@kernel
def _sample(start, end, page, x, y, owner_island, index, size, texel_island, near, fallback, extended, out):  # type: ignore[no-untyped-def]
    """Bilinear reading of a (m + gutter, c) field at pixel coordinates, staying on the surface of the island asked for.

    A corner of the footprint that lies off the island is read through the gutter, so a coarse field goes on smoothly
    over a seam.
    """
    page_size = size * size
    found = np.empty(4, np.int64)
    for i in range(start, end):
        x0, y0 = int(np.floor(x[i])), int(np.floor(y[i]))
        fx, fy = x[i] - x0, y[i] - y0
        for k in range(4):
            u, v = x0 + (k & 1), y0 + (k >> 1)
            found[k] = -1
            if 0 <= u < size and 0 <= v < size:
                j = index[page[i] * page_size + v * size + u]
                if j >= 0 and texel_island[j] == owner_island[i]:
                    found[k] = j
        total = 0.0
        for c in range(extended.shape[1]):
            out[i, c] = 0.0
        for k in range(4):
            j = found[k]
            if j < 0:
                if found[k ^ 1] >= 0:
                    j = near[found[k ^ 1], 1 if k & 1 else 0]
                elif found[k ^ 2] >= 0:
                    j = near[found[k ^ 2], 3 if k >> 1 else 2]
                else:
                    continue
            w = (fx if k & 1 else 1.0 - fx) * (fy if k >> 1 else 1.0 - fy)
            total += w
            for c in range(extended.shape[1]):
                out[i, c] += w * extended[j, c]
        if total > 1e-6:
            for c in range(extended.shape[1]):
                out[i, c] /= total
        else:
            u = min(max(int(x[i] + 0.5), 0), size - 1)
            v = min(max(int(y[i] + 0.5), 0), size - 1)
            j = fallback[page[i] * page_size + v * size + u]
            for c in range(extended.shape[1]):
                out[i, c] = extended[j, c]


#: Sums are taken in this many blocks whatever the number of cores, so that they round alike everywhere.
_BLOCKS = 16


@kernel
def _weighted(start, end, field, weight, sums):  # type: ignore[no-untyped-def]
    for k in range(start, end):
        total = 0.0
        area = 0.0
        for i in range(len(field) * k // 16, len(field) * (k + 1) // 16):
            total += field[i] * weight[i]
            area += weight[i]
        sums[k, 0], sums[k, 1] = total, area


@dataclass(frozen=True)
class Texels:
    """All texels of an object at one resolution.

    Attributes
    ----------
    size : pixels along one side of each map set. pages : number of map sets.
    pixel : (n,) int64 place in the (pages, size, size) images, ascending.
    triangle : (n,) int32. index : (pages * size * size,) int32 texel at a pixel, or -1.
    position : (n, 3) float32 m. normal : (n, 3) float32 unit. tangent : (n, 4) float32, w = handedness.
    area : (n,) float32 m2 of real surface that the texel stands for.
    along_u, along_v : (T, 3) float32 metres per unit of u / v for each triangle.
    """

    mesh: Mesh
    size: int
    pages: int
    pixel: np.ndarray
    triangle: np.ndarray
    index: np.ndarray
    position: np.ndarray
    normal: np.ndarray
    tangent: np.ndarray
    area: np.ndarray
    along_u: np.ndarray
    along_v: np.ndarray
    near: Adjacency
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
        index = np.full(len(owner), -1, np.int32)
        index[pixel] = np.arange(len(pixel), dtype=np.int32)
        count = len(pixel)
        p, n, t = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32), np.empty((count, 4), np.float32)
        tangents, hand = corner_tangents(mesh)
        for_ranges(
            _frames,
            count,
            pixel,
            triangle,
            size,
            uv,
            corners,
            positions,
            normals,
            mesh.face_normals,
            tangents,
            hand,
            p,
            n,
            t,
        )
        along_u, along_v = uv_gradients(mesh)
        per_texel = np.linalg.norm(np.cross(along_u, along_v), axis=1) / (size * size)
        return cls(
            mesh=mesh,
            size=size,
            pages=pages,
            pixel=pixel,
            triangle=triangle,
            index=index,
            position=p,
            normal=n,
            tangent=t,
            area=per_texel[triangle].astype(np.float32),
            along_u=along_u.astype(np.float32),
            along_v=along_v.astype(np.float32),
            near=adjacency(mesh),
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

    @cached_property
    def island(self) -> np.ndarray:
        """(n,) int32 UV island of each texel."""
        return self.near.island[self.triangle]

    @cached_property
    def part(self) -> np.ndarray:
        """(n,) int32 part of each texel."""
        return self.mesh.triangle_part[self.triangle]

    @cached_property
    def shell(self) -> np.ndarray:
        """(n,) int32 body of each texel: what hangs together over edges."""
        return np.asarray(shells(self.near)[1], np.int32)[self.triangle]

    @cached_property
    def vertex_colour(self) -> np.ndarray:
        """(n, 4) float32 linear colours of the vertices, interpolated; white where the file brought none."""
        if self.mesh.colours is None:
            return np.ones((len(self), 4), np.float32)
        return self.from_vertices(self.mesh.colours)

    def from_vertices(self, values: np.ndarray) -> np.ndarray:
        """(n, c) float32: values (V, c) of the mesh's vertices, interpolated over its triangles."""
        _, u, v = self.page_xy
        a, b, c = (self.uv[self.triangle, k] for k in range(3))
        d1, d2 = b - a, c - a
        q = np.stack([u, v], axis=1) - a
        det = d1[:, 0] * d2[:, 1] - d2[:, 0] * d1[:, 1]
        b1 = np.clip((q[:, 0] * d2[:, 1] - d2[:, 0] * q[:, 1]) / det, 0, 1)
        b2 = np.clip((d1[:, 0] * q[:, 1] - q[:, 0] * d1[:, 1]) / det, 0, 1 - b1)
        tri = self.mesh.triangles[self.triangle]
        out = (
            values[tri[:, 0]] * (1 - b1 - b2)[:, None]
            + values[tri[:, 1]] * b1[:, None]
            + values[tri[:, 2]] * b2[:, None]
        )
        return out.astype(np.float32)

    @cached_property
    def step_mm(self) -> np.ndarray:
        """(n, 2) float32: real length of one texel along u and along v, mm."""
        scale = 1000.0 / self.size
        both = np.stack([np.linalg.norm(self.along_u, axis=1), np.linalg.norm(self.along_v, axis=1)], axis=1) * scale
        return both.astype(np.float32)[self.triangle]

    @cached_property
    def texel_mm(self) -> float:
        """Typical side of a texel, mm (root of the mean texel area)."""
        return float(np.sqrt(self.total_area / max(len(self), 1)) * 1000.0)

    @cached_property
    def _gutter(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        mesh = self.mesh
        inner = np.empty((len(self), 4), np.int32)
        longest = np.maximum(np.linalg.norm(self.along_u, axis=1), np.linalg.norm(self.along_v, axis=1))
        reach = (4.0 * longest / self.size).astype(np.float32)
        for_ranges(
            seams.find_inner,
            len(self),
            self.pixel,
            self.triangle,
            self.near.island,
            self.position,
            reach,
            self.index,
            self.size,
            seams.STEPS,
            inner,
        )
        border, side = np.nonzero(inner < 0)
        count = len(border)
        sources, weights = np.zeros((count, 4), np.int32), np.zeros((count, 4), np.float32)
        uv = self.uv.reshape(-1, 2)
        corners = np.arange(len(uv), dtype=np.int32).reshape(-1, 3)
        flat = mesh.triangles.ravel()
        near = self.near
        for_ranges(
            seams.walk, count, border, side, self.pixel, self.triangle, self.index, self.size, seams.STEPS, uv,
            mesh.positions[flat].astype(np.float64), corners, mesh.triangle_map_set, mesh.welded[flat],
            near.twin, near.twin_edge, near.kind, near.island, sources, weights,
        )  # fmt: skip
        # Where the surface ends a texel is its own neighbour, so that who takes slopes knows.
        ends = (sources[:, 0] == border) & (weights[:, 0] == 1.0)
        inner[border, side] = np.where(ends, border, len(self) + np.arange(count)).astype(np.int32)
        return inner, sources, weights

    @property
    def neighbours(self) -> np.ndarray:
        """(n, 4) int32 left, right, up, down; numbers from n on are gutter samples (see ``extend``), its own where
        the surface ends.
        """
        return self._gutter[0]

    @cached_property
    def links(self) -> np.ndarray:
        """(n, 4) int32 the texel next door, also over a seam (there the one that counts most); -1 where the surface
        ends.
        """
        inner, sources, weights = self._gutter
        strongest = sources[np.arange(len(sources)), weights.argmax(axis=1)]
        out = np.where(inner == np.arange(len(self), dtype=np.int32)[:, None], np.int32(-1), inner)
        rows, sides = np.nonzero(inner >= len(self))
        over = strongest[inner[rows, sides] - len(self)]
        out[rows, sides] = np.where(over == rows, -1, over)
        return out

    @cached_property
    def grid(self) -> Grid:
        """The texels sorted by where they are in space."""
        return grid_of(self.position)

    def extend(self, field: np.ndarray) -> np.ndarray:
        """``field`` (n,) or (n, c) with the values of the gutter samples behind it."""
        _, sources, weights = self._gutter
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
                near = ndimage.distance_transform_edt(empty, return_distances=False, return_indices=True)
                out[k * page : (k + 1) * page] = image[near[0], near[1]].ravel()
        return out

    def image(self, field: np.ndarray, *, empty: float | None = None) -> np.ndarray:
        """``field`` as (pages, size, size[, c]) images; off the surface the nearest texel's value, or ``empty``."""
        shape = (self.pages, self.size, self.size, *field.shape[1:])
        if empty is None:
            return field[self.fill_index].reshape(shape)
        out = np.full((len(self.index), *field.shape[1:]), empty, field.dtype)
        out[self.pixel] = field
        return out.reshape(shape)

    @cached_property
    def page_xy(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Map set, and u and v of the texel centres: (n,) int64, (n,) float32, (n,) float32."""
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
        page, u, v = self.page_xy
        extended = source.extend(field.reshape(len(source), -1))
        out = np.empty((len(self), extended.shape[1]), np.float32)
        x, y = u * np.float32(source.size) - np.float32(0.5), v * np.float32(source.size) - np.float32(0.5)
        for_ranges(
            _sample,
            len(self),
            page,
            x,
            y,
            self.island,
            source.index,
            source.size,
            source.island,
            source.neighbours,
            source.fill_index,
            extended,
            out,
        )
        return out.reshape((len(self), *field.shape[1:]))

    def share(self, field: np.ndarray, within: np.ndarray | None = None) -> float:
        """Area-weighted mean of ``field`` (n,), 0..1; ``within`` (n,) weights it to a part of the surface."""
        sums = np.zeros((_BLOCKS, 2))
        weight = self.area if within is None else self.area * within
        for_ranges(_weighted, _BLOCKS, np.ascontiguousarray(field, np.float32), weight, sums, smallest=1)
        total, area = sums.sum(axis=0)
        return float(total / area) if area > 0 else 0.0
