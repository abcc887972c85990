"""A delivery: the finished object as one of the targets."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

from limus.common.errors import InputError
from limus.common.store import Store
from limus.masks.hand.vertex_paint import painted_colours
from limus.materials.encode import in_use
from limus.playing.chronicle import Surface
from limus.playing.measuring import Say
from limus.playing.needed import LARGEST_WHOLE, Needed, needed_by, whole_size
from limus.playing.session import Session
from limus.playing.windows import Record, Windows
from limus.readings.measured import Measured
from limus.surface.texels import Texels
from limus.targets.masks import MaskAsked, MaskTaker, mask_list, mask_names, mask_rasters, masks_asked
from limus.targets.naming import check_names
from limus.targets.order import Order
from limus.targets.raster import Raster, Tile, write_rasters
from limus.targets.target import Condition, Making
from limus.targets.tiles import count_tiles, whole_bands, window_bands
from limus.targets.written import OnDisk, Written, file_stem

#: Size at which it is found out what a delivery will hold.
_LOOK = 256
#: Bytes a texel of a mask that goes along.
_MASK = 4
#: Ranges are taken from the whole of an object; what is finer may lie a little beyond.
_SLACK = 0.1
#: Bytes that are kept while the whole is played.
_KEPT = 128 << 20
_ROOM = ".limus-"


@dataclass(frozen=True)
class Outlook:
    """What a delivery will be: the names of its files, the memory that it takes, the titles of its ``maps`` where
    each can have a size of its own, and what there is to say of the order.
    """

    files: list[str]
    needed: Needed
    maps: list[str]
    notes: list[str]


def making_of(session: Session, order: Order, condition: str = "") -> tuple[Making, list[MaskAsked]]:
    """What a target is told, and the masks that have files of their own."""
    scene, mesh = session.scene, session.mesh
    mesh.need_uv()
    within = {
        text: masks_asked((text,), scene, f"recipe[{k}]")[0]
        for k, one in enumerate(order.packing)
        for text in one.masks
    }
    asked = masks_asked(order.masks, scene)
    if order.kind.masks_within:
        within |= dict(zip(order.masks, asked, strict=True))
        asked = []
    return Making(scene.name, mesh, order, within, condition=condition), asked


def conditions(session: Session, order: Order) -> list[tuple[Session, str]]:
    """What is played for an order: the scene as it is, or each snapshot that it names.

    Raises
    ------
    InputError : a snapshot that there is none of, two that would lie in one folder.
    """
    if not order.snapshots:
        return [(session, "")]
    stems = [file_stem(name) for name in order.snapshots]
    for k, stem in enumerate(stems):
        if stem in stems[:k]:
            raise InputError(
                f"two snapshots would lie in the folder {stem}", where=f"snapshots[{k}]", remedy="Rename one of them"
            )
    return [(session.showing(session.scene.at_snapshot(name)), name) for name in order.snapshots]


def outlook(session: Session, order: Order) -> Outlook:
    """What ``deliver`` will give and take: the chronicle is played small, to see which channels something is in and how
    much it holds.

    Raises
    ------
    InputError : no UVs, a mask or a snapshot that there is none of, two files of one name.
    """
    looks = [_outlook(one, order, name) for one, name in conditions(session, order)]
    files = list(dict.fromkeys(file for look in looks for file in look.files))
    if len(looks) > 1:
        # What there is one of comes behind all maps, as it is written.
        files.sort(key=lambda name: all(name in look.files for look in looks))
    most = max(looks, key=lambda look: look.needed.at(order.resolution))
    titles = list(dict.fromkeys(title for look in looks for title in look.maps))
    return Outlook(files, most.needed, titles, looks[0].notes)


def _outlook(session: Session, order: Order, condition: str) -> Outlook:
    making, asked = making_of(session, order, condition)
    readings = session.measuring.best()
    measured = readings.measured if readings is not None else Measured.blank(session.texels(_LOOK))
    chronicle = session.chronicle(measured, _LOOK, weather=readings is not None and session.scene.asks_for_weather)
    pile = chronicle.as_made(session.scene)
    for chapter in chronicle.playing(session.scene):
        pile = chapter.pile
    surface = chronicle.finish(pile)
    used = {channel.name for channel in in_use(surface.sheet)}
    files = order.kind().names(making, used) + mask_names(making.naming, order.resolution, asked, packed=order.packed)
    check_names(files)
    rasters = order.kind().rasters(making, chronicle.texels, surface)
    written = sum(raster.bytes_a_pixel for raster in rasters) + len(asked)
    more = _MASK * len({*asked, *making.masks.values()})
    titles = [str(raster.about["channel"]) for raster in rasters] if "sizes" in order.kind.takes else []
    texels = chronicle.texels
    notes = order.said_at(texels.texel_mm * texels.size / order.resolution)
    return Outlook(files, needed_by(chronicle, pile, surface, more=more, written=written), titles, notes)


def deliver(
    session: Session,
    order: Order,
    *,
    until: str | None = None,
    progress: Say | None = None,
    room: Path | None = None,
) -> tuple[list[Written], list[str]]:
    """All files of a delivery, and what layers and channels have to say about it.

    Parameters
    ----------
    until : stop after this layer. room : a folder that files lie in until they are taken, see ``delivery_room``;
        without one they come in memory.

    Raises
    ------
    InputError : no UVs, a mask that there is none of, a size that cannot be drawn, two files of one name.
    Cancelled : through ``progress``.
    """
    if room is None:
        with tempfile.TemporaryDirectory() as folder:
            files, notes = deliver(session, order, until=until, progress=progress, room=Path(folder))
            return [Written(file.name, file.data) for file in files], notes
    kind, found, notes = order.kind(), list[Condition](), list[str]()
    states = conditions(session, order)
    for k, (one, name) in enumerate(states):

        def say(share: float, word: str, k: int = k, name: str = name) -> None:
            if progress:
                progress((k + share) / len(states), f"{name}: {word}" if name else word)

        inside = room / f"condition-{k}" if name else room
        inside.mkdir(exist_ok=True)
        condition, more, said = _condition(one, order, name, until, say, inside)
        found.append(condition)
        notes += [f"{name}: {note}" if name else note for note in said]
    if order.snapshots:
        files, said = kind.files_of(found)
    else:
        only = found[0]
        files, said = kind.files(only.making, only.texels, only.surface, only.rasters, only.made)
    if progress:
        progress(1.0, "Done")
    return files + more, notes + said


def _condition(
    session: Session, order: Order, name: str, until: str | None, say: Say, room: Path
) -> tuple[Condition, list[Written], list[str]]:
    """The maps of one condition, the files of its masks, and what layers and masks have to say."""
    scene, kind = session.scene, order.kind()
    making, asked = making_of(session, order, name)
    taker = MaskTaker(scene, list(dict.fromkeys([*asked, *making.masks.values()])))
    if scene.vertex_paint:
        painted = painted_colours(making.mesh, scene.vertex_paint, session.find)
        making = replace(making, mesh=replace(making.mesh, colours=painted))
    masks = mask_rasters(
        making.naming, order.resolution, scene, asked, 8 if order.depth == 8 else 16, packed=order.packed
    )
    rasters: list[Raster] = []

    def plan(texels: Texels, surface: Surface, slack: float) -> list[Raster]:
        rasters.extend(kind.rasters(making, texels, surface, slack))
        check_names([file for raster in [*rasters, *masks] for file in raster.files])
        return [*rasters, *masks]

    drawn = draw_maps(session, order.resolution, plan, taker, until=until, say=say, room=room, gutter=order.gutter_at)
    say(0.97, "Writing files")
    count = sum(len(raster.files) for raster in rasters)
    made: list[Written] = list(drawn.files)
    making = replace(making, taken=taker.fields)
    more = made[count:]
    if masks:
        more.append(mask_list(scene.name, making.mesh, order.resolution, masks, made[count:]))
    texels = drawn.texels
    notes = [*drawn.notes, *taker.said(), *order.said_at(texels.texel_mm * texels.size / order.resolution)]
    return Condition(making, texels, drawn.surface, rasters, made[:count]), more, notes


@dataclass(frozen=True)
class Drawn:
    """Maps that were written: their ``files``; ``texels`` and ``surface`` that ranges and means are taken from; what
    layers have to say.
    """

    files: list[OnDisk]
    texels: Texels
    surface: Surface
    notes: list[str]


def draw_maps(
    session: Session,
    resolution: int,
    plan: Callable[[Texels, Surface, float], list[Raster]],
    taker: MaskTaker,
    *,
    until: str | None = None,
    say: Say,
    room: Path,
    gutter: Callable[[float], int | None] = lambda texel_mm: None,
) -> Drawn:
    """Play the scene and write maps of it: at once, or above ``LARGEST_WHOLE`` in windows; ``gutter`` as
    ``Order.gutter_at``.

    ``plan`` says which, once it is known what is on the surface: given its texels, and by what share ranges are to be
    widened.
    """
    texels: Texels
    bands: Iterable[Iterable[Tile]]
    if resolution <= LARGEST_WHOLE:
        texels, surface, notes = session.finished(resolution, until=until, say=say, watch=taker)
        say(0.9, "Writing files")
        bands, slack = whole_bands(texels, surface, taker.fields, gutter(texels.texel_mm)), 0.0
    else:
        windows, record = _decided(session, resolution, until, taker, say)
        texels, surface, notes = windows.whole, record.surface, session.empty_bases() + record.say
        pace = _Pace(count_tiles(windows), say)
        wide, slack = gutter(texels.texel_mm), _SLACK
        bands = window_bands(windows, session.scene, record, taker, pace.drawn, until=until, gutter=wide)
    return Drawn(write_rasters(plan(texels, surface, slack), resolution, bands, room), texels, surface, notes)


def _decided(
    session: Session, resolution: int, until: str | None, taker: MaskTaker, say: Say
) -> tuple[Windows, Record]:
    """The windows of a size, and what is decided for them on the whole of the object."""
    mesh = session.mesh
    mesh.need_uv()
    size = whole_size(len(mesh.uv_domains), resolution)
    player = session.exact(size, progress=lambda s: say(0.10 * s, "Measuring readings"))
    # Nobody comes back for what is made on the way.
    windows = Windows(player, resolution, Store(_KEPT))
    count, done = max(len(session.scene.layers), 1), 0

    def check() -> None:
        nonlocal done
        say(0.10 + 0.08 * min(done / count, 1.0), "Playing the chronicle")
        done += 1

    return windows, windows.record(session.scene, until=until, check=check, watch=taker)


class _Pace:
    """Says how far drawing is, and how long it will take."""

    def __init__(self, count: int, say: Say) -> None:
        self._count, self._say = count, say
        self._began = time.monotonic()

    def drawn(self, done: int) -> None:
        """So many tiles are drawn."""
        word = f"Drawing tile {min(done + 1, self._count)} of {self._count}"
        if done:
            left = (time.monotonic() - self._began) / done * (self._count - done)
            word += f", about {in_words(left)} left"
        self._say(0.18 + 0.78 * done / self._count, word)


def in_words(seconds: float) -> str:
    """A time that is left, as one says it: "40 s", "3 min", "1 h 20 min"."""
    if seconds < 55:
        return f"{max(5, 5 * round(seconds / 5)):.0f} s"
    minutes = round(seconds / 60)
    return f"{minutes} min" if minutes < 60 else f"{minutes // 60} h {minutes % 60} min"


def write_all(files: list[Written], folder: Path) -> None:
    """Put the files where they belong, each whole or not at all."""
    for file in files:
        file.to(folder / file.name)


@contextmanager
def delivery_room(folder: Path) -> Iterator[Path]:
    """A folder within ``folder`` for what is not whole yet; gone afterwards, and with it what others left that were
    killed.
    """
    folder.mkdir(parents=True, exist_ok=True)
    for old in folder.glob(f"{_ROOM}*"):
        owner = old.name.removeprefix(_ROOM).split("-")[0]
        if owner.isdigit() and not Path(f"/proc/{owner}").exists():
            shutil.rmtree(old, ignore_errors=True)
    room = Path(tempfile.mkdtemp(prefix=f"{_ROOM}{os.getpid()}-", dir=folder))
    try:
        yield room
    finally:
        shutil.rmtree(room, ignore_errors=True)
