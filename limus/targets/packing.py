"""A delivery as one file: what was made, the scene, what was drawn for it, and what there is to say."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from pathlib import Path, PurePosixPath

from limus.document.scene import Scene
from limus.formats.files import bytes_of
from limus.formats.picture_read import check_picture
from limus.formats.zip_write import write_zip as zipped
from limus.intake.object_file import Neighbour, ObjectFile, Twin
from limus.masks.hand.stroke import load_stroke
from limus.playing.measuring import Say
from limus.playing.session import Session
from limus.targets.delivery import deliver
from limus.targets.order import Order
from limus.targets.written import Written

#: Folders of what is drawn, and of pictures that were brought in for it.
STROKES, PICTURES = "strokes/", "pictures/"
#: What there is to say of a delivery.
NOTES = "notes.txt"


def packed(
    session: Session,
    order: Order,
    *,
    progress: Say | None = None,
    room: Path | None = None,
) -> tuple[Iterator[Written], list[str]]:
    """The files of a delivery, which may lie in ``room`` until they are taken, and what there is to say of it:
    notes.txt where that is something, scene.json, and the strokes and pictures that the scene reads, each read when its
    turn comes.

    Raises
    ------
    InputError : as ``deliver``; while the files are taken: a picture that is not what it is named for.
    """
    files, notes = deliver(session, order, progress=progress, room=room)
    return _all(session, files, notes, progress), notes


def _all(session: Session, files: list[Written], notes: list[str], progress: Say | None) -> Iterator[Written]:
    if progress:
        progress(0.98, "Packing")
    yield from files
    if notes:
        text = "".join(f"{note if note.endswith('.') else note + '.'}\n" for note in notes)
        yield Written(NOTES, text.encode())
    yield Written("scene.json", portable(session.scene).model_dump_json(indent=2).encode())
    for name in sorted(drawn_files(session.scene, session.find)):
        if name.startswith(PICTURES):
            # Nothing goes out that is not what it is named for; strokes were read when they were listed.
            check_picture(session.find(name), name.rsplit("/", 1)[-1])
        yield Written(name, bytes_of(session.find(name)))


def write_zip(files: Iterable[Written], path: Path) -> None:
    """All of it in one zip, whole or not at all."""
    zipped(((file.name, file.size, file.into) for file in files), path)


def drawn_files(scene: Scene, find: Callable[[str], Path]) -> set[str]:
    """Strokes and pictures that the scene would read with all layers on, and the pictures that its strokes are
    stamped with.
    """
    out = {
        name
        for name in scene.files.values()
        if name.startswith((STROKES, PICTURES)) and ".." not in PurePosixPath(name).parts
    }
    stamps = {load_stroke(name, find).brush.picture for name in out if name.startswith(STROKES)}
    return out | {name for name in stamps if name}


def portable(scene: Scene) -> Scene:
    """The scene with bare names of its objects: paths of one machine mean nothing on another."""
    out = scene.model_copy(deep=True)
    holders: list[ObjectFile | Neighbour | Twin] = [out.object, *out.object.neighbours]
    if out.object.twin is not None:
        holders.append(out.object.twin)
    for holder in holders:
        holder.file = holder.file.rsplit("/", 1)[-1]
    return out
