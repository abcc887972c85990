"""An object: what it is, its shape for the view, its picture, and removing it."""

from __future__ import annotations

from typing import Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel, Field

from limus.document.editions import editions_of
from limus.intake.facts import Facts
from limus.readings.surroundings import Other
from server.api.answers import Problem, VersionOut, object_of, owner_of, version_out
from server.jobs.models import Job
from server.projects import storage
from server.projects.gate import gate
from server.projects.models import WorkObject
from server.projects.portrait import portrait_before, portrait_kept, portrait_of
from server.projects.workshop import facts_of, session_of

router = Router()


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
    facts: Facts
    readings: Literal["fine", "good", "draft", "outdated", "missing"]
    missing_readings: dict[str, str] = Field(description="Readings with nothing to say of this object, and why")
    twin: TwinOut | None = None
    diagonal_m: float = Field(description="Size of the object: its catalogue has defaults that suit it")
    sizes: list[int] = Field(description="Sizes of maps that memory holds")
    turn: list[list[float]] = Field(description="Place in the axes of the file = place in the view @ turn")
    scale: float = Field(description="Metres per unit of the file")
    scene: VersionOut
    looks_changed: list[str] = Field(
        default_factory=list,
        description="Layers and bases that look different from when it was made: an upgrade changed them",
    )
    looked: bool = Field(False, description="There is a picture of how it looked before")
    unwrapping: int | None = Field(None, description="The job that makes UVs for it just now")


@router.get("/objects/{int:object_id}", response={200: ObjectOut, 422: Problem})
def get_object(request: HttpRequest, object_id: int) -> ObjectOut:
    """An object with its scene and history."""
    item = object_of(request, object_id)
    session = session_of(item.scene())
    scene = session.scene
    with gate.turn(256, lambda: session.ready, person=owner_of(request).pk):
        mesh, facts, readings = session.mesh, facts_of(session), session.measuring.quality()
        twin = session.twin_facts()
    gaps: dict[str, str] = {}
    if mesh.colours is None and not scene.vertex_paint:
        gaps["vertex_colour"] = "The file brought no vertex colours, and none are painted"
    if scene.object.twin is None:
        gaps["missed"] = "There is no high-poly twin"
    if not any(n.on and n.role == "stands" for n in scene.object.neighbours):
        gaps["proximity"] = "There are no neighbours"
    return ObjectOut(
        id=item.pk,
        project=item.project_id,
        project_name=item.project.name,
        name=item.name,
        digest=session.object_key,
        facts=Facts.model_validate(facts),
        readings="missing" if readings is None else readings[0] if readings[1] else "outdated",
        missing_readings=gaps,
        twin=TwinOut.model_validate(twin) if twin is not None else None,
        diagonal_m=session.size.diagonal_m,
        sizes=session.sizes(),
        turn=mesh.turn.tolist(),
        scale=mesh.scale,
        scene=version_out(item),
        looks_changed=item.looks_changed(),
        looked=portrait_before(item) is not None,
        unwrapping=Job.objects.filter(
            object=item, kind="unwrap", state__in=[Job.QUEUED, Job.RUNNING], cancel_requested=False
        )
        .values_list("pk", flat=True)
        .first(),
    )


@router.delete("/objects/{int:object_id}", response={204: None})
def remove_object(request: HttpRequest, object_id: int) -> tuple[int, None]:
    """Remove an object with its history. Its files stay while another object names them."""
    storage.remove_object(object_of(request, object_id))
    return 204, None


@router.get("/objects/{int:object_id}/mesh.glb", include_in_schema=False)
def mesh(request: HttpRequest, object_id: int) -> HttpResponse:
    """The bare prepared mesh for the 3D view; the address carries its hash, so it may be kept for ever."""
    session = session_of(object_of(request, object_id).scene())
    return _kept_for_ever(session.bare_glb(), "model/gltf-binary", session.object_key, request.GET.get("v"))


class ColouredPieces(BaseModel):
    """Pieces that have one colour in their file, linear."""

    color: tuple[float, float, float]
    pieces: list[str]


class NearOut(BaseModel):
    """What stands or marks areas near an object, and the names of its pieces."""

    id: str
    name: str
    marker: bool
    pieces: list[str] = Field(description="The first 2000 of them")
    colours: list[ColouredPieces] = Field(description="Pieces of one colour, where its materials have plain ones")


#: Names that a list to choose from is given at most.
MOST_PIECES = 2000


def _by_colour(other: Other) -> list[ColouredPieces]:
    found: dict[tuple[float, float, float], list[str]] = {}
    for part, colour in zip(other.mesh.parts[:MOST_PIECES], other.colours, strict=False):
        if colour is not None:
            found.setdefault(colour, []).append(part.name)
    return [ColouredPieces(color=colour, pieces=pieces) for colour, pieces in found.items()]


@router.get("/objects/{int:object_id}/neighbours", response={200: list[NearOut], 422: Problem})
def neighbours(request: HttpRequest, object_id: int) -> list[NearOut]:
    """What a line near something can ask for: neighbours and markers that are on, with their pieces."""
    session = session_of(object_of(request, object_id).scene())
    with gate.turn(256, lambda: session.ready, person=owner_of(request).pk):
        return [
            NearOut(
                id=other.id, name=other.name, marker=other.marker,
                pieces=[part.name for part in other.mesh.parts[:MOST_PIECES]],
                colours=_by_colour(other),
            )
            for other in session.around.others
        ]  # fmt: skip


@router.get("/objects/{int:object_id}/neighbours/{name}.glb", include_in_schema=False)
def neighbour(request: HttpRequest, object_id: int, name: str) -> HttpResponse:
    """A neighbour where it stands, for the 3D view."""
    session = session_of(object_of(request, object_id).scene())
    found = next((n for n in session.scene.object.neighbours if n.id == name), None)
    if found is None:
        return HttpResponse(
            '{"message": "There is no such neighbour. Load the object again."}',
            status=404,
            content_type="application/json",
        )
    return HttpResponse(session.neighbour_glb(found), content_type="model/gltf-binary")


@router.get("/objects/{int:object_id}/portrait.png", include_in_schema=False)
def get_portrait(request: HttpRequest, object_id: int) -> HttpResponse:
    """How it looks today, for the start page; the address carries the version. ``kept``: as it looked last, where a
    picture of that is there; none is made.
    """
    item = object_of(request, object_id)
    if "kept" in request.GET:
        last = portrait_kept(item)
        return HttpResponse(last, content_type="image/png") if last is not None else HttpResponse(status=204)
    data = portrait_of(item)
    if data is None:
        # Nothing yet is no fault: it comes once somebody opened the object.
        return HttpResponse(status=204)
    return _kept_for_ever(data, "image/png", str(item.head_id), request.GET.get("v"))


@router.get("/objects/{int:object_id}/portrait-before.png", include_in_schema=False)
def get_portrait_before(request: HttpRequest, object_id: int) -> HttpResponse:
    """How it looked with the editions that it was made with, where a picture of that was kept."""
    data = portrait_before(object_of(request, object_id))
    return HttpResponse(data, content_type="image/png") if data is not None else HttpResponse(status=204)


@router.post("/objects/{int:object_id}/looks-good", response={204: None})
def accept_looks(request: HttpRequest, object_id: int) -> tuple[int, None]:
    """It may look as it does with today's editions; nothing is said of it any more."""
    item = object_of(request, object_id)
    WorkObject.objects.filter(pk=item.pk).update(editions=editions_of(item.scene()))
    return 204, None


def _kept_for_ever(data: bytes, media: str, version: str, asked: str | None) -> HttpResponse:
    response = HttpResponse(data, content_type=media)
    if asked == version:
        response["Cache-Control"] = "private, max-age=31536000, immutable"
    response["ETag"] = f'"{version}"'
    return response
