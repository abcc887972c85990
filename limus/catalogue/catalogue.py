"""The catalogue: everything there is to choose from, with defaults that suit an object of a size."""

from __future__ import annotations

from typing import get_args

from limus.bases.catalogue import MATERIALS
from limus.bases.choice import BaseChoice
from limus.bases.laid_material import Flags
from limus.bases.placing import Placing
from limus.catalogue.entries import (
    BrushEntry,
    Catalogue,
    ChannelEntry,
    KindEntry,
    NamingEntry,
    PackingEntry,
    ReadingEntry,
    RoleEntry,
    TargetEntry,
)
from limus.commands.edit import COMMANDS
from limus.common.blending import Blend
from limus.common.object_size import ObjectSize
from limus.effects.catalogue import EFFECTS
from limus.effects.effect import Group
from limus.formats.picture_read import PICTURES
from limus.formats.read import COMPANIONS, SUFFIXES
from limus.intake.object_file import ObjectFile
from limus.map_sets.roles import ROLES
from limus.masks.hand.brushes import SHIPPED
from limus.masks.hand.stroke import Brush
from limus.masks.recipe import SOURCES, Cut, Term
from limus.materials.albedo import RANGES
from limus.materials.channels import CHANNELS, VOICES
from limus.materials.levels import Levels
from limus.materials.substance import FAMILIES
from limus.playing.needed import LARGEST_WHOLE
from limus.readings.catalogue import READINGS
from limus.readings.setting import Setting
from limus.review.uv_look import UV_LOOKS
from limus.targets.naming import PATTERN, WORDS
from limus.targets.recipe import PRESETS, WIDTHS
from limus.targets.targets import TARGETS


def catalogue_for(size: ObjectSize) -> Catalogue:
    """Effects, sources, readings and channels with the schemas of their fields; defaults and soft ranges suit an
    object of this size. Takes more than half a second.
    """
    return Catalogue(
        effects=[_effect(kind, size) for kind in EFFECTS],
        effect_groups=list(get_args(Group)),
        sources=[_source(kind, size) for kind in SOURCES],
        term={"properties": {k: v for k, v in size.schema(Term)["properties"].items() if k != "source"}},
        cut=Cut.model_json_schema(),
        brush=size.schema(Brush),
        brushes=[
            BrushEntry(name=name, title=b.title, about=b.about, settings=b.settings) for name, b in SHIPPED.items()
        ],
        readings=[_reading(kind, size) for kind in READINGS],
        uv_looks=UV_LOOKS,
        setting=Setting.model_json_schema(),
        object=ObjectFile.model_json_schema(),
        file_kinds=[*SUFFIXES, *COMPANIONS],
        model_kinds=list(SUFFIXES),
        channels=VOICES,
        materials=[_material(kind, size) for kind in MATERIALS],
        base={"properties": {k: v for k, v in size.schema(BaseChoice)["properties"].items() if "control" in v}},
        placing=size.schema(Placing),
        levels=Levels.model_json_schema(),
        flags=Flags.model_json_schema(),
        roles=[
            RoleEntry(name=name, title=role.title, kind=role.kind, channel=role.channel) for name, role in ROLES.items()
        ],
        channel_list=[
            ChannelEntry(
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
            TargetEntry(
                kind=k,
                title=t.title,
                about=t.about,
                lacks=t.lacks,
                masks_within=t.masks_within,
                sizes=list(t.sizes),
                depths=list(t.depths),
                takes=sorted(t.takes),
            )
            for k, t in TARGETS.items()
        ],
        drawn_whole_to=LARGEST_WHOLE,
        naming=NamingEntry(usual=PATTERN, words=WORDS),
        packing=PackingEntry(presets={name: list(lines) for name, lines in PRESETS.items()}, maps=dict(WIDTHS)),
    )


def _effect(kind: str, size: ObjectSize) -> KindEntry:
    effect = EFFECTS[kind]
    return KindEntry(
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
        takes_pictures=effect.takes_pictures,
        schema_={k: v for k, v in size.schema(effect).items() if k != "$defs"},
        where=effect.default_where(size).model_dump(mode="json"),
        defaults=effect.fitted(size).model_dump(mode="json"),
    )


def _material(kind: str, size: ObjectSize) -> KindEntry:
    material = MATERIALS[kind]
    return KindEntry(
        kind=kind,
        title=material.title,
        about=material.summary,
        family=material.substance.family,
        placed_by=material.placed_by(),
        of_pictures=material.tile,
        schema_=size.schema(material),
        defaults=material.model_validate(size.fields(material)).model_dump(mode="json"),
    )


def _source(kind: str, size: ObjectSize) -> KindEntry:
    source = SOURCES[kind]
    fresh = source.model_validate(size.fields(source))
    return KindEntry(
        kind=kind,
        title=source.title,
        about=(source.__doc__ or "").strip().split("\n")[0],
        group=source.group,
        sentence=source.sentence,
        sentences=source.sentences,
        looks_back=source.looks_back,
        needs=sorted(fresh.needs),
        reading=source.reading,
        joint=source.joint,
        over=source.over,
        low=source.suggest[0],
        high=source.suggest[1],
        schema_=size.schema(source),
        defaults=fresh.model_dump(mode="json"),
    )


def _reading(kind: str, size: ObjectSize) -> ReadingEntry:
    reading = READINGS[kind]
    return ReadingEntry(
        kind=kind,
        title=reading.title,
        unit=reading.unit,
        size=reading.size,
        default_size_mm=size.mm(reading.default_size_mm, reading.grows),
        about=reading.about,
        painted=reading.painted,
        components=list(reading.components),
    )
