"""What the view looks at: questions about the scene, and the pictures that answers name."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import Field

from limus.afar.question import Kind
from limus.common.errors import Cancelled
from limus.looks.answer import Answer, Question
from limus.looks.answering import Answered
from limus.looks.close import CloseAnswer, CloseQuestion
from limus.looks.packed import packed, run_of
from server.api.answers import Problem, object_of, owner_of
from server.api.asked import Asked, scene_asked
from server.projects.answerers import turn
from server.projects.gate import gate
from server.projects.last_view import keep_soon, last_view
from server.projects.map_store import Pictures

router = Router()
#: Texels along a side from which on a picture at rest is worth keeping.
KEPT_FROM = 512
#: Tiles take their turns as a picture of this size does.
LARGEST_DRAG = 512
#: Asked for as this, an answer comes as one run of bytes with its pictures; else as JSON, and its pictures are fetched
#: by their names.
PACKED = "application/octet-stream"


class EvaluateIn(Question, Asked):
    """A question, and which document it is about: while something is dragged, a version and what is set anew in it."""

    ticket: int = Field(0, ge=0)
    client: str = Field("", max_length=40)
    has: list[str] = Field(default_factory=list, max_length=600, description="Names of pictures that need not be sent")
    ahead: bool = Field(False, description="Nobody waits for it: it is made so that the next drag finds it")


def _answered(request: HttpRequest, object_id: int, body: EvaluateIn, kind: Kind) -> Answered | None:
    """The answer, in its turn; a newer request of the same tab makes an older one stop."""
    began = time.perf_counter()
    owner: int = owner_of(request).pk
    gate.newest(owner, body.client, body.ticket)
    scene = scene_asked(request, object_of(request, object_id), body)
    gone, check = _moved_on(owner, body.client, body.ticket)
    with turn(scene, body.resolution, gone, None if body.ahead else owner, body.client) as ask:
        # What is kept for the next visit is kept whole.
        out: Answered | None = ask(kind, body, check, () if body.resolution >= KEPT_FROM else body.has)
    if out is None:
        return None
    spent = round((time.perf_counter() - began) * 1000, 1)
    return replace(out, answer=out.answer.model_copy(update={"ticket": body.ticket, "spent_ms": spent}))


def _moved_on(owner: int, client: str, ticket: int) -> tuple[Callable[[], bool], Callable[[], None]]:
    """Whether a tab has asked for something newer; and what then ends the work."""

    def gone() -> bool:
        return gate.moved_on(owner, client, ticket)

    def check() -> None:
        if gone():
            raise Cancelled

    return gone, check


def _sent(request: HttpRequest, out: Answered, has: list[str], ahead: bool = False) -> Any:
    """As it was asked for."""
    if PACKED in request.headers.get("Accept", ""):
        return HttpResponse(packed(out, set(has)), content_type=PACKED)
    if ahead:
        # Nobody looks at it: what was made stays where the next step of a drag finds it.
        return 200, out.answer
    pictures = Pictures(owner_of(request).pk)
    for blob in out.pictures.values():
        pictures.put(blob.data, blob.media)
    return 200, out.answer


@router.post(
    "/objects/{int:object_id}/evaluate",
    response={200: Answer, 204: None, 409: Problem, 410: Problem, 422: Problem, 425: Problem},
)
def evaluate(request: HttpRequest, object_id: int, body: EvaluateIn) -> Any:
    """Evaluate for the view. A newer request of the same tab makes an older one stop with 409."""
    try:
        out = _answered(request, object_id, body, "answer")
    except Cancelled:
        if body.ahead:
            # Nobody waited for it: giving way is how it should end.
            return 204, None
        raise
    if out is None:
        return 425, Problem(
            message="The object has not been measured yet. Measure it first.", remedy="Start a job of kind 'measure'"
        )
    if (
        body.pictures
        and body.until is None
        and body.look.kind == "lit"
        and body.resolution >= KEPT_FROM
        and not body.ahead
    ):
        item = object_of(request, object_id)
        asks_saved = not body.edits and body.document is None and body.base in (None, item.head_id)
        if asks_saved and item.head_id is not None:
            keep_soon(item, item.head_id, out)
    return _sent(request, out, body.has, body.ahead)


class CloseIn(CloseQuestion, Asked):
    """Tiles of the maps at the density of the screen, for a view that has come near."""

    ticket: int = Field(0, ge=0)
    client: str = Field("", max_length=40)
    has: list[str] = Field(default_factory=list, max_length=600, description="Names of pictures that need not be sent")


@router.post(
    "/objects/{int:object_id}/close-up",
    response={200: CloseAnswer, 409: Problem, 410: Problem, 422: Problem, 425: Problem},
)
def close(request: HttpRequest, object_id: int, body: CloseIn) -> Any:
    """Draw tiles. They wait for everybody's views; a newer request of the same tab makes an older one stop with
    409.
    """
    owner: int = owner_of(request).pk
    gate.newest(owner, body.client, body.ticket)
    scene = scene_asked(request, object_of(request, object_id), body)
    gone, check = _moved_on(owner, body.client, body.ticket)
    with turn(scene, LARGEST_DRAG, gone, None, body.client) as ask:
        found = ask("close", body, check, ())
    if found is None:
        return 425, Problem(
            message="The object has not been measured yet. Measure it first.", remedy="Start a job of kind 'measure'"
        )
    out, pictures = found
    if PACKED in request.headers.get("Accept", ""):
        return HttpResponse(run_of(out, pictures, set(body.has)), content_type=PACKED)
    kept = Pictures(owner)
    for blob in pictures.values():
        kept.put(blob.data, blob.media)
    return 200, out


@router.get("/objects/{int:object_id}/last-view", response={200: Answer, 204: None, 404: Problem})
def get_last_view(request: HttpRequest, object_id: int) -> Any:
    """How it looked when it was last at rest in this version, or nothing where it was not; nothing is evaluated or
    prepared for it.
    """
    found = last_view(object_of(request, object_id))
    if found is None:
        # No fault: it was never looked at in this version.
        return 204, None
    return _sent(request, found, [])


@router.post("/objects/{int:object_id}/look", response={200: Answer, 409: Problem, 410: Problem, 422: Problem})
def look_at(request: HttpRequest, object_id: int, body: EvaluateIn) -> Any:
    """The object as made, a reading, or its UVs, without playing the chronicle. Works before anything was measured,
    as far as it can.
    """
    out = _answered(request, object_id, body, "as made")
    assert out is not None
    return _sent(request, out, body.has)


@router.get("/maps/{name}", include_in_schema=False)
def get_map(request: HttpRequest, name: str) -> HttpResponse:
    """A finished picture by the hash of its content."""
    if request.headers.get("If-None-Match") == f'"{name}"':
        return HttpResponse(status=304)
    pictures = Pictures(owner_of(request).pk)
    found = pictures.get(name)
    pictures.fetched(name)
    if found is None:
        return HttpResponse(
            '{"message": "This picture is no longer kept. Evaluate again."}',
            status=404,
            content_type="application/json",
        )
    response = HttpResponse(found[0], content_type=found[1])
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    response["ETag"] = f'"{name}"'
    return response
