"""All effects, by kind."""

from __future__ import annotations

from typing import Annotated, Union

from pydantic import Field

from limus import effects
from limus.effects.effect import Effect
from limus.registry import discover

EFFECTS: dict[str, type[Effect]] = discover(effects, Effect)
AnyEffect = Annotated[Union[tuple(EFFECTS.values())], Field(discriminator="kind")]  # type: ignore[valid-type]  # noqa: UP007
