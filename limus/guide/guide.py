"""The entries of the guide, made from what effects, sources, bases and treatments say of themselves."""

from __future__ import annotations

import inspect
import re
from collections.abc import Iterable
from typing import Any

from pydantic import BaseModel, Field

from limus.bases.catalogue import MATERIALS
from limus.bases.laid_material import LaidMaterial
from limus.bases.store_room import STOCK
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.document.treatments import shipped
from limus.effects.catalogue import EFFECTS
from limus.masks.recipe import SOURCES, Term
from limus.materials.substance import FAMILIES

#: What something looks at besides the surface itself, in words, by the first piece of what it declares.
_LOOKS = {
    "rays": "edges, hollows, shelter and sky, as they were measured",
    "sun": "the sun's path, with shadows",
    "rain": "rain driven by the wind, with what keeps it off",
    "runoff": "where water runs",
    "neighbours": "what stands near",
    "others": "what stands near, and markers",
    "colours": "vertex colours",
    "setting": "the setting",
}
#: How an effect grows with the years.
GROWS = {
    "at once": "It is there from its year on.",
    "even": "It grows in step with the years.",
    "root": "It grows by the root of time: quickly first, then slower.",
    "late": "It comes late: by the square of time.",
    "years": "It grows by its own years.",
}


class GuideField(BaseModel):
    """One setting."""

    name: str
    title: str
    about: str
    unit: str = ""
    usual: str = Field("", description="Its default on an object of this size, in words")
    range: str = Field("", description="What it can be set to")


class GuideEntry(BaseModel):
    """One thing. ``what`` is effect, source, base or treatment; ``kind`` what it is asked for by."""

    what: str
    kind: str
    title: str
    group: str
    summary: str
    when: str = ""
    looks_at: list[str] = Field(default_factory=list)
    acts_on: list[str] = Field(default_factory=list)
    grows: str = ""
    notes: list[str] = Field(default_factory=list, description="What it does")
    figures: str = Field("", description="Where its figures come from")
    fields: list[GuideField] = Field(default_factory=list)
    levels: bool = Field(False, description="It has pictures with little, its default, and much of it")
    pictures: bool = True


def guide_for(size: ObjectSize = ONE_METRE) -> list[GuideEntry]:
    """Every effect, source, base and treatment that ships, in the order in which they are offered elsewhere; defaults
    suit an object of this size.
    """
    out: list[GuideEntry] = []
    for kind, effect in EFFECTS.items():
        out.append(
            GuideEntry(
                what="effect",
                kind=kind,
                title=effect.title,
                group=effect.group,
                summary=effect.summary,
                when=effect.when,
                looks_at=_looks(effect.reads),
                acts_on=[FAMILIES[family] for family in effect.acts_on],
                grows=GROWS[effect.law],
                figures=effect.figures,
                notes=_notes(effect),
                fields=_fields(effect, size),
                levels=True,
            )
        )
    for kind, source in SOURCES.items():
        fresh = source.model_validate(size.fields(source))
        first, *rest = _notes(source) or [""]
        out.append(
            GuideEntry(
                what="source",
                kind=kind,
                title=source.title,
                group=source.group,
                summary=first.rstrip("."),
                looks_at=_looks(sorted(fresh.needs)),
                notes=rest,
                fields=_fields(source, size),
                pictures=not source.over and kind not in ("picture", "vertex_colour", "mask", "acted"),
            )
        )
    out.append(
        GuideEntry(
            what="line",
            kind="line",
            title="A line of a recipe",
            group="Recipes",
            summary="What is done to a source before it meets the lines above it, in the order of the fields",
            fields=_fields(Term, size),
            pictures=False,
        )
    )
    for name, entry in STOCK.items():
        material = MATERIALS[entry.kind]
        family = LaidMaterial.model_validate({"material": name}).substance.family
        out.append(
            GuideEntry(
                what="base",
                kind=name,
                title=name.capitalize(),
                group=f"Bases: {FAMILIES[family]}",
                summary=entry.about,
                notes=[f"{material.title}: {material.summary[0].lower()}{material.summary[1:]}.", *_notes(material)],
                fields=_fields(material, size),
            )
        )
    for key, treatment in shipped().items():
        out.append(
            GuideEntry(
                what="treatment",
                kind=key,
                title=treatment.name,
                group="Recipes of the trade",
                summary=treatment.about,
                notes=[f"{layer.name}: {EFFECTS[layer.effect.kind].title.lower()}." for layer in treatment.layers],
                pictures=False,
            )
        )
    return out


def _looks(reads: Iterable[str]) -> list[str]:
    return list(dict.fromkeys(_LOOKS[name.split(".")[0]] for name in reads))


def _notes(model: type[Any]) -> list[str]:
    """Paragraphs of what a class says of itself."""
    text = inspect.cleandoc(model.__doc__ or "")
    paragraphs = [" ".join(paragraph.split()) for paragraph in re.split(r"\n\s*\n", text)]
    return [re.sub(r"``([^`]*)``", r"\1", paragraph) for paragraph in paragraphs if paragraph]


def _fields(model: type[BaseModel], size: ObjectSize) -> list[GuideField]:
    """Settings that have a control, as they are on an object of this size."""
    out = []
    for name, field in size.schema(model)["properties"].items():
        if name == "kind" or not field.get("control") or not field.get("title"):
            continue
        out.append(
            GuideField(
                name=name,
                title=field["title"],
                about=field.get("description", ""),
                unit="" if field.get("unit") == "linear" else field.get("unit", ""),
                usual=_usual(field),
                range=_range(field),
            )
        )
    return out


def _number(value: float, unit: str) -> str:
    """As the interface writes it: shares in percent."""
    return f"{value * 100:g} %" if unit == "%" else f"{value:g}{f' {unit}' if unit else ''}"


def _usual(field: dict[str, Any]) -> str:
    value = field.get("default")
    if field["control"] == "slider" and isinstance(value, (int, float)) and not isinstance(value, bool):
        return _number(float(f"{value:.3g}"), field.get("unit", ""))
    if isinstance(value, bool):
        return "on" if value else "off"
    if field["control"] == "choice":
        return str(field.get("names", {}).get(value, value))
    if field["control"] == "optional" and value is None:
        return str(field.get("empty", ""))
    return ""


def _range(field: dict[str, Any]) -> str:
    if field["control"] == "choice":
        return "; ".join(str(word) for word in field.get("names", {}).values())
    low, high = field.get("minimum", field.get("exclusiveMinimum")), field.get("maximum")
    if field["control"] != "slider" or low is None or high is None:
        return ""
    unit = field.get("unit", "")
    return f"{_number(low, '' if unit != '%' else '%')} to {_number(high, unit)}"
