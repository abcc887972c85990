"""What an interface draws its controls from: an entry for each effect, source, reading, channel ..."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field


class KindEntry(BaseModel):
    """An effect or a source: its words, and the JSON Schema of its fields."""

    kind: str
    title: str
    about: str
    family: str = ""
    group: str = ""
    when: str = Field("", description="When somebody would take it")
    law: str = Field("", description="How it grows with the years")
    sentence: str = ""
    sentences: dict[str, dict[str, str]] = Field(
        default_factory=dict, description="Another sentence where a field has this value: field, value, sentence"
    )
    looks_back: bool = False
    reading: str = Field("", description="The reading that this source shows best")
    needs: list[str] = Field(default_factory=list, description="What it looks at besides the surface itself")
    acts_on: list[str] = Field(default_factory=list, description="Families of substances that it acts on; empty: any")
    pieces: dict[str, str] = Field(default_factory=dict, description="The coats it leaves, where it leaves several")
    over: bool = Field(False, description="Drawn by hand: laid over the lines above it")
    joint: str = Field("", description="Words before its sentence where it is multiplied with the lines above it")
    takes_pictures: bool = Field(False, description="Pictures dropped on the surface become a layer of it")
    of_pictures: bool = Field(False, description="Made of texture files of somebody's own, each with a role")
    placed_by: list[str] = Field(default_factory=list, description="Fields of the placing that mean something for it")
    low: float = 0.0
    high: float = 1.0
    schema_: dict[str, Any] = Field(alias="schema")
    where: dict[str, Any] = Field(default_factory=dict)
    defaults: dict[str, Any] = Field(default_factory=dict)

    model_config = ConfigDict(populate_by_name=True)


class ReadingEntry(BaseModel):
    """A reading that can be looked through."""

    kind: str
    title: str
    unit: str
    size: str
    default_size_mm: float
    about: str
    painted: bool = Field(False, description="It shows what is painted on the object itself")
    components: list[str] = Field(default_factory=list)


class RoleEntry(BaseModel):
    """A role of texture files."""

    name: str
    title: str
    kind: str
    channel: str


class ChannelEntry(BaseModel):
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


class TargetEntry(BaseModel):
    """A target of delivery, and what may be asked of it."""

    kind: str
    title: str
    about: str
    lacks: str = Field(description="What it has no place for")
    masks_within: int = Field(description="So many masks go into its own files; 0: they have files of their own")
    sizes: list[int]
    depths: list[int]
    takes: list[str] = Field(description="Fields of an order that mean something to it")


class NamingEntry(BaseModel):
    """Patterns for the names of maps."""

    usual: str
    words: dict[str, str] = Field(description="Words of a pattern -> what each stands for")


class PackingEntry(BaseModel):
    """Recipes for packed maps."""

    presets: dict[str, list[str]]
    maps: dict[str, int] = Field(description="What can be packed -> how many components it has")


class BrushEntry(BaseModel):
    """A brush that ships."""

    name: str
    title: str
    about: str
    settings: dict[str, Any] = Field(description="What differs from a fresh brush")


class Catalogue(BaseModel):
    """Everything the interface draws its controls from."""

    effects: list[KindEntry]
    effect_groups: list[str] = Field(description="Groups of effects, in the order of the picker")
    sources: list[KindEntry]
    term: dict[str, Any]
    cut: dict[str, Any]
    brush: dict[str, Any]
    brushes: list[BrushEntry]
    readings: list[ReadingEntry]
    uv_looks: dict[str, tuple[str, str]]
    setting: dict[str, Any]
    object: dict[str, Any]
    file_kinds: list[str]
    model_kinds: list[str] = Field(description="Endings of files that are an object, or hold one")
    channels: dict[str, str] = Field(description="What layers can be switched off in, by voice")
    materials: list[KindEntry] = Field(description="Kinds of base materials")
    base: dict[str, Any] = Field(description="Fields of an entry of the scene's bases")
    placing: dict[str, Any]
    levels: dict[str, Any]
    flags: dict[str, Any]
    roles: list[RoleEntry] = Field(description="What a texture file can be")
    channel_list: list[ChannelEntry]
    albedos: dict[str, tuple[float, float]] = Field(description="Published albedos, low and high")
    picture_kinds: list[str]
    families: dict[str, str] = Field(description="Families of substances, by what they are called")
    targets: list[TargetEntry]
    drawn_whole_to: int = Field(description="Pixels along a side above which maps are drawn tile by tile")
    naming: NamingEntry
    packing: PackingEntry
    commands: dict[str, str] = Field(description="Edits by name, and what each does in words")
    blends: list[str] = Field(description="Ways in which a channel of a coat goes over what lies below")
