"""Long work: starting it, following it, cancelling it, and fetching what came of it."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal

from django.conf import settings
from django.db import transaction
from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router
from pydantic import BaseModel, ConfigDict

from limus.delivery import file_stem
from server.api.answers import object_of, owner_of
from server.jobs import runner
from server.jobs.lanes import waits_for
from server.jobs.models import Job

router = Router()


class JobIn(BaseModel):
    """Long work to start."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["measure", "export", "unwrap"]
    quality: Literal["good", "fine"] = "good"
    target: Literal["gltf", "maps"] = "gltf"
    resolution: Literal[256, 512, 1024, 2048, 4096] = 2048
    bits: Literal[8, 16] = 8


class JobOut(BaseModel):
    """Long work and how far it is."""

    id: int
    kind: str
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    progress: float
    word: str
    error: str
    file: str
    seconds_left: float | None


def _job_out(job: Job) -> JobOut:
    left = None
    if job.state == Job.RUNNING and job.started and job.heartbeat and job.progress > 0.05:
        spent = (job.heartbeat - job.started).total_seconds()
        left = round(spent / job.progress * (1 - job.progress), 1)
    return JobOut(
        id=job.pk,
        kind=job.kind,
        state=job.state,
        progress=job.progress,
        word=waits_for(job) if job.state == Job.QUEUED else job.word,
        error=job.error,
        file=f"/api/jobs/{job.pk}/file" if job.file else "",
        seconds_left=left,
    )  # type: ignore[arg-type]


@router.post("/objects/{int:object_id}/jobs", response={201: JobOut})
def start_job(request: HttpRequest, object_id: int, body: JobIn) -> tuple[int, JobOut]:
    """Start long work: measure the readings, or export the saved scene."""
    item = object_of(request, object_id)
    runner.requeue_stale()
    assert item.head is not None
    if body.kind != "export":
        # Two tabs that open the same object share one measurement.
        running = Job.objects.filter(
            object=item,
            kind=body.kind,
            options__document=item.head.document,
            options__quality=body.quality,
            state__in=[Job.QUEUED, Job.RUNNING],
            cancel_requested=False,
        ).first()
        if running is not None:
            return 201, _job_out(running)
    options: dict[str, Any] = {"document": item.head.document, "quality": body.quality}
    if body.kind == "export":
        options |= {"target": body.target, "resolution": body.resolution, "bits": body.bits}
    else:
        # What was measured for an older version of the scene is not waited for.
        Job.objects.filter(object=item, kind=body.kind, state__in=[Job.QUEUED, Job.RUNNING]).update(cancel_requested=True)
    with transaction.atomic():
        job = Job.objects.create(owner=owner_of(request), object=item, kind=body.kind, options=options)
        runner.start(job)
    return 201, _job_out(job)


def _job(request: HttpRequest, job_id: int) -> Job:
    return get_object_or_404(Job.objects.select_related("object"), pk=job_id, owner=owner_of(request))


@router.get("/jobs/{int:job_id}", response=JobOut)
def get_job(request: HttpRequest, job_id: int) -> JobOut:
    """How far it is."""
    return _job_out(_job(request, job_id))


@router.post("/jobs/{int:job_id}/cancel", response=JobOut)
def cancel_job(request: HttpRequest, job_id: int) -> JobOut:
    """Ask it to stop; one that waits stops at once, one that runs within a second."""
    job = _job(request, job_id)
    Job.objects.filter(pk=job.pk).update(cancel_requested=True)
    Job.objects.filter(pk=job.pk, state=Job.QUEUED).update(state=Job.CANCELLED, word="Cancelled")
    job.refresh_from_db()
    return _job_out(job)


@router.get("/jobs/{int:job_id}/file", include_in_schema=False)
def job_file(request: HttpRequest, job_id: int) -> Any:
    """Download what an export wrote."""
    job = _job(request, job_id)
    path = Path(settings.DATA_DIR) / job.file
    if not job.file or job.object is None or not path.is_file():
        return HttpResponse('{"message": "There is no file. Export again."}', status=404, content_type="application/json")
    return FileResponse(
        path.open("rb"),
        as_attachment=True,
        filename=f"{file_stem(job.object.name)}-{job.options['target']}-{job.options['resolution']}.zip",
        content_type="application/zip",
    )
