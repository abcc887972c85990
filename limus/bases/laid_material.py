"""A material as it is laid somewhere: its fields, how it lies, its levels and its physical flags."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import TYPE_CHECKING, Any, Literal

from pydantic import Field, model_validator

from limus.bases.base_material import BaseMaterial
from limus.bases.catalogue import AnyMaterial
from limus.bases.placing import Placing
from limus.bases.store_room import STOCK, stock
from limus.common.fields import Document, Name, number
from limus.common.named_files import named_files
from limus.common.refusal import refusal
from limus.common.wording import one_of
from limus.materials.channels import CHANNELS
from limus.materials.levels import Levels
from limus.materials.substance import Family, Substance

#: What an object is made of where nobody says.
USUAL = "cast iron"
if TYPE_CHECKING:
    ChannelName = str
else:
    ChannelName = Literal[tuple(CHANNELS)]


def _flag(title: str, unit: str, start: float, about: str, **limits: Any) -> Any:
    return Field(
        None,
        title=title,
        description=about,
        json_schema_extra={"control": "optional", "unit": unit, "empty": "as the material", "start": start},
        **limits,
    )


class Flags(Document):
    """Physical flags that differ from those of the material; empty ones are the material's own."""

    family: Family | None = None
    porosity: float | None = _flag("Porosity", "%", 0.1, "Share of open pores: wetting darkens by it", ge=0.0, le=1.0)
    brittleness: float | None = _flag("Brittleness", "%", 0.5, "0 scuffs, 1 flakes", ge=0.0, le=1.0)
    hide_um: float | None = _flag("Hides at", "µm", 10.0, "Thickness at which it hides what is below", gt=0.0, le=1e6)


class LaidMaterial(Document):
    """A base material as it is laid. ``material`` may be given as a name of the store room."""

    name: Name = Field("", max_length=80)
    material: AnyMaterial = Field(default_factory=lambda: _made(USUAL))
    placing: Placing = Field(default_factory=Placing)
    relief: float = number(
        1.0, "Relief", "", -10.0, 10.0, (0.0, 3.0), "Strength of its relief; below 0 it is turned inside out"
    )
    occlusion: float = number(
        0.0, "Occlusion in colour", "%", 0.0, 1.0, about="Its own occlusion multiplied into its colour"
    )
    levels: dict[ChannelName, Levels] = Field(default_factory=dict)
    flags: Flags = Field(default_factory=Flags)

    @model_validator(mode="before")
    @classmethod
    def _named(cls, given: Any) -> Any:
        """A name of the store room stands for its material, its flags and how it is laid, as far as nothing else is
        said.
        """
        if isinstance(given, dict) and isinstance(given.get("material"), str):
            found = stock(given["material"])
            if found is None:
                raise refusal(
                    "material", f"there is no base '{given['material'][:60]}'", one_of(STOCK, given["material"])
                )
            given = {**given, "material": found.material, "name": given.get("name") or found.name.capitalize()}
            for field, usual in (("flags", found.flags), ("placing", found.placing)):
                more = given.get(field) or {}
                if usual and isinstance(more, dict):
                    given[field] = {**usual, **more}
        return given

    @property
    def substance(self) -> Substance:
        """The material's physical flags with what was set."""
        own = self.material.made_of
        given = {f.name: getattr(self.flags, f.name, None) for f in fields(Substance)}
        return replace(own, **{k: v for k, v in given.items() if v is not None})

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files its material reads."""
        return self.material.files

    @property
    def files_by_field(self) -> dict[str, str]:
        """The same by the path of the field that names each."""
        named = named_files(self.material, "material")
        return {field: name for field, name in named.items() if name in self.files}

    @property
    def title(self) -> str:
        """What it is called where it shows."""
        return self.name or type(self.material).title


def _made(name: str) -> BaseMaterial:
    from limus.bases.catalogue import MATERIALS

    found = STOCK[name]
    return MATERIALS[found.kind].model_validate(found.material)
