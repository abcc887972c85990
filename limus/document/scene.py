"""The scene document: what a project is.

One pydantic model serves the API, the command line and the files, so there is one place where values are checked.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, Literal

from pydantic import Field, ValidationError, model_validator
from pydantic_core import PydanticCustomError

from limus.bases.choice import BaseChoice, from_stock
from limus.bases.laid_material import USUAL
from limus.common.blending import Blend
from limus.common.errors import InputError
from limus.common.fields import Document, Name, number, switch
from limus.common.object_size import ONE_METRE
from limus.common.refusal import first_refusal, refusal, refuse_odd_text
from limus.common.wording import plain
from limus.document.episode import Episode
from limus.document.snapshot import Snapshot
from limus.effects.catalogue import EFFECTS, AnyEffect
from limus.effects.effect import Effect
from limus.formats.files import need_regular
from limus.intake.object_file import ObjectFile
from limus.masks.hand.vertex_paint import VertexStroke
from limus.masks.recipe import STANDING, Recipe, Term
from limus.materials.channels import Voice
from limus.materials.substance import FAMILIES
from limus.readings.reading import asks_weather
from limus.readings.setting import Setting

#: The version this program writes and reads.
VERSION = 1


def unknown_version(given: Any) -> PydanticCustomError:
    """A document of another version of the program."""
    return refusal(
        "version",
        f"scene version {json.dumps(given, default=str)[:40]} is not known; this program reads version {VERSION}",
        "Open it with the program that wrote it, or update Limus",
        accepted=str(VERSION),
    )


class ChannelUse(Document):
    """How a layer speaks in one voice: a channel, or channels that belong together."""

    on: bool = switch(True, "On", "Off: the layer leaves this channel as it was")
    amount: float = number(1.0, "Amount", "%", 0.0, 1.0)
    blend: Blend = "normal"

    @property
    def weight(self) -> float:
        """Amount, or 0 when off."""
        return self.amount if self.on else 0.0


class Layer(Document):
    """One thing that happened."""

    id: str = Field(
        pattern=r"^[a-z0-9][a-z0-9-]{0,39}$", description="Stays the same when the layer is renamed or moved"
    )
    name: Name = Field(min_length=1, max_length=80)
    on: bool = True
    effect: AnyEffect
    where: Recipe = Field(default_factory=Recipe)
    strength: float = number(1.0, "Strength", "%", 0.0, 1.0)
    channels: dict[Voice, ChannelUse] = Field(default_factory=dict)
    episode: str = Field(
        "", max_length=40, description="Id of the episode it belongs to; layers of one stand next to each other"
    )
    since: float = number(0.0, "Begins in year", "years", 0.0, 500.0, (0.0, 40.0), "Years after the object was new")
    fixed: bool = switch(False, "Held", "As it is set from its year on, whatever the years dial says")


class Scene(Document):
    """Everything about one weathered object."""

    version: Literal[1] = 1
    name: Name = Field("Untitled", min_length=1, max_length=120)
    object: ObjectFile
    setting: Setting = Field(default_factory=Setting)
    seed: int = Field(1, ge=0, le=2**31 - 1, title="Seed")
    bases: list[BaseChoice] = Field(default_factory=lambda: [from_stock(USUAL)], max_length=64)
    layers: list[Layer] = Field(default_factory=list, max_length=200)
    episodes: list[Episode] = Field(default_factory=list, max_length=100)
    year: float | None = Field(
        None,
        ge=0.0,
        le=500.0,
        description="Year in which it is looked at; empty: today, after the years of the setting",
    )
    snapshots: list[Snapshot] = Field(default_factory=list, max_length=50, description="States to come back to")
    accepted: list[Name] = Field(
        default_factory=list, max_length=1000, description="Keys of findings that may stay as they are"
    )
    vertex_paint: list[VertexStroke] = Field(
        default_factory=list, max_length=20000, description="Strokes on the vertex colours"
    )

    @property
    def files(self) -> dict[str, str]:
        """Every file besides its object that the scene would read with all layers on: path of the field -> name.

        ``named_files.named_files`` gives those too that stand in fields that are not in use.
        """
        out = {f"object.neighbours[{k}].file": n.file for k, n in enumerate(self.object.neighbours)}
        if self.object.twin is not None:
            out["object.twin.file"] = self.object.twin.file
        for k, layer in enumerate(self.layers):
            out |= {f"layers[{k}].effect.{field}": name for field, name in layer.effect.files_by_field.items()}
            for j, term in enumerate(layer.where.terms):
                for i, name in enumerate(term.source.files):
                    out[f"layers[{k}].where.terms[{j}].source.{term.source.kind}[{i}]"] = name
        for k, episode in enumerate(self.episodes):
            for j, term in enumerate(episode.where.terms):
                for i, name in enumerate(term.source.files):
                    out[f"episodes[{k}].where.terms[{j}].source.{term.source.kind}[{i}]"] = name
        for k, base in enumerate(self.bases):
            out |= {f"bases[{k}].{field}": name for field, name in base.files_by_field.items()}
            for j, term in enumerate(base.where.terms if base.where is not None else []):
                for i, name in enumerate(term.source.files):
                    out[f"bases[{k}].where.terms[{j}].source.{term.source.kind}[{i}]"] = name
        out |= {f"vertex_paint[{k}].file": entry.file for k, entry in enumerate(self.vertex_paint)}
        return out

    def layer(self, name: str) -> Layer | None:
        """The layer with this id, or None."""
        return next((layer for layer in self.layers if layer.id == name), None)

    def episode_of(self, layer: Layer) -> Episode | None:
        """The episode a layer belongs to, or None."""
        return (
            next((episode for episode in self.episodes if episode.id == layer.episode), None) if layer.episode else None
        )

    def at_snapshot(self, name: str) -> Scene:
        """The scene with layers and episodes on and off, and in the year, of a snapshot by its name or id.

        Raises
        ------
        InputError : there is none of that name.
        """
        found = next((s for s in self.snapshots if name in (s.id, s.name)), None)
        if found is None:
            have = ", ".join(f"'{s.name}'" for s in self.snapshots) or "none"
            raise InputError(f"there is no snapshot '{name}'", where="snapshots", remedy=f"The scene has: {have}")
        layers = [layer.model_copy(update={"on": layer.id not in found.layers_off}) for layer in self.layers]
        episodes = [
            episode.model_copy(update={"on": episode.id not in found.episodes_off}) for episode in self.episodes
        ]
        return self.model_copy(update={"layers": layers, "episodes": episodes, "year": found.year})

    def places(self, layer: Layer) -> list[Recipe]:
        """The recipes that together say where a layer is: its own and that of its episode."""
        episode = self.episode_of(layer)
        return [layer.where] if episode is None or not episode.where.terms else [layer.where, episode.where]

    def plays(self, layer: Layer) -> bool:
        """Whether it is on, and its episode as well."""
        episode = self.episode_of(layer)
        return layer.on and (episode is None or episode.on)

    def strength_of(self, layer: Layer) -> float:
        """0..1: its own strength and that of its episode."""
        episode = self.episode_of(layer)
        return layer.strength * (episode.strength if episode is not None else 1.0)

    @property
    def needs(self) -> frozenset[str]:
        """Everything that its effects and recipes look at besides the texels, among ``readings.reading.READS``."""
        read = {name for layer in self.layers for where in self.places(layer) for name in where.masks}
        played = [layer for layer in self.layers if self.plays(layer) or layer.id in read]
        bases = [base.where.needs for base in self.bases if base.where is not None]
        wheres = [where.needs for layer in played for where in self.places(layer)]
        return frozenset().union(*wheres, *(set(layer.effect.reads) for layer in played), *bases)

    @property
    def asks_for_weather(self) -> bool:
        """Whether an effect or a line of a recipe reads sun, rain or run-off."""
        return asks_weather(self.needs)

    @model_validator(mode="before")
    @classmethod
    def _written_by(cls, given: Any) -> Any:
        if (
            isinstance(given, dict)
            and "version" in given
            and (given["version"] != VERSION or isinstance(given["version"], bool))
        ):
            raise unknown_version(given["version"])
        return given

    @model_validator(mode="after")
    def _references(self) -> Scene:
        seen: dict[str, type[Effect]] = {}
        all_ids = {layer.id for layer in self.layers}
        linked: dict[str, tuple[str, dict[str, Any]]] = {}
        self._check_episodes()
        self._check_snapshots(all_ids)
        for k, base in enumerate(self.bases):
            for j, term in enumerate(base.where.terms if base.where is not None else []):
                _same_where_linked(f"bases[{k}].where.terms[{j}]", base.title, term, linked)
        for k, layer in enumerate(self.layers):
            if layer.id in seen:
                raise refusal(
                    f"layers[{k}].id", f"two layers have the id '{layer.id}'", "Give every layer an id of its own"
                )
            episode = self.episode_of(layer)
            lines = [(f"layers[{k}].where.terms[{j}]", term) for j, term in enumerate(layer.where.terms)]
            if episode is not None:
                # What an episode looks at must be there before each of its layers.
                n = self.episodes.index(episode)
                lines += [(f"episodes[{n}].where.terms[{j}]", term) for j, term in enumerate(episode.where.terms)]
            for path, term in lines:
                self._reference(f"{path}.source", term.source, layer, seen, all_ids)
                _same_where_linked(path, layer.name, term, linked)
            seen[layer.id] = type(layer.effect)
        loop = self._loop()
        if loop:
            k = next(k for k, layer in enumerate(self.layers) if layer.id == loop[0])
            names = " → ".join(found.name for name in loop if (found := self.layer(name)) is not None)
            raise refusal(
                f"layers[{k}].where",
                f"the masks run in a loop: {names}",
                "Remove one of the lines that look at the next layer",
            )
        return self

    def _check_snapshots(self, layers: set[str]) -> None:
        episodes = {episode.id for episode in self.episodes}
        ids, names = [s.id for s in self.snapshots], [s.name for s in self.snapshots]
        for k, snapshot in enumerate(self.snapshots):
            if snapshot.id in ids[:k]:
                raise refusal(
                    f"snapshots[{k}].id",
                    f"two snapshots have the id '{snapshot.id}'",
                    "Give every snapshot an id of its own",
                )
            if snapshot.name in names[:k]:
                raise refusal(
                    f"snapshots[{k}].name", f"two snapshots are called '{snapshot.name}'", "Give each a name of its own"
                )
            for field, off, there in (
                ("layers_off", snapshot.layers_off, layers),
                ("episodes_off", snapshot.episodes_off, episodes),
            ):
                for j, one in enumerate(off):
                    if one not in there:
                        what = field.removesuffix("s_off")
                        raise refusal(
                            f"snapshots[{k}].{field}[{j}]", f"there is no {what} '{one}'", "Take it out of the snapshot"
                        )

    def _check_episodes(self) -> None:
        ids = [episode.id for episode in self.episodes]
        for k, name in enumerate(ids):
            if name in ids[:k]:
                raise refusal(
                    f"episodes[{k}].id", f"two episodes have the id '{name}'", "Give every episode an id of its own"
                )
        ended: set[str] = set()
        last = ""
        for k, layer in enumerate(self.layers):
            if layer.episode and layer.episode not in ids:
                raise refusal(
                    f"layers[{k}].episode",
                    f"there is no episode '{layer.episode}'",
                    "Name one of the episodes, or leave it empty",
                )
            if layer.episode != last:
                ended.add(last)
                if layer.episode and layer.episode in ended:
                    raise refusal(
                        f"layers[{k}].episode",
                        f"the layers of the episode '{layer.episode}' do not stand next to each other",
                        "Move them together, or take this one out",
                    )
            last = layer.episode

    @staticmethod
    def _reference(path: str, source: Any, layer: Layer, seen: dict[str, type[Effect]], all_ids: set[str]) -> None:
        name = source.layer_named
        if not name:
            return
        field = source.names_layer
        others = ", 'base' or a family" if source.kind == "exposed" else ""
        if name not in all_ids and source.kind == "exposed" and name in FAMILIES:
            raise refusal(
                f"{path}.{field}",
                f"'{name}' is a family of substances and no layer",
                f"Write 'family:{name}'",
                accepted=f"family:{name}",
            )
        if name not in all_ids:
            raise refusal(
                f"{path}.{field}",
                f"refers to the layer '{name}', which does not exist",
                f"Choose another layer{others}, or remove the line",
            )
        if source.kind == "mask":
            return
        effect = seen.get(name)
        if source.kind == "acted":
            if effect is None:
                raise refusal(
                    f"{path}.{field}",
                    f"refers to the layer '{name}', which has not happened before '{layer.name}' does",
                    "Choose a layer to its left",
                )
            return
        if effect is None or effect.family not in ("deposit", "change"):
            raise refusal(
                f"{path}.{field}",
                f"refers to the layer '{name}', which leaves no coat before '{layer.name}' happens",
                "Choose a layer to its left that leaves a coat",
            )
        _, slash, piece = str(getattr(source, field)).partition("/")
        if slash and piece not in effect.pieces:
            raise refusal(
                f"{path}.{field}",
                f"'{name}' leaves no coat called '{piece}'",
                f"Choose one of {', '.join(effect.pieces) or 'its coats: it leaves only one'}",
            )

    def _loop(self) -> list[str]:
        """Ids of layers whose masks need each other, the first one again at the end; empty where there are none."""
        ahead: dict[str, list[str]] = {}
        earlier: list[str] = []
        for layer in self.layers:
            wheres = self.places(layer)
            masks = [name for where in wheres for name in where.masks]
            ahead[layer.id] = masks + (earlier.copy() if any(where.looks_back for where in wheres) else [])
            if self.plays(layer):
                earlier.append(layer.id)
        done: set[str] = set()

        def visit(name: str, path: list[str]) -> list[str]:
            if name in path:
                return [*path[path.index(name) :], name]
            if name in done:
                return []
            for other in ahead.get(name, []):
                found = visit(other, [*path, name])
                if found:
                    return found
            done.add(name)
            return []

        for name in ahead:
            found = visit(name, [])
            if found:
                return found
        return []


def _same_where_linked(path: str, holder: str, term: Term, linked: dict[str, tuple[str, dict[str, Any]]]) -> None:
    """Lines with the same link are the same line; ``linked``: link -> (name of whose line came first, its fields)."""
    if not term.link:
        return
    body = term.model_dump(exclude=STANDING)
    first = linked.setdefault(term.link, (holder, body))
    if first[1] != body:
        raise refusal(
            f"{path}.link",
            f"the line is linked as '{term.link}' with one of '{first[0]}', but they differ",
            "Make them alike, or clear the link",
        )


def scene_from(document: Any, where: str = "scene", *, trusted: bool = False) -> Scene:
    """Check a parsed document; ``trusted``: its texts were looked through before.

    Raises
    ------
    InputError : the first problem found, with the path of the field, the bad value and what would be accepted.
    """
    if not isinstance(document, dict):
        raise InputError(
            "the document is not a JSON object",
            where=where,
            remedy="Start from the output of 'limus schema' or a saved scene",
        )
    document = {"version": None, **document}
    if trusted:
        document = _tidied(document)
    else:
        refuse_odd_text(document, where)
    try:
        return Scene.model_validate(document)
    except ValidationError as error:
        raise first_refusal(error).error(where) from error


def _tidied(document: dict[str, Any]) -> dict[str, Any]:
    """What an earlier version of the program saved and this one would refuse, put right."""
    snapshots = document.get("snapshots") or []
    there = {kind: {one.get("id") for one in document.get(kind) or []} for kind in ("layers", "episodes")}
    taken: set[str] = set()
    out = []
    for snapshot in snapshots:
        name, k = snapshot.get("name", ""), 2
        while name in taken:
            name, k = f"{snapshot.get('name', '')[:52]} {k}", k + 1
        taken.add(name)
        off = {
            f"{kind}_off": [one for one in snapshot.get(f"{kind}_off") or [] if one in there[kind]] for kind in there
        }
        out.append({**snapshot, **off, "name": plain(name, 60, "snapshot")})
    tidy = {**document, "snapshots": out} if snapshots else dict(document)
    tidy["name"] = plain(document.get("name", ""), 120, "Untitled")
    for kind, most in (("layers", 80), ("episodes", 80)):
        if any(plain(one.get("name", ""), most) != one.get("name") for one in document.get(kind) or []):
            tidy[kind] = [{**one, "name": plain(one.get("name", ""), most, "layer")} for one in document[kind]]
    return tidy


def load_scene(path: Path) -> Scene:
    """Read and check a scene file.

    Raises
    ------
    InputError : unreadable, not JSON, or not a valid scene.
    """
    need_regular(path, path.name)
    try:
        # Editors put a byte order mark before what they save.
        document = json.loads(path.read_text(encoding="utf-8-sig"))
    except OSError as error:
        raise InputError(
            f"the file cannot be read ({error.strerror})", where=str(path), remedy="Check the path"
        ) from error
    except (ValueError, RecursionError) as error:
        raise InputError(
            f"the file is not JSON ({error})", where=path.name, remedy="Save it again, or correct it by hand"
        ) from error
    return scene_from(document, path.name)


def scene_schema() -> dict[str, Any]:
    """JSON Schema of the scene document. Each effect carries under "defaultRecipe" where it goes on an object of one
    metre unless told.
    """
    out = {"$schema": "https://json-schema.org/draft/2020-12/schema", **Scene.model_json_schema()}
    for effect in EFFECTS.values():
        out["$defs"][effect.__name__]["defaultRecipe"] = effect.default_where(ONE_METRE).model_dump(mode="json")
    return out
