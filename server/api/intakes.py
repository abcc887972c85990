"""Bringing files in: received, looked at, shown, then taken in or discarded."""

from __future__ import annotations

from typing import Any, Literal

from django.db import transaction
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from pydantic import BaseModel, ConfigDict, Field

from limus.common.errors import InputError
from limus.common.fields import Name
from limus.intake.facts import Comparison, Facts
from limus.surface.axes import Up
from server.api.answers import Problem, body_pieces, owner_of, project_of
from server.api.projects import ObjectBrief, brief
from server.jobs.lanes import waits_for
from server.jobs.models import Job
from server.jobs.starting import start
from server.projects.intake import PART, accept, discard, receive
from server.projects.models import Intake, StaleEdit
from server.projects.try_out import try_out_files

router = Router()


class IntakeIn(BaseModel):
    """What is about to be brought in."""

    model_config = ConfigDict(extra="forbid")
    purpose: Literal["object", "replace", "twin", "neighbour", "marker"] = "object"
    object: int | None = Field(None, description="The object it is for, unless it is a new one")
    offer: bool = Field(
        False, description="A newer model that is shown to whoever opens the object, to be taken or not"
    )
    try_out: str = Field("", max_length=60, description="Take this try-out file of the demo instead of an upload")


class IntakeOut(BaseModel):
    """Files on their way in, and what was found."""

    id: int
    purpose: str
    state: Literal["receiving", "checking", "ready", "failed", "taking"]
    files: list[str]
    facts: Facts | None
    report: Comparison | None
    error: str
    job: int | None = None
    word: str = Field("", description="While it is looked at: what is done, or what it waits for")


class AcceptIn(BaseModel):
    """How it is to be taken in."""

    model_config = ConfigDict(extra="forbid")
    name: Name = Field("", max_length=120)
    scale: float = Field(1.0, ge=1e-12, le=1e12, allow_inf_nan=False)
    up: Up = "+y"
    unwrap: bool = False
    turn: bool = False
    match: dict[str, str] = Field(default_factory=dict, description="Old part name -> new part name")
    base: int | None = Field(None, description="Version of the object it goes into")


def _intake(request: HttpRequest, intake_id: int) -> Intake:
    return get_object_or_404(
        Intake.objects.select_related("project", "target", "target__head"),
        pk=intake_id,
        project__owner=owner_of(request),
    )


def intake_out(intake: Intake, job: int | None = None) -> IntakeOut:
    files = sorted(p.name for p in intake.folder.iterdir() if p.suffix != PART) if intake.folder.is_dir() else []
    word = ""
    if intake.state == Intake.CHECKING:
        looking = Job.objects.filter(intake=intake).first()
        word = waits_for(looking) if looking is not None and looking.state == Job.QUEUED else "Looking at the files"
    return IntakeOut(
        id=intake.pk, purpose=intake.purpose, state=intake.state, files=files, facts=intake.facts or None,
        report=intake.report or None, error=intake.error, word=word, job=job,
    )  # type: ignore[arg-type]  # fmt: skip


@router.post("/projects/{int:project_id}/intakes", response={201: IntakeOut, 422: Problem})
def new_intake(request: HttpRequest, project_id: int, body: IntakeIn) -> tuple[int, IntakeOut]:
    """Begin to bring files in: a new object, a newer version of one, a high-poly twin, or what
    stands or marks areas near one.
    """
    project = project_of(request, project_id)
    target = get_object_or_404(project.items, pk=body.object) if body.purpose != "object" else None
    if body.offer and body.purpose != "replace":
        raise InputError("only a newer model is offered", where="offer", remedy="Leave it out, or take 'replace'")
    if body.offer:
        # What is newer still takes the place of what nobody has looked at.
        for older in Intake.objects.filter(target=target, offered=True).exclude(state=Intake.TAKING):
            discard(older)
    intake = Intake.objects.create(project=project, purpose=body.purpose, target=target, offered=body.offer)
    if body.try_out:
        found = try_out_files().get(body.try_out)
        if found is None:
            discard(intake)
            raise InputError(
                f"there is no try-out file '{body.try_out}'",
                where="try_out",
                remedy=f"Choose one of: {', '.join(try_out_files())}",
            )
        with found.open("rb") as file:
            receive(intake, found.name, iter(lambda: file.read(1 << 20), b""))
    return 201, intake_out(intake)


@router.put("/intakes/{int:intake_id}/files", response={201: IntakeOut, 422: Problem})
def intake_file(request: HttpRequest, intake_id: int, name: str) -> tuple[int, IntakeOut]:
    """Send one file of it: raw bytes, written to disk as they come."""
    intake = _intake(request, intake_id)
    if intake.state not in (Intake.RECEIVING, Intake.FAILED):
        raise InputError("this intake takes no more files", where="intake", remedy="Begin a new one")
    receive(intake, name, body_pieces(request))
    return 201, intake_out(intake)


@router.post("/intakes/{int:intake_id}/check", response={202: IntakeOut})
def check_intake(request: HttpRequest, intake_id: int) -> tuple[int, IntakeOut]:
    """Have the files looked at, in the background."""
    intake = _intake(request, intake_id)
    running = Job.objects.filter(intake=intake, state__in=[Job.QUEUED, Job.RUNNING], cancel_requested=False).first()
    if running is not None:
        return 202, intake_out(intake, running.pk)
    if not Intake.objects.filter(pk=intake.pk).exclude(state=Intake.TAKING).update(state=Intake.CHECKING, error=""):
        return 202, intake_out(intake)
    with transaction.atomic():
        job = Job.objects.create(owner=owner_of(request), intake=intake, kind="inspect")
        start(job)
    intake.refresh_from_db()
    return 202, intake_out(intake, job.pk)


@router.get("/intakes/{int:intake_id}", response=IntakeOut)
def get_intake(request: HttpRequest, intake_id: int) -> IntakeOut:
    """What was found so far."""
    return intake_out(_intake(request, intake_id))


@router.post("/intakes/{int:intake_id}/accept", response={201: ObjectBrief, 409: Problem, 422: Problem})
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
    if intake.purpose == Intake.OBJECT:
        # So that there is something to see when it is opened, and a picture of it in lists.
        with transaction.atomic():
            options = {"version": item.head_id, "quality": "good"}
            start(Job.objects.create(owner=owner_of(request), object=item, kind="measure", options=options))
    return 201, brief(item)


@router.delete("/intakes/{int:intake_id}", response={204: None})
def discard_intake(request: HttpRequest, intake_id: int) -> tuple[int, None]:
    """Do not take it in: its files are removed."""
    intake = _intake(request, intake_id)
    Job.objects.filter(intake=intake).update(cancel_requested=True)
    discard(intake)
    return 204, None


@router.get("/try-out", response=list[str])
def try_out(request: HttpRequest) -> list[str]:
    """Names of the try-out files that the demo has."""
    return sorted(try_out_files())
