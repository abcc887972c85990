"""Strokes onto points of a surface: texels, or the vertices of a mesh.

Each dab is a ball (or a disc across the line of sight). It is spread from the point under its middle to the points next
to it, as long as they lie within the ball and do not face away: so it crosses seams, and does not come out on the other
side of a thin wall. Only points in reach are touched, and the state after each stroke is kept, so that one more stroke
costs only itself.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from limus.common.hashing import key_of
from limus.common.kernel import kernel
from limus.formats.picture_read import read_picture
from limus.masks.hand.stroke import Stroke, load_stroke, placed_points
from limus.masks.source import Keep
from limus.patterns.cells import salt_of
from limus.patterns.noise import octave
from limus.surface.grid import Grid, nearest_facing
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from limus.surface.window import Window

_SHAPES = {"round": 0, "square": 1, "ragged": 2, "picture": 3}
_REACHES = {"surface": 0, "front": 1, "through": 2}
#: The state is kept for good every so many strokes; the newest ones always.
KEEP_EVERY = 32


@dataclass(frozen=True)
class Canvas:
    """What is painted on: (n, 3) float32 places and unit normals; neighbours of point i are
    ``links[starts[i]:starts[i + 1]]`` (-1: none);
    ``grain`` is the usual distance between points, m.
    """

    mesh: Mesh
    position: np.ndarray
    normal: np.ndarray
    starts: np.ndarray
    links: np.ndarray
    grid: Grid
    grain: float
    #: How far beyond a dab it is spread, m: points that stand for what lies around them; and how many of those come
    #: before the points that are painted on.
    slack: float = 0.0
    carriers: int = 0

    @classmethod
    def of(cls, texels: Texels) -> Canvas:
        """The texels of a surface."""
        starts = np.arange(0, 4 * len(texels) + 1, 4, dtype=np.int64)
        return cls(
            texels.mesh,
            texels.position,
            texels.normal,
            starts,
            texels.links.reshape(-1),
            texels.grid,
            texels.texel_mm / 1000.0,
        )

    @classmethod
    def of_window(cls, window: Window) -> Canvas:
        """The texels of a window. A dab is spread over the whole of the surface, which carries it to the texels that
        lie in those it reaches: it may begin outside of the window, and goes the same way in each.
        """
        whole = window.whole
        count = len(whole)
        under = window.under
        own = np.argsort(under, kind="stable").astype(np.int32)
        held = np.bincount(under, minlength=count)
        starts = np.concatenate([[0], np.cumsum(4 + held), np.full(len(window), 4 * count + len(window))]).astype(
            np.int64
        )
        links = np.empty(4 * count + len(window), np.int32)
        first = starts[:count]
        for k in range(4):
            links[first + k] = whole.neighbours[:, k]
        inside = np.arange(len(window)) - np.repeat(np.cumsum(held) - held, held)
        links[np.repeat(first + 4, held) + inside] = own + count
        return cls(
            window.mesh,
            np.concatenate([whole.position, window.position]),
            np.concatenate([whole.normal, window.normal]),
            starts,
            links,
            whole.grid,
            window.texel_mm / 1000.0,
            whole.spacing_mm / 1000.0,
            count,
        )


@dataclass(frozen=True)
class Dabs:
    """m dabs: middles (m, 3), the direction each faces (m, 3), its sideways direction (m, 3), half widths sideways and
    across (m, 2), all in metres and axes of the mesh; flow (m,) 0..1.
    """

    middle: np.ndarray
    facing: np.ndarray
    side: np.ndarray
    half: np.ndarray
    flow: np.ndarray


def _unit(v: np.ndarray) -> np.ndarray:
    return np.asarray(v / np.maximum(np.linalg.norm(v, axis=-1, keepdims=True), 1e-12))


def dabs_of(stroke: Stroke, mesh: Mesh) -> Dabs:
    """The dabs along a stroke, evenly spaced, and their mirror images."""
    brush = stroke.brush
    path, facing, grown = placed_points(stroke, mesh)
    table = np.array(stroke.points, np.float64)
    size = brush.size_mm / 1000.0 * grown
    lengths = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))])
    # Counted as drawn, so that a stroke has as many dabs whatever the unit.
    at = np.arange(int(lengths[-1] / (size * brush.spacing) + 1e-9) + 1) * (size * brush.spacing)

    def along(values: np.ndarray) -> np.ndarray:
        return np.stack([np.interp(at, lengths, column) for column in values.T], axis=1)

    middle, way = along(path), _unit(along(facing))
    pressure, tilt, pen = along(table[:, 6:9]).T
    half = 0.5 * size * (1.0 - brush.pressure_size * (1.0 - pressure))
    flow = brush.flow * (1.0 - brush.pressure_flow * (1.0 - pressure))
    up = np.broadcast_to(np.array(stroke.camera_up) @ mesh.turn.T, middle.shape)
    if brush.turn == "stroke" and len(path) > 1:
        ahead = np.gradient(middle, axis=0) if len(middle) > 1 else (path[-1] - path[0])[None]
        side = np.broadcast_to(ahead, middle.shape)
    elif brush.turn in ("camera", "pen"):
        side = np.cross(up, way)
    else:
        side = np.cross(np.array([0.0, 1.0, 0.0]), way)
    flat = np.linalg.norm(side - (side * way).sum(axis=1, keepdims=True) * way, axis=1) < 1e-9
    side = np.where(flat[:, None], np.cross(np.array([0.0, 0.0, 1.0]), way), side)
    side = np.where((np.linalg.norm(side, axis=1) < 1e-9)[:, None], np.array([1.0, 0.0, 0.0]), side)
    side = _unit(side - (side * way).sum(axis=1, keepdims=True) * way)
    turn = np.radians(brush.angle_deg + (pen if brush.turn == "pen" else 0.0)) + np.zeros(len(at))
    across = np.cross(way, side)
    side = np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * across
    wide = half * (1.0 + 2.0 * brush.tilt_wide * tilt / 90.0)
    if brush.scatter > 0:
        draw = np.random.Generator(np.random.PCG64([brush.seed, len(at)]))
        r, a = np.sqrt(draw.uniform(0, 1, len(at))) * brush.scatter * size, draw.uniform(0, 2 * np.pi, len(at))
        middle = middle + r[:, None] * (np.cos(a)[:, None] * side + np.sin(a)[:, None] * np.cross(way, side))
    halves = np.stack([wide, half], axis=1)
    if stroke.mirror is not None:
        n = _unit(np.array(stroke.mirror.normal) @ mesh.turn.T)
        place = stroke.mirror.at * grown
        middle = np.concatenate([middle, middle - 2 * ((middle @ n) - place)[:, None] * n])
        way = np.concatenate([way, way - 2 * (way @ n)[:, None] * n])
        side = np.concatenate([side, side - 2 * (side @ n)[:, None] * n])
        halves, flow = np.concatenate([halves, halves]), np.concatenate([flow, flow])
    single = [np.ascontiguousarray(x, np.float32) for x in (middle, way, side, halves, flow)]
    return Dabs(*single)


@kernel
def _lay(  # type: ignore[no-untyped-def]
    middle,
    facing,
    side,
    half,
    flow,
    hard,
    shape,
    picture,
    salt,
    reach,
    across_sight,
    grain,
    slack,
    position,
    normal,
    starts,
    links,
    low,
    box,
    counts,
    box_starts,
    order,
    first,
    stamp,
    stack,
    alpha,
    touched,
):
    """Lay dabs one after the other into ``alpha``; returns how many points were touched (listed in ``touched``).
    ``first`` is the
    number of the first dab, so that stamps of earlier strokes mean nothing.
    """
    used = 0
    for d in range(len(middle)):
        cx, cy, cz = middle[d, 0], middle[d, 1], middle[d, 2]
        wx, wy, wz = facing[d, 0], facing[d, 1], facing[d, 2]
        sx, sy, sz = side[d, 0], side[d, 1], side[d, 2]
        tx, ty, tz = wy * sz - wz * sy, wz * sx - wx * sz, wx * sy - wy * sx
        ra, rb = max(half[d, 0], np.float32(1e-9)), max(half[d, 1], np.float32(1e-9))
        # A square reaches further at its corners.
        far = max(ra, rb) * (np.float32(1.4143) if shape == 1 or shape == 3 else np.float32(1.0)) + grain
        # Where points stand for what lies around them some reach into the dab whose middle does not.
        far += slack
        depth = 0
        if reach == 0:
            seed = nearest_facing(
                cx, cy, cz, wx, wy, wz, 1.5 * far, position, normal, low, box, counts, box_starts, order
            )
            if seed < 0:
                continue
            stack[0] = seed
            stamp[seed] = first + d
            depth = 1
        else:
            # Every box that the ball, or for "through" the whole tube along the facing direction, may meet.
            diagonal = np.float32(box * 0.8661)
            for b in range(len(box_starts) - 1):
                if box_starts[b] == box_starts[b + 1]:
                    continue
                gx = np.float32(low[0] + (b // (counts[1] * counts[2]) + 0.5) * box) - cx
                gy = np.float32(low[1] + ((b // counts[2]) % counts[1] + 0.5) * box) - cy
                gz = np.float32(low[2] + (b % counts[2] + 0.5) * box) - cz
                off = gx * gx + gy * gy + gz * gz
                if reach == 2 or across_sight:
                    deep = gx * wx + gy * wy + gz * wz
                    off -= deep * deep
                if off > (far + diagonal) ** 2:
                    continue
                for k in range(box_starts[b], box_starts[b + 1]):
                    stack[depth] = order[k]
                    depth += 1
        while depth > 0:
            depth -= 1
            i = stack[depth]
            facing_it = normal[i, 0] * wx + normal[i, 1] * wy + normal[i, 2] * wz
            if reach != 2 and facing_it < (np.float32(-0.2) if reach == 0 else np.float32(0.0)):
                continue
            px, py, pz = position[i, 0] - cx, position[i, 1] - cy, position[i, 2] - cz
            deep = px * wx + py * wy + pz * wz
            ball = px * px + py * py + pz * pz
            if reach == 2 or across_sight:
                if reach != 2 and abs(deep) > np.float32(4.0) * far:
                    continue
                ball -= deep * deep
            if ball > far * far:
                continue
            if reach == 0:
                for k in range(starts[i], starts[i + 1]):
                    j = links[k]
                    if j >= 0 and stamp[j] != first + d:
                        stamp[j] = first + d
                        stack[depth] = j
                        depth += 1
            x, y = (px * sx + py * sy + pz * sz) / ra, (px * tx + py * ty + pz * tz) / rb
            # Depth counts in the ball, so that paint goes round an edge no further than along the surface.
            z = np.float32(0.0) if reach == 2 or across_sight else deep / max(ra, rb)
            if shape == 1:
                r = max(max(abs(x), abs(y)), abs(z))
            elif shape == 3:
                r = np.float32(0.0) if max(max(abs(x), abs(y)), abs(z)) <= np.float32(1.0) else np.float32(2.0)
            else:
                r = np.sqrt(x * x + y * y + z * z)
            if shape == 2:
                rate = np.float32(5.0) / max(ra, rb)
                qx, qy, qz = position[i, 0] * rate, position[i, 1] * rate, position[i, 2] * rate
                r += np.float32(0.35) + np.float32(0.75) * (
                    octave(qx, qy, qz, salt)
                    + np.float32(0.6) * octave(qx * np.float32(2.7), qy * np.float32(2.7), qz * np.float32(2.7), salt)
                )
            # The rim is at least one texel wide and lies evenly about its place, so that every resolution covers the
            # same area.
            rim = max(np.float32(1.0) - hard, grain / max(ra, rb))
            middle_of_rim = max(np.float32(1.0) - np.float32(0.5) * (np.float32(1.0) - hard), np.float32(0.5) * rim)
            t = min(max((middle_of_rim + np.float32(0.5) * rim - r) / rim, np.float32(0.0)), np.float32(1.0))
            a = flow[d] * t * t * (np.float32(3.0) - np.float32(2.0) * t)
            if shape == 3 and a > 0:
                u = min(
                    max((x * np.float32(0.5) + np.float32(0.5)) * picture.shape[1] - np.float32(0.5), np.float32(0.0)),
                    np.float32(picture.shape[1] - 1.001),
                )
                v = min(
                    max((np.float32(0.5) - y * np.float32(0.5)) * picture.shape[0] - np.float32(0.5), np.float32(0.0)),
                    np.float32(picture.shape[0] - 1.001),
                )
                u0, v0 = int(u), int(v)
                u1, v1 = min(u0 + 1, picture.shape[1] - 1), min(v0 + 1, picture.shape[0] - 1)
                fu, fv = u - u0, v - v0
                a *= (picture[v0, u0] * (1 - fu) + picture[v0, u1] * fu) * (1 - fv) + (
                    picture[v1, u0] * (1 - fu) + picture[v1, u1] * fu
                ) * fv
            if a <= 0:
                continue
            if alpha[i] == 0:
                touched[used] = i
                used += 1
            alpha[i] += a * (np.float32(1.0) - alpha[i])
    return used


def _stamp_picture(stroke: Stroke, find: Callable[[str], Path] | None) -> np.ndarray:
    if stroke.brush.shape != "picture" or not stroke.brush.picture or find is None:
        return np.ones((1, 1), np.float32)
    values = read_picture(find(stroke.brush.picture), stroke.brush.picture.rsplit("/", 1)[-1]).values
    grey = values[:, :, :3].mean(axis=2) if values.shape[2] >= 3 else values[:, :, 0]
    return np.ascontiguousarray(grey * values[:, :, -1] if values.shape[2] in (2, 4) else grey, np.float32)


class Workspace:
    """Arrays as long as the canvas that strokes share, so that one stroke does not pay for all points."""

    def __init__(self, count: int) -> None:
        self.alpha, self.touched = np.zeros(count, np.float32), np.empty(count, np.int32)
        self.stamp, self.stack = np.full(count, -1, np.int32), np.empty(max(4 * count, 16), np.int32)
        self.dabs = 0


def footprint(
    canvas: Canvas, stroke: Stroke, find: Callable[[str], Path] | None = None, space: Workspace | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """Which points a stroke touches, (m,) int32, and how strongly, (m,) float32 0..1 (dabs of one stroke build up to
    1).
    """
    space = space or Workspace(len(canvas.position))
    dabs = dabs_of(stroke, canvas.mesh)
    grid = canvas.grid
    used = _lay(
        dabs.middle, dabs.facing, dabs.side, dabs.half, dabs.flow, np.float32(stroke.brush.hardness),
        _SHAPES[stroke.brush.shape],
        _stamp_picture(stroke, find), salt_of(stroke.brush.seed), _REACHES[stroke.reach], stroke.facing == "camera",
        np.float32(canvas.grain), np.float32(canvas.slack), canvas.position, canvas.normal, canvas.starts, canvas.links,
        grid.low, grid.side, grid.counts, grid.starts, grid.order, space.dabs, space.stamp, space.stack, space.alpha,
        space.touched,
    )  # fmt: skip
    space.dabs += len(dabs.flow)
    rows = space.touched[:used].copy()
    alpha = space.alpha[rows]
    space.alpha[rows] = 0.0
    if canvas.carriers:
        mine = rows >= canvas.carriers
        return rows[mine] - np.int32(canvas.carriers), alpha[mine]
    return rows, alpha


def painted(texels: Texels, names: Sequence[str], find: Callable[[str], Path] | None, keep: Keep) -> np.ndarray:
    """All strokes, first to last.

    Returns
    -------
    (n, 2) float32: white that is painted, and the share of what is below that shows through. Over a value b the
    result is
    ``white + through * b``: adding takes b towards white, taking away towards black.
    """
    keys = [key_of("paint", texels.key)]
    for name in names:
        keys.append(key_of(keys[-1], name))
    done, state = 0, None
    for k in range(len(names), 0, -1):
        state = keep.peek(keys[k])
        if state is not None:
            done = k
            break
    if state is None:
        state = np.zeros((len(texels), 2), np.float32)
        state[:, 1] = 1.0
    elif done < len(names):
        state = state.copy()
    if done == len(names):
        return state
    benches: dict[bool, tuple[Canvas, Workspace]] = {}
    for k in range(done, len(names)):
        stroke = load_stroke(names[k], find)
        # What goes straight through space needs nothing to carry it.
        carried = isinstance(texels, Window) and stroke.reach == "surface"
        if carried not in benches:
            canvas = Canvas.of_window(texels) if carried else Canvas.of(texels)  # type: ignore[arg-type]
            benches[carried] = canvas, Workspace(len(canvas.position))
        rows, alpha = footprint(benches[carried][0], stroke, find, benches[carried][1])
        left = 1.0 - alpha
        state[rows, 0] = state[rows, 0] * left + (alpha if stroke.action == "add" else np.float32(0.0))
        state[rows, 1] *= left
        if (k + 1) % KEEP_EVERY == 0 and k + 1 < len(names):
            keep.put(keys[k + 1], state.copy())
    keep.put(keys[-1], state)
    return state
