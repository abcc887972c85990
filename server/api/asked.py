"""Which document a question is about: the saved one, a version with edits that are not saved yet, or one that is sent
whole.
"""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from pydantic import BaseModel, ConfigDict, Field

from limus.commands.draft import Ground
from limus.commands.edit import changed, command_of
from limus.document.scene import Scene, scene_from
from server.api.answers import owner_of
from server.projects import treatments
from server.projects.intake import own_files_only
from server.projects.models import SceneVersion, WorkObject
from server.projects.workshop import session_of


class VersionGone(Exception):
    """The version that a request stands on is not held here (any more); the one who asked has the document and sends
    it whole.
    """


class Unsaved(BaseModel):
    """A command, as ``limus.commands`` has it, that is not saved yet."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=40)
    arguments: dict[str, Any] = Field(default_factory=dict)


class Asked(BaseModel):
    """``base`` with ``edits`` on it; without them the saved scene. ``document``: the whole, where the server does not
    hold ``base``.
    """

    base: int | None = Field(None, description="Version that the edits were made on")
    edits: list[Unsaved] = Field(default_factory=list, max_length=200, description="In the order they were made")
    document: Scene | None = None


def ground_of(request: HttpRequest, item: WorkObject) -> Ground:
    """What commands may ask for besides the document."""
    return Ground(lambda: session_of(item.scene()).size, lambda name: treatments.named(owner_of(request), name))


def document_at(item: WorkObject, base: int) -> dict[str, Any]:
    """The plain document of a version.

    Raises
    ------
    VersionGone : the object has no such version.
    """
    if base == item.head_id:
        return item.document
    try:
        return item.at(item.versions.get(pk=base))
    except SceneVersion.DoesNotExist as error:
        raise VersionGone from error


def scene_asked(request: HttpRequest, item: WorkObject, asked: Asked) -> Scene:
    """The scene that is asked about; it names only files of its project.

    Raises
    ------
    InputError : an edit cannot be made on it. VersionGone : see ``document_at``.
    """
    if asked.document is None and not asked.edits and asked.base in (None, item.head_id):
        return item.scene()
    if asked.document is not None:
        document, scene = asked.document.model_dump(mode="json"), asked.document
    else:
        document, scene = document_at(item, asked.base if asked.base is not None else item.head_id or 0), None
    if asked.edits:
        commands = [command_of(edit.name, edit.arguments) for edit in asked.edits]
        scene = changed(document, commands, ground_of(request, item))
    elif scene is None:
        scene = scene_from(document, item.name, trusted=True)
    own_files_only(scene, item.project, item)
    return scene
