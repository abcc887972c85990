"""What is stored has an owner, a budget and an end.

Rows go first, files after: a file without a row is swept away, a row without a file never comes about.
"""

from __future__ import annotations

import os
import re
import shutil
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.contrib.sessions.models import Session as WebSession
from django.db import DatabaseError, transaction
from django.db.models import Max, Sum
from django.utils import timezone

from limus.common.errors import InputError
from limus.formats.files import write_whole
from limus.readings.kept import cache_folder
from server.jobs.models import Job
from server.projects.data_files import is_exact
from server.projects.disk import disk_is_full
from server.projects.models import Facts, FileUse, Intake, KeptFile, Project, SourceFile, WorkObject

#: What nobody refers to is left alone for so long: it may be on its way (a stroke is written before the scene names
#: it).
YOUNG = timedelta(minutes=30)
#: Readings of an earlier state of an object, finished jobs and what they wrote, intakes nobody came back to.
READINGS_KEPT, JOBS_KEPT, INTAKES_KEPT, SAMPLES_KEPT = (
    timedelta(days=3),
    timedelta(days=14),
    timedelta(days=1),
    timedelta(days=30),
)


#: Names that the system gives to temporary folders.
_LEFT = re.compile(r"tmp[a-z0-9_]{8}")
#: Folder of what is on its way, by requests that are under way.
UPLOADS = "uploads"


def data() -> Path:
    """The folder of everything."""
    return Path(settings.DATA_DIR)


def unnamed(paths: Iterable[str]) -> list[Path]:
    """What lies on disk for these files and is named by no row any more: to be asked after the rows are gone.

    An object and a picture lie in a folder named by the digest of their content. The same picture under another name
    lies in the same folder, so a file goes by itself as long as somebody names another one beside it.
    """
    out = []
    for path in sorted(set(paths)):
        if not is_exact(path) or _named(path=path):
            continue
        pieces = path.split("/")
        folder = "/".join(pieces[:2])
        if len(pieces) == 2:
            out.append(data() / path)
        elif not _named(path__startswith=f"{folder}/"):
            out.append(data() / folder)
        elif pieces[0] == "pictures":
            out.append(data() / path)
    return out


def _named(**which: str) -> bool:
    """Whether any row names such a file, whoever it belongs to."""
    return SourceFile.objects.filter(**which).exists() or FileUse.objects.filter(**which).exists()


def size_of(place: Path) -> int:
    """Bytes of a file, or of all files in a folder."""
    try:
        if place.is_dir():
            return sum(p.stat().st_size for p in place.rglob("*") if p.is_file())
        return place.stat().st_size
    except OSError:
        return 0


# -- who uses what ---------------------------------------------------------------------------------


@dataclass
class Usage:
    """Bytes of one person's things."""

    files: int = 0
    deliveries: int = 0
    intakes: int = 0

    @property
    def total(self) -> int:
        """What counts against the quota: readings can be made again, so they do not."""
        return self.files + self.deliveries + self.intakes


def usage_of(owner: AbstractBaseUser) -> Usage:
    """What somebody's projects take."""
    # One file may be in several projects of theirs; it lies on disk once.
    each = SourceFile.objects.filter(project__owner_id=owner.pk).order_by().values("path").annotate(once=Max("size"))
    files = each.aggregate(all=Sum("once"))["all"] or 0
    deliveries = Job.objects.filter(owner_id=owner.pk).aggregate(size=Sum("size"))["size"] or 0
    intakes = sum(size_of(i.folder) for i in Intake.objects.filter(project__owner_id=owner.pk))
    return Usage(files, deliveries, intakes)


def room_for(owner: AbstractBaseUser) -> int:
    """Bytes that somebody may still bring in."""
    quota: int = settings.QUOTA
    return max(0, quota - usage_of(owner).total)


def need_room(owner: AbstractBaseUser, size: int, name: str) -> None:
    """Refuse what does not fit any more.

    Raises
    ------
    InputError : more than the quota leaves.
    """
    left = room_for(owner)
    if size > left:
        raise InputError(
            f"you have {left >> 20} MB left of {settings.QUOTA >> 20} MB",
            where=name,
            remedy="Remove objects, pictures or projects that you no longer need",
        )


def note_kept(object_id: int, names: Iterable[str], *, whole: bool) -> None:
    """Files that can be made again were made or used for an object; ``whole``: these are all that its present state
    needs.
    """
    now = timezone.now()
    if not WorkObject.objects.filter(pk=object_id).exists():
        return
    rows = [KeptFile(object_id=object_id, name=name, used=now) for name in names]
    KeptFile.objects.bulk_create(rows, update_conflicts=True, unique_fields=["object", "name"], update_fields=["used"])
    if whole:
        # Those of earlier states stay for a while, for undo.
        KeptFile.objects.filter(object_id=object_id, used__lt=now - READINGS_KEPT).delete()


# -- a full disk, a lost database ------------------------------------------------------------------

#: Bytes kept aside: on a full disk removing needs room itself, for the journal of the database.
RESERVE = 16 << 20


def reserve() -> None:
    """Keep the room aside; nothing where there is none now."""
    place = data() / ".reserve"
    try:
        if size_of(place) < RESERVE and shutil.disk_usage(data()).free > 4 * RESERVE:
            write_whole(place, os.urandom(RESERVE))
    except OSError:
        pass


@contextmanager
def _with_room() -> Iterator[list[bool]]:
    """For removing: where the disk is full, the room kept aside is given away, and ``again`` says that it is worth
    another try.
    """
    again: list[bool] = []
    try:
        yield again
    except (DatabaseError, OSError) as error:
        place = data() / ".reserve"
        if not disk_is_full(error) or not place.exists():
            raise
        place.unlink(missing_ok=True)
        again.append(True)


def removing(work: Callable[[], Iterable[Path]]) -> None:
    """Remove rows, then the files that ``work`` gives; also on a full disk."""
    gone: Iterable[Path] = ()
    with _with_room() as again:
        gone = work()
    if again:
        gone = work()
    _unlink(gone)


def note_backup(place: Path) -> None:
    """Remember where the last backup is, for whoever needs it."""
    write_whole(data() / "last-backup", f"{place.resolve()}\n{timezone.now():%Y-%m-%d %H:%M}\n".encode())


def last_backup() -> str:
    """Where the last backup is and of when; "" where there is none."""
    try:
        place, when, *_ = (data() / "last-backup").read_text().splitlines()
    except (OSError, ValueError):
        return ""
    return f"{place} (of {when})" if Path(place).is_dir() else ""


# -- removing --------------------------------------------------------------------------------------


def remove_object(item: WorkObject) -> None:
    """Remove an object with its history, and what only it used."""
    pk = item.pk

    def rows() -> list[Path]:
        with transaction.atomic():
            here = WorkObject.objects.select_related("project").get(pk=pk)
            paths = set(here.uses.values_list("path", flat=True))
            project = here.project
            deliveries = list(here.jobs.exclude(file="").values_list("file", flat=True))
            WorkObject.objects.filter(pk=pk).update(head=None)
            here.delete()
            gone = _unused_rows(project, paths)
        return [*gone, *(data() / name for name in deliveries), *_portraits(pk)]

    removing(rows)


def remove_project(project: Project) -> None:
    """Remove a project with everything in it that no other project has."""
    pk = project.pk

    def rows() -> list[Path]:
        with transaction.atomic():
            here = Project.objects.get(pk=pk)
            items = list(here.items.all())
            rest = [
                data() / name
                for of in (*items, here)
                for name in of.jobs.exclude(file="").values_list("file", flat=True)
            ]
            rest += [p for item in items for p in _portraits(item.pk)]
            rest += [intake.folder for intake in here.intakes.all()]
            paths = set(here.files.values_list("path", flat=True))
            WorkObject.objects.filter(project=here).update(head=None)
            here.delete()
            # Bases of their own outlive the project that their maps came with.
            gone = unnamed(paths)
        return [*gone, *rest]

    removing(rows)


def remove_picture(row: SourceFile) -> None:
    """Remove a picture that nothing uses.

    Raises
    ------
    InputError : an object or a base uses it.
    """
    uses = FileUse.objects.filter(path=row.path, object__project=row.project).select_related("object")
    names = sorted({use.object.name for use in uses if use.object is not None})
    bases = FileUse.objects.filter(path=row.path, base__owner_id=row.project.owner_id).select_related("base")
    names += sorted({use.base.name for use in bases if use.base is not None})
    names += [f"the photograph {one.name}" for one in row.project.photographs.filter(path=row.path)]
    if names:
        shown = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
        raise InputError(
            f"{shown} use it, now or in an earlier version",
            where=row.name,
            remedy="Remove those first, or leave the picture",
        )
    path, pk = row.path, row.pk

    def rows() -> list[Path]:
        with transaction.atomic():
            SourceFile.objects.filter(pk=pk).delete()
            return unnamed([path])

    removing(rows)


def _unused_rows(project: Project, paths: set[str]) -> list[Path]:
    """Remove rows of files that nothing of the project names any more; what lies on disk for them and nobody else."""
    used = set(FileUse.objects.filter(path__in=paths, object__project=project).values_list("path", flat=True))
    used |= set(FileUse.objects.filter(path__in=paths, base__owner_id=project.owner_id).values_list("path", flat=True))
    gone = sorted(paths - used)
    for start in range(0, len(gone), 500):
        SourceFile.objects.filter(project=project, path__in=gone[start : start + 500]).delete()
    return unnamed(gone)


def _portraits(pk: int) -> list[Path]:
    return list((data() / "portraits").glob(f"{pk}-*.png"))


def _unlink(places: Iterable[Path]) -> int:
    """Remove files and folders; what cannot be removed now is swept later. Bytes that were freed."""
    freed = 0
    for place in places:
        size = size_of(place)
        if place.is_dir():
            shutil.rmtree(place, ignore_errors=True)
        else:
            try:
                place.unlink()
            except OSError:
                continue
        freed += size
    return freed


# -- sweeping --------------------------------------------------------------------------------------


@dataclass
class Swept:
    """Bytes that were, or would be, freed by what they were."""

    freed: dict[str, int] = field(default_factory=lambda: defaultdict(int))

    @property
    def total(self) -> int:
        """All of it."""
        return sum(self.freed.values())


def _old(place: Path, age: timedelta) -> bool:
    try:
        return place.stat().st_mtime < (timezone.now() - age).timestamp()
    except OSError:
        return False


def _entries(folder: Path) -> Iterator[Path]:
    if folder.is_dir():
        yield from sorted(folder.iterdir())


def sweep(*, really: bool = True) -> Swept:
    """Remove what nobody refers to, what outlived its time, and what is over its budget, the longest unused first."""
    out = Swept()

    def drop(what: str, place: Path) -> None:
        out.freed[what] += _unlink([place]) if really else size_of(place)

    now = timezone.now()
    # Jobs that ended long ago, with what they wrote.
    old = Job.objects.exclude(state__in=[Job.QUEUED, Job.RUNNING]).filter(created__lt=now - JOBS_KEPT)
    stale = list(old.exclude(file="").values_list("file", flat=True))
    if really:
        old.delete()
    for name in stale:
        drop("deliveries", data() / name)
    _over_budget(out, really)
    # Intakes nobody came back to.
    forgotten = Intake.objects.filter(created__lt=now - INTAKES_KEPT)
    folders = [intake.folder for intake in forgotten]
    if really:
        forgotten.delete()
    for folder in folders:
        drop("intakes", folder)
    alive = {str(pk) for pk in Intake.objects.values_list("pk", flat=True)}
    for place in _entries(data() / "intakes"):
        if place.name not in alive and place not in folders and _old(place, YOUNG):
            drop("intakes", place)
    # Uploads that ended with their server; those of earlier versions lie beside the folder.
    for place in (
        *_entries(data() / UPLOADS),
        *(p for p in _entries(data()) if p.is_dir() and _LEFT.fullmatch(p.name)),
    ):
        if _old(place, YOUNG):
            drop("uploads", place)
    # Files without a row. Names first, then rows: what is written in between has one.
    for kind in ("objects", "pictures", "strokes"):
        places = [p for p in _entries(data() / kind) if _old(p, YOUNG)]
        known = {
            Path(path).parts[1]
            for rows in (SourceFile.objects, FileUse.objects)
            for path in rows.filter(path__startswith=f"{kind}/").values_list("path", flat=True)
        }
        for place in places:
            if place.name not in known:
                drop(kind, place)
    files = set(Job.objects.exclude(file="").values_list("file", flat=True))
    for place in _entries(data() / "deliveries"):
        if f"deliveries/{place.name}" not in files and _old(place, YOUNG):
            drop("deliveries", place)
    going = {str(pk) for pk in Job.objects.filter(state__in=[Job.QUEUED, Job.RUNNING]).values_list("pk", flat=True)}
    for place in _entries(data() / "batches"):
        # Rows of a batch that ended without a delivery.
        if place.name not in going and _old(place, YOUNG):
            drop("deliveries", place)
    objects = {str(pk) for pk in WorkObject.objects.values_list("pk", flat=True)}
    for place in _entries(data() / "portraits"):
        if place.name.split("-")[0] not in objects:
            drop("portraits", place)
    for place in _entries(data() / "samples"):
        if _old(place, SAMPLES_KEPT):
            drop("samples", place)
    _readings(out, really)
    if really:
        reserve()
        Facts.objects.filter(created__lt=now - JOBS_KEPT).delete()
        WebSession.objects.filter(expire_date__lt=now).delete()
    return out


def _over_budget(out: Swept, really: bool) -> None:
    """Deliveries beyond what one person may keep: the oldest go; their jobs stay and say so."""
    held: dict[int, int] = defaultdict(int)
    for job in Job.objects.exclude(file="").order_by("-pk"):
        held[job.owner_id] += job.size
        if held[job.owner_id] > settings.DELIVERIES_BUDGET:
            place = data() / job.file
            if really:
                Job.objects.filter(pk=job.pk).update(file="", size=0)
                out.freed["deliveries"] += _unlink([place])
            else:
                out.freed["deliveries"] += size_of(place)


def _readings(out: Swept, really: bool) -> None:
    """Readings that belong to no object any more, and those over the budget, the longest unused first."""
    used: dict[str, float] = {}
    for name, when in KeptFile.objects.values_list("name", "used"):
        used[name] = max(used.get(name, 0.0), when.timestamp())
    places = [p for p in _entries(cache_folder()) if p.is_file()]
    total = 0
    for place in sorted(places, key=lambda p: -used.get(p.name, 0.0)):
        size = size_of(place)
        orphan = place.name not in used and _old(place, YOUNG)
        if orphan or total + size > settings.READINGS_BUDGET:
            out.freed["readings"] += _unlink([place]) if really else size
            if really:
                KeptFile.objects.filter(name=place.name).delete()
        else:
            total += size
