"""Strata and effects: what must come out, and figures of published standards."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from scipy import ndimage

from limus.bases.choice import from_stock
from limus.common.errors import Cancelled
from limus.common.object_size import ObjectSize
from limus.common.store import Store
from limus.document.scene import ChannelUse, Layer, ObjectFile, Scene
from limus.effects.catalogue import EFFECTS
from limus.effects.chipping import FLAKING_GRADES, Chipping
from limus.effects.dirt import Dirt
from limus.effects.dust import Dust
from limus.effects.paint import Paint
from limus.effects.rust import EXPONENT, FIRST_YEAR_UM, OXIDE_VOLUME, Rust, corrosion_depth_um
from limus.masks.recipe import Recipe, Term, term
from limus.masks.sources.even import Even
from limus.masks.sources.exposed import Exposed
from limus.masks.sources.noise import Noise
from limus.materials.channels import CHANNELS
from limus.playing.chronicle import Chapter, Chronicle
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.readings.setting import Setting
from limus.strata.pile import Coat, Pile
from limus.surface.blur import blur
from limus.surface.mesh import Mesh
from limus.surface.picture import Texture
from limus.surface.texels import Texels
from tests.core import shapes
from tests.core.fields import film, seen


def bench_for(mesh: Mesh, size: int = 256, pairs: int = 16) -> Chronicle:
    texels = Texels.of(mesh, size)
    plan = RayPlan((2.0, 4.0, 8.0, 16.0), (16.0, 32.0, 64.0), 32.0, pairs)
    return Chronicle(texels, Measured(texels, plan, measure_rays(texels, plan)), Store(512 << 20))


def scene(*layers: Layer, **more: object) -> Scene:
    # Copies: what one test does to its scene is no business of the next one's story.
    own = [layer.model_copy(deep=True) for layer in layers]
    return Scene(object=ObjectFile(file="box.glb"), layers=own, **more)  # type: ignore[arg-type]


def layer(id_: str, effect: object, where: Recipe | None = None, **more: object) -> Layer:
    return Layer(
        id=id_, name=id_, effect=effect, where=where if where is not None else type(effect).default_where(), **more
    )  # type: ignore[arg-type, attr-defined]


STORY = (
    layer("paint", Paint()),
    layer("chips", Chipping()),
    layer("rust", Rust()),
    layer("dirt", Dirt()),
    layer("dust", Dust()),
)


class Base(TestCase):
    bench: Chronicle

    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.box(0.2))

    def play(self, *layers: Layer, **more: object) -> list[Chapter]:
        return self.bench.play(scene(*layers, **more))

    def share_of(self, pile: Pile, what: str) -> float:
        return self.bench.texels.share(pile.exposure_of(what))


class Deposits(Base):
    def test_paint_hides_the_base_and_has_its_thickness(self) -> None:
        pile = self.play(layer("paint", Paint(texture_um=0.0)))[-1].pile
        self.assertEqual([c.name for c in pile.coats], ["paint: primer", "paint: topcoat"])
        self.assertLess(self.share_of(pile, "base"), 0.001)
        flat = np.sort(np.abs(self.bench.texels.position), axis=1)[:, 1] < 0.08
        self.assertAlmostEqual(float(film(pile)[flat].mean()), 180.0, delta=1.0)
        # Paint runs off edges: the film is thinner there (common practice, no source).
        edge = np.sort(np.abs(self.bench.texels.position), axis=1)[:, 1] > 0.0995
        self.assertLess(float(film(pile)[edge].mean()), 150.0)

    def test_relief_is_the_sum_of_thicknesses(self) -> None:
        made = self.bench.as_made(scene())
        pile = self.play(layer("paint", Paint(texture_um=0.0)))[-1].pile
        np.testing.assert_allclose(pile.relief() - made.relief(), film(pile) / 1000, atol=1e-5)

    def test_exposures_add_up_to_the_surface(self) -> None:
        pile = self.play(*STORY)[-1].pile
        total = sum(pile.exposures())
        np.testing.assert_allclose(total, 1.0, atol=2e-4)
        for k, exposure in enumerate(pile.exposures()):
            alone = pile.bare() if k == 0 else pile.exposure_of(pile.coats[k - 1].id)
            np.testing.assert_allclose(exposure, alone, atol=1e-5)

    def test_dust_settles_with_the_cosine_of_the_slope(self) -> None:
        # Hinds, Aerosol Technology (from memory): flux on a slope goes with its cosine.
        thickness = {}
        for tilt in (0.0, 60.0):
            bench = bench_for(shapes.plane(0.2, tilt), 64)
            pile = bench.play(scene(layer("dust", Dust(cling=0.0), Recipe())))[-1].pile
            thickness[tilt] = float(pile.coats[-1].thickness.mean())
        self.assertAlmostEqual(thickness[60.0] / thickness[0.0], 0.5, delta=0.01)

    def test_dust_lies_on_top_and_dirt_in_corners(self) -> None:
        dust = self.play(layer("dust", Dust()))[-1].shown
        up = self.bench.texels.normal[:, 1]
        self.assertGreater(float(dust[up > 0.9].mean()), 4 * float(dust[np.abs(up) < 0.1].mean()))
        self.assertLess(float(dust[up < -0.9].mean()), 0.02)
        crossed = shapes.joined(shapes.box(0.2), shapes.box(0.12, (0.0, 0.14, 0.0)))
        bench = bench_for(crossed)
        dirt = bench.play(scene(layer("dirt", Dirt())))[-1].shown
        top = (bench.texels.normal[:, 1] > 0.9) & (np.abs(bench.texels.position[:, 1] - 0.1) < 0.001)
        away = np.abs(bench.texels.position[:, [0, 2]]).max(axis=1) - 0.06
        self.assertGreater(
            float(dirt[top & (away > 0) & (away < 0.006)].mean()), 3 * float(dirt[top & (away > 0.03)].mean())
        )


class Losses(Base):
    def test_coverage_asked_for_is_coverage_got(self) -> None:
        for mesh in (shapes.box(0.2), shapes.sphere(0.1, 64)):
            bench = bench_for(mesh)
            for wanted in (0.01, 0.05, 0.2):
                chapter = bench.play(scene(layer("paint", Paint()), layer("chips", Chipping(coverage=wanted))))[-1]
                self.assertAlmostEqual(chapter.coverage, wanted, delta=0.005, msg=f"{mesh.source} {wanted}")

    def test_the_same_coverage_at_any_resolution(self) -> None:
        shares = [bench_for(shapes.box(0.2), size).play(scene(*STORY[:2]))[-1].coverage for size in (128, 256, 512)]
        self.assertLess(max(shares) - min(shares), 0.005)

    def test_flaking_grades(self) -> None:
        # ISO 4628-5 quantity classes, area in percent (from memory): 0 none, 1 0.1, 2 0.3, 3 1, 4 3, 5 15.
        self.assertEqual(FLAKING_GRADES, {"0": 0.0, "1": 0.1, "2": 0.3, "3": 1.0, "4": 3.0, "5": 15.0})
        for grade in ("3", "4", "5"):
            chapter = self.play(layer("paint", Paint()), layer("chips", Chipping(by="grade", grade=grade)))[-1]  # type: ignore[arg-type]
            self.assertAlmostEqual(chapter.coverage * 100, FLAKING_GRADES[grade], delta=0.4)

    def test_primer_at_the_rim_base_in_the_middle(self) -> None:
        chapters = self.play(layer("paint", Paint()), layer("chips", Chipping(coverage=0.1, depth=0.6)))
        pile = chapters[-1].pile
        self.assertAlmostEqual(self.share_of(pile, "base"), 0.06, delta=0.012)
        primer = self.bench.texels.share(pile.exposures()[1])
        self.assertAlmostEqual(primer, 0.04, delta=0.012)
        # Bare base only where the topcoat is gone too.
        bare = pile.exposure_of("base") > 0.9
        self.assertGreater(float(chapters[-1].shown[bare].min()), 0.8)

    def test_chips_sit_on_edges_but_not_on_all_of_them(self) -> None:
        shown = self.play(layer("paint", Paint()), layer("chips", Chipping()))[-1].shown
        second = np.sort(np.abs(self.bench.texels.position), axis=1)[:, 1]
        edge, face = second > 0.097, second < 0.08
        self.assertGreater(float(shown[edge].mean()), 3 * float(shown[face].mean()))
        self.assertGreater(float(shown[face].mean()), 0.0)
        self.assertLess(float(shown[edge].mean()), 0.9)

    def test_size_is_in_millimetres(self) -> None:
        # Diameter of chips by area (connected areas, scipy.ndimage.label): three times the size, three times as wide.
        bench = bench_for(shapes.plane(0.3), 512)

        def width(size_mm: float) -> float:
            chips = Chipping(size_mm=size_mm, coverage=0.04, cluster=0.0, vary=0.0, ragged=0.0)
            shown = bench.play(scene(layer("paint", Paint()), layer("chips", chips, Recipe())))[-1].shown
            found, count = ndimage.label(bench.texels.image(shown > 0.5, empty=False)[0])  # type: ignore[arg-type]
            areas = np.bincount(found.ravel())[1:].astype(float) * float(bench.texels.step_of_triangle[0, 0]) ** 2
            self.assertGreater(count, 5)
            # Of the chip that a point of the chipped area lies in.
            return float((2 * np.sqrt(areas / np.pi) * areas).sum() / areas.sum())

        small, large = width(4.0), width(12.0)
        self.assertAlmostEqual(large / small, 3.0, delta=1.0)
        self.assertTrue(0.6 * 4.0 < small < 2.0 * 4.0, small)

    def test_black_hides(self) -> None:
        left = Recipe(terms=[Term(source=Even()), Term(source=Noise(size_mm=60.0), low=0.6, high=0.7)])
        chapter = self.play(layer("paint", Paint()), layer("chips", Chipping(coverage=0.2), left))[-1]
        self.assertEqual(float(chapter.shown[chapter.mask == 0].max()), 0.0)

    def test_nothing_to_chip_says_so(self) -> None:
        chapter = self.play(layer("chips", Chipping()))[-1]
        self.assertIn("no paint", chapter.note)
        self.assertEqual(chapter.coverage, 0.0)
        self.assertIn(
            "black",
            self.play(
                layer("paint", Paint()), layer("chips", Chipping(), Recipe(terms=[Term(source=Even(level=0.0))]))
            )[-1].note,
        )

    def test_rim_stands_up(self) -> None:
        flat = self.play(layer("paint", Paint()), layer("chips", Chipping(rim_um=0.0)))[-1].pile
        lifted = self.play(layer("paint", Paint()), layer("chips", Chipping(rim_um=80.0)))[-1].pile
        gain = lifted.relief() - flat.relief()
        self.assertGreater(float(gain.max()), 0.04)
        self.assertGreaterEqual(float(gain.min()), -1e-6)
        self.assertLess(self.bench.texels.share((gain > 0.01).astype(np.float32)), 0.35)

    def test_a_hidden_coat_is_not_altered(self) -> None:
        # Rust happens while the iron is covered; chip it free later and it is fresh.
        chapters = self.play(layer("paint", Paint()), layer("rust", Rust()), layer("chips", Chipping()))
        self.assertIn("No iron is exposed", chapters[1].note)
        self.assertGreater(self.share_of(chapters[-1].pile, "family:ferrous"), 0.025)


def oxide_of(pile: Pile) -> Coat:
    """The coat of oxide that rust left."""
    return next(coat for coat in pile.coats if coat.piece == "oxide")


class Corrosion(Base):
    def test_depth(self) -> None:
        # ISO 9224: D = r t^b, b = 0.523 for carbon steel: r 50, t 10 years -> 166.7 micrometres (from memory).
        self.assertEqual(EXPONENT, 0.523)
        self.assertAlmostEqual(corrosion_depth_um(50.0, 10.0), 166.7, delta=0.05)
        self.assertEqual(corrosion_depth_um(50.0, 0.0), 0.0)
        # Beyond 20 years the rate of the twentieth goes on (ISO 9224:2012, from memory): 50 years of r = 1 are 8.55,
        # not 50^b = 7.74.
        self.assertAlmostEqual(corrosion_depth_um(1.0, 50.0), 8.55, delta=0.01)
        self.assertAlmostEqual(corrosion_depth_um(1.0, 20.0), 20**EXPONENT, places=9)
        # ISO 9223 first-year classes (from memory): the figure used lies inside each.
        for name, (low, high) in {
            "C1": (0, 1.3),
            "C2": (1.3, 25),
            "C3": (25, 50),
            "C4": (50, 80),
            "C5": (80, 200),
            "CX": (200, 700),
        }.items():
            self.assertTrue(low <= FIRST_YEAR_UM[name] <= high, name)

    def test_oxide_grows_by_its_volume(self) -> None:
        # Pilling-Bedworth ratio Fe -> Fe2O3 2.14 (from memory): surface rises by 1.14 of the iron lost.
        even = Recipe()
        rust = Rust(years=10.0, climate="C3", scale=0.0, creep_mm=0.0, runs=0.0)
        made = self.bench.as_made(scene())
        pile = self.play(layer("rust", rust, even))[-1].pile
        lost = oxide_of(pile).thickness / OXIDE_VOLUME
        np.testing.assert_allclose((pile.relief() - made.relief()) * 1000, lost * (OXIDE_VOLUME - 1), atol=0.05)
        self.assertAlmostEqual(float(lost.mean()), corrosion_depth_um(37.5, 10.0), delta=6.0)

    def test_oxide_is_no_metal_and_rough(self) -> None:
        # Common practice, no source: metalness 0 on the oxide, roughness 0.6 and up, broken up.
        # On rubbed spots it is smoother.
        pile = self.play(layer("rust", Rust(rubbed=0.0), Recipe()))[-1].pile
        rusty = pile.exposures()[1] > 0.98
        rough, color = seen(pile, "roughness")[rusty], seen(pile, "base_color")[rusty]
        self.assertLess(float(seen(pile, "metalness")[rusty].max()), 0.03)
        self.assertGreaterEqual(float(rough.min()), 0.59)
        self.assertGreater(float(rough.std()), 0.02)
        self.assertGreater(float(np.median(color[:, 0] / color[:, 2])), 2.5)

    def test_only_iron_rusts(self) -> None:
        chapter = self.play(layer("rust", Rust()), bases=[from_stock("brass")])[-1]
        self.assertIn("iron", chapter.note)
        self.assertEqual(chapter.coverage, 0.0)

    def test_paint_keeps_rust_away_but_for_the_stain(self) -> None:
        chapters = self.play(
            layer("paint", Paint()), layer("chips", Chipping(coverage=0.1)), layer("rust", Rust(creep_mm=2.0))
        )
        before, after = chapters[1].pile, chapters[2]
        bare = before.exposed("ferrous")
        far = blur(self.bench.texels, bare, 4.0) < 1e-4
        self.assertTrue(far.any())
        self.assertLess(float(after.shown[far].max()), 0.02)
        near = (bare < 0.02) & (blur(self.bench.texels, bare, 2.0) > 0.2)
        self.assertGreater(float(after.shown[near].mean()), 0.05)

    def test_longer_and_harsher_is_deeper(self) -> None:
        def oxide(**more: object) -> float:
            return float(self.play(layer("rust", Rust(**more), Recipe()))[-1].pile.coats[-2].thickness.mean())  # type: ignore[arg-type]

        self.assertLess(oxide(years=1.0), oxide(years=10.0))
        self.assertLess(oxide(climate="C2"), oxide(climate="C5"))
        with_setting = float(
            self.play(layer("rust", Rust(), Recipe()), setting=Setting(corrosivity="C5"))[-1]
            .pile.coats[-2]
            .thickness.mean()
        )
        self.assertAlmostEqual(with_setting, oxide(climate="C5"), delta=1e-3)


class Channels(Base):
    def shown(self, *layers: Layer) -> Pile:
        return self.play(*layers)[-1].pile

    def test_a_deposit_leaves_a_channel_alone(self) -> None:
        bare = self.bench.as_made(scene())
        quiet = self.shown(layer("paint", Paint(), channels={"base_color": ChannelUse(on=False)}))
        np.testing.assert_allclose(seen(quiet, "base_color"), seen(bare, "base_color"), atol=1e-4)
        self.assertLess(float(seen(quiet, "metalness").max()), 0.05)

    def test_a_loss_leaves_a_channel_alone(self) -> None:
        painted = self.shown(layer("paint", Paint()))
        chipped = self.shown(
            layer("paint", Paint()), layer("chips", Chipping(), channels={"base_color": ChannelUse(on=False)})
        )
        np.testing.assert_allclose(seen(chipped, "base_color"), seen(painted, "base_color"), atol=0.02)
        self.assertGreater(float(seen(chipped, "metalness").max()), 0.9)

    def test_half_an_amount_is_half_way(self) -> None:
        bare, full = self.bench.as_made(scene()), self.shown(layer("paint", Paint()))
        half = self.shown(layer("paint", Paint(), channels={"metalness": ChannelUse(amount=0.5)}))
        # Primer and topcoat each at half: a quarter of the metal is left.
        np.testing.assert_allclose(
            seen(half, "metalness"), seen(bare, "metalness") * 0.25 + seen(full, "metalness") * 0.75, atol=0.01
        )

    def test_blend_of_a_channel(self) -> None:
        one = layer(
            "paint",
            Paint(primer=False, unevenness=0.0, color=(0.5, 0.5, 0.5)),
            channels={"base_color": ChannelUse(blend="multiply")},
        )
        bare = self.bench.as_made(scene())
        np.testing.assert_allclose(seen(self.shown(one), "base_color"), seen(bare, "base_color") * 0.5, atol=0.01)

    def test_relief_off(self) -> None:
        made = self.bench.as_made(scene()).relief()
        flat = self.play(layer("paint", Paint(), channels={"relief": ChannelUse(on=False)}))[-1].pile.relief()
        np.testing.assert_allclose(flat, made, atol=2e-5)

    def test_strength_zero_does_nothing_and_says_so(self) -> None:
        chapter = self.play(layer("dirt", Dirt(), strength=0.0))[-1]
        self.assertEqual((chapter.coverage, chapter.note), (0.0, "Its strength is 0"))


class Playing(Base):
    def test_same_scene_same_bytes(self) -> None:
        results = []
        for _ in range(2):
            bench = bench_for(shapes.box(0.2), 128)
            surface = bench.finish(bench.play(scene(*STORY))[-1].pile)
            results.append(
                (
                    b"".join(v.tobytes() for v in surface.sheet.values()),
                    surface.relief.tobytes(),
                    surface.normal.tobytes(),
                )
            )
        self.assertEqual(results[0], results[1])
        other = bench_for(shapes.box(0.2), 128).play(scene(*STORY, seed=9))[-1].pile.visible()
        self.assertNotEqual(results[0][0], b"".join(v.tobytes() for v in other.values()))

    def test_an_edit_plays_only_what_follows(self) -> None:
        first = self.play(*STORY)
        changed = list(STORY)
        changed[2] = layer("rust", Rust(years=20.0))
        second = self.play(*changed)
        self.assertIs(first[1].pile, second[1].pile)
        self.assertIsNot(first[2], second[2])
        # Masks of later layers do not look at the rust: the very same arrays.
        self.assertIs(first[4].mask, second[4].mask)
        # What dirt lays down does not depend on the pile either.
        self.assertIs(first[3].pile.coats[-1].thickness, second[3].pile.coats[-1].thickness)

    def test_renaming_does_not_touch_the_surface(self) -> None:
        renamed = [l.model_copy(update={"name": "x"}) if l.id == "dust" else l for l in STORY]
        for channel, values in self.play(*STORY)[-1].pile.visible().items():
            self.assertEqual(values.tobytes(), self.play(*renamed)[-1].pile.visible()[channel].tobytes(), channel)

    def test_results_in_the_cache_cannot_be_written(self) -> None:
        chapter = self.play(*STORY)[-1]
        with self.assertRaises(ValueError):
            chapter.mask[0] = 1.0
        with self.assertRaises(ValueError):
            chapter.pile.coats[0].thickness[0] = 1.0

    def test_the_base_normal_shows_through(self) -> None:
        mesh = shapes.plane(0.1)
        lean = np.broadcast_to(np.array([191, 128, 238], np.uint8), (4, 4, 3))  # 30 degrees to the right
        bench = bench_for(
            mesh.__class__(
                mesh.positions, mesh.normals, mesh.triangles, mesh.uv, parts=mesh.parts, normal_maps=(Texture.of(lean),)
            ),
            64,
        )
        flat = bench.finish(bench.as_made(scene(bases=[from_stock("plaster", relief=0.0)]))).normal
        np.testing.assert_allclose(flat, np.broadcast_to([0.5, 0.0, 0.866], flat.shape), atol=0.01)

    def test_order_matters(self) -> None:
        dusty = self.play(*STORY)[-1].pile
        painted_over = self.play(STORY[4], *STORY[:4])[-1].pile
        self.assertGreater(self.share_of(dusty, "dust"), 10 * self.share_of(painted_over, "dust"))

    def test_off_layers_and_until(self) -> None:
        off = [STORY[0], STORY[1].model_copy(update={"on": False}), *STORY[2:]]
        self.assertEqual([c.layer.id for c in self.play(*off)], ["paint", "rust", "dirt", "dust"])
        self.assertEqual([c.layer.id for c in self.bench.play(scene(*STORY), until="chips")], ["paint", "chips"])

    def test_exposed_follows_the_moment(self) -> None:
        only_primer = Recipe(terms=[Term(source=Exposed(what="iron"))])
        chapters = self.play(STORY[0], STORY[1], layer("dirt", Dirt(), only_primer))
        iron = chapters[1].pile.exposed("ferrous")
        np.testing.assert_allclose(chapters[2].mask, iron, atol=1e-6)

    def test_cancel_between_layers(self) -> None:
        calls = []

        def check() -> None:
            calls.append(1)
            if len(calls) == 3:
                raise Cancelled

        with self.assertRaises(Cancelled):
            bench_for(shapes.box(0.2), 64).play(scene(*STORY), check=check)

    def test_cache_keeps_to_its_budget(self) -> None:
        cache = Store(1000)
        for k in range(5):
            cache.get(str(k), lambda: np.zeros(100, np.float32))
        self.assertLessEqual(cache.used, 1000)
        self.assertIsNone(cache.peek("0"))
        self.assertIsNotNone(cache.peek("4"))
        big = cache.get("big", lambda: np.zeros(10000, np.float32))
        self.assertEqual(len(big), 10000)
        self.assertIsNone(cache.peek("big"))

    def test_every_effect_is_believable_by_default_on_an_unseen_object(self) -> None:
        bench = bench_for(shapes.joined(shapes.sphere(0.08, 48), shapes.box(0.12, (0.2, 0, 0))), 256)
        stone = dict.fromkeys(
            ("salt", "cracks", "wetness", "water", "algae", "moss", "lichen", "mud"), "smooth concrete"
        )
        bases = {"patina": "brass", **stone}
        whole = ("paint", "lacquer", "variation", "patina")
        for kind, effect in EFFECTS.items():
            # Each on what it is for: paint and its losses on painted iron, rust where it is chipped.
            first = () if kind in ("paint", "patina", *stone) else STORY[-1:] if kind == "washing" else STORY[:2]
            # A flood is as high as it is, and so is what rises from the ground: on an object of this size.
            made = effect.fitted(ObjectSize(0.4)) if kind in ("mud", "wetness") else effect()
            chapter = bench.play(scene(*first, layer("it", made), bases=[from_stock(bases.get(kind, "cast iron"))]))[-1]
            # A decal says that there is a gap between ball and box; scratches are thinner than a texel is here (see
            # below).
            if kind not in ("decal", "scratching"):
                self.assertEqual(chapter.note, "", kind)
            # A sign is small, and scratches are thin.
            self.assertGreater(
                chapter.coverage,
                0.001 if kind in ("decal", "scratching", "debris", "cracks", "washing") else 0.005,
                kind,
            )
            if kind not in whole:
                # Subtle rather than loud.
                self.assertLess(chapter.coverage, 0.45, kind)
            for channel, visible in chapter.pile.visible().items():
                low, high = CHANNELS[channel].low, CHANNELS[channel].high
                self.assertTrue(
                    np.isfinite(visible).all() and visible.min() >= low and visible.max() <= high, f"{kind} {channel}"
                )

    def test_scratches_are_seen_where_texels_are_as_fine_as_they(self) -> None:
        notes = []
        for resolution in (128, 1024):
            bench = bench_for(shapes.box(0.4), resolution)
            made = EFFECTS["scratching"].fitted(ObjectSize(0.7))
            notes.append(bench.play(scene(*STORY[:2], layer("it", made), bases=[from_stock("cast iron")]))[-1].note)
        self.assertIn("a higher resolution", notes[0])
        self.assertEqual(notes[1], "")

    def test_default_recipes_have_terms_that_do_something(self) -> None:
        bench = bench_for(shapes.joined(shapes.box(0.2), shapes.box(0.12, (0.0, 0.14, 0.0))), 128)
        for kind, effect in EFFECTS.items():
            for k, t in enumerate(effect.default_where().terms):
                value = t.value(bench.scope(scene(), None))
                self.assertGreater(float(value.max()) - float(value.min()), 0.02, f"{kind} line {k + 1}")
        self.assertEqual(term(Noise()).low, Noise.suggest[0])
