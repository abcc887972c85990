"""A delivery: the finished object as one of the targets."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from limus.common.registry import discover
from limus.formats.files import write_whole
from limus.masks.hand.vertex_paint import painted_colours
from limus.materials.encode import in_use
from limus.playing.measuring import Say
from limus.playing.needed import Needed, needed_by
from limus.playing.session import Session
from limus.readings.measured import Measured
from limus.targets import kinds
from limus.targets.masks import MaskTaker, mask_files, mask_names, masks_asked
from limus.targets.target import Target
from limus.targets.written import Written

TARGETS: dict[str, type[Target]] = discover(kinds, Target)
#: Size at which it is found out what a delivery will hold.
_LOOK = 256
#: Bytes a texel of a mask that goes along.
_MASK = 4


@dataclass(frozen=True)
class Along:
    """Masks that go along: ``masks`` as ``masks_asked`` takes them; ``packed`` four to a file."""

    masks: tuple[str, ...] = ()
    packed: bool = False


#: Nothing goes along.
ALONE = Along()


@dataclass(frozen=True)
class Outlook:
    """What a delivery will be: the names of its files, and the memory that it takes."""

    files: list[str]
    needed: Needed


def outlook(session: Session, target: str, along: Along = ALONE) -> Outlook:
    """What ``deliver`` will give and take: the chronicle is played small, to see which channels something is in and how
    much it holds.

    Raises
    ------
    InputError : no UVs, or a mask that there is none of.
    """
    asked = masks_asked(along.masks, session.scene)
    mesh = session.mesh
    mesh.need_uv()
    readings = session.measuring.best()
    measured = readings.measured if readings is not None else Measured.blank(session.texels(_LOOK))
    chronicle = session.chronicle(measured, _LOOK, weather=readings is not None and session.scene.asks_for_weather)
    pile = chronicle.as_made(session.scene)
    for chapter in chronicle.playing(session.scene):
        pile = chapter.pile
    surface = chronicle.finish(pile)
    used = {channel.name for channel in in_use(surface.sheet)}
    name = session.scene.name
    files = TARGETS[target]().names(name, mesh, used) + mask_names(name, mesh, asked, packed=along.packed)
    return Outlook(files, needed_by(chronicle, pile, surface, more=_MASK * len(asked)))


def deliver(
    session: Session,
    target: str,
    resolution: int,
    *,
    bits: int = 8,
    along: Along = ALONE,
    progress: Say | None = None,
) -> tuple[list[Written], list[str]]:
    """All files of a delivery, in memory, and what layers and channels have to say about it.

    ``target`` is one of ``TARGETS``, ``along`` the masks that go with it; may raise ``Cancelled`` through ``progress``.
    """
    scene, mesh = session.scene, session.mesh
    taker = MaskTaker(scene, masks_asked(along.masks, scene))
    texels, surface, notes = session.finished(resolution, say=progress, watch=taker)
    if progress:
        progress(0.9, "Writing files")
    if scene.vertex_paint:
        mesh = replace(mesh, colours=painted_colours(mesh, scene.vertex_paint, session.find))
    out, said = TARGETS[target]().files(scene.name, mesh, texels, surface, bits)
    out += mask_files(scene.name, texels, taker, bits, packed=along.packed)
    if progress:
        progress(1.0, "Done")
    return out, notes + said + taker.said()


def write_all(files: list[Written], folder: Path) -> None:
    """Write the files, each whole or not at all."""
    for file in files:
        write_whole(folder / file.name, file.data)
