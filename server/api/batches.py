"""Batches: many objects of a project delivered at once."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Annotated, Any

from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Query, Router
from pydantic import BaseModel, ConfigDict, Field

from limus.batch.row import COLUMNS
from limus.batch.run import FIRST
from limus.common.errors import InputError
from limus.common.refusal import refuse_odd_text
from limus.formats.files import write_whole
from limus.formats.sheet_read import LARGEST, read_sheet
from server.api.answers import Problem, body_pieces, owner_of, project_of
from server.api.jobs import JobOut, job_out
from server.jobs.models import Job
from server.jobs.starting import start
from server.projects import batches
from server.projects.models import Project

router = Router()
Cells = dict[Annotated[str, Field(max_length=40)], Annotated[str, Field(max_length=4000)]]


class SheetIn(BaseModel):
    """Rows of a sheet: column -> text. Columns are those of ``limus batch``; ``object`` names one of the project."""

    model_config = ConfigDict(extra="forbid")
    rows: list[Cells] = Field(min_length=1, max_length=batches.MOST_ROWS)


class RowPlan(BaseModel):
    """What a row will do, or what is wrong with it."""

    row: int
    out: str
    problem: str


class BatchRow(BaseModel):
    """What became of a row: ``state`` "done", "failed" or "waiting"."""

    row: int
    object: str
    out: str
    state: str
    problem: str
    picture: str


class BatchOut(BaseModel):
    """A batch and its rows."""

    job: JobOut
    rows: list[BatchRow]


class SheetOut(BaseModel):
    """What a file held."""

    columns: list[str]
    rows: list[dict[str, str]]


@router.post("/projects/{int:project_id}/sheet", response={200: SheetOut, 422: Problem})
def read(request: HttpRequest, project_id: int, name: str = Query(max_length=200)) -> SheetOut:
    """The rows of a .csv or .xlsx file: the raw body. Nothing is done with them yet."""
    project_of(request, project_id)
    data = b""
    for piece in body_pieces(request):
        data += piece
        if len(data) > LARGEST:
            break
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"sheet{Path(name).suffix.lower()[:8]}"
        write_whole(path, data)
        rows = read_sheet(path)
    refuse_odd_text(rows, name[:80])
    if len(rows) > batches.MOST_ROWS:
        raise InputError(f"it has more than {batches.MOST_ROWS} rows", where=name[:80], remedy="Divide it into several")
    return SheetOut(columns=list(COLUMNS), rows=rows)


@router.post("/projects/{int:project_id}/batches/plan", response={200: list[RowPlan], 422: Problem})
def plan(request: HttpRequest, project_id: int, body: SheetIn) -> list[RowPlan]:
    """What a sheet would do, row by row; nothing is done."""
    works, failed = batches.planned(body.rows, project_of(request, project_id), owner_of(request))
    out = [RowPlan(row=k, out=work.out, problem="") for k, work in works.items()]
    out += [RowPlan(row=k, out="", problem=line) for k, line in failed.items()]
    return sorted(out, key=lambda one: one.row)


@router.post("/projects/{int:project_id}/batches", response={201: JobOut, 422: Problem})
def new_batch(request: HttpRequest, project_id: int, body: SheetIn) -> tuple[int, JobOut]:
    """Begin it. Rows that cannot be done are said; the others are done."""
    project = project_of(request, project_id)
    works, failed = batches.planned(body.rows, project, owner_of(request))
    if not works:
        line = next(iter(failed.values()), "there is no row in it")
        raise InputError(line.rstrip("."), where="rows", remedy="Fill in at least one row that can be done")
    outs = {str(k): work.out for k, work in works.items()}
    with transaction.atomic():
        job = Job.objects.create(
            owner=owner_of(request), project=project, kind="batch",
            options={"rows": body.rows, "outs": outs, "failed": failed, "through": []},
        )  # fmt: skip
        start(job)
    job.refresh_from_db()
    return 201, job_out(job)


@router.get("/projects/{int:project_id}/batches", response=list[BatchOut])
def all_batches(request: HttpRequest, project_id: int) -> list[BatchOut]:
    """Those of a project that are kept, the newest first."""
    project = project_of(request, project_id)
    return [_out(job, project) for job in project.jobs.filter(kind="batch").order_by("-pk")[:20]]


@router.get("/batches/{int:job_id}", response=BatchOut)
def get_batch(request: HttpRequest, job_id: int) -> BatchOut:
    """How far one is, row by row."""
    job = _batch(request, job_id)
    assert job.project is not None
    return _out(job, job.project)


@router.get("/batches/{int:job_id}/rows/{int:row}/picture", include_in_schema=False)
def row_picture(request: HttpRequest, job_id: int, row: int) -> HttpResponse:
    """PNG of a row that is done."""
    job = _batch(request, job_id)
    data = batches.picture_of(job, str(job.options.get("outs", {}).get(str(row), "")))
    if data is None:
        raise Http404
    return HttpResponse(data, content_type="image/png", headers={"Cache-Control": "private, max-age=86400"})


def _batch(request: HttpRequest, job_id: int) -> Job:
    return get_object_or_404(Job.objects.select_related("project"), pk=job_id, kind="batch", owner=owner_of(request))


def _out(job: Job, project: Project) -> BatchOut:
    options: dict[str, Any] = job.options
    through, outs = set(options.get("through", ())), options.get("outs", {})
    failed = {str(k): line for k, line in options.get("failed", {}).items()}
    rows = []
    for k, cells in enumerate(options["rows"], FIRST):
        out = outs.get(str(k), "")
        if not out and str(k) not in failed:
            continue
        done = out in through and str(k) not in failed
        rows.append(
            BatchRow(
                row=k, object=str(cells.get("object", ""))[:120], out=out, problem=failed.get(str(k), ""),
                state="done" if done else "failed" if str(k) in failed else "waiting",
                picture=f"/api/batches/{job.pk}/rows/{k}/picture" if done else "",
            )
        )  # fmt: skip
    return BatchOut(job=job_out(job), rows=rows)
