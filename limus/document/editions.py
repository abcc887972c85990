"""Editions of looks: each effect, source and base material has a number that is raised when what it makes looks
different.

A document says nothing of them; whoever keeps one notes the editions that it was made with (``editions_of``) and can
later be told what looks different (``looks_changed``).
"""

from __future__ import annotations

from collections.abc import Iterator

from limus.document.scene import Scene


def _kinds(scene: Scene) -> Iterator[tuple[str, int, str]]:
    """(kind, edition, what of the scene it is) of everything that makes a look."""
    for base in scene.bases:
        yield f"base {base.material.kind}", base.material.edition, base.title
        for term in base.where.terms if base.where is not None else []:
            yield f"source {term.source.kind}", term.source.edition, base.title
    for layer in scene.layers:
        yield f"effect {layer.effect.kind}", layer.effect.edition, layer.name
        for term in layer.where.terms:
            yield f"source {term.source.kind}", term.source.edition, layer.name
    for episode in scene.episodes:
        for term in episode.where.terms:
            yield f"source {term.source.kind}", term.source.edition, episode.name


def editions_of(scene: Scene) -> dict[str, int]:
    """Kind -> edition, of everything in the scene that makes a look."""
    return {kind: edition for kind, edition, _ in _kinds(scene)}


def looks_changed(scene: Scene, made_with: dict[str, int]) -> list[str]:
    """Names of layers, episodes and bases that look different from what they did with the editions noted; what is not
    noted is of the first.
    """
    return list(dict.fromkeys(name for kind, edition, name in _kinds(scene) if made_with.get(kind, 1) < edition))
