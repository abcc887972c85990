"""What is drawn and brought for places: strokes and pictures, as files that never change."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Query, Router
from pydantic import BaseModel, ConfigDict

from limus.formats.picture_read import read_picture
from limus.map_sets.picture_level import shown_png
from limus.masks.hand.stroke import Stroke
from server.api.answers import Problem, body_pieces, object_of, project_of
from server.projects import storage
from server.projects.data_files import find
from server.projects.drawn import keep_picture, keep_stroke
from server.projects.models import SourceFile

router = Router()


class StrokeIn(BaseModel):
    """A stroke, as docs/formats.md describes it; checked by the core."""

    model_config = ConfigDict(extra="forbid")
    stroke: Stroke


class StrokeOut(BaseModel):
    """A stroke that was kept: the name to put into the scene."""

    file: str


@router.post("/objects/{int:object_id}/strokes", response={201: StrokeOut, 422: Problem})
def add_stroke(request: HttpRequest, object_id: int, body: StrokeIn) -> tuple[int, StrokeOut]:
    """Keep a stroke as a file of the project. It shows once the scene names it."""
    return 201, StrokeOut(file=keep_stroke(object_of(request, object_id).project, body.stroke.model_dump(mode="json")))


class PictureOut(BaseModel):
    """A picture of the project: the name to put into the scene, and the one to show."""

    file: str
    name: str


@router.get("/projects/{int:project_id}/pictures", response=list[PictureOut])
def pictures(request: HttpRequest, project_id: int) -> list[PictureOut]:
    """The pictures that were brought into the project."""
    project = project_of(request, project_id)
    return [PictureOut(file=row.path, name=row.name) for row in project.files.filter(path__startswith="pictures/")]


@router.get("/projects/{int:project_id}/pictures/shown", include_in_schema=False)
def shown_picture(request: HttpRequest, project_id: int, file: str = Query(max_length=500)) -> HttpResponse:
    """A picture of the project as a browser can show it, no larger than a screen needs."""
    row = get_object_or_404(SourceFile, project=project_of(request, project_id), path=file)
    picture = read_picture(find(row.path), row.name)
    response = HttpResponse(shown_png(picture), content_type="image/png")
    response["Cache-Control"] = "private, max-age=3600"
    return response


@router.put("/projects/{int:project_id}/pictures", response={201: PictureOut, 422: Problem})
def add_picture(request: HttpRequest, project_id: int, name: str) -> tuple[int, PictureOut]:
    """Bring in a picture (the raw bytes as the body) for recipes and stamps."""
    project = project_of(request, project_id)
    row = keep_picture(project, name, body_pieces(request))
    return 201, PictureOut(file=row.path, name=row.name)


@router.delete("/projects/{int:project_id}/pictures", response={204: None, 422: Problem})
def remove_picture(request: HttpRequest, project_id: int, file: str = Query(max_length=500)) -> tuple[int, None]:
    """Remove a picture that nothing uses, in any version."""
    row = get_object_or_404(
        SourceFile, project=project_of(request, project_id), path=file, path__startswith="pictures/"
    )
    storage.remove_picture(row)
    return 204, None
