"""What all parts of the API share: refusals, and finding what belongs to the signed-in user."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.cache import get_conditional_response, patch_cache_control
from pydantic import BaseModel, Field

from limus.common.errors import InputError
from limus.document.scene import Scene
from limus.document.snapshot import snapshot_shown
from server.projects.disk import disk_is_full
from server.projects.models import Project, SceneVersion, WorkObject


def with_etag(body: str) -> tuple[bytes, str]:
    """What is the same for everybody, as it is sent, and its ETag."""
    sent = body.encode()
    return sent, f'"{hashlib.sha256(sent).hexdigest()[:24]}"'


def sent_once(request: HttpRequest, body: bytes, etag: str) -> HttpResponse:
    """JSON that a browser keeps and asks about: sent again only where it is another."""
    kept = get_conditional_response(request, etag=etag)
    response: HttpResponse = kept or HttpResponse(body, content_type="application/json", headers={"ETag": etag})
    patch_cache_control(response, private=True, no_cache=True)
    return response


class Problem(BaseModel):
    """Any refusal: one line for a person, and its pieces."""

    message: str
    problem: str = ""
    where: str = ""
    remedy: str = ""
    value: str = ""
    accepted: str = ""


class VersionFacts(BaseModel):
    """A version of the scene, which way history goes from it, and what follows from its document."""

    version: int
    number: int
    label: str
    saved: str
    can_undo: bool
    undo_label: str
    can_redo: bool
    redo_label: str
    token: str = Field("", description="By which whoever made it knows it again")
    snapshot: str = Field("", description="Id of the snapshot that it shows, if one")


class VersionOut(VersionFacts):
    """A version with its whole document."""

    document: Scene


class EditOut(VersionFacts):
    """A version by what is different from another one: the answer to an edit, an undo and a redo."""

    base: int = Field(description="The version that the change starts from")
    change: list[list[Any]] = Field(
        description='Steps from that document: ["set", path, value], ["drop", path], ["splice", path, start, count, '
        "values]"
    )
    made: dict[str, Any] = Field(
        default_factory=dict, description="What is new and worth selecting: layer, episode, line, base"
    )
    notes: list[str] = Field(default_factory=list, description="What could not be done as asked")


class Stale(Problem):
    """409: the scene as it is now, to go on from. ``arrived``: the edit is in it, an earlier answer got lost."""

    scene: VersionOut
    arrived: bool = False


def owner_of(request: HttpRequest) -> AbstractBaseUser:
    """Who asks."""
    return request.user  # type: ignore[return-value]


def project_of(request: HttpRequest, project_id: int) -> Project:
    """A project of theirs, or 404."""
    return get_object_or_404(Project, pk=project_id, owner=owner_of(request))


def object_of(request: HttpRequest, object_id: int) -> WorkObject:
    """An object of theirs, or 404."""
    return get_object_or_404(
        WorkObject.objects.select_related("project", "head", "head__parent"),
        pk=object_id,
        project__owner=owner_of(request),
    )


def _facts(item: WorkObject) -> dict[str, Any]:
    head = item.head
    assert head is not None
    redo = SceneVersion.objects.filter(pk=item.undone[-1]).first() if item.undone else None
    return {
        "version": head.pk,
        "number": head.number,
        "label": head.label,
        "saved": head.created.isoformat(),
        "can_undo": head.parent_id is not None,
        "undo_label": head.label if head.parent_id else "",
        "can_redo": redo is not None,
        "redo_label": redo.label if redo else "",
        "token": head.token,
        "snapshot": snapshot_shown(item.document),
    }


def version_out(item: WorkObject) -> VersionOut:
    """The version that the object shows, whole."""
    return VersionOut(**_facts(item), document=item.scene())


def edit_out(item: WorkObject, base: int, change: list[Any], made: dict[str, Any], notes: list[str]) -> EditOut:
    """The version that the object shows, by its difference from version ``base``."""
    return EditOut(**_facts(item), base=base, change=change, made=made, notes=notes)


def stale(item: WorkObject, arrived: bool = False) -> Stale:
    """The answer to an edit of an older version; it carries the newest one, so that nobody has to ask again."""
    item.refresh_from_db()
    return Stale(
        message="The scene was changed in another window. Its newest state has been loaded; make your edit again.",
        problem="the edit was made on an older version",
        where="base",
        remedy="Load the newest version and make the edit again",
        scene=version_out(item),
        arrived=arrived,
    )


def body_pieces(request: HttpRequest) -> Iterator[bytes]:
    """The raw body as it comes.

    Raises
    ------
    InputError : fewer bytes came than were announced; whoever takes them in must not take the half for the whole.
    """
    declared = request.META.get("CONTENT_LENGTH") or ""
    wanted = int(declared) if declared.isdigit() else 0
    came = 0
    try:
        while piece := request.read(1 << 20):
            came += len(piece)
            yield piece
    except OSError as error:
        if disk_is_full(error):
            raise
        came = -1
    if came < wanted:
        raise InputError(
            f"the upload broke off{'' if came < 0 else f': {came} of {wanted} bytes came'}",
            where="upload",
            remedy="Send the file again",
        )
