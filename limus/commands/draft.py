"""A document that is being changed, and what commands ask of it."""

from __future__ import annotations

import copy
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from limus.bases.choice import BaseChoice
from limus.commands.address import resolved, value_at
from limus.common.errors import InputError
from limus.common.object_size import ObjectSize
from limus.common.wording import one_of
from limus.document.scene import Layer
from limus.document.treatment import Treatment
from limus.document.treatments import shipped
from limus.masks.recipe import SOURCES, STANDING
from limus.readings.setting import Setting

Json = dict[str, Any]


def of_the_program(name: str) -> Treatment:
    """A treatment that ships.

    Raises
    ------
    InputError : there is none of that name.
    """
    found = shipped().get(name)
    if found is None:
        raise InputError(f"there is no treatment '{name}'", where="treatment", remedy=one_of(shipped(), name))
    return found


@dataclass(frozen=True)
class Ground:
    """What commands may ask for that stands in no document: the size of the object, and treatments by name."""

    size: Callable[[], ObjectSize]
    treatment: Callable[[str], Treatment] = of_the_program


@dataclass
class Draft:
    """A plain document, to be written to. ``made``: what is new and worth selecting; ``notes``: what could not be
    done as asked.
    """

    document: Json
    ground: Ground
    made: Json = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)

    @classmethod
    def of(cls, document: Json, ground: Ground) -> Draft:
        """A draft of its own; the document given stays as it is."""
        return cls(copy.deepcopy(document), ground)

    @property
    def size(self) -> ObjectSize:
        """Of the object, two digits of it: what defaults are fitted to."""
        return self.ground.size().rounded

    @property
    def layers(self) -> list[Json]:
        """Oldest first."""
        return self.document["layers"]

    @property
    def episodes(self) -> list[Json]:
        """In no order: where they stand is where their layers stand."""
        return self.document["episodes"]

    @property
    def snapshots(self) -> list[Json]:
        """In the order they were kept."""
        return self.document["snapshots"]

    @property
    def bases(self) -> list[Json]:
        """The lowest first."""
        return self.document["bases"]

    @property
    def setting(self) -> Setting:
        """Where the object stands, checked."""
        return Setting.model_validate(self.document["setting"])

    @property
    def base_choices(self) -> list[BaseChoice]:
        """Its bases, checked."""
        return [BaseChoice.model_validate(base) for base in self.bases]

    def layer(self, name: str, where: str = "layer") -> Json:
        """The layer with this id.

        Raises
        ------
        InputError : there is none; ``where`` is the argument that named it.
        """
        return _named(self.layers, name, "layer", where)

    def episode(self, name: str, where: str = "episode") -> Json:
        """The episode with this id; raises as ``layer`` does."""
        return _named(self.episodes, name, "episode", where)

    def snapshot(self, name: str, where: str = "snapshot") -> Json:
        """The snapshot with this id; raises as ``layer`` does."""
        return _named(self.snapshots, name, "snapshot", where)

    def base(self, number: int, where: str = "base") -> Json:
        """The base with this number; raises as ``layer`` does."""
        if not 0 <= number < len(self.bases):
            raise InputError(
                f"there is no base number {number}", where=where, remedy=f"The scene has {len(self.bases)}"
            )
        return self.bases[number]

    def members(self, episode: str) -> list[Json]:
        """Layers of an episode, oldest first."""
        return [layer for layer in self.layers if layer["episode"] == episode]

    def recipes(self) -> Iterator[tuple[str, str, Json]]:
        """(address, what it belongs to in words, recipe) of every recipe."""
        for k, base in enumerate(self.bases):
            if base.get("where") is not None:
                yield f"bases[{k}].where", base.get("name") or "a base", base["where"]
        for layer in self.layers:
            yield f"layers[{layer['id']}].where", layer["name"], layer["where"]
        for episode in self.episodes:
            yield f"episodes[{episode['id']}].where", episode["name"], episode["where"]

    def terms(self) -> Iterator[Json]:
        """Every line of every recipe."""
        for _, _, recipe in self.recipes():
            yield from recipe["terms"]

    def recipe(self, place: str) -> Json:
        """The recipe of ``layers[rust]``, ``episodes[winter]`` or ``bases[1]``; a base without one gets one.

        Raises
        ------
        InputError : the address leads nowhere, or to something without a recipe.
        """
        holder = value_at(self.document, resolved(self.document, place))
        if not isinstance(holder, dict) or "where" not in holder:
            raise InputError("has no recipe", where=place, remedy="Name a layer, an episode or a base: layers[rust]")
        if holder["where"] is None:
            holder["where"] = {"terms": [], "cut": None}
        return holder["where"]

    def line(self, place: str, number: int) -> Json:
        """A line of a recipe; raises as ``recipe`` does."""
        terms = self.recipe(place)["terms"]
        if not 0 <= number < len(terms):
            raise InputError(f"there is no line number {number}", where=f"{place}.where", remedy=f"It has {len(terms)}")
        return terms[number]

    def looking_at(self, layers: set[str]) -> list[str]:
        """Names of whoever has a line that looks at one of these layers, without those layers themselves."""
        own = {f"layers[{name}].where" for name in layers}
        return [
            name
            for address, name, recipe in self.recipes()
            if address not in own and any(layer_named(term["source"]) in layers for term in recipe["terms"])
        ]

    def linked(self, term: Json) -> None:
        """Lines with the same link are the same line: what this one says, all say."""
        if not term["link"]:
            return
        body = {name: value for name, value in term.items() if name not in STANDING}
        for other in self.terms():
            if other is not term and other["link"] == term["link"]:
                other.update(copy.deepcopy(body))

    def settle(self) -> None:
        """After layers came, went or were moved: one between two of an episode belongs to it, an episode that came
        apart keeps its longest run.

        Empty episodes go; links of one line are none; snapshots name what is there.
        """
        for k, layer in enumerate(self.layers):
            before = self.layers[k - 1]["episode"] if k else ""
            after = self.layers[k + 1]["episode"] if k + 1 < len(self.layers) else ""
            if before and before == after:
                layer["episode"] = before
        for episode in self.episodes:
            runs: list[list[Json]] = []
            for k, layer in enumerate(self.layers):
                if layer["episode"] == episode["id"]:
                    if k and self.layers[k - 1]["episode"] == episode["id"]:
                        runs[-1].append(layer)
                    else:
                        runs.append([layer])
            longest = max(runs, key=len, default=[])
            for run in runs:
                if run is not longest:
                    for layer in run:
                        layer["episode"] = ""
        there = {layer["episode"] for layer in self.layers}
        self.document["episodes"] = [episode for episode in self.episodes if episode["id"] in there]
        self._tidy_snapshots()
        self._tidy_links()

    def _tidy_snapshots(self) -> None:
        for snapshot in self.snapshots:
            for off, entries in (("layers_off", self.layers), ("episodes_off", self.episodes)):
                there = {entry["id"] for entry in entries}
                snapshot[off] = [name for name in snapshot[off] if name in there]

    def _tidy_links(self) -> None:
        terms = list(self.terms())
        links = [term["link"] for term in terms if term["link"]]
        for term in terms:
            if links.count(term["link"]) == 1:
                term["link"] = ""


def layer_named(source: Json) -> str:
    """Id of the layer that a line's source looks at, or ""."""
    kind = SOURCES.get(source.get("kind", ""))
    if kind is None or not kind.names_layer:
        return ""
    return kind.model_validate(source).layer_named


def renamed_layers(terms: list[Json], names: dict[str, str]) -> None:
    """Lines that look at a layer of ``names`` look at the one that stands for it from now on, at the same coat."""
    for term in terms:
        old = layer_named(term["source"])
        if old in names:
            looks = SOURCES[term["source"]["kind"]].names_layer
            term["source"][looks] = names[old] + str(term["source"][looks])[len(old) :]


def fresh_id(stem: str, taken: set[str]) -> str:
    """``stem``, or with the first number that is free; it is taken from now on. Every id of a document is made here."""
    stem = re.sub(r"-\d+$", "", stem)[:34]
    out = next(name for k in range(1, len(taken) + 3) if (name := stem if k == 1 else f"{stem}-{k}") not in taken)
    taken.add(out)
    return out


def numbered_id(stem: str, taken: set[str]) -> str:
    """``stem-1``, ``stem-2`` ...: for what has no kind to be called by; it is taken from now on."""
    out = next(name for k in range(1, len(taken) + 2) if (name := f"{stem}-{k}") not in taken)
    taken.add(out)
    return out


def ids(entries: list[Json]) -> set[str]:
    """Ids of layers, episodes, snapshots ..."""
    return {entry["id"] for entry in entries}


def plain(model: Layer | BaseChoice) -> Json:
    """A checked entry as it stands in a plain document."""
    return model.model_dump(mode="json")


def _named(entries: list[Json], name: str, what: str, where: str) -> Json:
    found = next((entry for entry in entries if entry["id"] == name), None)
    if found is None:
        have = [entry["id"] for entry in entries]
        raise InputError(
            f"there is no {what} '{name}'",
            where=where,
            remedy=one_of(have, name) if have else f"The scene has no {what}s",
        )
    return found
