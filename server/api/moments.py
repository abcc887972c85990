"""Moments: states of an object as somebody saw them, by name."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from pydantic import BaseModel, ConfigDict, Field

from limus.common.errors import InputError
from limus.looks.look import Look
from server.api.answers import Problem, object_of, owner_of
from server.projects.models import Moment, Photograph, SceneVersion

router = Router()
#: Moments of an object.
MOST = 200
Three = tuple[float, float, float]


class View(BaseModel):
    """How it was looked at: camera (m, degrees), light (degrees, strength), up to which layer, and through what."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    position: Three
    target: Three
    field_deg: float = Field(30.0, gt=0.0, lt=180.0)
    setup: str = Field("north", max_length=60)
    azimuth: float = 0.0
    elevation: float = 45.0
    strength: float = Field(1.0, ge=0.0, le=100.0)
    until: str | None = Field(None, max_length=40)
    look: Look = Field(default_factory=Look)


class MomentIn(BaseModel):
    """A moment to keep; ``version`` is the id of a version of the object's scene."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=120)
    version: int
    view: View
    photograph: int | None = None


class MomentOut(BaseModel):
    """A moment that is kept."""

    id: int
    name: str
    version: int
    view: View
    photograph: int | None
    created: str


def _out(row: Moment) -> MomentOut:
    return MomentOut(
        id=row.pk,
        name=row.name,
        version=row.version_id,
        view=View.model_validate(row.view),
        photograph=row.photograph_id,
        created=row.created.isoformat(),
    )


def _moment(request: HttpRequest, moment_id: int) -> Moment:
    return get_object_or_404(
        Moment.objects.select_related("object"), pk=moment_id, object__project__owner=owner_of(request)
    )


@router.get("/objects/{int:object_id}/moments", response=list[MomentOut])
def moments(request: HttpRequest, object_id: int) -> list[MomentOut]:
    """The moments of an object, the oldest first."""
    return [_out(row) for row in object_of(request, object_id).moments.all()]


@router.post("/objects/{int:object_id}/moments", response={201: MomentOut, 422: Problem})
def keep_moment(request: HttpRequest, object_id: int, body: MomentIn) -> tuple[int, MomentOut]:
    """Keep a moment."""
    item = object_of(request, object_id)
    if item.moments.count() >= MOST:
        raise InputError(f"{MOST} moments are kept of this object", where="name", remedy="Remove some first")
    version = SceneVersion.objects.filter(object=item, pk=body.version).first()
    if version is None:
        raise InputError("this version is not kept any more", where="version", remedy="Save, and keep the moment again")
    shown = None
    if body.photograph is not None:
        shown = Photograph.objects.filter(project=item.project, pk=body.photograph).first()
        if shown is None:
            raise InputError("there is no such photograph", where="photograph", remedy="Choose one of the wall")
    row = Moment.objects.create(
        object=item, name=body.name, version=version, view=body.view.model_dump(mode="json"), photograph=shown
    )
    return 201, _out(row)


class Renamed(BaseModel):
    """Another name."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=120)


@router.patch("/moments/{int:moment_id}", response={200: MomentOut, 422: Problem})
def rename_moment(request: HttpRequest, moment_id: int, body: Renamed) -> MomentOut:
    """Call it otherwise."""
    row = _moment(request, moment_id)
    row.name = body.name
    row.save()
    return _out(row)


@router.delete("/moments/{int:moment_id}", response={204: None})
def remove_moment(request: HttpRequest, moment_id: int) -> tuple[int, None]:
    """Forget it; the version it shows stays in the history."""
    _moment(request, moment_id).delete()
    return 204, None
