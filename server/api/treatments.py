"""Treatments: the shelf, putting one on an object, saving one, files in and out."""

from __future__ import annotations

import json
import re

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router
from pydantic import BaseModel, ConfigDict, Field

from limus.document.treatment import MOST_BYTES, Treatment, treatment_from, treatment_of
from limus.document.treatments import shipped
from server.api.answers import Problem, body_pieces, object_of, owner_of
from server.projects import treatments
from server.projects.models import OwnTreatment
from server.projects.workshop import session_of

router = Router()


class TreatmentOut(BaseModel):
    """A treatment on the shelf. ``families``: substances it acts on that must be there already; ``needs``: readings
    it looks at.
    """

    name: str
    title: str
    about: str
    own: bool
    layers: list[str]
    families: list[str]
    needs: list[str]


def _out(name: str, found: Treatment, own: bool) -> TreatmentOut:
    return TreatmentOut(
        name=name,
        title=found.name,
        about=found.about,
        own=own,
        layers=[layer.name for layer in found.layers],
        families=found.families,
        needs=found.needs,
    )


@router.get("/treatments", response=list[TreatmentOut])
def shelf(request: HttpRequest) -> list[TreatmentOut]:
    """One's own first, then those of the program."""
    mine = [
        _out(f"own:{row.pk}", Treatment.model_validate(row.document), True)
        for row in OwnTreatment.objects.filter(owner_id=owner_of(request).pk)
    ]
    return mine + [_out(key, found, False) for key, found in shipped().items()]


class SaveIn(BaseModel):
    """Layers of an object's scene to save, by id."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80)
    about: str = Field("", max_length=400)
    layers: list[str] = Field(min_length=1, max_length=60)


class SavedOut(BaseModel):
    """What was saved, and what belongs to its object only and was left out."""

    treatment: TreatmentOut
    notes: list[str]


@router.post("/objects/{int:object_id}/treatments", response={201: SavedOut, 422: Problem})
def save(request: HttpRequest, object_id: int, body: SaveIn) -> tuple[int, SavedOut]:
    """Save layers as a treatment of one's own."""
    item = object_of(request, object_id)
    scene = item.scene()
    found, notes = treatment_of(
        scene, body.layers, session_of(scene).size, body.name.strip() or "Treatment", body.about
    )
    row = treatments.keep(owner_of(request), found)
    return 201, SavedOut(treatment=_out(f"own:{row.pk}", Treatment.model_validate(row.document), True), notes=notes)


@router.delete("/treatments", response={204: None, 422: Problem})
def remove(request: HttpRequest, name: str = Query(max_length=80)) -> tuple[int, None]:
    """Remove a treatment of one's own; scenes that used it keep their layers."""
    treatments.own(owner_of(request), name).delete()
    return 204, None


@router.get("/treatments/file", include_in_schema=False)
def file_of(request: HttpRequest, name: str = Query(max_length=80)) -> HttpResponse:
    """A treatment as a file."""
    found = treatments.named(owner_of(request), name)
    text = json.dumps(found.model_dump(mode="json"), indent=1, allow_nan=False)
    plain = re.sub(r"[^a-z0-9]+", "-", found.name.lower()).strip("-") or "treatment"
    response = HttpResponse(text, content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="{plain}.treatment.json"'
    return response


@router.post("/treatments/file", response={201: TreatmentOut, 422: Problem})
def bring(request: HttpRequest, name: str = Query("treatment.json", max_length=200)) -> tuple[int, TreatmentOut]:
    """Bring in a treatment file: the raw body."""
    data = b""
    for piece in body_pieces(request):
        data += piece
        if len(data) > MOST_BYTES:
            break
    row = treatments.keep(owner_of(request), treatment_from(data, name))
    return 201, _out(f"own:{row.pk}", Treatment.model_validate(row.document), True)
