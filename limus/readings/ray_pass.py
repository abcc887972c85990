"""The shared ray pass: curvature, occlusion, sky and thickness from one set of rays.

Around each texel K directions of the outward hemisphere, evenly spaced in height and turned by the golden angle (a
spherical Fibonacci set: Swinbank and Purser, 2006), each with its exact opposite. The set is turned and shifted from
texel to texel by irrational steps (Roberts, "The unreasonable effectiveness of quasirandom sequences", 2018), so that
what noise remains is opposite next door and a small filter takes it out. Because directions come in opposite pairs a
plane reads exactly 0.

Most rays need only the reach of the reading they serve, so each carries its own limit: only those that may see the
sky go on.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import asdict, dataclass

import numpy as np

from limus.common.hashing import key_of
from limus.common.kernel import kernel
from limus.common.parallel import for_ranges, map_blocks
from limus.readings.rays import ray_scene, trace
from limus.readings.surroundings import NOTHING, Surroundings
from limus.readings.twin import Carried
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels

#: Rays handed to the ray library at once. Small enough to stay in cache, large enough that calls cost nothing.
BLOCK_RAYS = 1 << 15
#: Half angle of the cone in which thickness is averaged, degrees: 30 in all.
CONE = 15.0
Progress = Callable[[float], None]


@dataclass(frozen=True)
class RayPlan:
    """What the pass measures.

    ``radii_mm``: curvature radii, ascending. ``reaches_mm``: occlusion reaches, ascending. ``thickness_mm``: cap of
    thickness. ``pairs``: directions K.
    """

    radii_mm: tuple[float, ...]
    reaches_mm: tuple[float, ...]
    thickness_mm: float
    pairs: int = 32
    filter_passes: int = 4

    @classmethod
    def for_mesh(cls, mesh: Mesh, pairs: int = 32) -> RayPlan:
        """A ladder of radii by powers of two, the largest about an eighth of the object; any radius between is
        interpolated.

        Lengths of default recipes lie inside it on an object of any size (see ``object_size``).
        """
        top = 2.0 ** np.floor(np.log2(max(mesh.diagonal, 1e-6) * 1000 * 0.125))
        radii = tuple(float(top / 2**k) for k in range(7, -1, -1))
        reaches = tuple(float(top * 2.0**k) for k in range(-4, 2))
        return cls(radii, reaches, float(top) * 2, pairs)

    @property
    def width(self) -> int:
        """Columns of the result: curvatures, occlusions, sky, thickness."""
        return len(self.radii_mm) + len(self.reaches_mm) + 2

    def key(self, texels: Texels, around: Surroundings = NOTHING) -> str:
        """Hash of mesh, resolution, parameters and surroundings; the name of the file on disk."""
        return self.key_for(texels.mesh, texels.size, around)

    def key_for(self, mesh: Mesh, size: int, around: Surroundings = NOTHING) -> str:
        """The same before there are texels."""
        return key_of("ray pass 10", mesh.key, size, asdict(self), around.key)


@kernel
def _make(  # type: ignore[no-untyped-def]
    start, end, pairs, fan, pixel, size, position, normal, epsilon, far, reach, inside, origins, directions, limits
):
    """Rays of texels ``start .. end``: pair k of a texel is rows 2k (outward) and 2k + 1 (its opposite)."""
    row = 0
    for i in range(start, end):
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        # Frame about the normal (Duff et al., "Building an Orthonormal Basis, Revisited", 2017).
        sign = np.float32(1.0) if nz >= 0 else np.float32(-1.0)
        a = np.float32(-1.0) / (sign + nz)
        b = nx * ny * a
        tx, ty, tz = np.float32(1.0) + sign * nx * nx * a, sign * b, -sign * nx
        bx, by, bz = b, sign + ny * ny * a, -ny
        # Irrational steps over the picture: neighbours get far apart values, so that their mean is that of a finer set.
        x, y = pixel[i] % size, (pixel[i] // size) % size
        first, second = 0.5545497 * x + 0.3085170 * y, 0.7548777 * x + 0.5698403 * y
        turn = np.float32((first - np.floor(first)) * 6.283185307179586)
        shift = np.float32(second - np.floor(second))
        ct, st = np.cos(turn), np.sin(turn)
        # The frame turned about the normal, so that the fan of angles needs no trigonometry of its own.
        ux, uy, uz = tx * ct + bx * st, ty * ct + by * st, tz * ct + bz * st
        wx, wy, wz = bx * ct - tx * st, by * ct - ty * st, bz * ct - tz * st
        for k in range(pairs):
            z = (np.float32(k) + shift) / np.float32(pairs)
            r = np.sqrt(max(np.float32(1.0) - z * z, np.float32(0.0)))
            c, s = fan[k, 0] * r, fan[k, 1] * r
            dx, dy, dz = ux * c + wx * s + nx * z, uy * c + wy * s + ny * z, uz * c + wz * s + nz * z
            origins[row, 0] = position[i, 0] + epsilon * nx
            origins[row, 1] = position[i, 1] + epsilon * ny
            origins[row, 2] = position[i, 2] + epsilon * nz
            directions[row, 0], directions[row, 1], directions[row, 2] = dx, dy, dz
            limits[row] = far if dy > 0 else reach
            row += 1
            origins[row, 0] = position[i, 0] - epsilon * nx
            origins[row, 1] = position[i, 1] - epsilon * ny
            origins[row, 2] = position[i, 2] - epsilon * nz
            directions[row, 0], directions[row, 1], directions[row, 2] = -dx, -dy, -dz
            limits[row] = inside
            row += 1


@kernel
def _entering(count, directions, hit, ng):  # type: ignore[no-untyped-def]
    """Rows of inward rays whose first hit is the front of another solid: they are still inside and must go on."""
    out = np.empty(count // 2, np.int64)
    found = 0
    for row in range(1, count, 2):
        if hit[row] >= 0:
            facing = directions[row, 0] * ng[row, 0] + directions[row, 1] * ng[row, 1] + directions[row, 2] * ng[row, 2]
            if facing < 0:
                out[found] = row
                found += 1
    return out[:found]


@kernel
def _gather(  # type: ignore[no-untyped-def]
    start,
    end,
    pairs,
    normal,
    position,
    ground,
    beyond,
    directions,
    inside,
    distance,
    hit,
    radii,
    reaches,
    cap,
    cone,
    out,
):
    """``ground``: height of the ground, or below everything; ``beyond`` distances to neighbours, empty where there
    are none.
    """
    row = 0
    nothing = np.float32(1e30)
    curves, hides = len(radii), len(reaches)
    whole = np.empty(curves + 1, np.int64)
    for i in range(start, end):
        for k in range(curves + hides + 2):
            out[i, k] = 0.0
        whole[:] = 0
        weight = np.float32(0.0)
        sky = np.float32(0.0)
        depth, rays = np.float32(0.0), np.float32(0.0)
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        above = position[i, 1] - ground
        for pair in range(pairs):
            dx, dy, dz = directions[row, 0], directions[row, 1], directions[row, 2]
            cosine = dx * nx + dy * ny + dz * nz
            weight += cosine
            d = nothing
            if hit[row] >= 0:
                d = distance[row]
                # Radii and reaches ascend: only those beyond the hit are touched.
                k = curves - 1
                while k >= 0 and d < radii[k]:
                    q = d / radii[k]
                    out[i, k] += np.float32(1.0) - q * q * q
                    k -= 1
            # Ground and neighbours hide, but are not part of the solid.
            if above < np.float32(0.0):
                d = np.float32(0.0)
            elif dy < np.float32(0.0):
                d = min(d, above / -dy)
            if len(beyond):
                d = min(d, beyond[row // 2])
            if d < nothing:
                k = hides - 1
                while k >= 0 and d < reaches[k]:
                    out[i, curves + k] += cosine
                    k -= 1
            elif dy > 0:
                sky += cosine
            row += 1
            d = distance[row] if hit[row] >= 0 else inside
            k = curves - 1
            while k >= 0 and d < radii[k]:
                q = d / radii[k]
                out[i, k] += q * q * q
                k -= 1
            # This direction is solid all the way for radius k and all smaller ones.
            whole[k + 1] += 1
            # The pair nearest to the normal counts however few there are.
            if cosine >= cone or pair == pairs - 1:
                depth += min(d, cap)
                rays += np.float32(1.0)
            row += 1
        solid = np.int64(0)
        for k in range(curves - 1, -1, -1):
            solid += whole[k + 1]
            out[i, k] += np.float32(solid)
        for k in range(curves):
            # f = sum / (2 K); curvature = 1 - 2 f
            out[i, k] = np.float32(1.0) - out[i, k] / np.float32(pairs)
        for k in range(hides):
            out[i, curves + k] /= weight
        out[i, curves + hides] = sky / weight
        out[i, curves + hides + 1] = depth / (rays * cap)


@kernel
def _filter(start, end, near, normal, position, tolerance, extended, normals_extended, positions_extended, scale, out):  # type: ignore[no-untyped-def]
    """Mean with the four neighbours, weighted by how alike surface and value are, so that edges stay."""
    columns = out.shape[1]
    for i in range(start, end):
        for c in range(columns):
            here = extended[i, c]
            total, weight = here, np.float32(1.0)
            for s in range(4):
                j = near[i, s]
                bend = np.float32(0.0)
                off = np.float32(0.0)
                for k in range(3):
                    bend += normal[i, k] * normals_extended[j, k]
                    off += normal[i, k] * (positions_extended[j, k] - position[i, k])
                if bend < np.float32(0.5) or abs(off) > tolerance:
                    continue
                difference = (extended[j, c] - here) / scale[c]
                w = bend * bend / (np.float32(1.0) + difference * difference)
                total += w * extended[j, c]
                weight += w
            out[i, c] = total / weight


def measure_rays(
    texels: Texels,
    plan: RayPlan,
    progress: Progress | None = None,
    around: Surroundings = NOTHING,
    carried: Carried | None = None,
) -> np.ndarray:
    """Run the pass.

    Parameters
    ----------
    progress : called with 0..1 after each block, from the calling thread or a pool thread; it may raise ``Cancelled``.
    around : ground and neighbours, which hide; with ``carried`` (from ``around.twin``) texels are measured where they
        meet the twin.

    Returns
    -------
    (n, plan.width) float32: curvature at each radius (-1..1), occlusion at each reach (0..1), sky (0..1), thickness
    (0..1, as a share of its cap: half floats hold no more than 65 m in millimetres).

    Notes
    -----
    Ball fraction: along a direction the share of the ball's volume up to distance s is (s / r)^3. Pottmann et al.,
    "Integral invariants for robust geometry processing", Computer Aided Geometric Design 26, 2009.
    """
    mesh = texels.mesh
    out = np.empty((len(texels), plan.width), np.float32)
    work: list[tuple[Mesh, np.ndarray, np.ndarray, np.ndarray, np.ndarray | None]] = []
    if carried is None or around.twin is None:
        work.append((mesh, texels.position, mesh.face_normals[texels.triangle], texels.pixel, None))
    else:
        for solid, rows in ((around.twin, np.flatnonzero(~carried.missed)), (mesh, np.flatnonzero(carried.missed))):
            if len(rows):
                work.append((solid, carried.position[rows], carried.face[rows], texels.pixel[rows], rows))
    done = 0
    for solid, position, normal, pixel, chosen in work:
        total = len(position)

        def say(share: float, done: int = done, total: int = total) -> None:
            if progress is not None:
                progress(0.95 * (done + share * total) / len(texels))

        table = out if chosen is None else np.empty((total, plan.width), np.float32)
        _trace_all(solid, position, normal, pixel, texels.size, plan, around, mesh, say, table)
        if chosen is not None:
            out[chosen] = table
        done += total
    scale = np.array([0.10] * len(plan.radii_mm) + [0.15] * len(plan.reaches_mm) + [0.15, 0.2], np.float32)
    result = filter_along(texels, out, scale, plan.filter_passes)
    if progress is not None:
        progress(1.0)
    return result


def _trace_all(
    solid: Mesh,
    position: np.ndarray,
    normal: np.ndarray,
    pixel: np.ndarray,
    size: int,
    plan: RayPlan,
    around: Surroundings,
    mesh: Mesh,
    progress: Progress,
    out: np.ndarray,
) -> None:
    """The pass from (n, 3) points with (n, 3) face normals of ``solid``, block by block; never more than a few blocks
    of rays exist.
    """
    scene = ray_scene(solid)
    others = ray_scene(around.neighbours) if around.neighbours is not None else None
    epsilon = np.float32(max(solid.diagonal * 1e-6, 1e-12) * 4)
    ground = np.float32(-1e30 if around.ground_m is None else around.ground_m - 1e-6 * mesh.diagonal)
    radii = np.array(plan.radii_mm, np.float32) / 1000
    reaches = np.array(plan.reaches_mm, np.float32) / 1000
    cap = np.float32(plan.thickness_mm / 1000)
    far = np.float32(around.extent(mesh) * 3)
    reach = np.float32(max([*radii, *reaches]))
    inside = np.float32(max([*radii, cap]))
    cone = np.float32(np.cos(np.radians(CONE)))
    angle = np.arange(plan.pairs) * 2.399963229728653  # the golden angle
    fan = np.stack([np.cos(angle), np.sin(angle)], axis=1).astype(np.float32)
    count = len(position)
    per_block = max(1, BLOCK_RAYS // (2 * plan.pairs))
    blocks = list(range(0, count, per_block))
    local = threading.local()
    done = [0]
    lock = threading.Lock()
    nothing = np.zeros(0, np.float32)

    def run(start: int) -> None:
        end = min(start + per_block, count)
        rays = (end - start) * plan.pairs * 2
        if getattr(local, "rays", 0) != rays:
            local.origins, local.directions, local.limits = (
                np.empty((rays, 3), np.float32),
                np.empty((rays, 3), np.float32),
                np.empty(rays, np.float32),
            )
            local.rays = rays
        origins, directions, limits = local.origins, local.directions, local.limits
        _make(
            start, end, plan.pairs, fan, pixel, size, position, normal, epsilon, far, reach, inside, origins,
            directions, limits
        )  # fmt: skip
        beyond = nothing
        if others is not None:
            # Before the main trace, which writes its distances into the limits.
            seen = trace(
                others, np.ascontiguousarray(origins[::2]), np.ascontiguousarray(directions[::2]), limits[::2].copy()
            )
            beyond = np.where(seen["primID"] >= 0, seen["tfar"], np.float32(1e30)).astype(np.float32)
        hits = trace(scene, origins, directions, limits)
        distance, hit = hits["tfar"], hits["primID"]
        rows = _entering(rays, directions, hit, hits["Ng"])
        if len(rows):
            _go_on(scene, rows, origins, directions, inside, distance, hit, epsilon)
        _gather(
            start, end, plan.pairs, normal, position, ground, beyond, directions, inside, distance, hit, radii,
            reaches, cap, cone, out
        )  # fmt: skip
        with lock:
            done[0] += 1
            progress(done[0] / len(blocks))

    map_blocks(run, blocks)


def _go_on(
    scene: object,
    rows: np.ndarray,
    origins: np.ndarray,
    directions: np.ndarray,
    limit: np.float32,
    distance: np.ndarray,
    hit: np.ndarray,
    epsilon: np.float32,
) -> None:
    """Follow rays through solids that overlap, until they leave the last one; writes the exit into ``distance`` and
    ``hit``.
    """
    depth = np.full(len(rows), 2, np.int32)
    travelled = distance[rows].copy()
    for _ in range(6):
        left = limit - travelled - epsilon
        go = left > 0
        if not go.any():
            break
        hit[rows[~go]] = -1
        rows, depth, travelled, left = rows[go], depth[go], travelled[go], left[go]
        start = origins[rows] + directions[rows] * (travelled + epsilon)[:, None]
        again = trace(
            scene, np.ascontiguousarray(start), np.ascontiguousarray(directions[rows]), left.astype(np.float32)
        )
        found = again["primID"] >= 0
        facing = np.einsum("ij,ij->i", directions[rows], again["Ng"])
        depth = depth + np.where(facing < 0, 1, -1)
        travelled = travelled + epsilon + again["tfar"]
        out = found & (depth <= 0)
        distance[rows[out]] = travelled[out]
        hit[rows[~found]] = -1
        keep = found & ~out
        rows, depth, travelled = rows[keep], depth[keep], travelled[keep]
        if not len(rows):
            return
    hit[rows] = -1


def filter_along(texels: Texels, fields: np.ndarray, scale: np.ndarray, passes: int) -> np.ndarray:
    """Take noise out of (n, c) fields along the surface; differences well above ``scale`` (c,) are kept as edges."""
    if passes <= 0:
        return fields
    normals, positions = texels.extend(texels.normal), texels.extend(texels.position)
    tolerance = np.float32(texels.texel_mm * 0.001)
    for _ in range(passes):
        extended = texels.extend(fields)
        fields = np.empty_like(fields)
        for_ranges(
            _filter,
            len(texels),
            texels.stencil,
            texels.normal,
            texels.position,
            tolerance,
            extended,
            normals,
            positions,
            scale,
            fields,
        )
    return fields
