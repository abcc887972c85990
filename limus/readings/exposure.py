"""Sun, driving rain and run-off: what the weather of the setting does to each point, kept on disk like the ray pass."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path

import numpy as np

from limus.common.hashing import key_of
from limus.common.kernel import kernel
from limus.common.parallel import map_blocks
from limus.formats.files import write_whole
from limus.readings.driving_rain import rain_vector
from limus.readings.flow import flow
from limus.readings.kept import cache_folder, kept_file, note
from limus.readings.ray_pass import BLOCK_RAYS, Progress, filter_along
from limus.readings.rays import blocked, ray_scene
from limus.readings.setting import Setting
from limus.readings.sun_path import direct_sun, sun_directions
from limus.readings.surroundings import NOTHING, Surroundings
from limus.readings.twin import Carried, carry
from limus.surface.texels import Texels

#: Half angle of the cone that rain comes from, degrees: gusts and turning wind (common practice, no source).
GUSTS = 12.0


@dataclass(frozen=True)
class Exposure:
    """Columns of ``table`` (n, 3) float32: sun, rain, run-off, as the readings of these names say.

    ``keys`` name what the sun, and what rain and run-off were measured for, and how well.
    """

    texels: Texels
    table: np.ndarray
    keys: tuple[str, str]

    @property
    def key(self) -> str:
        """Hash of all of it."""
        return key_of(*self.keys)

    def key_of(self, what: str) -> str:
        """Hash of what "sun", "rain" or "runoff" depends on: a change of wind leaves the sun alone."""
        return self.keys[0] if what == "sun" else self.keys[1]

    @property
    def sun(self) -> np.ndarray:
        """(n,) relative to open ground."""
        return np.ascontiguousarray(self.table[:, 0])

    @property
    def rain(self) -> np.ndarray:
        """(n,) relative to open ground."""
        return np.ascontiguousarray(self.table[:, 1])

    @property
    def runoff(self) -> np.ndarray:
        """(n,) relative to its 99th percentile."""
        return np.ascontiguousarray(self.table[:, 2])

    def at(self, texels: Texels) -> Exposure:
        """The same for the same mesh at another resolution."""
        return self if texels is self.texels else Exposure(texels, texels.resample(self.table, self.texels), self.keys)


def exposure_keys(texels: Texels, setting: Setting, around: Surroundings, rays: int) -> tuple[str, str]:
    """``exposure_files`` of these texels."""
    return exposure_files(texels.key, setting, around, rays)


def exposure_files(texels_key: str, setting: Setting, around: Surroundings, rays: int) -> tuple[str, str]:
    """Hashes of what the sun, and what rain and run-off depend on; the names of their files on disk. Of the setting
    only what matters counts.
    """
    sun = setting.model_dump(include={"north_deg", "latitude", "day"})
    rain = setting.model_dump(include={"north_deg", "wind_from_deg", "wind_speed", "rain_mm"})
    return key_of("sun 5", texels_key, sun, around.key, rays), key_of("rain 4", texels_key, rain, around.key, rays)


def _load(key: str, columns: int, texels: Texels, folder: Path | None) -> np.ndarray | None:
    try:
        table: np.ndarray = np.load(kept_file(f"{key}.npy", folder), allow_pickle=False)
    except (OSError, ValueError, EOFError):
        return None
    if table.shape != (len(texels), columns):
        return None
    note(f"{key}.npy")
    return table.astype(np.float32)


def _save(key: str, table: np.ndarray, folder: Path | None) -> np.ndarray:
    """Kept as half floats; what comes back is what a later run reads."""
    half = table.astype(np.float16)
    out = BytesIO()
    np.save(out, half)
    write_whole((folder or cache_folder()) / f"{key}.npy", out.getvalue())
    note(f"{key}.npy")
    return half.astype(np.float32)


def stored_part(
    texels: Texels, setting: Setting, around: Surroundings, rays: int, part: int, folder: Path | None = None
) -> np.ndarray | None:
    """(n, 1) sun (part 0), or (n, 2) rain and run-off (part 1), from disk if it was measured before, else None."""
    return _load(exposure_keys(texels, setting, around, rays)[part], part + 1, texels, folder)


def stored_exposure(
    texels: Texels, setting: Setting, around: Surroundings, rays: int, folder: Path | None = None
) -> Exposure | None:
    """From disk if all of it was measured before, else None."""
    sun, rain = (stored_part(texels, setting, around, rays, part, folder) for part in range(2))
    keys = exposure_keys(texels, setting, around, rays)
    return None if sun is None or rain is None else Exposure(texels, np.concatenate([sun, rain], axis=1), keys)


@kernel
def _sun_rays(  # type: ignore[no-untyped-def]
    start,
    end,
    rays,
    lean,
    epsilon,
    far,
    pixel,
    size,
    position,
    face,
    normal,
    path,
    hours,
    origins,
    directions,
    limits,
    weight,
):
    """Rays towards the sun at moments when it shines on the texel, drawn from an even sequence over days and hours.

    Moments with the sun behind the surface say nothing of what hides it; drawing on until there are enough of the
    others keeps walls that get the sun for an hour or two of a day from being measured by a ray or none.
    """
    days, steps = path.shape[0], path.shape[1]
    row = 0
    for i in range(start, end):
        x, y = pixel[i] % size, (pixel[i] // size) % size
        first, second = 0.5545497 * x + 0.3085170 * y, 0.7548777 * x + 0.5698403 * y
        found = 0
        for k in range(rays * 16):
            if found == rays:
                break
            hour, day = k * 0.7548776662 + first, k * 0.5698402910 + second
            hour = min(int((hour - np.floor(hour)) * steps), steps - 1)
            day = min(int((day - np.floor(day)) * days), days - 1)
            dx, dy, dz = path[day, hour, 0], path[day, hour, 1], path[day, hour, 2]
            w = (dx * normal[i, 0] + dy * normal[i, 1] + dz * normal[i, 2]) * hours[day]
            if dy <= 0 or w <= 0:
                continue
            seen = dx * face[i, 0] + dy * face[i, 1] + dz * face[i, 2]
            weight[row] = w if seen > 0 else -w
            for c in range(3):
                origins[row, c] = position[i, c] + epsilon * face[i, c]
            directions[row, 0], directions[row, 1], directions[row, 2] = dx, dy, dz
            limits[row] = far if weight[row] > 0 else np.float32(0.0)
            row += 1
            found += 1
        while found < rays:
            weight[row], limits[row] = np.float32(0.0), np.float32(0.0)
            row += 1
            found += 1


@kernel
def _rain_rays(  # type: ignore[no-untyped-def]
    start,
    end,
    rays,
    lean,
    epsilon,
    far,
    pixel,
    size,
    position,
    face,
    normal,
    path,
    hours,
    origins,
    directions,
    limits,
    weight,
):
    """``path`` (1, 3, 3): the direction rain comes from and two across it."""
    row = 0
    for i in range(start, end):
        x, y = pixel[i] % size, (pixel[i] // size) % size
        first, second = 0.5545497 * x + 0.3085170 * y, 0.7548777 * x + 0.5698403 * y
        first, second = first - np.floor(first), second - np.floor(second)
        for k in range(rays):
            # A spiral over the cone's disc.
            r = lean * ((k + second) / rays) ** 0.5
            a = (k * 0.6180339887 + first) * 6.283185307179586
            c, s = np.cos(a) * r, np.sin(a) * r
            length = 0.0
            for q in range(3):
                directions[row, q] = path[0, 0, q] + c * path[0, 1, q] + s * path[0, 2, q]
                length += directions[row, q] ** 2
                origins[row, q] = position[i, q] + epsilon * face[i, q]
            seen = 0.0
            for q in range(3):
                directions[row, q] /= length**0.5
                seen += directions[row, q] * face[i, q]
            weight[row] = np.float32(1.0) if seen > 0 else np.float32(-1.0)
            limits[row] = far if seen > 0 else np.float32(0.0)
            row += 1


@kernel
def _shares(start, end, rays, hidden, weight, out):  # type: ignore[no-untyped-def]
    """The part of the weight whose ray is free; weights below 0 count as hidden."""
    row = 0
    for i in range(start, end):
        total, free = np.float32(0.0), np.float32(0.0)
        for _ in range(rays):
            w = weight[row]
            total += abs(w)
            if w > 0 and not hidden[row]:
                free += w
            row += 1
        # Where no ray could be drawn there is next to nothing to hide.
        out[i] = free / total if total > 0 else np.float32(1.0)


def _free(
    make: Callable[..., None],
    rays: int,
    lean: float,
    path: np.ndarray,
    hours: np.ndarray,
    texels: Texels,
    carried: Carried | None,
    around: Surroundings,
    progress: Progress | None,
) -> np.ndarray:
    """(n,) share of the way towards sun or rain that nothing stands in."""
    mesh = texels.mesh
    solid = mesh if around.twin is None or carried is None else around.twin
    scenes = [ray_scene(solid)] + ([ray_scene(around.neighbours)] if around.neighbours is not None else [])
    position = texels.position if carried is None else carried.position
    face = mesh.face_normals[texels.triangle] if carried is None else carried.face
    normal = texels.normal if carried is None else carried.normal
    epsilon = np.float32(max(solid.diagonal * 1e-6, 1e-12) * 4)
    far = np.float32(around.extent(mesh) * 3)
    out = np.empty(len(texels), np.float32)
    per_block = max(1, BLOCK_RAYS // rays)
    blocks = list(range(0, len(texels), per_block))
    done = [0]

    def run(start: int) -> None:
        end = min(start + per_block, len(texels))
        count = (end - start) * rays
        origins, directions = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
        limits, weight = np.empty(count, np.float32), np.empty(count, np.float32)
        make(
            start, end, rays, np.float32(lean), epsilon, far, texels.pixel, texels.size, position, face, normal,
            path, hours,
            origins, directions, limits, weight,
        )  # fmt: skip
        go = np.flatnonzero(limits > 0)
        hidden = np.zeros(count, np.bool_)
        for scene in scenes:
            if len(go):
                hidden[go] |= blocked(scene, origins[go], directions[go], limits[go])
        _shares(start, end, rays, hidden, weight, out)
        done[0] += 1
        if progress is not None:
            progress(done[0] / len(blocks))

    map_blocks(run, blocks)
    return out


def measure_exposure(
    texels: Texels,
    setting: Setting,
    around: Surroundings = NOTHING,
    *,
    rays: int = 16,
    carried: Carried | None = None,
    progress: Progress | None = None,
    folder: Path | None = None,
) -> Exposure:
    """Sun, rain and run-off, from disk where they are there, else measured (may raise ``Cancelled`` through
    ``progress``).

    ``rays`` towards the sun's path for each texel, half as many towards the rain. What an unhidden point gets follows
    from its direction exactly; rays only tell how much of it is hidden.
    """
    keys = exposure_keys(texels, setting, around, rays)
    sun, rain = (stored_part(texels, setting, around, rays, part, folder) for part in range(2))
    if (sun is None or rain is None) and carried is None and around.twin is not None:
        carried = carry(texels, around.twin, around.twin_reach_m)
    say = progress or (lambda share: None)
    if sun is None:
        measured = _sun(texels, setting, around, rays, carried, lambda share: say(0.45 * share))
        sun = _save(keys[0], measured[:, None], folder)
    if rain is None:
        measured = _rain(texels, setting, around, rays, carried, lambda share: say(0.45 + 0.55 * share))
        rain = _save(keys[1], measured, folder)
    say(1.0)
    return Exposure(texels, np.concatenate([sun, rain], axis=1), keys)


def _sun(
    texels: Texels, setting: Setting, around: Surroundings, rays: int, carried: Carried | None, say: Progress
) -> np.ndarray:
    """(n,) float32 direct sun."""
    normal = texels.normal if carried is None else carried.normal
    path, hours = sun_directions(setting)
    plain = direct_sun(setting, normal)
    if not plain.any():
        return np.zeros(len(texels), np.float32)
    sun = plain * _free(_sun_rays, rays, 0.0, path, hours, texels, carried, around, say)
    return filter_along(texels, sun[:, None].copy(), np.array([0.3], np.float32), 4)[:, 0]


def _rain(
    texels: Texels, setting: Setting, around: Surroundings, rays: int, carried: Carried | None, say: Progress
) -> np.ndarray:
    """(n, 2) float32 rain that is caught, and water that runs past."""
    normal = texels.normal if carried is None else carried.normal
    table = np.zeros((len(texels), 2), np.float32)
    vector = rain_vector(setting)
    towards = vector / np.linalg.norm(vector)
    side = np.cross(towards, [0.0, 0.0, 1.0] if abs(towards[2]) < 0.9 else [1.0, 0.0, 0.0])
    side /= np.linalg.norm(side)
    cone = np.stack([towards, side, np.cross(towards, side)])[None].astype(np.float32)
    free = _free(
        _rain_rays,
        max(4, rays // 2),
        np.tan(np.radians(GUSTS)),
        cone,
        np.ones(1, np.float32),
        texels,
        carried,
        around,
        lambda s: say(0.45 * s),
    )
    wet = (
        np.maximum(normal @ vector.astype(np.float32), 0.0) * free
        if setting.rain_mm > 0
        else np.zeros(len(texels), np.float32)
    )
    table[:, 0] = filter_along(texels, wet[:, None].astype(np.float32), np.array([0.3], np.float32), 4)[:, 0]
    say(0.5)
    ran = flow(texels, table[:, 0])
    smooth = filter_along(texels, ran.passing[:, None].copy(), np.array([1e9], np.float32), 2)[:, 0]
    say(0.95)
    order = np.argsort(smooth)
    share = np.cumsum(texels.area[order], dtype=np.float64)
    top = float(smooth[order[min(int(np.searchsorted(share, 0.99 * share[-1])), len(order) - 1)]])
    if top <= 0:
        top = float(smooth.max()) or 1.0
    table[:, 1] = np.minimum(smooth / top, 8.0)
    return table
