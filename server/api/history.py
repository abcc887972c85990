"""Edits of a scene, each a version of its own, and undo and redo over them."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, ConfigDict, Field

from limus.document.made_again import made_again
from limus.document.scene import Scene, scene_from
from server.api.answers import Problem, Stale, VersionOut, object_of, stale, version_out
from server.projects.difference import difference
from server.projects.intake import own_files_only, vouched
from server.projects.models import StaleEdit, put_in_place

router = Router()


class EditIn(BaseModel):
    """A new version of the scene, made on version ``base``."""

    model_config = ConfigDict(extra="forbid")
    base: int
    document: Scene
    label: str = Field("Edit", max_length=120)


class AgainIn(BaseModel):
    """An edit that was refused because the scene was changed elsewhere, to be made again on version ``base``."""

    model_config = ConfigDict(extra="forbid")
    base: int
    before: Scene
    after: Scene
    label: str = Field("Edit", max_length=120)


class StepIn(BaseModel):
    """Undo or redo from version ``base``."""

    model_config = ConfigDict(extra="forbid")
    base: int


@router.get("/objects/{int:object_id}/scene", response=VersionOut)
def get_scene(request: HttpRequest, object_id: int) -> VersionOut:
    """The scene as it is saved now; nothing is evaluated or prepared for it."""
    return version_out(object_of(request, object_id))


@router.put("/objects/{int:object_id}/scene", response={200: VersionOut, 409: Stale, 422: Problem})
def edit(request: HttpRequest, object_id: int, body: EditIn) -> Any:
    """Store an edit as a new version. 409 when the scene was changed elsewhere since ``base``."""
    item = object_of(request, object_id)
    scene = body.document
    own_files_only(scene, item.project, item)
    document = scene.model_dump(mode="json")
    # On the version it was made on; where that is not the one shown any more, the commit says so.
    steps, before = difference(item.document, document), vouched(item)
    try:
        item.commit(body.base, document, body.label, steps if item.head_id == body.base else None)
    except StaleEdit:
        return 409, stale(item)
    vouched(item, before | put_in_place(steps[0]))
    return 200, version_out(item)


@router.post("/objects/{int:object_id}/make-again", response={200: VersionOut, 409: Stale, 422: Problem})
def make_again(request: HttpRequest, object_id: int, body: AgainIn) -> Any:
    """Make an edit again on the scene as it is now: what it did not touch stays. 422 where it does not fit any more."""
    item = object_of(request, object_id)
    document = made_again(*(one.model_dump(mode="json") for one in (body.before, body.after)), item.document)
    return edit(request, object_id, EditIn(base=body.base, document=scene_from(document, "scene"), label=body.label))


def _step(request: HttpRequest, object_id: int, body: StepIn, back: bool) -> Any:
    item = object_of(request, object_id)
    try:
        item.step(body.base, back=back)
    except StaleEdit:
        return 409, stale(item)
    return 200, version_out(item)


@router.post("/objects/{int:object_id}/undo", response={200: VersionOut, 409: Stale})
def undo(request: HttpRequest, object_id: int, body: StepIn) -> Any:
    """Point at the version before; the same version where there is none."""
    return _step(request, object_id, body, True)


@router.post("/objects/{int:object_id}/redo", response={200: VersionOut, 409: Stale})
def redo(request: HttpRequest, object_id: int, body: StepIn) -> Any:
    """Return to the version that undo stepped back from."""
    return _step(request, object_id, body, False)
