"""What programs bring for an object: a newer model, newer pictures for those that it names."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from pydantic import BaseModel

from server.api.answers import Problem, body_pieces, object_of, owner_of, project_of
from server.api.intakes import IntakeOut, intake_out
from server.projects import offered
from server.projects.models import Intake, OfferedPicture

router = Router()


class OfferedPictureOut(BaseModel):
    """A picture that may take the place of another one: take it by the command ``replace-file``."""

    id: int
    object: int
    object_name: str
    was: str
    now: str
    name: str
    note: str


class OfferedOut(BaseModel):
    """A newer model that can be looked at (the newest), and newer pictures."""

    model: IntakeOut | None
    pictures: list[OfferedPictureOut]


def _out(row: OfferedPicture) -> OfferedPictureOut:
    return OfferedPictureOut(
        id=row.pk, object=row.object_id, object_name=row.object.name, was=row.was, now=row.file.path,
        name=row.file.name, note=row.note,
    )  # fmt: skip


@router.put("/projects/{int:project_id}/offered-pictures", response={200: list[OfferedPictureOut], 422: Problem})
def offer_picture(request: HttpRequest, project_id: int, name: str) -> list[OfferedPictureOut]:
    """Offer a picture (the raw bytes as the body) to every object of the project that names one of that name; none:
    it is not kept.
    """
    return [_out(row) for row in offered.offer_picture(project_of(request, project_id), name, body_pieces(request))]


@router.get("/objects/{int:object_id}/offered", response=OfferedOut)
def offers(request: HttpRequest, object_id: int) -> OfferedOut:
    """What is offered to an object and was not taken or left yet."""
    item = object_of(request, object_id)
    newest = item.intakes.filter(offered=True, state=Intake.READY).select_related("project", "target").first()
    return OfferedOut(
        model=newest and intake_out(newest),
        pictures=[_out(row) for row in offered.offered_now(item.pk, item.document)],
    )


@router.delete("/offered-pictures/{int:offer_id}", response={204: None})
def leave_picture(request: HttpRequest, offer_id: int) -> tuple[int, None]:
    """Do not take it."""
    rows = OfferedPicture.objects.filter(object__project__owner_id=owner_of(request).pk)
    offered.leave([get_object_or_404(rows, pk=offer_id)])
    return 204, None
