"""All effects, by kind."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from limus import effects
from limus.common.registry import discover
from limus.effects.effect import Effect

EFFECTS: dict[str, type[Effect]] = discover(effects, Effect)
if TYPE_CHECKING:
    AnyEffect = Effect
else:
    AnyEffect = Annotated[Union[tuple(EFFECTS.values())], Field(discriminator="kind")]  # noqa: UP007
