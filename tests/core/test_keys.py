"""Keys name just what is looked at: everything declared, nothing more."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

import numpy as np

from limus.bases.choice import from_stock
from limus.common.store import Store
from limus.effects.catalogue import EFFECTS
from limus.effects.chipping import Chipping
from limus.effects.dirt import Dirt
from limus.effects.paint import Paint
from limus.effects.rust import Rust
from limus.masks.recipe import SOURCES, Recipe, term
from limus.masks.source import Scope
from limus.masks.sources.edges import Edges
from limus.masks.sources.noise import Noise
from limus.masks.sources.rain import Rain as RainSource
from limus.masks.sources.sun import Sun as SunSource
from limus.playing.chronicle import Chronicle
from limus.readings.catalogue import READINGS
from limus.readings.exposure import Exposure, measure_exposure
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.readings.reading import READS, Place
from limus.readings.setting import Setting
from limus.readings.surroundings import Surroundings
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from tests.core import shapes
from tests.core.test_effects import layer, scene


class Watched:
    """Stands in for something and notes which of its attributes are asked for."""

    def __init__(self, real: Any, names: dict[str, str], seen: set[str]) -> None:
        self.__dict__ |= {"_real": real, "_names": names, "_seen": seen}

    def __getattr__(self, name: str) -> Any:
        for wanted, what in self._names.items():
            if wanted in (name, "*"):
                self._seen.add(what.replace("*", name))
        return getattr(self._real, name)


class WatchedPlace(Place):
    """A place that notes what is looked at, in the words of ``READS``."""

    def __getattribute__(self, name: str) -> Any:
        real = object.__getattribute__(self, name)
        seen: set[str] = object.__getattribute__(self, "__dict__").setdefault("seen", set())
        if name == "measured":
            around = Watched(real.around, {"neighbours": "neighbours"}, seen)
            watched = Watched(
                real,
                dict.fromkeys(("curvature", "occlusion", "sky", "thickness", "missed", "normal", "table"), "rays"),
                seen,
            )
            watched.__dict__["around"] = around
            return watched
        if name == "exposure" and real is not None:
            return Watched(real, {n: n for n in ("sun", "rain", "runoff")}, seen)
        if name == "setting":
            return Watched(real, {"*": "setting.*"}, seen)
        if name == "vertex_colour":
            seen.add("colours")
        return real


class Declared(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.texels = Texels.of(shapes.box(0.2), 32)
        plan = RayPlan.for_mesh(cls.texels.mesh, 4)
        near: Mesh = shapes.box(0.1, (0.4, 0, 0))
        cls.around = Surroundings(ground_m=-0.1, neighbours=near)
        cls.measured = Measured(cls.texels, plan, measure_rays(cls.texels, plan, around=cls.around), cls.around)
        cls.exposure = measure_exposure(cls.texels, Setting(), cls.around, rays=8)

    def place(self) -> WatchedPlace:
        return WatchedPlace(self.texels, self.measured, Setting(), self.exposure)

    def seen(self, place: WatchedPlace) -> set[str]:
        return {what for what in place.__dict__.get("seen", set()) if what in READS}

    def test_readings_look_at_what_they_declare(self) -> None:
        for kind, reading in READINGS.items():
            place = self.place()
            reading.value(place, 10.0)
            self.assertLessEqual(self.seen(place), set(reading.reads), kind)

    def test_sources_look_at_what_they_declare(self) -> None:
        directions = ("up", "wind", "north", "other")
        for kind, source in SOURCES.items():
            variants: list[dict[str, Any]] = [{}]
            if "towards" in source.model_fields:
                variants = [{"towards": towards} for towards in directions]
            for fields in variants:
                place = self.place()
                one = source(**fields)
                one.value(Scope(place, Store(), 1, files=lambda name: None))  # type: ignore[arg-type, return-value]
                self.assertLessEqual(self.seen(place), one.needs, f"{kind} {fields}")

    def test_effects_look_at_what_they_declare(self) -> None:
        for kind, effect in EFFECTS.items():
            chronicle = Chronicle(self.texels, self.measured, Store(), self.exposure)
            places: list[WatchedPlace] = []

            def watched(made: Any, places: list[WatchedPlace] = places) -> WatchedPlace:
                places.append(self.place())
                return places[-1]

            chronicle.place = watched  # type: ignore[method-assign]
            base, before = effect.shown_on
            story = [*(layer(name, EFFECTS[name](), Recipe()) for name in before), layer(kind, effect(), Recipe())]
            chronicle.play(scene(*story, bases=[from_stock(base)]))
            declared = {what for one in story for what in one.effect.reads}
            self.assertLessEqual(set().union(*(self.seen(p) for p in places)), declared, kind)


class Kept(TestCase):
    """How much is made again after a change."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.texels = Texels.of(shapes.box(0.2), 48)
        cls.plan = RayPlan.for_mesh(cls.texels.mesh, 4)
        cls.table = measure_rays(cls.texels, cls.plan)

    def made_again(self, before: Setting, after: Setting, *layers: Any, finer: bool = False) -> set[str]:
        """Kinds of keyed steps that a change of the setting (or finer readings) makes again."""
        store = Store()
        made: list[str] = []
        real = Store.get

        def get(self: Store, key: str, make: Any) -> Any:
            def spy() -> Any:
                made.append(make.__qualname__)
                return make()

            return real(self, key, spy)

        def play(setting: Setting, plan: RayPlan) -> None:
            measured = Measured(self.texels, plan, self.table)
            exposure = Exposure(self.texels, np.ones((len(self.texels), 3), np.float32), self.keys(setting))
            Chronicle(self.texels, measured, store, exposure).play(scene(*layers, setting=setting))

        from unittest.mock import patch

        with patch.object(Store, "get", get):
            play(before, self.plan)
            made.clear()
            play(
                after,
                RayPlan(self.plan.radii_mm, self.plan.reaches_mm, self.plan.thickness_mm, 9) if finer else self.plan,
            )
        return {name.split(".")[0] + "." + name.split(".")[1] for name in made}

    @staticmethod
    def keys(setting: Setting) -> tuple[str, str]:
        return f"sun {setting.latitude}", f"rain {setting.wind_from_deg}"

    def test_a_change_of_wind_makes_again_only_what_looks_at_rain(self) -> None:
        dry = layer("dirt", Dirt(), Recipe(terms=[term(Noise(size_mm=30.0)), term(SunSource())]))
        wet = layer("wet", Dirt(), Recipe(terms=[term(RainSource())]))
        wind = Setting(wind_from_deg=10.0)
        self.assertEqual(self.made_again(Setting(), wind, dry), set())
        self.assertIn("Recipe.value", self.made_again(Setting(), wind, wet))
        # The dry layer comes first, so it is found whole.
        self.assertNotIn("Event.noise", self.made_again(Setting(), wind, dry, wet))

    def test_noise_and_masks_of_position_survive_finer_readings(self) -> None:
        by_place = layer("dirt", Dirt(), Recipe(terms=[term(Noise(size_mm=30.0))]))
        self.assertEqual(self.made_again(Setting(), Setting(), by_place, finer=True), set())
        by_rays = layer("dirt", Dirt(), Recipe(terms=[term(Noise(size_mm=30.0)), term(Edges())]))
        again = self.made_again(Setting(), Setting(), by_rays, finer=True)
        self.assertIn("Recipe.value", again)
        self.assertNotIn("Event.noise", again)

    def test_corrosivity_is_a_matter_of_rust(self) -> None:
        chips = (layer("paint", Paint()), layer("chips", Chipping(coverage=0.3)))
        harsher = Setting(corrosivity="C5")
        self.assertEqual(self.made_again(Setting(), harsher, *chips), set())
        self.assertTrue(self.made_again(Setting(), harsher, *chips, layer("rust", Rust())))

    def test_an_even_finer_claim_is_another_key(self) -> None:
        place = Place(self.texels, Measured(self.texels, self.plan, self.table), Setting())
        self.assertNotEqual(place.key_for(["rays"]), place.key_for([]))
        self.assertEqual(place.key_for(["setting.years"]), place.key_for(("setting.years", "setting.years")))
