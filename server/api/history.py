"""Edits of a scene, each a version of its own, and undo and redo over them."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, ConfigDict, Field

from limus.commands.again import still_meant
from limus.commands.edit import command_of, edited
from limus.document.difference import difference
from limus.document.scene import Scene, scene_from
from server.api.answers import EditOut, Problem, Stale, VersionOut, edit_out, object_of, stale, version_out
from server.api.asked import Unsaved, document_at, ground_of
from server.projects.intake import own_files_only, vouched
from server.projects.models import StaleEdit, WorkObject, put_in_place

router = Router()


class WholeIn(BaseModel):
    """A whole document in place of version ``base``: one that was edited elsewhere."""

    model_config = ConfigDict(extra="forbid")
    base: int
    document: Scene
    label: str = Field("Edit", max_length=120)


class EditIn(Unsaved):
    """A command on version ``base``.

    ``made_on``: the version it was first made on, where it was refused there and is made again on a newer one.
    ``token``: what the one who makes
    it calls it; a second try under the same token changes nothing twice.
    """

    base: int
    made_on: int | None = None
    token: str = Field("", max_length=40)


class StepIn(BaseModel):
    """Undo or redo from version ``base``."""

    model_config = ConfigDict(extra="forbid")
    base: int


@router.get("/objects/{int:object_id}/scene", response=VersionOut)
def get_scene(request: HttpRequest, object_id: int) -> VersionOut:
    """The scene as it is saved now; nothing is evaluated or prepared for it."""
    return version_out(object_of(request, object_id))


@router.put("/objects/{int:object_id}/scene", response={200: VersionOut, 409: Stale, 422: Problem})
def put_whole(request: HttpRequest, object_id: int, body: WholeIn) -> Any:
    """Store a whole document as a new version. 409 when the scene was changed elsewhere since ``base``."""
    item = object_of(request, object_id)
    try:
        _store(item, body.base, body.document, body.document.model_dump(mode="json"), body.label)
    except StaleEdit:
        return 409, stale(item)
    return 200, version_out(item)


@router.post("/objects/{int:object_id}/edit", response={200: EditOut, 409: Stale, 410: Problem, 422: Problem})
def edit(request: HttpRequest, object_id: int, body: EditIn) -> Any:
    """Make an edit, by the name of a command and its arguments; answered by what is different. 409 when the scene was
    changed elsewhere since ``base``.
    """
    item = object_of(request, object_id)
    before = item.versions.filter(token=body.token).last() if body.token else None
    if before is not None and before.pk == item.head_id and before.parent_id is not None:
        # It arrived, and its answer did not.
        return 200, edit_out(item, before.parent_id, before.change, {}, [])
    if before is not None or item.head_id != body.base:
        return 409, stale(item, arrived=before is not None)
    command = command_of(body.name, body.arguments)
    if body.made_on is not None and body.made_on != body.base:
        still_meant(command, document_at(item, body.made_on), item.document)
    done = edited(item.document, command, ground_of(request, item))
    try:
        change = _store(item, body.base, done.scene, done.document, done.label, body.token)
    except StaleEdit:
        return 409, stale(item)
    return 200, edit_out(item, body.base, change, done.made, done.notes)


class VersionRow(BaseModel):
    """One version in the history of an object."""

    version: int
    number: int
    label: str
    created: str
    shown: bool = Field(description="Whether it is the one shown now")


#: Versions that are listed: the newest.
LISTED = 200


@router.get("/objects/{int:object_id}/versions", response=list[VersionRow])
def versions(request: HttpRequest, object_id: int) -> list[VersionRow]:
    """The newest versions, the newest first."""
    item = object_of(request, object_id)
    return [
        VersionRow(
            version=row.pk,
            number=row.number,
            label=row.label,
            created=row.created.isoformat(),
            shown=row.pk == item.head_id,
        )
        for row in item.versions.order_by("-id").only("pk", "number", "label", "created")[:LISTED]
    ]


class BackIn(StepIn):
    """Back from version ``base`` to what ``version`` was."""

    version: int


@router.post("/objects/{int:object_id}/back", response={200: VersionOut, 409: Stale, 410: Problem, 422: Problem})
def go_back(request: HttpRequest, object_id: int, body: BackIn) -> Any:
    """The document of an earlier version as a new one: nothing is lost, and undo takes it back."""
    item = object_of(request, object_id)
    document = document_at(item, body.version)
    number = item.versions.values_list("number", flat=True).get(pk=body.version)
    scene = scene_from(document, item.name, trusted=True)
    try:
        _store(item, body.base, scene, document, f"Back to version {number}")
    except StaleEdit:
        return 409, stale(item)
    return 200, version_out(item)


def _store(
    item: WorkObject, base: int, scene: Scene, document: dict[str, Any], label: str, token: str = ""
) -> list[Any]:
    """A new version, if anything is different; the steps from the one before.

    Raises
    ------
    InputError : it names a file that the project does not have. StaleEdit : ``base`` is not the version shown any more.
    """
    own_files_only(scene, item.project, item)
    # On the version it was made on; where that is not the one shown any more, the commit says so.
    steps, before = difference(item.document, document), vouched(item)
    if not steps[0] and item.head_id == base:
        return []
    item.commit(base, document, label, steps if item.head_id == base else None, token)
    vouched(item, before | put_in_place(steps[0]))
    return steps[0]


def _step(request: HttpRequest, object_id: int, body: StepIn, back: bool) -> Any:
    item = object_of(request, object_id)
    try:
        change = item.step(body.base, back=back)
    except StaleEdit:
        return 409, stale(item)
    return 200, edit_out(item, body.base, change, {}, [])


@router.post("/objects/{int:object_id}/undo", response={200: EditOut, 409: Stale})
def undo(request: HttpRequest, object_id: int, body: StepIn) -> Any:
    """Point at the version before; nothing changes where there is none."""
    return _step(request, object_id, body, True)


@router.post("/objects/{int:object_id}/redo", response={200: EditOut, 409: Stale})
def redo(request: HttpRequest, object_id: int, body: StepIn) -> Any:
    """Return to the version that undo stepped back from."""
    return _step(request, object_id, body, False)
