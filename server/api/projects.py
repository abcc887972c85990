"""Projects, and the objects in them as the start page shows them."""

from __future__ import annotations

from typing import Literal

from django.conf import settings
from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, ConfigDict, Field

from limus.common.fields import Name
from limus.intake.object_file import ObjectFile
from limus.playing.session import object_key
from server.api.answers import Problem, body_pieces, owner_of, project_of
from server.jobs.models import Job
from server.projects import storage
from server.projects.intake import take_in
from server.projects.models import Facts, Project, WorkObject

router = Router()


class ObjectBrief(BaseModel):
    """An object in a list: what it is, how it stands, and the file it stands on (to take it as a neighbour)."""

    id: int
    name: str
    file: str = ""
    scale: float = 1.0
    up: str = "+y"
    version: int = Field(0, description="Its picture is of this version")
    touched: str = Field("", description="When it was edited last")
    layers: int = 0
    parts: int | None = Field(None, description="Not known before it was looked at")
    state: Literal["ready", "working", "no UVs", "new"] = Field("ready", description="new: nobody has opened it yet")


class ProjectOut(BaseModel):
    """A project and its objects."""

    id: int
    name: str
    objects: list[ObjectBrief]


class ProjectIn(BaseModel):
    """A new project."""

    model_config = ConfigDict(extra="forbid")
    name: Name = Field(min_length=1, max_length=120)


@router.get("/projects", response=list[ProjectOut])
def projects(request: HttpRequest) -> list[ProjectOut]:
    """The user's projects."""
    rows = list(Project.objects.filter(owner=owner_of(request)).prefetch_related("items__head"))
    items = [item for project in rows for item in project.items.all()]
    keys = {item.pk: _object_key(item) for item in items}
    facts = dict(Facts.objects.filter(key__in=set(keys.values())).values_list("key", "facts"))
    busy = set(
        Job.objects.filter(
            owner=owner_of(request), state__in=[Job.QUEUED, Job.RUNNING], cancel_requested=False
        ).values_list("object_id", flat=True)
    )
    return [
        ProjectOut(id=p.pk, name=p.name, objects=[brief(o, facts.get(keys[o.pk]), o.pk in busy) for o in p.items.all()])
        for p in rows
    ]


def _object_key(item: WorkObject) -> str:
    """The key of its facts, without reading the rest of the document."""
    document = item.document
    return object_key(
        ObjectFile.model_validate(document.get("object", {"file": "-"})), document.get("setting", {}).get("up", "+y")
    )


def brief(item: WorkObject, facts: dict | None = None, busy: bool = False) -> ObjectBrief:  # type: ignore[type-arg]
    """An object in a list."""
    head = item.head
    document = item.document
    object_ = document.get("object", {})
    without = facts is not None and not facts.get("uv", {}).get("present", True)
    return ObjectBrief(
        id=item.pk,
        name=item.name,
        file=object_.get("file", ""),
        scale=object_.get("scale", 1.0),
        up=document.get("setting", {}).get("up", "+y"),
        version=head.pk if head is not None else 0,
        touched=head.created.isoformat() if head is not None else "",
        layers=len(document.get("layers", [])),
        parts=len(facts["parts"]) if facts is not None else None,
        state="working" if busy else "new" if facts is None else "no UVs" if without else "ready",
    )


@router.post("/projects", response={201: ProjectOut})
def new_project(request: HttpRequest, body: ProjectIn) -> tuple[int, ProjectOut]:
    """Start a project."""
    project = Project.objects.create(owner=owner_of(request), name=body.name)
    return 201, ProjectOut(id=project.pk, name=project.name, objects=[])


@router.put("/projects/{int:project_id}/objects", response={201: ObjectBrief, 422: Problem})
def add_object(request: HttpRequest, project_id: int, name: str) -> tuple[int, ObjectBrief]:
    """Bring in one file at once (the raw bytes as the body), with the size and axis that are suggested for it; for
    scripts.

    The interface uses intakes, which show what was found first.
    """
    return 201, brief(take_in(project_of(request, project_id), name, body_pieces(request)))


@router.delete("/projects/{int:project_id}", response={204: None})
def remove_project(request: HttpRequest, project_id: int) -> tuple[int, None]:
    """Remove a project with its objects, their history, and every file that nothing else uses."""
    storage.remove_project(project_of(request, project_id))
    return 204, None


class UsageOut(BaseModel):
    """Bytes of disk: what one has, what one may have, and what of it finished deliveries take."""

    used: int
    quota: int
    deliveries: int


@router.get("/usage", response=UsageOut)
def usage(request: HttpRequest) -> UsageOut:
    """How much room somebody's projects take."""
    found = storage.usage_of(owner_of(request))
    return UsageOut(used=found.total, quota=settings.QUOTA, deliveries=found.deliveries)
