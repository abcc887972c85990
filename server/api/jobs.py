"""Long work: starting it, following it, cancelling it, and fetching what came of it."""

from __future__ import annotations

import zipfile
from datetime import timedelta
from pathlib import Path
from typing import Any, Literal

from django.conf import settings
from django.db import transaction
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from pydantic import BaseModel, ConfigDict, Field

from limus.common.errors import InputError
from limus.document.scene import Scene
from limus.playing.needed import in_bytes
from limus.targets.delivery import Outlook, outlook
from limus.targets.order import Order
from limus.targets.packing import drawn_files
from limus.targets.written import file_stem
from server.api.answers import Problem, object_of, owner_of
from server.jobs.lanes import waits_for
from server.jobs.models import Job
from server.jobs.starting import start
from server.projects.data_files import find
from server.projects.gate import gate
from server.projects.models import WorkObject
from server.projects.workshop import session_of
from server.work import runner

router = Router()
#: A running job that said nothing for so long is not said to be on its way.
SILENT = timedelta(seconds=8)


class JobIn(BaseModel):
    """Long work to start."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["measure", "export", "unwrap"]
    quality: Literal["good", "fine"] = "good"
    order: Order = Field(default_factory=Order, description="What an export is to be")


class JobOut(BaseModel):
    """Long work and how far it is."""

    id: int
    kind: str
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    progress: float
    word: str
    error: str
    file: str
    model: str = Field(description="Where the GLB lies that an export holds; empty where it holds none")
    seconds_left: float | None


def job_out(job: Job) -> JobOut:
    left = None
    word = waits_for(job) if job.state == Job.QUEUED else job.word
    silent = job.state == Job.RUNNING and job.heartbeat is not None and timezone.now() - job.heartbeat > SILENT
    if silent:
        # Its process is gone, or has not come to itself; the keeper sees to it. No time is promised.
        word = "Waiting for a sign of its process"
    elif job.state == Job.RUNNING and job.started and job.heartbeat and job.progress > 0.05:
        spent = (job.heartbeat - job.started).total_seconds()
        left = round(spent / job.progress * (1 - job.progress), 1)
    return JobOut(
        id=job.pk,
        kind=job.kind,
        state=job.state,
        progress=job.progress,
        word=word,
        error=job.error,
        file=f"/api/jobs/{job.pk}/file" if job.file else "",
        model=f"/api/jobs/{job.pk}/model.glb" if job.kind == "export" and job.file and _model_in(job) else "",
        seconds_left=left,
    )  # type: ignore[arg-type]


@router.post("/objects/{int:object_id}/jobs", response={201: JobOut, 422: Problem})
def start_job(request: HttpRequest, object_id: int, body: JobIn) -> tuple[int, JobOut]:
    """Start long work: measure the readings, or export the saved scene."""
    item = object_of(request, object_id)
    assert item.head is not None
    if body.kind != "export":
        # Two tabs that open the same object share one measurement.
        running = Job.objects.filter(
            object=item,
            kind=body.kind,
            options__version=item.head_id,
            options__quality=body.quality,
            state__in=[Job.QUEUED, Job.RUNNING],
            cancel_requested=False,
        ).first()
        if running is not None:
            return 201, job_out(running)
    options: dict[str, Any] = {"version": item.head_id, "quality": body.quality}
    if body.kind == "unwrap":
        # The scene takes the UVs up by itself, whether anybody still looks or not.
        options["take_up"] = True
    if body.kind == "export":
        fits(item, body.order)
        options["order"] = body.order.model_dump(mode="json", exclude_defaults=True)
    else:
        # What was measured for an older version of the scene is not waited for.
        Job.objects.filter(object=item, kind=body.kind, state__in=[Job.QUEUED, Job.RUNNING]).update(
            cancel_requested=True
        )
    with transaction.atomic():
        job = Job.objects.create(owner=owner_of(request), object=item, kind=body.kind, options=options)
        start(job)
    job.refresh_from_db()
    return 201, job_out(job)


class DeliveryOut(BaseModel):
    """What an export would write; the sizes that this server has the memory for; and what each takes, of how many bytes
    that an export may.
    """

    files: list[str]
    maps: list[str] = Field(description="Titles of the maps, where each can have a size of its own")
    sizes: list[int]
    takes: dict[int, str]
    memory: str
    notes: list[str] = Field(description="What there is to say of the order")


@router.post("/objects/{int:object_id}/delivery", response={200: DeliveryOut, 422: Problem})
def delivery(request: HttpRequest, object_id: int, body: Order) -> DeliveryOut:
    """Names of the files of an export of the saved scene, by the very code that writes them; nothing is written."""
    item = object_of(request, object_id)
    scene = item.scene()
    found = _outlook(scene, body)
    sizes = body.kind.sizes
    return DeliveryOut(
        maps=found.maps,
        files=[*found.files, "scene.json", *sorted(drawn_files(scene, find))],
        sizes=found.needed.fitting(sizes, settings.JOB_MEMORY),
        takes={size: found.needed.said(size) for size in sizes},
        memory=in_bytes(settings.JOB_MEMORY),
        notes=found.notes,
    )


def _outlook(scene: Scene, order: Order) -> Outlook:
    session = session_of(scene)
    with gate.turn(256, lambda: session.is_warm(256)):
        return outlook(session, order)


def fits(item: WorkObject, order: Order) -> None:
    """Refuse an export that memory does not hold, or that gives two files one name, before it starts.

    Raises
    ------
    InputError : with what it takes and the size that would do.
    """
    needed = _outlook(item.scene(), order).needed
    if needed.at(order.resolution) <= settings.JOB_MEMORY:
        return
    sizes = needed.fitting(order.kind.sizes, settings.JOB_MEMORY)
    if order.resolution > min(sizes):
        sets = needed.sets
        raise InputError(
            f"{order.resolution} x {order.resolution} for {sets} map set{'s' if sets != 1 else ''} takes about "
            f"{needed.said(order.resolution)} of memory, and an export on this server may take "
            f"{in_bytes(settings.JOB_MEMORY)}",
            where="resolution",
            remedy=f"Export at {max(sizes)}, or take layers off",
            value=str(order.resolution),
            accepted=", ".join(map(str, sizes)),
        )


def _job(request: HttpRequest, job_id: int) -> Job:
    return get_object_or_404(Job.objects.select_related("object", "project"), pk=job_id, owner=owner_of(request))


@router.get("/jobs/{int:job_id}", response=JobOut)
def get_job(request: HttpRequest, job_id: int) -> JobOut:
    """How far it is."""
    return job_out(_job(request, job_id))


@router.post("/jobs/{int:job_id}/cancel", response=JobOut)
def cancel_job(request: HttpRequest, job_id: int) -> JobOut:
    """Ask it to stop; one that waits stops at once, one that runs within a second."""
    job = _job(request, job_id)
    Job.objects.filter(pk=job.pk).update(cancel_requested=True)
    if Job.objects.filter(pk=job.pk, state=Job.QUEUED).exists():
        runner.finish(job, Job.CANCELLED, word="Cancelled")
    job.refresh_from_db()
    return job_out(job)


def _download_name(job: Job) -> str:
    if job.object is None:
        return f"{file_stem(job.project.name if job.project is not None else 'limus')}-batch-{job.pk}.zip"
    order = runner.order_of(job)
    return f"{file_stem(job.object.name)}-{order.target}-{order.resolution}.zip"


def _model_in(job: Job) -> str:
    """Name of the GLB in what an export wrote, if there is one."""
    try:
        with zipfile.ZipFile(Path(settings.DATA_DIR) / job.file) as pack:
            return next((name for name in pack.namelist() if name.endswith(".glb") and "/" not in name), "")
    except (OSError, zipfile.BadZipFile):
        return ""


@router.get("/jobs/{int:job_id}/model.glb", include_in_schema=False)
def job_model(request: HttpRequest, job_id: int) -> Any:
    """The GLB of an export, out of the very file that is downloaded, for the view."""
    job = _job(request, job_id)
    name = _model_in(job) if job.file else ""
    if not name:
        return JsonResponse({"message": "There is no GLB in this export, or it is gone. Export again."}, status=404)
    pack = zipfile.ZipFile(Path(settings.DATA_DIR) / job.file)
    # What is read goes on after the pack itself is closed.
    with pack:
        member = pack.open(name)
    return FileResponse(member, content_type="model/gltf-binary")


@router.get("/jobs/{int:job_id}/file", include_in_schema=False)
def job_file(request: HttpRequest, job_id: int) -> Any:
    """Download what an export wrote."""
    job = _job(request, job_id)
    path = Path(settings.DATA_DIR) / job.file
    if not job.file or not path.is_file():
        return HttpResponse(
            '{"message": "There is no file any more: deliveries are kept for a while only. Export again."}',
            status=404,
            content_type="application/json",
        )
    return FileResponse(
        path.open("rb"),
        as_attachment=True,
        filename=_download_name(job),
        content_type="application/zip",
    )
