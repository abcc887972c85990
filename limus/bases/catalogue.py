"""All base materials, by kind."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from limus.bases import materials
from limus.bases.base_material import BaseMaterial
from limus.common.registry import discover

MATERIALS: dict[str, type[BaseMaterial]] = discover(materials, BaseMaterial)
if TYPE_CHECKING:
    AnyMaterial = BaseMaterial
else:
    AnyMaterial = Annotated[Union[tuple(MATERIALS.values())], Field(discriminator="kind")]  # noqa: UP007
