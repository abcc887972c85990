"""A recipe: terms read from top to bottom, like a sentence."""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING, Annotated, Any, Literal, Union

import numpy as np
from pydantic import Field, field_validator

from limus.common.fields import Document, choice, number, switch
from limus.common.hashing import key_of
from limus.common.registry import discover
from limus.masks import sources
from limus.masks.combine import Combine, combine
from limus.masks.coverage import level_for
from limus.masks.edge import Way, broken_up, sharpened
from limus.masks.shape import curved, shape, smoothstep
from limus.masks.source import Scope, Source
from limus.patterns.noise import evened, fractal
from limus.patterns.outline import Character
from limus.readings.reading import asks_weather
from limus.surface.blur import blur
from limus.surface.grow import grow

SOURCES: dict[str, type[Source]] = discover(sources, Source)
if TYPE_CHECKING:
    AnySource = Source
else:
    AnySource = Annotated[Union[tuple(SOURCES.values())], Field(discriminator="kind")]  # noqa: UP007

Unit = Annotated[float, Field(ge=0.0, le=1.0)]
#: Fields of a term that say how it meets the lines above, and its standing in the recipe; linked terms differ in these
#: only.
STANDING = {"combine", "amount", "muted", "solo"}


class Term(Document):
    """One line of a recipe. Its value goes through the fields in the order they stand here."""

    source: AnySource
    soften_mm: float = number(
        0.0, "Soften", "mm", 0.0, 500.0, (0.0, 30.0), "Gaussian softening along the surface", grows=0.5
    )
    low: float = number(0.0, "Black at", "", -10.0, 10.0, (0.0, 1.0), "Values of the source up to this are black")
    high: float = number(1.0, "White at", "", -10.0, 10.0, (0.0, 1.0), "Values of the source from this on are white")
    gamma: float = number(
        1.0, "Gamma", "", 0.05, 20.0, (0.25, 4.0), "Below 1 lightens the middle, above 1 darkens it", log=True
    )
    curve: list[tuple[Unit, Unit]] | None = Field(
        None, min_length=2, max_length=16, title="Curve",
        description="A free curve through these points, from left to right",
        json_schema_extra={"control": "curve"},
    )  # fmt: skip
    invert: bool = switch(False, "Invert", "Black and white change places")
    grow_mm: float = number(
        0.0,
        "Grow",
        "mm",
        -500.0,
        500.0,
        (-20.0, 20.0),
        "White spreads by this on all sides; below 0 it shrinks",
        grows=0.5,
    )
    breakup_mm: float = number(
        0.0, "Break up", "mm", 0.0, 100000.0, (0.0, 20.0), "How far a pattern pulls the edge about", grows=0.5
    )
    breakup_size_mm: float = number(
        12.0,
        "Break-up size",
        "mm",
        0.05,
        1000000.0,
        (1.0, 100.0),
        "Size of that pattern",
        log=True,
        unless={"breakup_mm": 0},
        grows=0.5,
    )
    breakup_way: Way = choice(
        "across", "Pulls", "Which way the edge is pulled", hints={"unless": {"breakup_mm": 0}},
        across="in and out", inward="inwards only: it is bitten into", outward="outwards only: it spreads",
        along="to and fro along the edge", down="drawn out downwards",
    )  # fmt: skip
    breakup_as: Character = choice(
        "soft", "Edge", "What the broken edge looks like", hints={"unless": {"breakup_mm": 0}},
        soft="rolling", crumbled="crumbled in pieces", sharp="sharp teeth", scalloped="scalloped, in arcs",
    )  # fmt: skip
    cover: float | None = Field(
        None, ge=0.0, le=1.0, title="Coverage",
        description="Shift the level so that this share of the real surface is more than half white",
        json_schema_extra={"unit": "%", "soft": [0.0, 1.0], "control": "optional", "empty": "as it comes",
            "start": 0.3, "scale": "linear"},
    )  # fmt: skip
    sharpen: float = number(0.0, "Sharpen", "%", 0.0, 1.0, about="Harden the edge about its middle")
    out_low: float = number(0.0, "Darkest", "", 0.0, 1.0, about="What black becomes")
    out_high: float = number(1.0, "Lightest", "", 0.0, 1.0, about="What white becomes")
    combine: Combine = choice(
        "multiply", "Combine", "How this line meets the lines above",
        multiply="multiply", add="add", subtract="subtract", darken="darken", lighten="lighten", screen="screen",
        overlay="overlay",
        difference="difference", over="paint over", breaks="break up the edges above",
    )  # fmt: skip
    amount: float = number(1.0, "Amount", "%", 0.0, 1.0, about="How much of the operation")
    muted: bool = switch(False, "Muted", "The line is kept but does nothing")
    solo: bool = switch(False, "Solo", "Only lines with this mark count")
    link: str = Field(
        "",
        max_length=40,
        pattern=r"^[a-z0-9-]*$",
        description="Lines of any layer with the same link are the same line",
    )

    @field_validator("curve")
    @classmethod
    def _rising(cls, points: list[tuple[float, float]] | None) -> list[tuple[float, float]] | None:
        if points is not None and any(b[0] - a[0] < 1e-4 for a, b in itertools.pairwise(points)):
            raise ValueError("the points of a curve must go from left to right")
        return points

    def key(self, scope: Scope) -> str:
        """Hash of everything the shaped value depends on."""
        return key_of(
            "term", self.source.key(scope), scope.seed, self.model_dump(exclude={"source", "link", *STANDING})
        )

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1: the source, shaped, through the cache; before it meets other lines."""
        if self.combine == "breaks" and self.breakup_mm:
            # Its break-up is for the lines above; itself it says where.
            return self.model_copy(update={"breakup_mm": 0.0}).value(scope)
        if self.plain:
            # Nothing but a range: as quick as looking it up, and not worth the memory.
            return shape(
                self.source.cached(scope), self.low, self.high, self.gamma, self.invert, self.out_low, self.out_high
            )
        return scope.keep.get(self.key(scope), lambda: self.shaped(scope, self.source.cached(scope)))

    @property
    def plain(self) -> bool:
        """Whether the shaping looks at one texel at a time and keeps nothing."""
        return (
            not (self.soften_mm or self.curve or self.grow_mm or self.breakup_mm or self.sharpen) and self.cover is None
        )

    def shaped(self, scope: Scope, values: np.ndarray) -> np.ndarray:
        """The shaping of this line on any (n,) float32 field."""
        texels = scope.place.texels
        if self.soften_mm > 0:
            values = blur(texels, values, self.soften_mm)
        values = shape(values, self.low, self.high, self.gamma, False, 0.0, 1.0)
        if self.curve is not None:
            values = curved(values, self.curve)
        if self.invert:
            values = 1.0 - values
        if self.grow_mm:
            values = grow(texels, values, self.grow_mm)
        if self.breakup_mm:
            values = self.breaking(scope, values)
        if self.cover is not None:
            level = level_for(values, texels.area, self.cover)
            values = np.clip(values + (0.5 - level), 0.0, 1.0)
        if self.sharpen > 0:
            values = sharpened(values, self.sharpen)
        return shape(values, 0.0, 1.0, 1.0, False, self.out_low, self.out_high)

    def breaking(self, scope: Scope, values: np.ndarray, where: np.ndarray | None = None) -> np.ndarray:
        """(n,) field with its edges broken up as this line says, as far as (n,) ``where`` allows."""
        return broken_up(
            scope.place.texels,
            values,
            self.breakup_mm,
            self.breakup_size_mm,
            self.breakup_way,
            scope.seed * 7919 + 31,
            self.breakup_as,
            where,
        )

    def laid_over(self, scope: Scope) -> tuple[np.ndarray, np.ndarray]:
        """(n,) what is laid over the lines above, and (n,) how much it hides; what is drawn is shaped by its
        outline.
        """
        if not self.source.over:
            value = self.value(scope)
            return value, np.ones_like(value)
        white, hides = self.source.shown_over(scope)
        if not self.plain or (self.low, self.high, self.gamma) != (0.0, 1.0, 1.0):
            # What is painted goes through the same steps as its outline, weighted by it, so that it spreads where the
            # outline does.
            outline = self.model_copy(update={"invert": False, "out_low": 0.0, "out_high": 1.0, "cover": None})
            laid = outline.shaped(scope, np.ascontiguousarray(white * hides))
            hides = outline.shaped(scope, np.ascontiguousarray(hides))
            white = np.clip(laid / np.maximum(hides, 1e-6), 0.0, 1.0)
        if self.invert:
            white = 1.0 - white
        return shape(white, 0.0, 1.0, 1.0, False, self.out_low, self.out_high), hides

    def finding(self, scope: Scope) -> str:
        """What is wrong with this line here, or ""."""
        found = self.source.finding(scope)
        if found or self.muted:
            return found
        if self.combine == "breaks" and not self.breakup_mm:
            return "It breaks nothing up: say how far under Break up"
        if self.cover is not None:
            texels = scope.place.texels
            share = texels.share((self.value(scope) > 0.5 * (self.out_low + self.out_high)).astype(np.float32))
            if abs(share - self.cover) > 0.02:
                return (
                    f"It reaches {share:.0%} of the surface instead of {self.cover:.0%}: large areas have one "
                    "value. Soften it or break it up"
                )
        return ""


class Cut(Document):
    """Harden the mask at a level, or at the level that gives a coverage."""

    by: Literal["level", "coverage"] = choice(
        "coverage", "Cut by", "By level, or by the share of the surface to cover", level="level", coverage="coverage"
    )
    level: float = number(0.5, "Level", "", 0.0, 1.0)
    coverage: float = number(
        0.1, "Coverage", "%", 0.0, 1.0, (0.0, 0.6), "Share of the real surface, not of the texture"
    )
    width: float = number(0.08, "Softness of the cut", "", 0.001, 1.0, (0.005, 0.5))


class Recipe(Document):
    """Where a layer is. No terms: everywhere."""

    terms: list[Term] = Field(default_factory=list, max_length=32)
    cut: Cut | None = None

    @property
    def active(self) -> list[Term]:
        """The lines that count: those with solo where there are any, else those that are not muted."""
        solo = [t for t in self.terms if t.solo]
        return solo or [t for t in self.terms if not t.muted]

    @property
    def looks_back(self) -> bool:
        """Whether a line looks at what earlier layers did."""
        return any(t.source.looks_back for t in self.active)

    @property
    def needs(self) -> frozenset[str]:
        """Everything that its lines look at, among ``readings.reading.READS``."""
        return frozenset().union(*(t.source.needs for t in self.active))

    @property
    def weather(self) -> bool:
        """Whether a line reads sun, rain or run-off."""
        return asks_weather(self.needs)

    @property
    def masks(self) -> list[str]:
        """Ids of the layers whose masks it reads."""
        return [t.source.layer for t in self.active if t.source.kind == "mask" and t.source.layer]  # type: ignore[attr-defined]

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1, through the cache."""
        return scope.keep.get(self.key(scope), lambda: self._value(scope))

    def key(self, scope: Scope) -> str:
        """Hash of everything the mask depends on; the chronicle counts only where a line looks back at it."""
        lines = [[t.key(scope), t.combine, t.amount] for t in self.active]
        return key_of("recipe", scope.place.texels.key, scope.seed, lines, self.cut.model_dump() if self.cut else None)

    def _value(self, scope: Scope) -> np.ndarray:
        out: np.ndarray | None = None
        for term in self.active:
            if term.combine == "over":
                white, hides = term.laid_over(scope)
                hides = hides * term.amount
                # The first line stands on black: only where it was painted.
                out = white * hides if out is None else out + hides * (white - out)
                continue
            value = term.value(scope)
            if term.combine == "breaks":
                if out is not None and term.breakup_mm:
                    out = term.breaking(scope, out, value * term.amount)
                continue
            if out is None:
                # The first line stands on white; subtracting from white is the only operation that then differs from
                # setting.
                out = combine(
                    np.ones_like(value), value, "subtract" if term.combine == "subtract" else "multiply", term.amount
                )
            else:
                out = combine(out, value, term.combine, term.amount)
        if out is None:
            out = np.ones(len(scope.place.texels), np.float32)
        if self.cut is not None:
            area = scope.place.texels.area
            level = self.cut.level if self.cut.by == "level" else level_for(out, area, self.cut.coverage)
            if (
                self.cut.by == "coverage"
                and scope.place.texels.share((np.abs(out - level) < 1e-4).astype(np.float32)) > 0.005
            ):
                # The mask is flat at this level: a noise decides which part of the flat belongs to the coverage.
                size_mm = scope.place.texels.mesh.diagonal * 1000 * 0.03
                out = out + 2 * self.cut.width * (
                    evened(fractal(scope.place.texels.position, size_mm, seed=scope.seed)) - 0.5
                )
                level = level_for(out, area, self.cut.coverage)
            out = smoothstep(out, level - self.cut.width / 2, level + self.cut.width / 2)
        return out


def term(source: Source, **shaping: Any) -> Term:
    """A term with the source's suggested range, for default recipes."""
    low, high = type(source).suggest
    return Term(source=source, **{"low": low, "high": high, **shaping})
