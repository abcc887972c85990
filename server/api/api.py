"""The API. Every query is scoped to the signed-in user; bad input answers with one clear line."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Literal

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import NinjaAPI
from ninja.security import django_auth
from pydantic import BaseModel, ConfigDict, Field

from limus.chronicle import Chapter
from limus.delivery import TARGETS, file_stem
from limus.effects.catalogue import EFFECTS
from limus.errors import Cancelled, InputError
from limus.masks.recipe import SOURCES, Cut, Term
from limus.materials.base import BASES
from limus.materials.channels import CHANNEL_TITLES
from limus.readings.catalogue import READINGS
from limus.scene import Scene, scene_from
from server.api.evaluation import EvaluationOut, Evaluator, Look, hidden_notes
from server.jobs import runner
from server.jobs.models import Job
from server.projects.intake import take_in
from server.projects.models import Project, SceneVersion, StaleEdit, WorkObject
from server.projects.workshop import workshop

api = NinjaAPI(title="Limus", version="1", auth=django_auth, docs_url=None)


class Problem(BaseModel):
    """Any refusal: one line for a person, and its pieces."""

    message: str
    problem: str = ""
    where: str = ""
    remedy: str = ""


class Stale(Problem):
    """409: the scene as it is now, to go on from."""

    version: int
    document: dict[str, Any]


@api.exception_handler(InputError)
def _bad_input(request: HttpRequest, error: InputError) -> HttpResponse:
    return api.create_response(request, error.as_dict(), status=422)


@api.exception_handler(Cancelled)
def _superseded(request: HttpRequest, error: Cancelled) -> HttpResponse:
    return api.create_response(request, {"message": "A newer request took its place."}, status=409)


class ObjectBrief(BaseModel):
    """An object in a list."""

    id: int
    name: str


class ProjectOut(BaseModel):
    """A project and its objects."""

    id: int
    name: str
    objects: list[ObjectBrief]


class SessionOut(BaseModel):
    """Who is signed in, and whether by themselves (demo)."""

    user: str
    demo: bool


class FieldsOut(BaseModel):
    """An effect or a source: its words, and the JSON Schema of its fields."""

    kind: str
    title: str
    about: str
    family: str = ""
    group: str = ""
    sentence: str = ""
    sets_coverage: bool = False
    looks_back: bool = False
    low: float = 0.0
    high: float = 1.0
    schema_: dict[str, Any] = Field(alias="schema")
    where: dict[str, Any] = Field(default_factory=dict)
    defaults: dict[str, Any] = Field(default_factory=dict)

    model_config = ConfigDict(populate_by_name=True)


class ReadingOut(BaseModel):
    """A reading that can be looked through."""

    kind: str
    title: str
    unit: str
    size: str
    default_size_mm: float
    about: str


class CatalogueOut(BaseModel):
    """Everything the interface draws its controls from."""

    effects: list[FieldsOut]
    sources: list[FieldsOut]
    term: dict[str, Any]
    cut: dict[str, Any]
    readings: list[ReadingOut]
    channels: dict[str, str]
    bases: list[str]
    targets: list[str]


class VersionOut(BaseModel):
    """A version of the scene, and which way history goes from it."""

    version: int
    number: int
    label: str
    saved: str
    document: dict[str, Any]
    can_undo: bool
    undo_label: str
    can_redo: bool
    redo_label: str


class ObjectOut(BaseModel):
    """An object with its scene."""

    id: int
    project: int
    project_name: str
    name: str
    digest: str
    facts: dict[str, Any]
    readings: Literal["good", "draft", "missing"]
    scene: VersionOut


class EditIn(BaseModel):
    """A new version of the scene, made on version ``base``."""

    model_config = ConfigDict(extra="forbid")
    base: int
    document: dict[str, Any]
    label: str = Field("Edit", max_length=120)


class StepIn(BaseModel):
    """Undo or redo from version ``base``."""

    model_config = ConfigDict(extra="forbid")
    base: int


class EvaluateIn(BaseModel):
    """What to evaluate. ``document`` may be unsaved (while dragging); without it the saved scene is used."""

    model_config = ConfigDict(extra="forbid")
    ticket: int = Field(0, ge=0)
    client: str = Field("", max_length=40)
    document: dict[str, Any] | None = None
    resolution: Literal[128, 256, 512, 1024, 2048] = 512
    until: str | None = Field(None, max_length=40, description="Play up to this layer; '' for as made")
    look: Look = Field(default_factory=Look)
    selected: str = Field("", max_length=40)
    pictures: bool = False


class JobIn(BaseModel):
    """Long work to start."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["measure", "export"]
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


def _owner(request: HttpRequest) -> AbstractBaseUser:
    return request.user  # type: ignore[return-value]


def _object(request: HttpRequest, object_id: int) -> WorkObject:
    return get_object_or_404(
        WorkObject.objects.select_related("project", "head", "head__parent"), pk=object_id, project__owner=_owner(request)
    )


def _version(item: WorkObject) -> VersionOut:
    head = item.head
    assert head is not None
    redo = SceneVersion.objects.filter(pk=item.undone[-1]).first() if item.undone else None
    return VersionOut(
        version=head.pk,
        number=head.number,
        label=head.label,
        saved=head.created.isoformat(),
        document=head.document,
        can_undo=head.parent_id is not None,
        undo_label=head.label if head.parent_id else "",
        can_redo=redo is not None,
        redo_label=redo.label if redo else "",
    )


def _stale(request: HttpRequest, item: WorkObject) -> HttpResponse:
    item.refresh_from_db()
    assert item.head is not None
    body = Stale(
        message="The scene was changed in another window. Its newest state has been loaded; make your edit again.",
        problem="the edit was made on an older version",
        where="base",
        remedy="Load the newest version and make the edit again",
        version=item.head.pk,
        document=item.head.document,
    )
    return api.create_response(request, body.model_dump(), status=409)


@api.get("/session", response=SessionOut)
def session(request: HttpRequest) -> SessionOut:
    """Who is here."""
    return SessionOut(user=_owner(request).get_username(), demo=settings.DEMO_SIGN_IN)


@api.get("/catalogue", response=CatalogueOut, by_alias=True)
def catalogue(request: HttpRequest) -> CatalogueOut:
    """Effects, sources, readings and channels with the schemas of their fields."""
    effects = [
        FieldsOut(
            kind=kind, title=e.title, about=e.summary, family=e.family, sets_coverage=e.sets_coverage, schema=e.model_json_schema(),
            where=e.default_where().model_dump(mode="json"), defaults=e().model_dump(mode="json"),
        )
        for kind, e in EFFECTS.items()
    ]  # fmt: skip
    sources = [
        FieldsOut(
            kind=kind, title=s.title, about=(s.__doc__ or "").strip().split("\n")[0], group=s.group, sentence=s.sentence, looks_back=s.looks_back,
            low=s.suggest[0], high=s.suggest[1], schema=s.model_json_schema(), defaults=s().model_dump(mode="json"),
        )
        for kind, s in SOURCES.items()
    ]  # fmt: skip
    readings = [
        ReadingOut(kind=k, title=r.title, unit=r.unit, size=r.size, default_size_mm=r.default_size_mm, about=r.about)
        for k, r in READINGS.items()
    ]
    return CatalogueOut(
        effects=effects,
        sources=sources,
        term={"properties": {k: v for k, v in Term.model_json_schema()["properties"].items() if k != "source"}},
        cut=Cut.model_json_schema(),
        readings=readings,
        channels=CHANNEL_TITLES,
        bases=list(BASES),
        targets=list(TARGETS),
    )


@api.get("/projects", response=list[ProjectOut])
def projects(request: HttpRequest) -> list[ProjectOut]:
    """The user's projects."""
    rows = Project.objects.filter(owner=_owner(request)).prefetch_related("items")
    return [ProjectOut(id=p.pk, name=p.name, objects=[ObjectBrief(id=o.pk, name=o.name) for o in p.items.all()]) for p in rows]


class ProjectIn(BaseModel):
    """A new project."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=120)


@api.post("/projects", response={201: ProjectOut})
def new_project(request: HttpRequest, body: ProjectIn) -> tuple[int, ProjectOut]:
    """Start a project."""
    project = Project.objects.create(owner=_owner(request), name=body.name)
    return 201, ProjectOut(id=project.pk, name=project.name, objects=[])


def _pieces(request: HttpRequest) -> Iterator[bytes]:
    while piece := request.read(1 << 20):
        yield piece


@api.put("/projects/{int:project_id}/objects", response={201: ObjectBrief, 422: Problem})
def add_object(request: HttpRequest, project_id: int, name: str) -> tuple[int, ObjectBrief]:
    """Upload an object: the raw bytes of a GLB file as the body."""
    project = get_object_or_404(Project, pk=project_id, owner=_owner(request))
    item = take_in(project, name, _pieces(request))
    return 201, ObjectBrief(id=item.pk, name=item.name)


@api.delete("/objects/{int:object_id}", response={204: None})
def remove_object(request: HttpRequest, object_id: int) -> tuple[int, None]:
    """Remove an object with its history. Its file stays while another object uses it."""
    item = _object(request, object_id)
    path, digest = item.path, item.digest
    with transaction.atomic():
        WorkObject.objects.filter(pk=item.pk).update(head=None)
        item.delete()
    if not WorkObject.objects.filter(digest=digest).exists():
        path.unlink(missing_ok=True)
    return 204, None


@api.get("/objects/{int:object_id}", response=ObjectOut)
def get_object(request: HttpRequest, object_id: int) -> ObjectOut:
    """An object with its scene and history."""
    item = _object(request, object_id)
    found = workshop().measured(item)
    return ObjectOut(
        id=item.pk,
        project=item.project_id,
        project_name=item.project.name,
        name=item.name,
        digest=item.digest,
        facts=item.facts,
        readings=found[0] if found else "missing",  # type: ignore[arg-type]
        scene=_version(item),
    )


@api.get("/objects/{int:object_id}/mesh.glb", include_in_schema=False)
def mesh(request: HttpRequest, object_id: int) -> HttpResponse:
    """The bare mesh for the 3D view; the address carries the digest, so it may be kept for ever."""
    item = _object(request, object_id)
    response = HttpResponse(workshop().bare_glb(item.digest, item.pk), content_type="model/gltf-binary")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    response["ETag"] = f'"{item.digest}"'
    return response


@api.put("/objects/{int:object_id}/scene", response={200: VersionOut, 409: Stale, 422: Problem})
def edit(request: HttpRequest, object_id: int, body: EditIn) -> Any:
    """Store an edit as a new version. 409 when the scene was changed elsewhere since ``base``."""
    item = _object(request, object_id)
    scene = scene_from(body.document, item.name)
    try:
        item.commit(body.base, scene.model_dump(mode="json"), body.label)
    except StaleEdit:
        return _stale(request, item)
    if item.name != scene.name:
        WorkObject.objects.filter(pk=item.pk).update(name=scene.name)
    return 200, _version(item)


def _step(request: HttpRequest, object_id: int, body: StepIn, back: bool) -> Any:
    item = _object(request, object_id)
    try:
        item.step(body.base, back=back)
    except StaleEdit:
        return _stale(request, item)
    return 200, _version(item)


@api.post("/objects/{int:object_id}/undo", response={200: VersionOut, 409: Stale})
def undo(request: HttpRequest, object_id: int, body: StepIn) -> Any:
    """Point at the version before; the same version where there is none."""
    return _step(request, object_id, body, True)


@api.post("/objects/{int:object_id}/redo", response={200: VersionOut, 409: Stale})
def redo(request: HttpRequest, object_id: int, body: StepIn) -> Any:
    """Return to the version that undo stepped back from."""
    return _step(request, object_id, body, False)


@api.post("/objects/{int:object_id}/evaluate", response={200: EvaluationOut, 409: Problem, 422: Problem, 425: Problem})
def evaluate(request: HttpRequest, object_id: int, body: EvaluateIn) -> Any:
    """Evaluate for the view. A newer request of the same tab makes an older one stop with 409."""
    began = time.perf_counter()
    item = _object(request, object_id)
    owner = _owner(request).pk
    shop = workshop()
    shop.newest(owner, body.client, body.ticket)
    scene = scene_from(body.document, item.name) if body.document is not None else item.scene()
    found = shop.measured(item)
    if found is None:
        return 425, Problem(
            message="The object has not been measured yet. Measure it first.", remedy="Start a job of kind 'measure'"
        )
    quality, measured = found

    def check() -> None:
        shop.check(owner, body.client, body.ticket)

    with shop.room:
        check()
        chronicle = shop.chronicle(item, measured, body.resolution)
        work = Evaluator(chronicle, scene, owner, shop.maps, shop.cache)
        chapters = chronicle.play(scene, check=check)
        pile = _moment(scene, chapters, body.until, chronicle.as_made(scene))
        check()
        out = EvaluationOut(
            ticket=body.ticket,
            resolution=body.resolution,
            readings=quality,  # type: ignore[arg-type]
            texel_mm=chronicle.texels.texel_mm,
            maps=work.lit(pile) if body.look.kind == "lit" else None,
            look=work.look(body.look, chapters, pile),
            layers=work.layers(chapters, pictures=body.pictures),
            coats=work.coats(pile, pictures=body.pictures),
            where=work.where(body.selected, chapters, pictures=body.pictures) if body.selected else None,
            pictures=work.small_pictures(chapters, pile) if body.pictures else {},
        )
        hidden_notes(out.layers, out.coats, scene)
    out.spent_ms = round((time.perf_counter() - began) * 1000, 1)
    return 200, out


def _moment(scene: Scene, chapters: list[Chapter], until: str | None, as_made: Any) -> Any:
    if until is None:
        return chapters[-1].pile if chapters else as_made
    pile = as_made
    played = {c.layer.id: c.pile for c in chapters}
    for layer in scene.layers:
        if until == "":
            break
        pile = played.get(layer.id, pile)
        if layer.id == until:
            break
    return pile


@api.get("/maps/{name}", include_in_schema=False)
def get_map(request: HttpRequest, name: str) -> HttpResponse:
    """A finished picture by the hash of its content."""
    if request.headers.get("If-None-Match") == f'"{name}"':
        return HttpResponse(status=304)
    found = workshop().maps.get(_owner(request).pk, name)
    if found is None:
        return api.create_response(request, {"message": "This picture is no longer kept. Evaluate again."}, status=404)
    response = HttpResponse(found[0], content_type=found[1])
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    response["ETag"] = f'"{name}"'
    return response


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
        word=job.word,
        error=job.error,
        file=f"/api/jobs/{job.pk}/file" if job.file else "",
        seconds_left=left,
    )  # type: ignore[arg-type]


@api.post("/objects/{int:object_id}/jobs", response={201: JobOut})
def start_job(request: HttpRequest, object_id: int, body: JobIn) -> tuple[int, JobOut]:
    """Start long work: measure the readings, or export the saved scene."""
    item = _object(request, object_id)
    runner.requeue_stale()
    if body.kind == "measure":
        # Two tabs that open the same object share one measurement.
        running = Job.objects.filter(
            object=item, kind="measure", state__in=[Job.QUEUED, Job.RUNNING], cancel_requested=False
        ).first()
        if running is not None:
            return 201, _job_out(running)
    assert item.head is not None
    options: dict[str, Any] = (
        {}
        if body.kind == "measure"
        else {"target": body.target, "resolution": body.resolution, "bits": body.bits, "document": item.head.document}
    )
    with transaction.atomic():
        job = Job.objects.create(owner=_owner(request), object=item, kind=body.kind, options=options)
        runner.start(job)
    return 201, _job_out(job)


def _job(request: HttpRequest, job_id: int) -> Job:
    return get_object_or_404(Job.objects.select_related("object"), pk=job_id, owner=_owner(request))


@api.get("/jobs/{int:job_id}", response=JobOut)
def get_job(request: HttpRequest, job_id: int) -> JobOut:
    """How far it is."""
    return _job_out(_job(request, job_id))


@api.post("/jobs/{int:job_id}/cancel", response=JobOut)
def cancel_job(request: HttpRequest, job_id: int) -> JobOut:
    """Ask it to stop; one that waits stops at once, one that runs within a second."""
    job = _job(request, job_id)
    Job.objects.filter(pk=job.pk).update(cancel_requested=True)
    Job.objects.filter(pk=job.pk, state=Job.QUEUED).update(state=Job.CANCELLED, word="Cancelled")
    job.refresh_from_db()
    return _job_out(job)


@api.get("/jobs/{int:job_id}/file", include_in_schema=False)
def job_file(request: HttpRequest, job_id: int) -> Any:
    """Download what an export wrote."""
    job = _job(request, job_id)
    path = Path(settings.DATA_DIR) / job.file
    if not job.file or not path.is_file():
        return api.create_response(request, {"message": "There is no file. Export again."}, status=404)
    return FileResponse(
        path.open("rb"),
        as_attachment=True,
        filename=f"{file_stem(job.object.name)}-{job.options['target']}-{job.options['resolution']}.zip",
        content_type="application/zip",
    )
