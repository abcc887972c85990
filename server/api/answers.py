"""What all parts of the API share: refusals, and finding what belongs to the signed-in user."""

from __future__ import annotations

from collections.abc import Iterator

from django.contrib.auth.models import AbstractBaseUser
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from pydantic import BaseModel

from limus.common.errors import InputError
from limus.document.scene import Scene
from server.projects.disk import disk_is_full
from server.projects.models import Project, SceneVersion, WorkObject


class Problem(BaseModel):
    """Any refusal: one line for a person, and its pieces."""

    message: str
    problem: str = ""
    where: str = ""
    remedy: str = ""
    value: str = ""
    accepted: str = ""


class VersionOut(BaseModel):
    """A version of the scene, and which way history goes from it."""

    version: int
    number: int
    label: str
    saved: str
    document: Scene
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
        document=item.scene(),
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
