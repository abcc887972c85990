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
from limus.formats.read import SUFFIXES
from limus.masks.recipe import SOURCES, Cut, Term
from limus.masks.stroke import Brush
from limus.materials.base import BASES
from limus.materials.channels import CHANNEL_TITLES
from limus.object_file import ObjectFile
from limus.readings.catalogue import READINGS
from limus.readings.measured import Measured
from limus.review.uv_look import UV_LOOKS
from limus.scene import Scene, scene_from
from limus.setting import Setting, Up
from limus.surface.pyramid import texels_of
from server.api.evaluation import READING_CARD, EvaluationOut, Evaluator, Look, hidden_notes
from server.jobs import runner
from server.jobs.models import Job
from server.projects.drawn import keep_picture, keep_stroke
from server.projects.intake import (
    COMPANIONS,
    accept,
    discard,
    files_of,
    own_files_only,
    receive,
    remove_unused,
    take_in,
    tidy,
)
from server.projects.models import Intake, Project, SceneVersion, StaleEdit, WorkObject
from server.projects.try_out import try_out_files
from server.projects.workshop import fitting, workshop

#: Readings that need sun, rain and run-off.
WEATHER = {reading for reading in READINGS.values() if reading.weather}

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
    """An object in a list, with the file it stands on (to take it as a neighbour)."""

    id: int
    name: str
    file: str = ""
    scale: float = 1.0
    up: str = "+y"


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
    reading: str = Field("", description="The reading that this source shows best")
    reading_size: str = Field("", description="Its field that takes the radius or reach of that reading")
    over: bool = Field(False, description="Drawn by hand: laid over the lines above it")
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
    components: list[str] = Field(default_factory=list)


class CatalogueOut(BaseModel):
    """Everything the interface draws its controls from."""

    effects: list[FieldsOut]
    sources: list[FieldsOut]
    term: dict[str, Any]
    cut: dict[str, Any]
    brush: dict[str, Any]
    readings: list[ReadingOut]
    uv_looks: dict[str, tuple[str, str]]
    setting: dict[str, Any]
    object: dict[str, Any]
    file_kinds: list[str]
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


class TwinOut(BaseModel):
    """What came of looking for the high-poly twin."""

    reach_mm: float
    matched: int
    parts: int
    missed: float = Field(description="Share of the texels that found nothing")


class ObjectOut(BaseModel):
    """An object with its scene."""

    id: int
    project: int
    project_name: str
    name: str
    digest: str
    facts: dict[str, Any]
    readings: Literal["fine", "good", "draft", "outdated", "missing"]
    missing_readings: dict[str, str] = Field(description="Readings with nothing to say of this object, and why")
    twin: TwinOut | None = None
    turn: list[list[float]] = Field(description="Place in the axes of the file = place in the view @ turn")
    scale: float = Field(description="Metres per unit of the file")
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
            kind=kind, title=s.title, about=(s.__doc__ or "").strip().split("\n")[0], group=s.group, sentence=s.sentence, looks_back=s.looks_back, reading=s.reading, reading_size=s.reading_size,
            over=s.over,            low=s.suggest[0], high=s.suggest[1], schema=s.model_json_schema(), defaults=s().model_dump(mode="json"),
        )
        for kind, s in SOURCES.items()
    ]  # fmt: skip
    readings = [
        ReadingOut(
            kind=k,
            title=r.title,
            unit=r.unit,
            size=r.size,
            default_size_mm=r.default_size_mm,
            about=r.about,
            components=list(r.components),
        )
        for k, r in READINGS.items()
    ]
    return CatalogueOut(
        effects=effects,
        sources=sources,
        term={"properties": {k: v for k, v in Term.model_json_schema()["properties"].items() if k != "source"}},
        cut=Cut.model_json_schema(),
        brush=Brush.model_json_schema(),
        readings=readings,
        uv_looks=UV_LOOKS,
        setting=Setting.model_json_schema(),
        object=ObjectFile.model_json_schema(),
        file_kinds=[*SUFFIXES, *COMPANIONS],
        channels=CHANNEL_TITLES,
        bases=list(BASES),
        targets=list(TARGETS),
    )


@api.get("/projects", response=list[ProjectOut])
def projects(request: HttpRequest) -> list[ProjectOut]:
    """The user's projects."""
    rows = Project.objects.filter(owner=_owner(request)).prefetch_related("items__head")
    return [ProjectOut(id=p.pk, name=p.name, objects=[_brief(o) for o in p.items.all()]) for p in rows]


def _brief(item: WorkObject) -> ObjectBrief:
    document = item.head.document if item.head is not None else {}
    object_ = document.get("object", {})
    return ObjectBrief(
        id=item.pk,
        name=item.name,
        file=object_.get("file", ""),
        scale=object_.get("scale", 1.0),
        up=document.get("setting", {}).get("up", "+y"),
    )


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
    """Bring in one file at once (the raw bytes as the body), with the size and axis that are suggested for it; for scripts.

    The interface uses intakes, which show what was found first.
    """
    project = get_object_or_404(Project, pk=project_id, owner=_owner(request))
    item = take_in(project, name, _pieces(request))
    return 201, ObjectBrief(id=item.pk, name=item.name)


class IntakeIn(BaseModel):
    """What is about to be brought in."""

    model_config = ConfigDict(extra="forbid")
    purpose: Literal["object", "replace", "twin"] = "object"
    object: int | None = Field(None, description="The object it is for, unless it is a new one")
    try_out: str = Field("", max_length=60, description="Take this try-out file of the demo instead of an upload")


class IntakeOut(BaseModel):
    """Files on their way in, and what was found."""

    id: int
    purpose: str
    state: Literal["receiving", "checking", "ready", "failed"]
    files: list[str]
    facts: dict[str, Any]
    report: dict[str, Any]
    error: str
    job: int | None = None


class AcceptIn(BaseModel):
    """How it is to be taken in."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field("", max_length=120)
    scale: float = Field(1.0, ge=1e-12, le=1e12, allow_inf_nan=False)
    up: Up = "+y"
    unwrap: bool = False
    turn: bool = False
    match: dict[str, str] = Field(default_factory=dict, description="Old part name -> new part name")
    base: int | None = Field(None, description="Version of the object it goes into")


def _intake(request: HttpRequest, intake_id: int) -> Intake:
    return get_object_or_404(
        Intake.objects.select_related("project", "target", "target__head"), pk=intake_id, project__owner=_owner(request)
    )


def _intake_out(intake: Intake, job: int | None = None) -> IntakeOut:
    files = sorted(p.name for p in intake.folder.iterdir()) if intake.folder.is_dir() else []
    return IntakeOut(
        id=intake.pk, purpose=intake.purpose, state=intake.state, files=files, facts=intake.facts, report=intake.report, error=intake.error, job=job,
    )  # type: ignore[arg-type]  # fmt: skip


@api.post("/projects/{int:project_id}/intakes", response={201: IntakeOut, 422: Problem})
def new_intake(request: HttpRequest, project_id: int, body: IntakeIn) -> tuple[int, IntakeOut]:
    """Begin to bring files in: a new object, a newer version of one, or a high-poly twin."""
    project = get_object_or_404(Project, pk=project_id, owner=_owner(request))
    target = get_object_or_404(project.items, pk=body.object) if body.purpose != "object" else None
    tidy()
    intake = Intake.objects.create(project=project, purpose=body.purpose, target=target)
    if body.try_out:
        found = try_out_files().get(body.try_out)
        if found is None:
            discard(intake)
            raise InputError(
                f"there is no try-out file '{body.try_out}'", where="try_out", remedy=f"Choose one of: {', '.join(try_out_files())}"
            )
        with found.open("rb") as file:
            receive(intake, found.name, iter(lambda: file.read(1 << 20), b""))
    return 201, _intake_out(intake)


@api.put("/intakes/{int:intake_id}/files", response={201: IntakeOut, 422: Problem})
def intake_file(request: HttpRequest, intake_id: int, name: str) -> tuple[int, IntakeOut]:
    """Send one file of it: raw bytes, written to disk as they come."""
    intake = _intake(request, intake_id)
    if intake.state not in (Intake.RECEIVING, Intake.FAILED):
        raise InputError("this intake takes no more files", where="intake", remedy="Begin a new one")
    receive(intake, name, _pieces(request))
    return 201, _intake_out(intake)


@api.post("/intakes/{int:intake_id}/check", response={202: IntakeOut})
def check_intake(request: HttpRequest, intake_id: int) -> tuple[int, IntakeOut]:
    """Have the files looked at, in the background."""
    intake = _intake(request, intake_id)
    Intake.objects.filter(pk=intake.pk).update(state=Intake.CHECKING, error="")
    with transaction.atomic():
        job = Job.objects.create(owner=_owner(request), intake=intake, kind="inspect")
        runner.start(job)
    intake.refresh_from_db()
    return 202, _intake_out(intake, job.pk)


@api.get("/intakes/{int:intake_id}", response=IntakeOut)
def get_intake(request: HttpRequest, intake_id: int) -> IntakeOut:
    """What was found so far."""
    return _intake_out(_intake(request, intake_id))


@api.post("/intakes/{int:intake_id}/accept", response={201: ObjectBrief, 409: Problem, 422: Problem})
def accept_intake(request: HttpRequest, intake_id: int, body: AcceptIn) -> Any:
    """Take it in. 409 when the object it is for was changed meanwhile: nothing is lost, look again and accept again."""
    intake = _intake(request, intake_id)
    try:
        item = accept(
            intake,
            name=body.name,
            scale=body.scale,
            up=body.up,
            unwrap=body.unwrap,
            turn=body.turn,
            match=body.match,
            base=body.base,
        )
    except StaleEdit:
        return 409, Problem(
            message="The object was changed in another window meanwhile. Look at its newest state, then accept again.",
            where="base",
            remedy="Accept again on the newest version",
        )
    return 201, _brief(item)


@api.delete("/intakes/{int:intake_id}", response={204: None})
def discard_intake(request: HttpRequest, intake_id: int) -> tuple[int, None]:
    """Do not take it in: its files are removed."""
    intake = _intake(request, intake_id)
    Job.objects.filter(intake=intake).update(cancel_requested=True)
    discard(intake)
    return 204, None


@api.get("/try-out", response=list[str])
def try_out(request: HttpRequest) -> list[str]:
    """Names of the try-out files that the demo has."""
    return sorted(try_out_files())


@api.delete("/objects/{int:object_id}", response={204: None})
def remove_object(request: HttpRequest, object_id: int) -> tuple[int, None]:
    """Remove an object with its history. Its files stay while another object names them."""
    item = _object(request, object_id)
    project = item.project
    files: set[str] = set()
    for version in item.versions.all():
        files |= files_of(version.document)
    with transaction.atomic():
        WorkObject.objects.filter(pk=item.pk).update(head=None)
        item.delete()
        remove_unused(project, files)
    return 204, None


@api.get("/objects/{int:object_id}", response={200: ObjectOut, 422: Problem})
def get_object(request: HttpRequest, object_id: int) -> ObjectOut:
    """An object with its scene and history."""
    return _object_out(_object(request, object_id))


def _object_out(item: WorkObject) -> ObjectOut:
    scene = item.scene()
    shop = workshop()
    with shop.room:
        facts = shop.facts(scene)
        readings, gaps = _quality(scene), {}
        mesh = shop.mesh(scene)
        if mesh.colours is None and not scene.vertex_paint:
            gaps["vertex_colour"] = "The file brought no vertex colours, and none are painted"
        if scene.object.twin is None:
            gaps["missed"] = "There is no high-poly twin"
        if not any(n.on for n in scene.object.neighbours):
            gaps["proximity"] = "There are no neighbours"
        twin = shop.twin_facts(scene)
    return ObjectOut(
        id=item.pk,
        project=item.project_id,
        project_name=item.project.name,
        name=item.name,
        digest=shop.mesh_key(scene),
        facts=facts,
        readings=readings,  # type: ignore[arg-type]
        missing_readings=gaps,
        twin=twin,
        turn=mesh.turn.tolist(),
        scale=mesh.scale,
        scene=_version(item),
    )


def _quality(scene: Scene) -> str:
    found = workshop().measured(scene)
    if found is None:
        return "missing"
    return found[0] if found[1] else "outdated"


@api.get("/objects/{int:object_id}/mesh.glb", include_in_schema=False)
def mesh(request: HttpRequest, object_id: int) -> HttpResponse:
    """The bare prepared mesh for the 3D view; the address carries its hash, so it may be kept for ever."""
    scene = _object(request, object_id).scene()
    key = workshop().mesh_key(scene)
    response = HttpResponse(workshop().bare_glb(key, scene.model_dump_json()), content_type="model/gltf-binary")
    if request.GET.get("v") == key:
        response["Cache-Control"] = "private, max-age=31536000, immutable"
    response["ETag"] = f'"{key}"'
    return response


@api.get("/objects/{int:object_id}/neighbours/{name}.glb", include_in_schema=False)
def neighbour(request: HttpRequest, object_id: int, name: str) -> HttpResponse:
    """A neighbour where it stands, for the 3D view."""
    scene = _object(request, object_id).scene()
    found = next((n for n in scene.object.neighbours if n.id == name), None)
    if found is None:
        return api.create_response(request, {"message": "There is no such neighbour. Load the object again."}, status=404)
    return HttpResponse(workshop().neighbour_glb(found.model_dump_json()), content_type="model/gltf-binary")


@api.put("/objects/{int:object_id}/scene", response={200: VersionOut, 409: Stale, 422: Problem})
def edit(request: HttpRequest, object_id: int, body: EditIn) -> Any:
    """Store an edit as a new version. 409 when the scene was changed elsewhere since ``base``."""
    item = _object(request, object_id)
    scene = scene_from(body.document, item.name)
    own_files_only(scene, item.project)
    try:
        item.commit(body.base, scene.model_dump(mode="json"), body.label)
    except StaleEdit:
        return _stale(request, item)
    if item.name != scene.name:
        WorkObject.objects.filter(pk=item.pk).update(name=scene.name)
    return 200, _version(item)


class StrokeIn(BaseModel):
    """A stroke, as docs/formats.md describes it; checked by the core."""

    model_config = ConfigDict(extra="forbid")
    stroke: dict[str, Any]


class StrokeOut(BaseModel):
    """A stroke that was kept: the name to put into the scene."""

    file: str


@api.post("/objects/{int:object_id}/strokes", response={201: StrokeOut, 422: Problem})
def add_stroke(request: HttpRequest, object_id: int, body: StrokeIn) -> tuple[int, StrokeOut]:
    """Keep a stroke as a file of the project. It shows once the scene names it."""
    return 201, StrokeOut(file=keep_stroke(_object(request, object_id).project, body.stroke))


class PictureOut(BaseModel):
    """A picture of the project: the name to put into the scene, and the one to show."""

    file: str
    name: str


@api.get("/projects/{int:project_id}/pictures", response=list[PictureOut])
def pictures(request: HttpRequest, project_id: int) -> list[PictureOut]:
    """The pictures that were brought into the project."""
    project = get_object_or_404(Project, pk=project_id, owner=_owner(request))
    return [PictureOut(file=row.path, name=row.name) for row in project.files.filter(path__startswith="pictures/")]


@api.put("/projects/{int:project_id}/pictures", response={201: PictureOut, 422: Problem})
def add_picture(request: HttpRequest, project_id: int, name: str) -> tuple[int, PictureOut]:
    """Bring in a picture (the raw bytes as the body) for recipes and stamps."""
    project = get_object_or_404(Project, pk=project_id, owner=_owner(request))
    row = keep_picture(project, name, _pieces(request))
    return 201, PictureOut(file=row.path, name=row.name)


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
    if body.document is not None:
        own_files_only(scene, item.project)
    weather = scene.asks_for_weather or body.pictures or (body.look.kind == "reading" and READINGS.get(body.look.name) in WEATHER)

    def check() -> None:
        shop.check(owner, body.client, body.ticket)

    with shop.room:
        check()
        found = shop.measured(scene)
        if found is None:
            return 425, Problem(
                message="The object has not been measured yet. Measure it first.", remedy="Start a job of kind 'measure'"
            )
        quality, exact, measured = found
        chronicle = shop.chronicle(scene, measured, body.resolution, weather=weather)
        work = Evaluator(chronicle, scene, owner, shop.maps, shop.cache)
        chapters = chronicle.play(scene, check=check)
        pile = _moment(scene, chapters, body.until, chronicle.as_made(scene))
        check()
        out = EvaluationOut(
            ticket=body.ticket,
            resolution=chronicle.texels.size,
            readings=quality if exact else "outdated",
            texel_mm=chronicle.texels.texel_mm,
            maps=work.lit(pile) if body.look.kind == "lit" else None,
            look=work.look(body.look, chapters, pile),
            layers=work.layers(chapters, pictures=body.pictures),
            coats=work.coats(pile, pictures=body.pictures),
            where=work.where(body.selected, chapters) if body.selected else None,
            pictures=work.small_pictures(chapters, pile) if body.pictures else {},
        )
        hidden_notes(out.layers, out.coats, scene)
    out.spent_ms = round((time.perf_counter() - began) * 1000, 1)
    return 200, out


@api.post("/objects/{int:object_id}/look", response={200: EvaluationOut, 409: Problem, 422: Problem})
def look_at(request: HttpRequest, object_id: int, body: EvaluateIn) -> Any:
    """The object as made, a reading, or its UVs, without playing the chronicle. Works before anything was measured, as far as it can."""
    began = time.perf_counter()
    item = _object(request, object_id)
    owner = _owner(request).pk
    shop = workshop()
    shop.newest(owner, body.client, body.ticket)
    scene = scene_from(body.document, item.name) if body.document is not None else item.scene()
    if body.document is not None:
        own_files_only(scene, item.project)
    with shop.room:
        shop.check(owner, body.client, body.ticket)
        found = shop.measured(scene)
        reading = READINGS.get(body.look.name) if body.look.kind == "reading" else None
        if found is None and reading is not None and (reading.rays or reading.weather):
            raise InputError("this reading has not been measured yet", where="look.name", remedy="Wait for the draft readings")
        weather = found is not None and (body.pictures or reading in WEATHER)
        mesh = shop.mesh(scene)
        texels = texels_of(mesh, fitting(mesh, body.resolution))
        measured = found[2] if found is not None else Measured.blank(texels)
        chronicle = shop.chronicle(scene, measured, body.resolution, weather=weather)
        work = Evaluator(chronicle, scene, owner, shop.maps, shop.cache)
        pile = chronicle.as_made(scene)
        shop.check(owner, body.client, body.ticket)
        pictures: dict[str, str] = {}
        if body.pictures:
            pictures = work.uv_pictures()
            if found is not None:
                pictures |= work.reading_pictures(READING_CARD)
        out = EvaluationOut(
            ticket=body.ticket,
            resolution=texels.size,
            readings="missing" if found is None else found[0] if found[1] else "outdated",
            texel_mm=texels.texel_mm,
            maps=work.lit(pile) if body.look.kind == "lit" else None,
            look=work.look(body.look, [], pile),
            layers=[],
            coats=[],
            pictures=pictures,
        )
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
    if not job.file or job.object is None or not path.is_file():
        return api.create_response(request, {"message": "There is no file. Export again."}, status=404)
    return FileResponse(
        path.open("rb"),
        as_attachment=True,
        filename=f"{file_stem(job.object.name)}-{job.options['target']}-{job.options['resolution']}.zip",
        content_type="application/zip",
    )
