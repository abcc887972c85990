"""Doing the rows of a sheet: what is done already stays, what cannot be done is said, and the others go on."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from limus.batch.kept import Done, Kept
from limus.batch.one import made, put
from limus.batch.report import report
from limus.batch.row import Work, apart, row_from, work_of
from limus.common.errors import InputError
from limus.common.store import shared
from limus.formats.files import write_whole
from limus.playing.measuring import Say
from limus.targets.delivery import delivery_room, in_words
from limus.targets.written import Written

#: Number of the first row below the names of the columns, as a table program counts them.
FIRST = 2
REPORT = "report.html"


@dataclass
class Outcome:
    """What became of a batch: row number -> what was done (``fresh`` those done now), or why it failed."""

    done: dict[int, Done] = field(default_factory=dict)
    failed: dict[int, str] = field(default_factory=dict)
    fresh: set[int] = field(default_factory=set)


#: Told what is going on: rows that are through, with the share of the one that is under way; rows in all; and a line.
Told = Callable[[float, int, str], None]
#: Does rows: given those to do, calls back for each; see ``here``.
Doing = Callable[[Mapping[int, Work], Path, Callable[[int, "Made | InputError"], None], Say], None]


@dataclass(frozen=True)
class Made:
    """A row that was made: its files, what there is to say, its picture, and when it began (``time.monotonic``)."""

    files: list[Written]
    notes: list[str]
    picture: bytes
    began: float


def planned(rows: Sequence[Mapping[str, str]], folder: Path) -> tuple[dict[int, Work], dict[int, str]]:
    """Row number -> what it asks for, or what is wrong with it; an empty row is passed over."""
    works: dict[int, Work] = {}
    failed: dict[int, str] = {}
    for k, cells in enumerate(rows, FIRST):
        if not cells:
            continue
        try:
            works[k] = work_of(row_from(cells, f"row {k}"), folder, f"row {k}")
        except InputError as error:
            failed[k] = error.line
    for k, why in apart(works).items():
        failed[k] = why.line
        del works[k]
    return works, failed


def run(
    rows: Sequence[Mapping[str, str]], folder: Path, out: Path, told: Told, doing: Doing | None = None, *,
    title: str = "Batch",
) -> Outcome:  # fmt: skip
    """Do the rows of a sheet in ``folder``; what they deliver goes into folders of ``out``, with a report.

    Raises
    ------
    Cancelled : through ``told``; what is done stays, and is not done again the next time.
    OSError : ``out`` cannot be written, or is full.
    """
    return carried_out(*planned(rows, folder), out, told, doing, title=title)


def carried_out(
    works: Mapping[int, Work],
    failed: Mapping[int, str],
    out: Path,
    told: Told,
    doing: Doing | None = None,
    *,
    title: str = "Batch",
) -> Outcome:
    """The same, of rows that are planned: ``failed`` those that cannot be."""
    out.mkdir(parents=True, exist_ok=True)
    kept, result = Kept(out), Outcome(failed=dict(sorted(failed.items())))
    kept.only([work.out for work in works.values()])
    count = len(works) + len(failed)
    left: dict[int, Work] = {}
    for k, work in works.items():
        there = kept.stands(work.out, work.key)
        if there is None:
            left[k] = work
        else:
            result.done[k] = there
    through = count - len(left)
    for line in result.failed.values():
        told(through, count, line)
    pace = _Pace(len(left))
    with delivery_room(out) as room:

        def over(k: int, made_: Made | InputError) -> None:
            nonlocal through
            through += 1
            pace.one()
            if isinstance(made_, InputError):
                result.failed[k] = f"row {k}: {made_.line}"
                told(through, count, result.failed[k])
                return
            done = put(made_.files, made_.notes, made_.picture, left[k], kept, made_.began)
            result.done[k] = done
            result.fresh.add(k)
            told(through, count, f"row {k}: {done.out} in {done.seconds:.0f} s{pace.left()}")

        def say(share: float, word: str) -> None:
            # It is through when its files lie where they belong.
            told(through + min(share, 0.99), count, "")

        if left:
            (doing or here)(left, room, over, say)
    write_whole(out / REPORT, report(title, works, result.done, result.failed).encode())
    return result


def here(
    works: Mapping[int, Work],
    room: Path,
    over: Callable[[int, Made | InputError], None],
    say: Say,
    limit: int | None = None,
) -> None:
    """One row after the other, each on all cores of this machine, none with more than ``limit`` bytes."""
    for k, work in works.items():
        began = time.monotonic()
        inside = room / str(k)
        inside.mkdir()
        try:
            files, notes, picture = made(work, work.files, inside, say, limit=limit)
        except InputError as error:
            over(k, error)
            continue
        except MemoryError:
            over(k, InputError("there is not enough memory for it", remedy="Take a smaller resolution"))
            continue
        over(k, Made(files, notes, picture, began))
        # The next object has nothing in common with this one.
        shared().clear()


class _Pace:
    """How long it will take, from how long it took."""

    def __init__(self, count: int) -> None:
        self._count, self._done, self._began = count, 0, time.monotonic()

    def one(self) -> None:
        """One more is through."""
        self._done += 1

    def left(self) -> str:
        """In words, with a comma before them; nothing when all are through."""
        rest = self._count - self._done
        return f", about {in_words((time.monotonic() - self._began) / self._done * rest)} left" if rest else ""
