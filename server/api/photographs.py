"""The wall of photographs of a project, and what is read off them."""

from __future__ import annotations

import base64
import contextlib
import io
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Query, Router
from PIL import Image
from pydantic import BaseModel, ConfigDict, Field

from limus.common.errors import Cancelled, InputError
from limus.photographs.fitting import Fitted, Wanted, fit
from limus.photographs.photograph import photograph
from limus.photographs.reading_off import PhotographRead, kinds_png, read_off
from limus.photographs.reading_off import Wanted as ReadWanted
from server.api.answers import Problem, body_pieces, object_of, owner_of, project_of
from server.api.asked import Asked, scene_asked
from server.projects import storage
from server.projects.data_files import find
from server.projects.drawn import keep_picture
from server.projects.gate import gate
from server.projects.models import Photograph, SourceFile
from server.projects.workshop import session_of

router = Router()
#: Photographs of a project.
MOST = 200
#: Pixels along a side of the copies that are sent.
SMALL, LARGE = 320, 2048
Point = tuple[float, float]


class Marks(BaseModel):
    """What was marked in a photograph, in shares of its width and height."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    points: list[Point] = Field(default_factory=list, max_length=2)
    length_mm: float | None = Field(None, gt=0, le=1e7)
    card: tuple[float, float, float, float] | None = None
    outline: list[Point] = Field(default_factory=list, max_length=500)
    kinds: int = Field(4, ge=2, le=6)
    names: list[str] = Field(default_factory=list, max_length=6)


class Place(BaseModel):
    """Where it hangs on the board: left, top and width in its own units."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    x: float = Field(0.0, ge=-1e5, le=1e5)
    y: float = Field(0.0, ge=-1e5, le=1e5)
    width: float = Field(320.0, ge=20.0, le=1e4)


class PhotographOut(BaseModel):
    """A photograph of the wall. ``mm_per_width`` follows from the two points and the length between them."""

    id: int
    name: str
    note: str
    source: str
    width: int
    height: int
    marks: Marks
    place: Place
    mm_per_width: float | None = None
    notes: list[str] = Field(default_factory=list)


class PhotographIn(BaseModel):
    """What is to be changed; what is left out stays."""

    model_config = ConfigDict(extra="forbid")
    name: str | None = Field(None, min_length=1, max_length=200)
    note: str | None = Field(None, max_length=4000)
    source: str | None = Field(None, max_length=300)
    marks: Marks | None = None
    place: Place | None = None


class ReadIn(BaseModel):
    """The region to read, in shares of the picture; what is left out is taken from the marks."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    outline: list[Point] = Field(default_factory=list, max_length=500)
    kinds: int = Field(4, ge=2, le=6)
    seed: int = Field(1, ge=0, le=2**31 - 1)


class ReadOut(BaseModel):
    """What was read; ``shown`` is a picture of the kinds (a data address), over ``area`` of the photograph."""

    read: PhotographRead
    shown: str
    area: tuple[float, float, float, float]


class FitIn(Asked):
    """Which layer is to look so, and what was read."""

    layer: str = Field(max_length=40)
    wanted: Wanted
    resolution: int = Field(512, ge=128, le=1024)


def _mm_per_width(row: Photograph) -> float | None:
    marks = Marks.model_validate(row.marks)
    if len(marks.points) != 2 or marks.length_mm is None:
        return None
    (ax, ay), (bx, by) = marks.points
    apart = (((bx - ax) * row.width) ** 2 + ((by - ay) * row.height) ** 2) ** 0.5
    return marks.length_mm / apart * row.width if apart >= 2.0 else None


def _out(row: Photograph, notes: tuple[str, ...] = ()) -> PhotographOut:
    return PhotographOut(
        id=row.pk,
        name=row.name,
        note=row.note,
        source=row.source,
        width=row.width,
        height=row.height,
        marks=Marks.model_validate(row.marks),
        place=Place.model_validate(row.place),
        mm_per_width=_mm_per_width(row),
        notes=list(notes),
    )


def _photograph(request: HttpRequest, photograph_id: int) -> Photograph:
    return get_object_or_404(
        Photograph.objects.select_related("project"), pk=photograph_id, project__owner=owner_of(request)
    )


@router.get("/projects/{int:project_id}/photographs", response=list[PhotographOut])
def photographs(request: HttpRequest, project_id: int) -> list[PhotographOut]:
    """The wall of a project."""
    return [_out(row) for row in project_of(request, project_id).photographs.all()]


@router.put("/projects/{int:project_id}/photographs", response={201: PhotographOut, 422: Problem})
def add_photograph(request: HttpRequest, project_id: int, name: str) -> tuple[int, PhotographOut]:
    """Hang a picture on the wall (the raw bytes as the body); the original is kept."""
    project = project_of(request, project_id)
    count = project.photographs.count()
    if count >= MOST:
        raise InputError(
            f"{MOST} photographs hang on the wall of this project", where=name, remedy="Take some down first"
        )
    file = keep_picture(project, name, body_pieces(request))
    found = photograph(find(file.path), file.name)
    width, height = found.size
    place = {"x": 40.0 + 340.0 * (count % 4), "y": 40.0 + 280.0 * (count // 4), "width": 320.0}
    row = Photograph.objects.create(
        project=project, path=file.path, name=file.name, width=width, height=height, place=place
    )
    return 201, _out(row, found.notes)


@router.patch("/photographs/{int:photograph_id}", response={200: PhotographOut, 422: Problem})
def change_photograph(request: HttpRequest, photograph_id: int, body: PhotographIn) -> PhotographOut:
    """Name, note, source, what is marked in it, or where it hangs."""
    row = _photograph(request, photograph_id)
    given = body.model_dump(mode="json", exclude_unset=True)
    if body.marks is not None and len(body.marks.points) == 2:
        (ax, ay), (bx, by) = body.marks.points
        if ((bx - ax) * row.width) ** 2 + ((by - ay) * row.height) ** 2 < 4.0:
            raise InputError(
                "the two points of the scale are one", where="marks.points", remedy="Set them further apart"
            )
    for field, value in given.items():
        if value is not None:
            setattr(row, field, value)
    row.save()
    return _out(row)


@router.delete("/photographs/{int:photograph_id}", response={204: None, 422: Problem})
def remove_photograph(request: HttpRequest, photograph_id: int) -> tuple[int, None]:
    """Take a photograph down; its file goes too, unless something else uses it."""
    row = _photograph(request, photograph_id)
    moments = sorted(row.moments.values_list("name", flat=True))
    if moments:
        shown = ", ".join(f"'{name}'" for name in moments[:3]) + (" and others" if len(moments) > 3 else "")
        raise InputError(
            f"the moment {shown} shows it" if len(moments) == 1 else f"the moments {shown} show it",
            where=row.name,
            remedy="Remove the moment first, or leave the photograph",
        )
    project, path = row.project, row.path
    row.delete()
    file = SourceFile.objects.filter(project=project, path=path).first()
    if file is not None and not project.photographs.filter(path=path).exists():
        # Where a recipe or a sign uses the same picture, it stays.
        with contextlib.suppress(InputError):
            storage.remove_picture(file)
    return 204, None


@router.get("/photographs/{int:photograph_id}/picture.jpg", include_in_schema=False)
def photograph_picture(request: HttpRequest, photograph_id: int, small: bool = Query(False)) -> HttpResponse:
    """A copy for the screen."""
    row = _photograph(request, photograph_id)
    data = photograph(find(row.path), row.name).jpeg(SMALL if small else LARGE)
    response = HttpResponse(data, content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@router.post("/photographs/{int:photograph_id}/read", response={200: ReadOut, 422: Problem})
def read_photograph(request: HttpRequest, photograph_id: int, body: ReadIn) -> ReadOut:
    """Split a region into kinds of surface, and measure each."""
    row = _photograph(request, photograph_id)
    marks = Marks.model_validate(row.marks)
    outline = body.outline or marks.outline
    if len(outline) < 3:
        raise InputError(
            "there is no region to read", where="outline", remedy="Draw a box or an outline on the photograph"
        )
    wanted = ReadWanted(
        outline=outline, kinds=body.kinds, mm_per_width=_mm_per_width(row), card=marks.card, seed=body.seed
    )
    with gate.turn(512, lambda: False, person=owner_of(request).pk, tab="photographs"):
        read, kinds, area = read_off(photograph(find(row.path), row.name), wanted)
    shown = base64.b64encode(_no_larger(kinds_png(kinds, read))).decode()
    return ReadOut(
        read=read,
        shown=f"data:image/png;base64,{shown}",
        area=(area.left, area.top, area.right, area.bottom),
    )


def _no_larger(png: bytes, longest: int = 700) -> bytes:
    with Image.open(io.BytesIO(png)) as image:
        if max(image.size) <= longest:
            return png
        share = longest / max(image.size)
        small = image.resize((max(1, round(image.width * share)), max(1, round(image.height * share))), Image.NEAREST)
    out = io.BytesIO()
    small.save(out, "PNG")
    return out.getvalue()


@router.post(
    "/objects/{int:object_id}/fit",
    response={200: Fitted, 409: Problem, 410: Problem, 422: Problem, 425: Problem},
)
def fit_layer(request: HttpRequest, object_id: int, body: FitIn) -> Any:
    """Settings with which a layer measures what was read off a photograph; nothing is saved."""
    item = object_of(request, object_id)
    scene = scene_asked(request, item, body)
    session = session_of(scene)
    readings = session.measuring.best()
    if readings is None:
        return 425, Problem(
            message="The object has not been measured yet. Measure it first.", remedy="Start a job of kind 'measure'"
        )
    owner: int = owner_of(request).pk
    with gate.turn(body.resolution, lambda: session.is_warm(body.resolution), person=owner, tab="fit"):
        chronicle = session.chronicle(readings.measured, body.resolution, weather=scene.asks_for_weather)
        try:
            return fit(chronicle, scene, body.layer, body.wanted)
        except Cancelled:
            return 409, Problem(message="Something newer was asked for.", remedy="Ask again")
