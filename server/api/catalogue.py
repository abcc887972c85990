"""Who is here, and everything that the interface draws its controls from."""

from __future__ import annotations

import hashlib
from functools import lru_cache
from typing import Any, get_args

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils.cache import get_conditional_response, patch_cache_control
from ninja import Query, Router
from pydantic import BaseModel, ConfigDict, Field

from limus.bases.catalogue import MATERIALS
from limus.bases.choice import BaseChoice, Flags
from limus.bases.placing import Placing
from limus.commands.edit import COMMANDS
from limus.common.blending import Blend
from limus.common.object_size import ObjectSize
from limus.effects.catalogue import EFFECTS
from limus.effects.effect import Group
from limus.formats.picture_read import PICTURES
from limus.formats.read import SUFFIXES
from limus.intake.object_file import ObjectFile
from limus.map_sets.roles import ROLES
from limus.masks.hand.stroke import Brush
from limus.masks.recipe import SOURCES, Cut, Term
from limus.materials.albedo import RANGES
from limus.materials.channels import CHANNELS, VOICES
from limus.materials.levels import Levels
from limus.materials.substance import FAMILIES
from limus.readings.catalogue import READINGS
from limus.readings.setting import Setting
from limus.review.uv_look import UV_LOOKS
from limus.targets.delivery import TARGETS
from server.api.answers import owner_of
from server.projects.intake import COMPANIONS

router = Router()


class SessionOut(BaseModel):
    """Who is signed in, and whether by themselves (demo)."""

    user: str
    demo: bool


class FieldsOut(BaseModel):
    """An effect or a source: its words, and the JSON Schema of its fields."""

    kind: str
    title: str
    about: str
    family: str = ""
    group: str = ""
    when: str = Field("", description="When somebody would take it")
    law: str = Field("", description="How it grows with the years")
    sentence: str = ""
    looks_back: bool = False
    reading: str = Field("", description="The reading that this source shows best")
    reading_size: str = Field("", description="Its field that takes the radius or reach of that reading")
    needs: list[str] = Field(default_factory=list, description="What it looks at besides the surface itself")
    acts_on: list[str] = Field(default_factory=list, description="Families of substances that it acts on; empty: any")
    pieces: dict[str, str] = Field(default_factory=dict, description="The coats it leaves, where it leaves several")
    over: bool = Field(False, description="Drawn by hand: laid over the lines above it")
    low: float = 0.0
    high: float = 1.0
    schema_: dict[str, Any] = Field(alias="schema")
    where: dict[str, Any] = Field(default_factory=dict)
    defaults: dict[str, Any] = Field(default_factory=dict)

    model_config = ConfigDict(populate_by_name=True)


class ReadingOut(BaseModel):
    """A reading that can be looked through."""

    kind: str
    title: str
    unit: str
    size: str
    default_size_mm: float
    about: str
    components: list[str] = Field(default_factory=list)


class RoleOut(BaseModel):
    """A role of texture files."""

    name: str
    title: str
    kind: str
    channel: str


class ChannelOut(BaseModel):
    """A channel of the registry."""

    name: str
    title: str
    about: str
    unit: str
    low: float
    high: float
    width: int
    colour: bool
    default: list[float]
    voice: str = Field(description="The family it belongs to, see ``channels``")
    picture: str = Field(description="The picture of an answer that carries it; empty where none does by itself")
    component: int = Field(description="Its first component in that picture, 0 to 3")
    full: float = Field(description="What a full white of the picture stands for, in its unit")


class TargetOut(BaseModel):
    """A target of delivery, and what may be asked of it."""

    kind: str
    title: str
    about: str
    sizes: list[int]
    depths: list[int]


class CatalogueOut(BaseModel):
    """Everything the interface draws its controls from."""

    effects: list[FieldsOut]
    effect_groups: list[str] = Field(description="Groups of effects, in the order of the picker")
    sources: list[FieldsOut]
    term: dict[str, Any]
    cut: dict[str, Any]
    brush: dict[str, Any]
    readings: list[ReadingOut]
    uv_looks: dict[str, tuple[str, str]]
    setting: dict[str, Any]
    object: dict[str, Any]
    file_kinds: list[str]
    channels: dict[str, str] = Field(description="What layers can be switched off in, by voice")
    materials: list[FieldsOut] = Field(description="Kinds of base materials")
    base: dict[str, Any] = Field(description="Fields of an entry of the scene's bases")
    placing: dict[str, Any]
    levels: dict[str, Any]
    flags: dict[str, Any]
    roles: list[RoleOut] = Field(description="What a texture file can be")
    channel_list: list[ChannelOut]
    albedos: dict[str, tuple[float, float]] = Field(description="Published albedos, low and high")
    picture_kinds: list[str]
    families: dict[str, str] = Field(description="Families of substances, by what they are called")
    targets: list[TargetOut]
    commands: dict[str, str] = Field(description="Edits by name, and what each does in words")
    blends: list[str] = Field(description="Ways in which a channel of a coat goes over what lies below")


@router.get("/session", response=SessionOut)
def session(request: HttpRequest) -> SessionOut:
    """Who is here."""
    return SessionOut(user=owner_of(request).get_username(), demo=settings.DEMO_SIGN_IN)


@router.get("/catalogue", response=CatalogueOut, by_alias=True)
def catalogue(
    request: HttpRequest, size_m: float = Query(1.0, gt=0, le=1e6, description="Diagonal of the object, metres")
) -> HttpResponse:
    """Effects, sources, readings and channels with the schemas of their fields; defaults and soft ranges suit an
    object of ``size_m``.
    """
    body, etag = catalogue_of(ObjectSize(size_m).rounded)
    kept = get_conditional_response(request, etag=etag)
    response: HttpResponse = kept or HttpResponse(body, content_type="application/json", headers={"ETag": etag})
    patch_cache_control(response, private=True, no_cache=True)
    return response


@lru_cache(maxsize=64)
def catalogue_of(size: ObjectSize) -> tuple[bytes, str]:
    """The catalogue as it is sent, and its ETag: more than half a second to make, the same for everybody, so it is
    made once for a size.
    """
    body = _made(size).model_dump_json(by_alias=True).encode()
    return body, f'"{hashlib.sha256(body).hexdigest()[:24]}"'


def _made(size: ObjectSize) -> CatalogueOut:
    return CatalogueOut(
        effects=[_effect(kind, size) for kind in EFFECTS],
        effect_groups=list(get_args(Group)),
        sources=[_source(kind, size) for kind in SOURCES],
        term={"properties": {k: v for k, v in size.schema(Term)["properties"].items() if k != "source"}},
        cut=Cut.model_json_schema(),
        brush=size.schema(Brush),
        readings=[_reading(kind, size) for kind in READINGS],
        uv_looks=UV_LOOKS,
        setting=Setting.model_json_schema(),
        object=ObjectFile.model_json_schema(),
        file_kinds=[*SUFFIXES, *COMPANIONS],
        channels=VOICES,
        materials=[_material(kind, size) for kind in MATERIALS],
        base={"properties": {k: v for k, v in size.schema(BaseChoice)["properties"].items() if "control" in v}},
        placing=size.schema(Placing),
        levels=Levels.model_json_schema(),
        flags=Flags.model_json_schema(),
        roles=[
            RoleOut(name=name, title=role.title, kind=role.kind, channel=role.channel) for name, role in ROLES.items()
        ],
        channel_list=[
            ChannelOut(
                name=c.name,
                title=c.title,
                about=c.about,
                unit=c.unit,
                low=c.low,
                high=c.high,
                width=c.width,
                colour=c.colour,
                default=list(c.default),
                voice=c.voice,
                picture=c.packed[0],
                component=c.packed[1],
                full=c.full,
            )
            for c in CHANNELS.values()
        ],
        albedos=RANGES,
        picture_kinds=[*PICTURES, ".zip"],
        families=FAMILIES,
        commands={name: command.title for name, command in COMMANDS.items()},
        blends=list(get_args(Blend)),
        targets=[
            TargetOut(kind=k, title=t.title, about=t.about, sizes=list(t.sizes), depths=list(t.depths))
            for k, t in TARGETS.items()
        ],
    )


def _effect(kind: str, size: ObjectSize) -> FieldsOut:
    effect = EFFECTS[kind]
    return FieldsOut(
        kind=kind,
        title=effect.title,
        about=effect.summary,
        family=effect.family,
        group=effect.group,
        when=effect.when,
        law=effect.law,
        needs=list(effect.reads),
        acts_on=list(effect.acts_on),
        pieces=effect.pieces,
        schema=size.schema(effect),
        where=effect.default_where(size).model_dump(mode="json"),
        defaults=effect.fitted(size).model_dump(mode="json"),
    )


def _material(kind: str, size: ObjectSize) -> FieldsOut:
    material = MATERIALS[kind]
    return FieldsOut(
        kind=kind,
        title=material.title,
        about=material.summary,
        family=material.substance.family,
        group="solid" if material.solid else ("tile" if material.tile else "plane"),
        schema=size.schema(material),
        defaults=material.model_validate(size.fields(material)).model_dump(mode="json"),
    )


def _source(kind: str, size: ObjectSize) -> FieldsOut:
    source = SOURCES[kind]
    fresh = source.model_validate(size.fields(source))
    return FieldsOut(
        kind=kind,
        title=source.title,
        about=(source.__doc__ or "").strip().split("\n")[0],
        group=source.group,
        sentence=source.sentence,
        looks_back=source.looks_back,
        needs=sorted(fresh.needs),
        reading=source.reading,
        reading_size=source.reading_size,
        over=source.over,
        low=source.suggest[0],
        high=source.suggest[1],
        schema=size.schema(source),
        defaults=fresh.model_dump(mode="json"),
    )


def _reading(kind: str, size: ObjectSize) -> ReadingOut:
    reading = READINGS[kind]
    return ReadingOut(
        kind=kind,
        title=reading.title,
        unit=reading.unit,
        size=reading.size,
        default_size_mm=size.mm(reading.default_size_mm, reading.grows),
        about=reading.about,
        components=list(reading.components),
    )
