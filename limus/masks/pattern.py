"""What patterns have in common: a seed, a size in mm, and the finding that they are finer than a texel."""

from __future__ import annotations

from typing import Any, ClassVar

from pydantic import Field

from limus.common.fields import number
from limus.masks.source import Scope, Source


def seed_field() -> Any:
    """Another number gives another pattern."""
    return Field(
        0,
        ge=0,
        le=2**31 - 1,
        title="Seed",
        description="Another number gives another pattern",
        json_schema_extra={"control": "seed"},
    )


def size_field(
    default: float, title: str = "Size", about: str = "", soft: tuple[float, float] = (2.0, 300.0), *, grows: float
) -> Any:
    """A length in mm that a pattern has; its default ``grows`` with the object."""
    return number(default, title, "mm", 0.005, 1000000.0, soft, about, log=True, grows=grows)


class Pattern(Source):
    """A source made from a seed, at points in space."""

    group: ClassVar[str] = "Patterns"
    joint: ClassVar[str] = "broken up by"
    #: Name of the field that holds its size, and the share of it that must be seen.
    grain: ClassVar[tuple[str, float]] = ("size_mm", 1.0)

    def salt(self, scope: Scope) -> int:
        """The seed of the scene and of this source together."""
        return scope.seed * 7919 + int(getattr(self, "seed", 0))

    def finding(self, scope: Scope) -> str:
        """A pattern of less than two texels cannot be shown: it fades to its mean instead of turning into noise of
        the raster.
        """
        name, share = self.grain
        size, texel = float(getattr(self, name)) * share, scope.place.texels.texel_mm
        if size >= 2.0 * texel:
            return ""
        return (
            f"At {size:.3g} mm it is finer than two texels ({2 * texel:.3g} mm): make it larger, or work at a "
            "higher resolution"
        )
