"""Putting a newer version of the model in the place of the old one without losing work."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from difflib import SequenceMatcher
from typing import Any

import numpy as np

from limus.document.scene import Scene
from limus.masks.source import Source
from limus.masks.sources.parts import Parts
from limus.masks.sources.proximity import ProximitySource


@dataclass(frozen=True)
class Gone:
    """A part that the new model lacks: who asks for it, and which new part is most like it ("" where none is)."""

    name: str
    used_by: tuple[str, ...]
    suggestion: str


@dataclass(frozen=True)
class Report:
    """What carries over (``kept``, sentences), and what needs a look (``look``, sentences; ``gone``, ``new``, names
    of parts).
    """

    kept: tuple[str, ...]
    look: tuple[str, ...]
    gone: tuple[Gone, ...]
    new: tuple[str, ...]

    def as_dict(self) -> dict[str, Any]:
        """Plain data."""
        return asdict(self)


def _parts_of(source: Source) -> list[str]:
    if isinstance(source, Parts):
        return source.names
    return source.parts if isinstance(source, ProximitySource) else []


def part_users(scene: Scene) -> dict[str, list[str]]:
    """Part name -> who in the scene asks for it, in words."""
    out: dict[str, list[str]] = {}
    for base in scene.bases:
        for name in base.parts or []:
            out.setdefault(name, []).append(f"base {base.title}")
    recipes = [(f"base {b.title}", b.where) for b in scene.bases if b.where is not None]
    recipes += [(f"layer {layer.name}", layer.where) for layer in scene.layers]
    recipes += [(f"episode {episode.name}", episode.where) for episode in scene.episodes]
    for user, where in recipes:
        for term in where.terms:
            for name in _parts_of(term.source):
                out.setdefault(name, []).append(user)
    for name in scene.object.turned:
        out.setdefault(name, []).append("turned parts")
    for name in scene.object.two_sided:
        out.setdefault(name, []).append("two-sided sheets")
    return out


def likeness(old: dict[str, Any], new: dict[str, Any]) -> float:
    """0..1: how much two parts are alike by name, place and size (their entries in ``inspection``)."""
    name = SequenceMatcher(None, old["name"].lower(), new["name"].lower()).ratio()
    a_low, a_high, b_low, b_high = (np.array(box) for box in (old["low_m"], old["high_m"], new["low_m"], new["high_m"]))
    size = max(float(np.linalg.norm(a_high - a_low)), float(np.linalg.norm(b_high - b_low)), 1e-12)
    apart = float(np.linalg.norm((a_low + a_high) / 2 - (b_low + b_high) / 2)) / size
    other = float(np.abs((a_high - a_low) - (b_high - b_low)).max()) / size
    return 0.35 * name + 0.65 * max(0.0, 1.0 - apart - other)


def compare(scene: Scene, old: dict[str, Any], new: dict[str, Any]) -> Report:
    """Compare two inspections (``limus.intake.inspection``) with the eyes of a scene made on the old one."""
    before = {p["name"]: p for p in old["parts"] if not p.get("back")}
    after = {p["name"]: p for p in new["parts"] if not p.get("back")}
    users = part_users(scene)
    fresh = [name for name in after if name not in before]
    gone = []
    free = set(fresh)
    for name, part in before.items():
        if name in after:
            continue
        best = max(free, key=lambda n: likeness(part, after[n]), default="")
        if best and likeness(part, after[best]) < 0.55:
            best = ""
        free.discard(best)
        gone.append(Gone(name, tuple(dict.fromkeys(users.get(name, []))), best))
    kept = [f"{len(scene.layers)} layers with their settings and places"] if scene.layers else []
    same = len(before) - len(gone)
    if same:
        kept.append(f"{same} of {len(before)} parts have the same name")
    look = []
    if old["triangles"] != new["triangles"]:
        kept.append(
            f"{new['triangles']:,} triangles instead of {old['triangles']:,}: readings are measured again, places "
            "follow the shape"
        )
    if old["uv"]["present"] and not new["uv"]["present"] and scene.object.uv == "own":
        look.append("The new model has no UVs: unwrap it afterwards")
    a, b = (float(np.linalg.norm(facts["size_m"])) for facts in (old, new))
    if a > 0 and not 0.8 < b / a < 1.25:
        look.append(f"It is {b / a:.3g} times as large as before: check its unit, all radii are in real millimetres")
    if old["vertex_colours"] and not new["vertex_colours"]:
        look.append("Its vertex colours are gone: lines that read them are white now")
    added = sorted(set(new["map_sets"]) - set(old["map_sets"]))
    if added or set(old["map_sets"]) - set(new["map_sets"]):
        look.append(
            f"Its map sets are {', '.join(new['map_sets'][:6])}; before they were {', '.join(old['map_sets'][:6])}"
        )
    if scene.object.twin is not None:
        look.append("The high-poly twin is still the old one: replace it too if the shape changed")
    return Report(tuple(kept), tuple(look), tuple(gone), tuple(fresh))


def with_parts_renamed(scene: Scene, match: dict[str, str]) -> Scene:
    """The scene with part names exchanged wherever it asks for them; names that ``match`` does not hold stay."""

    def renamed(names: list[str]) -> list[str]:
        return list(dict.fromkeys(match.get(name, name) for name in names))

    out = scene.model_copy(deep=True)
    for base in out.bases:
        if base.parts is not None:
            base.parts = renamed(base.parts)
    for where in [
        *(b.where for b in out.bases if b.where is not None),
        *(layer.where for layer in out.layers),
        *(e.where for e in out.episodes),
    ]:
        for term in where.terms:
            if isinstance(term.source, Parts):
                term.source.names = renamed(term.source.names)
            elif isinstance(term.source, ProximitySource):
                term.source.parts = renamed(term.source.parts)
    out.object.turned = renamed(out.object.turned)
    out.object.two_sided = renamed(out.object.two_sided)
    return out
