"""A recipe: terms read from top to bottom, like a sentence."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal, Union

import numpy as np
from pydantic import Field

from limus.fields import Document, choice, number, switch
from limus.hashing import key_of
from limus.masks import sources
from limus.masks.combine import Combine, combine
from limus.masks.coverage import level_for
from limus.masks.shape import shape, smoothstep
from limus.masks.source import Scope, Source
from limus.patterns.noise import evened, fractal
from limus.registry import discover
from limus.surface.blur import blur

SOURCES: dict[str, type[Source]] = discover(sources, Source)
if TYPE_CHECKING:
    AnySource = Source
else:
    AnySource = Annotated[Union[tuple(SOURCES.values())], Field(discriminator="kind")]  # noqa: UP007


class Term(Document):
    """One line of a recipe."""

    source: AnySource
    low: float = number(0.0, "Black at", "", -10.0, 10.0, (0.0, 1.0), "Values of the source up to this are black")
    high: float = number(1.0, "White at", "", -10.0, 10.0, (0.0, 1.0), "Values of the source from this on are white")
    gamma: float = number(1.0, "Gamma", "", 0.05, 20.0, (0.25, 4.0), "Below 1 lightens the middle, above 1 darkens it", log=True)
    invert: bool = switch(False, "Invert", "Black and white change places")
    soften_mm: float = number(0.0, "Soften", "mm", 0.0, 500.0, (0.0, 30.0), "Gaussian softening along the surface")
    out_low: float = number(0.0, "Darkest", "", 0.0, 1.0, about="What black becomes")
    out_high: float = number(1.0, "Lightest", "", 0.0, 1.0, about="What white becomes")
    combine: Combine = choice(
        "multiply", "Combine", "How this line meets the lines above",
        multiply="multiply", add="add", subtract="subtract", darken="darken", lighten="lighten", screen="screen", overlay="overlay", difference="difference",
    )  # fmt: skip
    amount: float = number(1.0, "Amount", "%", 0.0, 1.0, about="How much of the operation")
    muted: bool = switch(False, "Muted", "The line is kept but does nothing")

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1: the source, shaped; before it meets other lines."""
        values = self.source.cached(scope)
        if self.soften_mm > 0:
            key = key_of("soften", self.source.key(scope), self.soften_mm)
            plain = values
            values = scope.keep.get(key, lambda: blur(scope.place.texels, plain, self.soften_mm))
        return shape(values, self.low, self.high, self.gamma, self.invert, self.out_low, self.out_high)


class Cut(Document):
    """Harden the mask at a level, or at the level that gives a coverage."""

    by: Literal["level", "coverage"] = choice(
        "coverage", "Cut by", "By level, or by the share of the surface to cover", level="level", coverage="coverage"
    )
    level: float = number(0.5, "Level", "", 0.0, 1.0)
    coverage: float = number(0.1, "Coverage", "%", 0.0, 1.0, (0.0, 0.6), "Share of the real surface, not of the texture")
    width: float = number(0.08, "Softness of the cut", "", 0.001, 1.0, (0.005, 0.5))


class Recipe(Document):
    """Where a layer is. No terms: everywhere."""

    terms: list[Term] = Field(default_factory=list, max_length=32)
    cut: Cut | None = None

    @property
    def looks_back(self) -> bool:
        """Whether the mask depends on earlier layers."""
        return any(t.source.looks_back for t in self.terms if not t.muted)

    @property
    def weather(self) -> bool:
        """Whether a line reads sun, rain or run-off."""
        return any(t.source.weather for t in self.terms if not t.muted)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1, through the cache."""
        return scope.keep.get(self.key(scope), lambda: self._value(scope))

    def key(self, scope: Scope) -> str:
        """Hash of everything the mask depends on; the chronicle counts only where a line looks back at it."""
        moment = scope.moment.key if self.looks_back and scope.moment else ""
        return key_of("recipe", scope.key_with(self.weather), self.model_dump(), moment)

    def _value(self, scope: Scope) -> np.ndarray:
        out: np.ndarray | None = None
        for term in self.terms:
            if term.muted:
                continue
            value = term.value(scope)
            if out is None:
                # The first line stands on white; subtracting from white is the only operation that then differs from setting.
                out = combine(np.ones_like(value), value, "subtract" if term.combine == "subtract" else "multiply", term.amount)
            else:
                out = combine(out, value, term.combine, term.amount)
        if out is None:
            out = np.ones(len(scope.place.texels), np.float32)
        if self.cut is not None:
            area = scope.place.texels.area
            level = self.cut.level if self.cut.by == "level" else level_for(out, area, self.cut.coverage)
            if self.cut.by == "coverage" and scope.place.texels.share((np.abs(out - level) < 1e-4).astype(np.float32)) > 0.005:
                # The mask is flat at this level: a noise decides which part of the flat belongs to the coverage.
                size_mm = scope.place.texels.mesh.diagonal * 1000 * 0.03
                out = out + np.float32(2 * self.cut.width) * (
                    evened(fractal(scope.place.texels.position, size_mm, seed=scope.seed)) - np.float32(0.5)
                )
                level = level_for(out, area, self.cut.coverage)
            out = smoothstep(out, level - self.cut.width / 2, level + self.cut.width / 2)
        return out


def term(source: Source, **shaping: Any) -> Term:
    """A term with the source's suggested range, for default recipes."""
    low, high = type(source).suggest
    return Term(source=source, **{"low": low, "high": high, **shaping})
