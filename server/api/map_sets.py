"""Texture files on their way to becoming a base."""

from __future__ import annotations

import base64

import numpy as np
from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, ConfigDict, Field

from limus.bases.choice import BaseChoice
from limus.bases.from_maps import base_from_maps
from limus.bases.store_room import guessed
from limus.common.colour import to_linear
from limus.common.errors import InputError
from limus.formats.picture_read import read_picture
from limus.formats.png import png_bytes
from limus.map_sets.recognise import MOST_FILES, recognise
from limus.materials.albedo import plausible, without_light
from server.api.answers import Problem, body_pieces, object_of, project_of
from server.api.pictures import PictureOut
from server.projects.data_files import find
from server.projects.drawn import keep_map_files
from server.projects.gate import gate
from server.projects.models import Project, SourceFile
from server.projects.workshop import session_of

router = Router()


class KeptOut(BaseModel):
    """Files that were kept, and why others were not."""

    files: list[PictureOut]
    refused: list[str] = Field(default_factory=list)


@router.put("/projects/{int:project_id}/texture-files", response={201: KeptOut, 422: Problem})
def add_map_files(request: HttpRequest, project_id: int, name: str) -> tuple[int, KeptOut]:
    """Bring in a texture file, or a zip of them (the raw bytes as the body)."""
    rows, refused = keep_map_files(project_of(request, project_id), name, body_pieces(request))
    return 201, KeptOut(files=[PictureOut(file=row.path, name=row.name) for row in rows], refused=refused)


class RecogniseIn(BaseModel):
    """Files of a project that belong together."""

    model_config = ConfigDict(extra="forbid")
    files: list[str] = Field(min_length=1, max_length=MOST_FILES * 8)
    name: str = Field("", max_length=80)
    size_cm: float = Field(100.0, ge=0.01, le=100000.0)


class FileOut(BaseModel):
    """A file of the set."""

    file: str
    name: str
    width: int
    height: int
    bits: int
    kind: str
    picture: str = Field(description="A small picture, as a data address")


class UseOut(BaseModel):
    """A line of the table: a file or a component of it, and what it is taken for."""

    file: str
    component: str
    role: str
    colour: str
    why: str


class RecognisedOut(BaseModel):
    """What was found, and the base that would come of it."""

    files: list[FileOut]
    uses: list[UseOut]
    green: str
    green_why: str
    range_share: float
    findings: list[str]
    base: BaseChoice


def _own(project: Project, path: str) -> SourceFile:
    row = SourceFile.objects.filter(project=project, path=path).first()
    if row is None:
        raise InputError(f"'{path[:120]}' is not a picture of this project", where="files", remedy="Bring it in first")
    return row


@router.post("/projects/{int:project_id}/recognise", response={200: RecognisedOut, 422: Problem})
def recognise_files(request: HttpRequest, project_id: int, body: RecogniseIn) -> RecognisedOut:
    """What each of some files is, by name and content."""
    project = project_of(request, project_id)
    rows = [_own(project, path) for path in dict.fromkeys(body.files)]
    with gate.turn(4096, lambda: False):
        found = recognise([(row.path, row.name) for row in rows], find)
    base = base_from_maps(found, body.name, size_cm=body.size_cm)
    return RecognisedOut(
        files=[
            FileOut(
                file=f.file,
                name=f.name,
                width=f.width,
                height=f.height,
                bits=f.bits,
                kind=f.kind,
                picture="data:image/png;base64,"
                + base64.b64encode(png_bytes(np.ascontiguousarray(f.picture))).decode(),
            )
            for f in found.files
        ],
        uses=[
            UseOut(file=u.file, component=u.component, role=u.role, colour=u.colour, why=why)
            for u, why in zip(found.uses, found.why, strict=True)
        ],
        green=found.green,
        green_why=found.green_why,
        range_share=found.range_share,
        findings=found.findings,
        base=base,
    )


class PickIn(BaseModel):
    """A place in a picture whose colour is wanted, and how the light is taken out: by a grey patch, or by a stated
    exposure.
    """

    model_config = ConfigDict(extra="forbid")
    file: str = Field(max_length=500)
    at: tuple[float, float] = Field(description="Share of its width and height from the upper left corner")
    grey: tuple[float, float] | None = None
    reflectance: float = Field(0.18, gt=0.0, le=1.0, description="Of the grey patch")
    exposure: float = Field(0.0, ge=-10.0, le=10.0, description="Stops by which the picture is lighter than the thing")


class PickedOut(BaseModel):
    """The linear colour, and what is unlikely about it as an albedo."""

    color: tuple[float, float, float]
    seen: tuple[float, float, float]
    note: str


@router.post("/projects/{int:project_id}/pick-colour", response={200: PickedOut, 422: Problem})
def pick_colour(request: HttpRequest, project_id: int, body: PickIn) -> PickedOut:
    """The colour of a place in a photograph with the light taken out: the mean of a few pixels around it."""
    row = _own(project_of(request, project_id), body.file)
    picture = read_picture(find(row.path), row.name)
    linear = picture.kind == "EXR"

    def around(at: tuple[float, float]) -> np.ndarray:
        h, w = picture.pixels.shape[:2]
        x, y = (min(max(int(at[0] * w), 0), w - 1), min(max(int(at[1] * h), 0), h - 1))
        r = max(1, min(w, h) // 160)
        some = picture.pixels[max(0, y - r) : y + r + 1, max(0, x - r) : x + r + 1].astype(np.float32) / np.float32(
            picture.full
        )
        three = some[:, :, :3] if some.shape[2] >= 3 else np.repeat(some[:, :, :1], 3, axis=2)
        return np.asarray((three if linear else to_linear(three)).reshape(-1, 3).mean(axis=0))

    seen = around(body.at)
    color = without_light(
        seen, around(body.grey) if body.grey is not None else None, reflectance=body.reflectance, exposure=body.exposure
    )
    three = (float(color[0]), float(color[1]), float(color[2]))
    return PickedOut(color=three, seen=(float(seen[0]), float(seen[1]), float(seen[2])), note=plausible(color))


class GuessOut(BaseModel):
    """A base that names of parts speak of."""

    base: str
    parts: list[str]


@router.get("/objects/{int:object_id}/guessed-bases", response=list[GuessOut])
def guessed_bases(request: HttpRequest, object_id: int) -> list[GuessOut]:
    """Bases guessed from names of parts; nothing is done with them before somebody agrees."""
    session = session_of(object_of(request, object_id).scene())
    found: dict[str, list[str]] = {}
    for part in session.mesh.parts:
        base = guessed(part.name)
        if base:
            found.setdefault(base, []).append(part.name)
    return [GuessOut(base=base, parts=parts) for base, parts in found.items()]
