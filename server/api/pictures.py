"""What is drawn and brought for places: strokes and pictures, as files that never change."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, ConfigDict

from server.api.answers import Problem, body_pieces, object_of, project_of
from server.projects.drawn import keep_picture, keep_stroke

router = Router()


class StrokeIn(BaseModel):
    """A stroke, as docs/formats.md describes it; checked by the core."""

    model_config = ConfigDict(extra="forbid")
    stroke: dict[str, Any]


class StrokeOut(BaseModel):
    """A stroke that was kept: the name to put into the scene."""

    file: str


@router.post("/objects/{int:object_id}/strokes", response={201: StrokeOut, 422: Problem})
def add_stroke(request: HttpRequest, object_id: int, body: StrokeIn) -> tuple[int, StrokeOut]:
    """Keep a stroke as a file of the project. It shows once the scene names it."""
    return 201, StrokeOut(file=keep_stroke(object_of(request, object_id).project, body.stroke))


class PictureOut(BaseModel):
    """A picture of the project: the name to put into the scene, and the one to show."""

    file: str
    name: str


@router.get("/projects/{int:project_id}/pictures", response=list[PictureOut])
def pictures(request: HttpRequest, project_id: int) -> list[PictureOut]:
    """The pictures that were brought into the project."""
    project = project_of(request, project_id)
    return [PictureOut(file=row.path, name=row.name) for row in project.files.filter(path__startswith="pictures/")]


@router.put("/projects/{int:project_id}/pictures", response={201: PictureOut, 422: Problem})
def add_picture(request: HttpRequest, project_id: int, name: str) -> tuple[int, PictureOut]:
    """Bring in a picture (the raw bytes as the body) for recipes and stamps."""
    project = project_of(request, project_id)
    row = keep_picture(project, name, body_pieces(request))
    return 201, PictureOut(file=row.path, name=row.name)
