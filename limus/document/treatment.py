"""A treatment: layers saved to use again, on any object.

Lengths are kept together with the size of the object they were made on; put on another one, each grows by the exponent
that its field declares (see ``object_size``), so chips stay chips and a foot band stays a foot band. What belongs to
one object only is left out: hand strokes, fills, picked parts, pictures.
"""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel, Field, ValidationError

from limus.common.errors import InputError
from limus.common.fields import Document, Name
from limus.common.object_size import ONE_METRE, ObjectSize, within
from limus.common.refusal import first_refusal, refuse_odd_text
from limus.document.episode import Episode
from limus.document.scene import Layer, Scene, scene_from
from limus.effects.catalogue import EFFECTS
from limus.masks.recipe import SOURCES, Recipe, Term

#: Kinds of lines that mean one object's own places, and are not taken along.
OF_ONE_OBJECT = ("strokes", "fills", "picks", "parts", "vertex_colour", "side")
#: Bytes of a treatment file at most.
MOST_BYTES = 4 << 20


class Treatment(Document):
    """The document of a treatment, and of its file."""

    treatment: Literal[1] = 1
    name: Name = Field(min_length=1, max_length=80)
    about: str = Field("", max_length=400)
    size_m: float = Field(1.0, gt=0.0, le=1e6, description="Diagonal of the object it was made on, metres")
    layers: list[Layer] = Field(min_length=1, max_length=60)
    episodes: list[Episode] = Field(default_factory=list, max_length=20)

    @property
    def families(self) -> list[str]:
        """Families of substances it needs: those that its effects act on and none of its own layers brings."""
        out: list[str] = []
        brings: set[str] = set()
        for layer in self.layers:
            acts = EFFECTS[layer.effect.kind].acts_on
            if acts and not brings.intersection(acts):
                out += [family for family in acts if family not in out]
            brings.update(EFFECTS[layer.effect.kind].brings)
        return out

    @property
    def needs(self) -> list[str]:
        """Measured things it looks at: "rays", "sun", "rain", "runoff", ..."""
        wheres = [layer.where for layer in self.layers] + [episode.where for episode in self.episodes]
        read = frozenset().union(
            *(where.needs for where in wheres), *(set(layer.effect.reads) for layer in self.layers)
        )
        return sorted(name for name in read if not name.startswith("setting."))


@dataclass(frozen=True)
class Treated:
    """A scene with a treatment on it, the ids of its new layers, and what could not be taken along."""

    scene: Scene
    layers: list[str]
    notes: list[str]


def scaled(model: BaseModel, factor: ObjectSize) -> dict[str, Any]:
    """The fields of ``model`` that grow with the object, for one ``factor.diagonal_m`` times as large; three digits,
    within their limits.
    """
    out: dict[str, Any] = {}
    for name, field in type(model).model_fields.items():
        hints = field.json_schema_extra
        grows = hints.get("grows") if isinstance(hints, dict) else None
        value = getattr(model, name)
        if (
            isinstance(grows, (int, float))
            and grows
            and isinstance(value, (int, float))
            and not isinstance(value, bool)
            and value
        ):
            out[name] = within(type(model), name, float(f"{value * factor.factor(float(grows)):.3g}"))
    return out


def _scaled_recipe(where: Recipe, factor: ObjectSize) -> Recipe:
    terms = []
    for term in where.terms:
        source = term.source.model_copy(update=scaled(term.source, factor))
        terms.append(term.model_copy(update={**scaled(term, factor), "source": source}))
    return where.model_copy(update={"terms": terms})


def _portable(where: Recipe, mine: dict[str, str], called: str, notes: list[str]) -> Recipe:
    """The recipe without lines that belong to one object, and with layers named anew by ``mine``."""
    terms: list[Term] = []
    for term in where.terms:
        source = term.source
        if source.kind in OF_ONE_OBJECT or source.files:
            notes.append(
                f"{called}: the line '{SOURCES[source.kind].title.lower()}' belongs to its object and was left out"
            )
            continue
        name = source.layer_named
        if name and not _general(name):
            if name not in mine:
                notes.append(f"{called}: a line looks at a layer outside and was left out")
                continue
            whole = str(getattr(source, source.names_layer))
            source = source.model_copy(update={source.names_layer: whole.replace(name, mine[name], 1)})
        terms.append(term.model_copy(update={"source": source, "link": ""}))
    return where.model_copy(update={"terms": terms})


def _general(name: str) -> bool:
    return name == "base" or name.startswith("family:")


def treatment_of(
    scene: Scene, ids: list[str], size: ObjectSize, name: str, about: str = ""
) -> tuple[Treatment, list[str]]:
    """Layers of a scene as a treatment, in their order, with the episodes they belong to; and what was left out.

    Raises
    ------
    InputError : none of them is a layer of the scene.
    """
    layers = [layer for layer in scene.layers if layer.id in ids]
    if not layers:
        raise InputError("there is no layer to save", where="layers", remedy="Choose a layer or an episode first")
    notes: list[str] = []
    same = {layer.id: layer.id for layer in layers}
    kept = []
    for layer in layers:
        where = _portable(layer.where, same, layer.name, notes)
        effect, said = layer.effect.portable()
        if said:
            notes.append(f"{layer.name}: {said}")
        kept.append(layer.model_copy(update={"where": where, "effect": effect}))
    names = {layer.episode for layer in kept}
    episodes = [
        e.model_copy(update={"where": _portable(e.where, same, e.name, notes), "folded": False})
        for e in scene.episodes
        if e.id in names
    ]
    found = Treatment(name=name, about=about, size_m=size.rounded.diagonal_m, layers=kept, episodes=episodes)
    return found, list(dict.fromkeys(notes))


def treated(scene: Scene, treatment: Treatment, size: ObjectSize) -> Treated:
    """The scene with the treatment's layers on top, their sizes fitted to an object of this ``size``."""
    factor = ObjectSize(size.rounded.diagonal_m / treatment.size_m)
    taken = {layer.id for layer in scene.layers}
    mine: dict[str, str] = {}
    for layer in treatment.layers:
        mine[layer.id] = _fresh(layer.id, taken)
    held = {episode.id for episode in scene.episodes}
    brackets = {episode.id: _fresh(episode.id, held) for episode in treatment.episodes}
    notes: list[str] = []
    layers = []
    for layer in treatment.layers:
        where = _scaled_recipe(_portable(layer.where, mine, layer.name, notes), factor)
        effect, _ = layer.effect.portable()
        effect = effect.model_copy(update=scaled(effect, factor))
        layers.append(
            layer.model_copy(
                update={
                    "id": mine[layer.id],
                    "effect": effect,
                    "where": where,
                    "episode": brackets.get(layer.episode, ""),
                }
            )
        )
    episodes = [
        e.model_copy(
            update={"id": brackets[e.id], "where": _scaled_recipe(_portable(e.where, mine, e.name, notes), factor)}
        )
        for e in treatment.episodes
    ]
    whole = scene.model_copy(update={"layers": [*scene.layers, *layers], "episodes": [*scene.episodes, *episodes]})
    checked = scene_from(whole.model_dump(mode="json"), "treatment")
    return Treated(checked, [layer.id for layer in layers], list(dict.fromkeys(notes)))


def _fresh(name: str, taken: set[str]) -> str:
    """An id that is not taken yet, like ``name``; it is taken from now on."""
    stem = re.sub(r"-\d+$", "", name)[:34]
    out, k = name, 2
    while out in taken:
        out, k = f"{stem}-{k}", k + 1
    taken.add(out)
    return out


def treatment_from(data: bytes, name: str) -> Treatment:
    """Read a treatment file.

    Raises
    ------
    InputError : too large, not JSON, or not a treatment; with the field and what would be accepted.
    """
    if len(data) > MOST_BYTES:
        raise InputError(
            f"the file has more than {MOST_BYTES >> 20} MB", where=name, remedy="A treatment is small: check the file"
        )
    try:
        document = json.loads(data.decode("utf-8-sig"))
    except (ValueError, RecursionError) as error:
        raise InputError(
            f"the file is not JSON ({str(error)[:80]})", where=name, remedy="Export the treatment again"
        ) from error
    if not isinstance(document, dict) or document.get("treatment") != 1:
        raise InputError(
            "the file is no treatment of version 1", where=name, remedy="Use a file that 'Export treatment' wrote"
        )
    refuse_odd_text(document, name)
    try:
        found = Treatment.model_validate(document)
        # Whatever a scene would refuse is refused here as well: loops, lines that name what is not there.
        Scene.model_validate(
            {"object": {"file": "any.glb"}, "layers": document["layers"], "episodes": document.get("episodes", [])}
        )
    except ValidationError as error:
        raise first_refusal(error).error(name) from error
    return found


def made(name: str, about: str, *layers: tuple[str, str, dict[str, Any]], episode: str = "") -> Treatment:
    """A treatment from (kind of effect, name, settings of it) on an object of one metre, each with its default place;
    for what ships with the program.
    """
    out: list[Layer] = []
    taken: set[str] = set()
    for kind, title, settings in layers:
        effect = EFFECTS[kind].model_validate({**settings.get("effect", {})})
        where = settings.get("where", EFFECTS[kind].default_where(ONE_METRE))
        more = {k: v for k, v in settings.items() if k not in ("effect", "where")}
        out.append(
            Layer(
                id=_fresh(kind, taken),
                name=title,
                effect=effect,
                where=where,
                episode="story" if episode else "",
                **more,
            )
        )
    brackets = [Episode(id="story", name=episode)] if episode else []
    return Treatment(name=name, about=about, layers=out, episodes=brackets)
