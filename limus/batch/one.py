"""Doing one row, wherever that is."""

from __future__ import annotations

import time
from collections.abc import Mapping
from pathlib import Path

from limus.batch.kept import Done, Kept
from limus.batch.row import Work
from limus.common.errors import InputError
from limus.playing.measuring import Say
from limus.playing.needed import in_bytes
from limus.playing.session import Session
from limus.review.portrait import portrait_on
from limus.targets.delivery import deliver, outlook
from limus.targets.packing import portable
from limus.targets.written import Written

#: Texels along a side that the picture of a report is made from, at most.
SHOWN = 256
PICTURE = "thumbnail.png"


def made(
    work: Work, place: Mapping[str, Path], room: Path, say: Say, *, limit: int | None = None
) -> tuple[list[Written], list[str], bytes]:
    """The files of a row, which lie in ``room``, what there is to say of them, and a PNG of the surface. ``place``:
    where its files lie here.

    Raises
    ------
    InputError : as ``deliver``; it takes more than ``limit`` bytes. Cancelled : through ``say``.
    """
    session = Session(work.scene, lambda name: place[name] if name in place else Path(name))
    # Before the long part: what cannot be is refused at once.
    needed = outlook(session, work.order).needed
    if limit is not None and needed.at(work.order.resolution) > limit:
        raise InputError(
            f"it takes about {needed.said(work.order.resolution)} of memory, and the worker has {in_bytes(limit)}",
            where="resolution",
            remedy=f"Take {max(needed.fitting(work.order.kind.sizes, limit))}, or give workers more memory",
        )
    files, notes = deliver(session, work.order, progress=say, room=room)
    return files, notes, portrait_on(session.exact(min(SHOWN, work.order.resolution)), work.scene)


def put(files: list[Written], notes: list[str], picture: bytes, work: Work, kept: Kept, began: float) -> Done:
    """Put the files of a row where they belong, each whole or not at all, and note it. What an earlier time delivered
    there and this one does not is taken away; whatever else lies there is nobody's business.
    """
    target, before = kept.folder / work.out, kept.rows.get(work.out)
    all_of_it = [
        *files,
        Written("scene.json", portable(work.scene).model_dump_json(indent=2).encode()),
        Written(PICTURE, picture),
    ]
    sizes = {file.name: file.size for file in all_of_it}
    # Half of the old and half of the new is neither: who is killed meanwhile does it again.
    kept.note(Done("", work.out, dict.fromkeys({*sizes, *(before.files if before is not None else ())}, 0)))
    for file in all_of_it:
        file.to(target / file.name)
    for name in before.files if before is not None else ():
        if name not in sizes:
            (target / name).unlink(missing_ok=True)
    done = Done(work.key, work.out, sizes, notes, round(time.monotonic() - began, 2))
    kept.note(done)
    return done
