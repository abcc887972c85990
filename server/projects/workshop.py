"""Sessions of this server: the core's session on a scene whose files lie in the data folder."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from django.conf import settings

from limus.document.scene import Scene
from limus.playing.session import Session
from server.projects.data_files import find
from server.projects.models import Facts


def session_of(scene: Scene, files: Callable[[str], Path] = find) -> Session:
    """A session on the scene; what it makes is kept in the process's store and shared by all requests."""
    return Session(scene, files, good=settings.READINGS_RESOLUTION)


def facts_of(session: Session) -> dict[str, Any]:
    """What inspection found of the prepared mesh; looked at once, kept in the database."""
    row = Facts.objects.filter(key=session.object_key).first()
    if row is None:
        row, _ = Facts.objects.get_or_create(key=session.object_key, defaults={"facts": session.facts()})
    return row.facts
