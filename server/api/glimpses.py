"""Small pictures of what an effect or a treatment would do to this very object, made in the background."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router
from pydantic import BaseModel, ConfigDict, Field

from limus.commands.edit import changed, command_of
from limus.common.errors import Cancelled, InputError
from limus.formats.png import png_bytes
from limus.review.glimpse import glimpse
from server.api.answers import Problem, object_of, owner_of
from server.api.asked import Asked, ground_of, scene_asked
from server.projects.gate import gate
from server.projects.map_store import Pictures
from server.projects.workshop import session_of

router = Router()
#: Pixels of a picture.
SIZE = (148, 104)


class GlimpseIn(Asked):
    """One more effect, by kind, or one more treatment, by name, on the scene as the browser has it."""

    model_config = ConfigDict(extra="forbid")
    kind: str = Field("", max_length=40)
    treatment: str = Field("", max_length=80)
    client: str = Field("", max_length=40)
    ticket: int = Field(0, ge=0)


class GlimpseOut(BaseModel):
    """Name of the picture, the share that the last layer covers, and why it would do nothing."""

    picture: str
    coverage: float
    note: str


@router.post("/objects/{int:object_id}/glimpse", response={200: GlimpseOut, 409: Problem, 410: Problem, 422: Problem})
def look(request: HttpRequest, object_id: int, body: GlimpseIn) -> GlimpseOut:
    """A picture of the object with it; dropped when the dialog that asked was closed."""
    if not body.kind and not body.treatment:
        raise InputError("nothing to show", where="kind", remedy="Name an effect or a treatment")
    item = object_of(request, object_id)
    owner = owner_of(request)
    scene = scene_asked(request, item, body)
    session = session_of(scene)
    tab = f"glimpse {body.client}"

    def gone() -> bool:
        return gate.moved_on(owner.pk, tab, body.ticket)

    def check() -> None:
        if gone():
            raise Cancelled

    # Behind everybody's sliders.
    with gate.turn(4096, lambda: False, gone):
        command = (
            command_of("add", {"effect": body.kind})
            if body.kind
            else command_of("paste", {"treatment": body.treatment})
        )
        whole = changed(scene.model_dump(mode="json"), [command], ground_of(request, item))
        found = glimpse(session, whole, SIZE, len(whole.layers) - len(scene.layers), check)
    name = Pictures(owner.pk).put(png_bytes(found.picture), "image/png")
    return GlimpseOut(picture=name, coverage=found.coverage, note=found.note)


@router.delete("/objects/{int:object_id}/glimpse", response={204: None})
def stop(
    request: HttpRequest, object_id: int, client: str = Query(max_length=40), ticket: int = Query(ge=0)
) -> tuple[int, None]:
    """The dialog was closed: what was asked under an older ticket is not made any more."""
    object_of(request, object_id)
    gate.newest(owner_of(request).pk, f"glimpse {client}", ticket)
    return 204, None
