"""Batches of a project: rows that name its objects, done one after the other by one job."""

from __future__ import annotations

import json
import shutil
import zipfile
from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser

from limus.batch.one import PICTURE
from limus.batch.row import Work, adjusted, ordered, row_from
from limus.batch.run import FIRST, REPORT, Outcome, apart, carried_out, here
from limus.common.errors import InputError
from limus.common.named_files import named_files
from limus.common.wording import one_of
from limus.document.treatment import Treatment
from limus.document.treatments import shipped
from limus.formats.files import bytes_of
from limus.targets.packing import write_zip
from limus.targets.written import OnDisk, file_stem
from server.jobs.models import Job
from server.projects import storage, treatments
from server.projects.data_files import find
from server.projects.intake import own_files_only
from server.projects.models import KeptOrder, OwnTreatment, Project, WorkObject

#: Columns of a sheet for the command line that name files there.
_ELSEWHERE = ("scene", "scale", "base", "setting")
MOST_ROWS = 500


def planned(
    rows: list[dict[str, str]], project: Project, owner: AbstractBaseUser
) -> tuple[dict[int, Work], dict[int, str]]:
    """Row number -> what it asks for, or what is wrong with it; numbers as a table program counts them."""
    works: dict[int, Work] = {}
    failed: dict[int, str] = {}
    for k, cells in enumerate(rows, FIRST):
        given = {column: value.strip() for column, value in cells.items() if value.strip()}
        if not given:
            continue
        where = f"row {k}"
        try:
            works[k] = _work(given, project, owner, where)
        except InputError as error:
            line = error.line
            failed[k] = line if line.startswith(where) else f"{where}: {line}"
    for k, error in apart(works).items():
        failed[k] = error.line
        del works[k]
    return works, failed


def _work(cells: Mapping[str, str], project: Project, owner: AbstractBaseUser, where: str) -> Work:
    for column in _ELSEWHERE:
        if column in cells:
            raise InputError(
                f"the column '{column}' is for sheets of the command line", where=where,
                remedy="Name an object of the project in the column object",
            )  # fmt: skip
    row = row_from(cells, where)
    item = _object(row.object, project)
    scene = item.scene()
    # Asked once more, whatever was let in when it was saved.
    own_files_only(scene, project)
    scene = adjusted(row, scene, find, partial(_treatment, owner))
    own_files_only(scene, project)
    files = {name: find(name) for name in sorted(set(named_files(scene).values()))}
    # Files of the data folder are named by their content: their names are as good as sums.
    return Work(row.out or file_stem(item.name), scene, ordered(row, _kept(row.order, owner)), files, {})


def _object(name: str, project: Project) -> WorkObject:
    items = list(project.items.all())
    named = [item for item in items if item.name == name] or [item for item in items if str(item.pk) == name]
    if len(named) > 1:
        raise InputError(
            f"{len(named)} objects are called '{name[:60]}'", where="object",
            remedy=f"Name one by its number: {', '.join(str(item.pk) for item in named[:8])}",
        )  # fmt: skip
    if not named:
        raise InputError(
            f"there is no object '{name[:60]}' in this project", where="object",
            remedy=one_of([item.name for item in items], name) if items else "Bring one in first",
        )  # fmt: skip
    return named[0]


def _treatment(owner: AbstractBaseUser, name: str) -> Treatment:
    own = OwnTreatment.objects.filter(owner_id=owner.pk, name=name).first()
    if own is not None:
        return treatments.named(owner, f"own:{own.pk}")
    by_title = next((key for key, one in shipped().items() if one.name.lower() == name.lower()), None)
    return treatments.named(owner, by_title or name)


def _kept(name: str, owner: AbstractBaseUser) -> dict[str, Any]:
    if not name:
        return {}
    kept = KeptOrder.objects.filter(owner_id=owner.pk, name=name).first()
    if kept is None:
        have = list(KeptOrder.objects.filter(owner_id=owner.pk).values_list("name", flat=True))
        raise InputError(
            f"no settings are kept as '{name[:60]}'", where="order",
            remedy=one_of(have, name) if have else "Keep some in the Export stage first",
        )  # fmt: skip
    return dict(kept.document)


def folder_of(job: Job) -> Path:
    """Where the rows of a job lie until it is done."""
    return storage.data() / "batches" / str(job.pk)


def _delivery(job: Job) -> str:
    return f"deliveries/{job.pk}-{job.attempt}.zip"


def do(job: Job, say: Callable[[float, str], None]) -> str:
    """Do the rows of a job; where its process was lost it goes on where that stopped. Gives the file of the delivery.

    Raises
    ------
    Cancelled : through ``say``. InputError : no row could be done.
    """
    assert job.project is not None
    works, failed = planned(job.options["rows"], job.project, job.owner)
    folder = folder_of(job)
    lines: dict[int, str] = {}

    def told(through: float, count: int, line: str) -> None:
        share = through / max(count, 1)
        say(0.98 * share, f"{int(through)} of {count} rows")
        if line:
            note()

    def note() -> None:
        Job.objects.filter(pk=job.pk, attempt=job.attempt).update(
            options={**job.options, "through": sorted(_done(folder)), "failed": {**failed, **lines}}
        )

    def doing(works: Any, room: Path, over: Any, each: Any) -> None:
        here(works, room, _noted(over, lines), each, settings.JOB_MEMORY)

    found: Outcome = carried_out(works, failed, folder, told, doing, title=job.project.name)
    lines.update(found.failed)
    note()
    if not found.done:
        first = next(iter(found.failed.values()), "there is no row in it")
        shutil.rmtree(folder, ignore_errors=True)
        raise InputError(f"no row could be done; {first}".rstrip("."), remedy="Mend it and start again")
    name = _delivery(job)
    outs = [row.out for row in found.done.values()]
    files = [
        OnDisk(path.relative_to(folder).as_posix(), path)
        for out in outs for path in sorted((folder / out).rglob("*")) if path.is_file()
    ]  # fmt: skip
    write_zip([*files, OnDisk(REPORT, folder / REPORT)], storage.data() / name)
    shutil.rmtree(folder, ignore_errors=True)
    return name


def _noted(over: Callable[..., None], lines: dict[int, str]) -> Callable[..., None]:
    def told(k: int, made: Any) -> None:
        if isinstance(made, InputError):
            lines[k] = f"row {k}: {made.line}"
        over(k, made)

    return told


def _done(folder: Path) -> list[str]:
    path = folder / "batch.json"
    if not path.is_file():
        return []
    rows = json.loads(bytes_of(path))["rows"]
    return [out for out, row in rows.items() if row["key"] and not row["error"]]


def picture_of(job: Job, out: str) -> bytes | None:
    """PNG of a row that is done."""
    if out not in job.options.get("through", ()):
        return None
    # The rows move into the zip a moment before the job says so.
    path = storage.data() / (job.file or _delivery(job))
    if path.is_file():
        with zipfile.ZipFile(path) as pack:
            name = f"{out}/{PICTURE}"
            return pack.read(name) if name in pack.namelist() else None
    beside = folder_of(job) / out / PICTURE
    return bytes_of(beside) if beside.is_file() else None
