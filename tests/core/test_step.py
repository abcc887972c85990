"""What a step looks at is found in its source: all of it, and nothing that it cannot be followed to."""

from __future__ import annotations

import inspect
from types import FunctionType, MethodType
from typing import Any, ClassVar, Literal
from unittest import TestCase

import numpy as np

from limus.bases.choice import from_stock
from limus.common.object_size import ObjectSize
from limus.effects.catalogue import EFFECTS
from limus.effects.effect import Effect, Event, Outcome
from limus.effects.step import ALWAYS, KNOWN_BY, LooksAt, looks_at
from limus.masks.recipe import Recipe
from tests.core import shapes
from tests.core.test_effects import bench_for, layer, scene

ELSEWHERE: list[Any] = []


def halved(event: Event) -> np.ndarray:
    """A function of an event in a module."""
    return event.mask * 0.5


def any_number(*events: Event) -> int:
    """One that does not say how many."""
    return len(events)


def by_wide(effect: Any, event: Event) -> float:
    """One that is handed both."""
    return float(effect.wide * event.strength)


class Tried(Effect):
    """Steps of every shape."""

    kind: Literal["tried"] = "tried"
    title: ClassVar[str] = "Tried"
    wide: float = 1.0
    deep: float = 2.0
    way: str = "a"
    never: float = 3.0

    @property
    def both(self) -> float:
        return self.wide + self.deep

    def plain(self, event: Event) -> np.ndarray:
        return event.mask * self.wide

    def by_property(self, event: Event) -> float:
        return self.both

    def by_branch(self, event: Event) -> float:
        return self.wide if self.way == "a" else self.deep

    def by_inner(self, event: Event) -> float:
        def inner() -> float:
            return self.deep

        return inner() + max((2, 1), key=lambda k: k * self.wide)

    def by_default(self, event: Event) -> float:
        def inner(at: float = self.deep, *, to: float = self.wide) -> float:
            return at + to

        return inner()

    def by_itself(self, event: Event) -> float:
        return self.wide if self.deep < 0 else self.by_itself(event)

    def round_about(self, event: Event) -> float:
        return self.wide + self.and_back(event)

    def and_back(self, event: Event) -> float:
        return self.deep + self.round_about(event)

    def in_a_row(self, event: Event) -> int:
        return any_number(event, event)

    def by_a_name_of_its_own(self, event: Event) -> Any:
        halved = self.way.format
        return halved(event)

    def by_method(self, event: Event) -> np.ndarray:
        return self.plain(event) + self.still(event)

    def by_function(self, event: Event) -> float:
        return by_wide(self, event)

    def by_step(self, event: Event) -> np.ndarray:
        out: np.ndarray = event.step(self.plain) + event.step(halved) + event.step(self.still)
        return out

    def by_pile(self, event: Event) -> int:
        return len(event.pile.coats)

    def by_marks(self, event: Event) -> bool:
        return event.marks.joint is None

    def by_noise(self, event: Event) -> np.ndarray:
        """Noise hangs on the surface and on the seed, which are in every key."""
        return event.noise(self.wide)

    def by_visible(self, event: Event) -> Any:
        return event.visible()

    def by_title(self, event: Event) -> int:
        return len(self.title) + len(event.texels)

    @staticmethod
    def still(event: Event) -> np.ndarray:
        return event.pile.skin

    def kept_aside(self, event: Event) -> float:
        other = self
        return other.deep

    def handed_nowhere(self, event: Event) -> float:
        ELSEWHERE.append(event)
        return 0.0

    def in_a_list(self, event: Event) -> int:
        return len([event])

    def of_voices(self, event: Event) -> int:
        return len(event.uses)

    def dumped(self, event: Event) -> int:
        return len(self.model_dump())

    def apply(self, event: Event) -> Outcome:
        return Outcome(event.pile, event.mask)


def found(name: str) -> LooksAt:
    static = inspect.getattr_static(Tried, name)
    if isinstance(static, staticmethod):
        return looks_at(static.__func__, None, Event)
    return looks_at(static, Tried, Event)


class Read(TestCase):
    def test_fields_and_what_is_looked_at_of_the_event(self) -> None:
        for name, fields, event in (
            ("plain", {"wide"}, {"mask"}),
            ("by_property", {"wide", "deep"}, set()),
            ("by_branch", {"wide", "deep", "way"}, set()),
            ("by_inner", {"wide", "deep"}, set()),
            ("by_default", {"wide", "deep"}, set()),
            ("by_itself", {"wide", "deep"}, set()),
            ("by_method", {"wide"}, {"mask", "pile"}),
            ("by_function", {"wide"}, {"strength"}),
            ("by_step", {"wide"}, {"mask", "pile"}),
            ("by_pile", set(), {"pile"}),
            ("by_marks", set(), {"marks"}),
            ("by_noise", {"wide"}, set()),
            ("by_visible", set(), {"pile"}),
            ("by_title", set(), set()),
            ("still", set(), {"pile"}),
        ):
            with self.subTest(step=name):
                self.assertEqual(found(name), LooksAt(frozenset(fields), frozenset(event)))

    def test_a_function_of_the_event(self) -> None:
        self.assertEqual(looks_at(halved, None, Event), LooksAt(event=frozenset({"mask"})))

    def test_what_cannot_be_followed_is_refused(self) -> None:
        for name in (
            "kept_aside", "handed_nowhere", "in_a_list", "of_voices", "dumped", "in_a_row", "by_a_name_of_its_own",
            "round_about", "and_back",
        ):  # fmt: skip
            with self.subTest(step=name), self.assertRaisesRegex(TypeError, "hands on .* cannot be told"):
                found(name)


class Watched:
    """Stands for an effect or an event and notes which fields are looked at; its methods run on it."""

    def __init__(self, of: Any, fields: Any, seen: set[str]) -> None:
        self.__dict__.update(of=of, fields=fields, seen=seen)

    def __getattr__(self, name: str) -> Any:
        of, static = self.of, inspect.getattr_static(type(self.of), name, None)
        if name in self.fields:
            self.seen.add(name)
        if name in self.fields or name in ALWAYS:
            return getattr(of, name)
        if isinstance(static, property):
            return static.fget(self)  # type: ignore[misc]
        if isinstance(static, FunctionType):
            return MethodType(static, self)
        return getattr(of, name)


class AsItRuns(TestCase):
    """Every step of every effect, played where it can be shown."""

    def test_nothing_is_looked_at_that_was_not_found(self) -> None:
        bench, size = bench_for(shapes.box(0.12), 64, 4), ObjectSize(0.2)
        plain, missed, steps = Event.step, list[str](), set[str]()

        def step(self: Any, function: Any, *args: Any) -> Any:
            event = self.of if isinstance(self, Watched) else self
            effect = getattr(function, "__self__", None)
            effect = effect.of if isinstance(effect, Watched) else effect
            code = getattr(function, "__func__", function)
            looked = looks_at(code, None if effect is None else type(effect), Event)
            fields, of_event = set[str](), set[str]()
            watched = Watched(event, KNOWN_BY, of_event)
            if effect is None:
                value = code(watched, *args)
            else:
                value = code(Watched(effect, type(effect).model_fields, fields), watched, *args)
            steps.add(code.__qualname__)
            more = fields - looked.fields | of_event - looked.event
            if more:
                missed.append(f"{code.__qualname__}: {', '.join(sorted(more))}")
            return value

        Event.step = step  # type: ignore[method-assign]
        try:
            for effect in EFFECTS.values():
                base, before = effect.shown_on
                layers = [layer(one, EFFECTS[one].fitted(size)) for one in before]
                layers.append(layer("tried", effect.fitted(size), Recipe()))
                bench.play(scene(*layers, bases=[from_stock(base)]))
        finally:
            Event.step = plain  # type: ignore[method-assign]
        self.assertEqual(missed, [])
        self.assertGreater(len(steps), 40)
