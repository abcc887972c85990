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
#: Before the number of a base.
BASE = "base:"


@dataclass(frozen=True)
class Opened:
    """A recipe that is worked on: what it belongs to, its (n,) mask 0..1, what its lines may look at, and (n,) where a
    layer acted; None of an episode and of a base.
    """

    title: str
    recipe: Recipe
    mask: np.ndarray
    scope: Scope
    acted: np.ndarray | None = None


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

    def recipe(self, name: str) -> Opened | None:
        """The recipe of a layer, of "episode:" and the id of one, seen from its first layer, or of "base:" and its
        number; None where it is off, does not exist, or lies everywhere.
        """
        scene = self.session.scene
        if name.startswith(BASE):
            return self._of_base(name.removeprefix(BASE))
        if not name.startswith(EPISODE):
            chapter = next((c for c in self.chapters if c.layer.id == name), None)
            if chapter is None:
                return None
            return Opened(chapter.layer.name, chapter.layer.where, chapter.mask, self.scope_of(chapter), chapter.shown)
        episode = next((e for e in scene.episodes if e.id == name.removeprefix(EPISODE)), None)
        chapter = next((c for c in self.chapters if episode is not None and c.layer.episode == episode.id), None)
        if episode is None or chapter is None:
            return None
        scope = self.scope_of(chapter)
        return Opened(episode.name, episode.where, episode.where.value(scope), scope)

    def _of_base(self, number: str) -> Opened | None:
        scene = self.session.scene
        if not (number.isascii() and number.isdigit()) or int(number) >= len(scene.bases):
            return None
        base = scene.bases[int(number)]
        if base.where is None:
            return None
        scope = self.chronicle.scope(scene, None)
        return Opened(base.title, base.where, base.where.value(scope), scope)


def moment(session: Session, chapters: list[Chapter], until: str | None, as_made: Pile) -> Pile:
    """The surface after the layer ``until``; "" as made, None today."""
    if until is None:
        return chapters[-1].pile if chapters else as_made
    pile = as_made
    played = {c.layer.id: c.pile for c in chapters}
    for layer in session.scene.layers:
        if until == "":
            break
        pile = played.get(layer.id, pile)
        if layer.id == until:
            break
    return pile
