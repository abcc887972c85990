"""What is looked at: a scene, played up to a moment, and the parts of it that looks and small pictures ask for."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.masks.recipe import Recipe
from limus.masks.source import Scope
from limus.playing.chronicle import Chapter, Chronicle
from limus.playing.session import Session
from limus.strata.pile import Pile

#: Before the id of an episode, where a name may mean a layer or an episode.
EPISODE = "episode:"


@dataclass(frozen=True)
class Seen:
    """``pile``: the surface at the moment looked at. ``chapters``: every layer that was played, oldest first."""

    session: Session
    chronicle: Chronicle
    pile: Pile
    chapters: list[Chapter]

    @property
    def surface_key(self) -> str:
        """Hash of the finished surface: the pile, and the occlusion and the twin's normals, which come from the
        readings.
        """
        return f"{self.pile.key} {self.chronicle.measured.key}"

    def scope_of(self, chapter: Chapter) -> Scope:
        """What the recipe of a layer could look at when it happened."""
        k = self.chapters.index(chapter)
        before = self.chapters[k - 1].pile if k else self.chronicle.as_made(self.session.scene)
        return self.chronicle.scope(self.session.scene, before)

    def recipe(self, name: str) -> tuple[Chapter, Recipe, np.ndarray, str] | None:
        """(chapter, recipe, (n,) mask, title) of a layer, or of "episode:" and the id of one, seen from its first
        layer; None where it is off.
        """
        scene = self.session.scene
        if not name.startswith(EPISODE):
            chapter = next((c for c in self.chapters if c.layer.id == name), None)
            return (chapter, chapter.layer.where, chapter.mask, chapter.layer.name) if chapter is not None else None
        episode = next((e for e in scene.episodes if e.id == name.removeprefix(EPISODE)), None)
        chapter = next((c for c in self.chapters if episode is not None and c.layer.episode == episode.id), None)
        if episode is None or chapter is None:
            return None
        return chapter, episode.where, episode.where.value(self.scope_of(chapter)), episode.name
