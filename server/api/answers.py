"""What all parts of the API share: refusals, and finding what belongs to the signed-in user."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from pydantic import BaseModel

from limus.bases.choice import BaseChoice
from server.projects.models import Project, SceneVersion, WorkObject


class Problem(BaseModel):
    """Any refusal: one line for a person, and its pieces."""

    message: str
    problem: str = ""
    where: str = ""
    remedy: str = ""


class VersionOut(BaseModel):
    """A version of the scene, and which way history goes from it."""

    version: int
    number: int
    label: str
    saved: str
    document: dict[str, Any]
    can_undo: bool
    undo_label: str
    can_redo: bool
    redo_label: str


class Stale(Problem):
    """409: the scene as it is now, to go on from."""

    scene: VersionOut


def owner_of(request: HttpRequest) -> AbstractBaseUser:
    """Who asks."""
    return request.user  # type: ignore[return-value]


def project_of(request: HttpRequest, project_id: int) -> Project:
    """A project of theirs, or 404."""
    return get_object_or_404(Project, pk=project_id, owner=owner_of(request))


def object_of(request: HttpRequest, object_id: int) -> WorkObject:
    """An object of theirs, or 404."""
    return get_object_or_404(
        WorkObject.objects.select_related("project", "head", "head__parent"), pk=object_id, project__owner=owner_of(request)
    )


def with_whole_bases(document: dict[str, Any]) -> dict[str, Any]:
    """A document whose bases are written out: older ones name them by a word of the store room."""
    if not any(isinstance(base.get("material"), str) or "placing" not in base for base in document.get("bases", [])):
        return document
    return {**document, "bases": [BaseChoice.model_validate(base).model_dump(mode="json") for base in document["bases"]]}


def version_out(item: WorkObject) -> VersionOut:
    """The version that the object shows."""
    head = item.head
    assert head is not None
    redo = SceneVersion.objects.filter(pk=item.undone[-1]).first() if item.undone else None
    return VersionOut(
        version=head.pk,
        number=head.number,
        label=head.label,
        saved=head.created.isoformat(),
        document=with_whole_bases(head.document),
        can_undo=head.parent_id is not None,
        undo_label=head.label if head.parent_id else "",
        can_redo=redo is not None,
        redo_label=redo.label if redo else "",
    )


def stale(item: WorkObject) -> Stale:
    """The answer to an edit of an older version; it carries the newest one, so that nobody has to ask again."""
    item.refresh_from_db()
    return Stale(
        message="The scene was changed in another window. Its newest state has been loaded; make your edit again.",
        problem="the edit was made on an older version",
        where="base",
        remedy="Load the newest version and make the edit again",
        scene=version_out(item),
    )


def body_pieces(request: HttpRequest) -> Iterator[bytes]:
    """The raw body as it comes."""
    while piece := request.read(1 << 20):
        yield piece
