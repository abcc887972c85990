"""Photographs: kinds of surface told apart and measured, on pictures whose content is known.

Outside: CIELAB and CIEDE2000 of scikit-image; a stained tissue of its data, whose stains it separates itself (A. C.
Ruifrok and D. A. Johnston, 2001); discs, of which everything is known.
"""

from __future__ import annotations

import io
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
import pi_heif
from PIL import Image, ImageCms
from skimage import color as sk_color
from skimage import data, filters

from limus.common.colour import to_linear, to_srgb
from limus.common.errors import InputError
from limus.common.object_size import ObjectSize
from limus.common.store import Store
from limus.document.scene import Layer, ObjectFile, Scene
from limus.document.start import fresh_effect
from limus.effects.catalogue import EFFECTS
from limus.masks.recipe import Recipe
from limus.photographs.fitting import Wanted as FitWanted
from limus.photographs.fitting import fit
from limus.photographs.lab import to_lab
from limus.photographs.photograph import Area, photograph, without_light
from limus.photographs.pieces import pieces_of
from limus.photographs.reading_off import PhotographRead, Wanted, kinds_png, read_off
from limus.playing.session import Session
from limus.readings.setting import Setting
from tests.core import shapes

WHOLE = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)]
PAINT, RUST, MOSS = np.array([0.03, 0.12, 0.08]), np.array([0.20, 0.05, 0.02]), np.array([0.09, 0.13, 0.01])
SIDE = 0.6
SIDE_TEXELS = 512


def delta_e(one: Any, two: Any) -> float:
    """CIEDE2000 of linear colours, by scikit-image."""
    lab = [sk_color.rgb2lab(to_srgb(np.asarray(c, np.float32)).reshape(1, 1, 3)) for c in (one, two)]
    return float(sk_color.deltaE_ciede2000(*lab).item())


def discs(mm: float, share: float, *, together: bool = False, size: int = 700, seed: int = 3) -> tuple[Any, float]:
    """(size, size) bool, and the diameter below which half of the area of the discs lies."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[:size, :size]
    out, sizes = np.zeros((size, size), bool), []
    while out.mean() < share:
        wide = mm * np.exp(rng.normal(0.0, 0.25))
        at = rng.normal(size / 2, size / 7, 2) if together else rng.uniform(0, size, 2)
        out |= (x - at[0]) ** 2 + (y - at[1]) ** 2 <= (wide / 2) ** 2
        sizes.append(wide)
    sizes.sort()
    areas = np.cumsum(np.square(sizes))
    return out, float(sizes[int(np.searchsorted(areas, areas[-1] / 2))])


class OnFiles(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def saved(self, linear: np.ndarray, name: str = "a.png", **more: Any) -> Path:
        path = self.folder / name
        Image.fromarray(np.round(to_srgb(linear) * 255).astype(np.uint8)).save(path, **more)
        return path

    def read(self, linear: np.ndarray, count: int, **more: Any) -> PhotographRead:
        wanted = Wanted(outline=more.pop("outline", WHOLE), kinds=count, **more)
        return read_off(photograph(self.saved(linear)), wanted)[0]


class Known(OnFiles):
    def test_share_size_and_colour_of_discs(self) -> None:
        rng = np.random.default_rng(1)
        for mm, share in ((14.0, 0.05), (24.0, 0.1), (50.0, 0.1), (90.0, 0.3)):
            with self.subTest(mm=mm, share=share):
                mask, median = discs(mm, share)
                linear = np.where(mask[..., None], RUST, PAINT) * (1 + 0.08 * rng.normal(size=(*mask.shape, 1)))
                read = self.read(linear, 2, mm_per_width=700.0)
                rust = read.kinds[1]
                self.assertAlmostEqual(rust.share, float(mask.mean()), delta=0.03)
                assert rust.sizes_mm is not None
                self.assertAlmostEqual(rust.sizes_mm[1] / median, 1.0, delta=0.2)
                self.assertLess(delta_e(rust.color, RUST), 3.0)
                self.assertLess(delta_e(read.kinds[0].color, PAINT), 3.0)
                self.assertLess(rust.clustered, 0.35)

    def test_three_kinds_of_which_two_are_rare(self) -> None:
        one, _ = discs(40.0, 0.08, seed=5)
        two, _ = discs(60.0, 0.04, seed=9)
        linear = np.where(two[..., None], MOSS, np.where(one[..., None], RUST, PAINT))
        read = self.read(linear, 3)
        found = {min((PAINT, RUST, MOSS), key=lambda c: delta_e(c, kind.color)).tobytes(): kind for kind in read.kinds}
        self.assertEqual(len(found), 3)
        self.assertAlmostEqual(found[MOSS.tobytes()].share, float(two.mean()), delta=0.01)
        self.assertAlmostEqual(found[RUST.tobytes()].share, float((one & ~two).mean()), delta=0.01)

    def test_what_keeps_together_and_what_lies_below(self) -> None:
        apart = self.read(np.where(discs(24.0, 0.1)[0][..., None], RUST, PAINT), 2).kinds[1]
        together = self.read(np.where(discs(24.0, 0.1, together=True)[0][..., None], RUST, PAINT), 2).kinds[1]
        self.assertGreater(together.clustered, apart.clustered + 0.3)
        low = discs(24.0, 0.1)[0]
        low[:350] = False
        self.assertGreater(self.read(np.where(low[..., None], RUST, PAINT), 2).kinds[1].lower, 20.0)
        self.assertAlmostEqual(apart.lower, 1.0, delta=0.5)

    def test_torn_outlines_are_more_ragged_than_round_ones(self) -> None:
        round_, _ = discs(90.0, 0.2)
        rng = np.random.default_rng(4)
        y, x = np.mgrid[:700, :700]
        rough = round_[
            np.clip(y + np.round(filters.gaussian(rng.normal(size=(700, 700)), 3) * 90).astype(int), 0, 699),
            np.clip(x + np.round(filters.gaussian(rng.normal(size=(700, 700)), 3) * 90).astype(int), 0, 699),
        ]
        everywhere = np.ones_like(round_)
        self.assertGreater(pieces_of(rough, everywhere).ragged, pieces_of(round_, everywhere).ragged + 0.15)

    def test_only_what_lies_within_the_outline(self) -> None:
        mask = np.zeros((300, 300), bool)
        mask[:, 150:] = True
        linear = np.where(mask[..., None], RUST, PAINT)
        read = self.read(linear, 2, outline=[(0.25, 0.1), (0.75, 0.1), (0.75, 0.9), (0.25, 0.9)])
        self.assertAlmostEqual(read.kinds[1].share, 0.5, delta=0.02)
        left = [(0.4, 0.1), (0.6, 0.1), (0.4, 0.9)]
        self.assertAlmostEqual(self.read(linear, 2, outline=left).kinds[0].share, 0.75, delta=0.02)

    def test_a_grey_card_takes_the_light_out(self) -> None:
        mask, _ = discs(60.0, 0.2)
        linear = np.where(mask[..., None], RUST, PAINT)
        linear[:60, :60] = 0.18
        lit = linear * np.array([1.5, 1.0, 0.55])
        plain = self.read(lit, 2, outline=[(0.0, 0.1), (1.0, 0.1), (1.0, 1.0), (0.0, 1.0)])
        clean = self.read(
            lit, 2, outline=[(0.0, 0.1), (1.0, 0.1), (1.0, 1.0), (0.0, 1.0)], card=(0.01, 0.01, 0.07, 0.07)
        )
        self.assertLess(delta_e(clean.kinds[1].color, RUST), 3.0)
        self.assertGreater(delta_e(plain.kinds[1].color, RUST), 5.0)
        self.assertTrue(clean.light_taken_out)
        self.assertTrue(any("grey card" in note for note in plain.notes))
        with self.assertRaisesRegex(InputError, "too dark or burnt out"):
            without_light(lit, np.ones((4, 4, 3), np.float32))

    def test_the_same_twice_and_shown_as_a_picture(self) -> None:
        mask, _ = discs(40.0, 0.1)
        path = self.saved(np.where(mask[..., None], RUST, PAINT))
        wanted = Wanted(outline=WHOLE, kinds=2)
        one, kinds, area = read_off(photograph(path), wanted)
        two, again, _ = read_off(photograph(path), wanted)
        self.assertEqual(one, two)
        np.testing.assert_array_equal(kinds, again)
        self.assertEqual((area.left, area.right), (0.0, 1.0))
        shown = np.asarray(Image.open(io.BytesIO(kinds_png(kinds, one))))
        self.assertEqual(shown.shape, (*kinds.shape, 4))
        self.assertEqual(len(np.unique(shown.reshape(-1, 4), axis=0)), 2)


class Outside(OnFiles):
    def test_lab(self) -> None:
        linear = np.random.default_rng(2).uniform(0, 1, (50, 50, 3)).astype(np.float32)
        theirs = sk_color.rgb2lab(to_srgb(linear).astype(np.float64))
        np.testing.assert_allclose(to_lab(to_linear(to_srgb(linear))), theirs, atol=0.05)

    def test_a_stained_tissue(self) -> None:
        """Two kinds, as the separation of its stains tells them."""
        tissue = data.immunohistochemistry()
        brown = sk_color.rgb2hed(tissue)[..., 2]
        stained = brown > filters.threshold_otsu(brown)
        path = self.folder / "tissue.png"
        Image.fromarray(tissue).save(path)
        _, kinds, _ = read_off(photograph(path), Wanted(outline=WHOLE, kinds=2))
        self.assertEqual(kinds.shape, stained.shape)
        alike = max(float((stained == (kinds == k)).mean()) for k in (0, 1))
        self.assertGreater(alike, 0.85)


class Scenes(TestCase):
    """Photographs of known scenes: the colour of a panel whose layers are known."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.mesh, cls.size = shapes.plane(SIDE), ObjectSize(SIDE)
        cls.session = cls.of()
        cls.session.measure("draft", lambda share, word: None)

    @classmethod
    def layer(cls, kind: str, **fields: Any) -> Layer:
        effect = fresh_effect(kind, cls.size, Setting()).model_copy(update=fields)
        return Layer(id=kind, name=kind.title(), effect=effect, where=Recipe())  # type: ignore[arg-type]

    @classmethod
    def of(cls, *layers: Layer) -> Session:
        scene = Scene(object=ObjectFile(file="a.glb"), layers=list(layers))
        return Session.on(cls.mesh, scene, store=Store(1 << 30))

    def chronicle(self, session: Session, resolution: int) -> Any:
        readings = self.session.measuring.best()
        assert readings is not None
        return session.chronicle(readings.measured, resolution, weather=False)

    def photographed(self, *layers: Layer) -> tuple[PhotographRead, float]:
        session = self.of(*layers)
        chronicle = self.chronicle(session, SIDE_TEXELS)
        last = chronicle.play(session.scene)[-1]
        linear = np.zeros((SIDE_TEXELS**2, 3), np.float32)
        linear[chronicle.texels.pixel] = last.pile.visible()["base_color"]
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.png"
            Image.fromarray(np.round(to_srgb(linear.reshape(SIDE_TEXELS, SIDE_TEXELS, 3)) * 255).astype(np.uint8)).save(
                path
            )
            inner = [(0.03, 0.03), (0.97, 0.03), (0.97, 0.97), (0.03, 0.97)]
            wanted = Wanted(outline=inner, kinds=2, mm_per_width=SIDE * 1000)
            return read_off(photograph(path), wanted)[0], last.coverage

    def test_coverage_of_chips(self) -> None:
        for size, share, together in ((8.0, 0.05, 0.5), (12.0, 0.15, 0.0), (25.0, 0.1, 1.0), (25.0, 0.2, 0.5)):
            with self.subTest(size=size, share=share):
                read, coverage = self.photographed(
                    self.layer("paint"),
                    self.layer("chipping", size_mm=size, coverage=share, cluster=together, by="coverage", depth=0.0),
                )
                self.assertAlmostEqual(coverage, share, delta=0.005)
                self.assertAlmostEqual(read.kinds[1].share, share, delta=0.03)

    def test_a_layer_is_set_so_that_it_measures_the_same(self) -> None:
        read, _ = self.photographed(
            self.layer("paint"),
            self.layer("chipping", size_mm=20.0, coverage=0.12, cluster=0.8, by="coverage", depth=0.0),
        )
        seen = read.kinds[1]
        assert seen.sizes_mm is not None
        session = self.of(self.layer("paint"), self.layer("chipping", size_mm=6.0, coverage=0.04, by="grade"))
        wanted = FitWanted(share=seen.share, size_mm=seen.sizes_mm[1], clustered=seen.clustered)
        fitted = fit(self.chronicle(session, SIDE_TEXELS), session.scene, "chipping", wanted)
        self.assertEqual({one.field for one in fitted.changes}, {"coverage", "size_mm", "cluster", "by"})
        self.assertLess(fitted.before.share, 0.06)
        self.assertAlmostEqual(fitted.after.share, seen.share, delta=0.01)
        self.assertAlmostEqual(fitted.after.size_mm / seen.sizes_mm[1], 1.0, delta=0.2)
        self.assertGreater(fitted.after.clustered, fitted.before.clustered)
        # Set, it is what was said: nothing is measured otherwise.
        values = {one.field: one.after for one in fitted.changes}
        again = self.of(self.layer("paint"), self.layer("chipping", **values))
        last = self.chronicle(again, SIDE_TEXELS).play(again.scene)[-1]
        self.assertAlmostEqual(last.coverage, fitted.after.share, delta=1e-4)

    def test_a_colour_and_what_cannot_be_set(self) -> None:
        session = self.of(self.layer("paint"), self.layer("dirt"), self.layer("fading"))
        chronicle = self.chronicle(session, 128)
        fitted = fit(chronicle, session.scene, "dirt", FitWanted(color=(0.2, 0.1, 0.05), clustered=0.5))
        self.assertEqual([(one.field, one.after) for one in fitted.changes], [("color", (0.2, 0.1, 0.05))])
        self.assertTrue(any("clustered" in note for note in fitted.notes))
        # What is finer than texels is not measured, and a size that would only seem to fit is not found.
        chips = self.of(self.layer("paint"), self.layer("chipping", size_mm=6.0))
        fine = fit(self.chronicle(chips, 128), chips.scene, "chipping", FitWanted(share=0.1, size_mm=1.0))
        self.assertNotIn("size_mm", {one.field for one in fine.changes})
        self.assertTrue(any("finer than can be measured" in note for note in fine.notes))
        with self.assertRaisesRegex(InputError, "nothing of this can be set"):
            fit(chronicle, session.scene, "fading", FitWanted(share=0.5))
        with self.assertRaisesRegex(InputError, "no such layer"):
            fit(chronicle, session.scene, "nobody", FitWanted(share=0.5))
        off = session.scene.model_copy(
            update={"layers": [one.model_copy(update={"on": one.id != "dirt"}) for one in session.scene.layers]}
        )
        with self.assertRaisesRegex(InputError, "does not play"):
            fit(chronicle, off, "dirt", FitWanted(color=(0.2, 0.1, 0.05)))

    def test_every_effect_names_fields_that_it_has(self) -> None:
        known = {"share", "size", "ragged", "clustered", "color"}
        for kind, effect in EFFECTS.items():
            with self.subTest(effect=kind):
                self.assertLessEqual(set(effect.photographed), known)
                for field in (*effect.photographed.values(), *effect.photographed_with):
                    self.assertIn(field, effect.model_fields)
        self.assertIn("share", EFFECTS["rust"].photographed)


class Bad(OnFiles):
    def test_too_small_and_all_alike(self) -> None:
        linear = np.where(discs(40.0, 0.1)[0][..., None], RUST, PAINT)
        with self.assertRaisesRegex(InputError, "pixels; 64 are the least"):
            self.read(linear, 2, outline=[(0.5, 0.5), (0.502, 0.5), (0.5, 0.502)])
        with self.assertRaisesRegex(InputError, "all of one colour"):
            self.read(np.broadcast_to(PAINT, (100, 100, 3)).copy(), 2)

    def test_no_pictures(self) -> None:
        for name, content in (("a.png", b"no picture"), ("b.jpg", b""), ("c.heic", b"\0\0\0\x18ftypheic" + bytes(40))):
            path = self.folder / name
            path.write_bytes(content)
            with self.subTest(name=name), self.assertRaises(InputError):
                photograph(path)
        huge = self.folder / "huge.png"
        Image.new("1", (16000, 12600)).save(huge)
        with self.assertRaisesRegex(InputError, "megapixels"):
            photograph(huge)

    def test_turned_printed_animated_and_with_a_broken_profile(self) -> None:
        linear = np.zeros((40, 80, 3), np.float32)
        linear[:, :40] = RUST
        exif = Image.Exif()
        exif[0x0112] = 6
        turned = photograph(self.saved(linear, "turned.jpg", exif=exif, quality=95))
        self.assertEqual(turned.size, (40, 80))
        self.assertGreater(turned.linear(Area(0, 0, 1, 0.4), 10_000)[..., 0].mean(), 0.1)
        broken = photograph(self.saved(linear, "broken.png", icc_profile=b"not a profile at all"))
        self.assertTrue(any("profile is broken" in note for note in broken.notes))
        np.testing.assert_allclose(broken.linear(Area(), 10_000)[20, 10], RUST, atol=0.01)
        Image.new("CMYK", (30, 30), (0, 200, 200, 0)).save(self.folder / "print.jpg")
        printed = photograph(self.folder / "print.jpg")
        self.assertGreater(*printed.linear(Area(), 1000)[10, 10, :2])
        frames = [Image.new("RGB", (20, 20), c) for c in ("red", "blue")]
        frames[0].save(self.folder / "moving.webp", save_all=True, append_images=frames[1:], lossless=True)
        moving = photograph(self.folder / "moving.webp")
        self.assertTrue(any("first is used" in note for note in moving.notes))
        self.assertGreater(moving.linear(Area(), 1000)[5, 5, 0], 0.9)

    def test_a_profile_is_used(self) -> None:
        """Colours of a profile with other primaries are brought to ours: an sRGB profile changes nothing, one of
        which red and green are exchanged does."""
        linear = np.broadcast_to(RUST, (20, 20, 3)).copy()
        srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        same = photograph(self.saved(linear, "srgb.png", icc_profile=srgb))
        np.testing.assert_allclose(same.linear(Area(), 1000)[5, 5], RUST, atol=0.01)
        tags = bytearray(srgb)
        red, green = tags.index(b"rXYZ"), tags.index(b"gXYZ")
        tags[red : red + 4], tags[green : green + 4] = b"gXYZ", b"rXYZ"
        other = photograph(self.saved(linear, "other.png", icc_profile=bytes(tags)))
        np.testing.assert_allclose(other.linear(Area(), 1000)[5, 5], RUST[[1, 0, 2]], atol=0.02)

    def test_heif_and_a_copy_for_the_screen(self) -> None:
        path = self.folder / "a.heic"
        if not any(ending == ".heic" for ending in Image.registered_extensions()):
            pi_heif.register_heif_opener()
        self.assertEqual(Image.registered_extensions()[".heic"], "HEIF")
        path.write_bytes(bytes(64))
        with self.assertRaises(InputError):
            photograph(path)
        large = photograph(self.saved(np.broadcast_to(PAINT, (900, 1400, 3)).copy(), "large.png"))
        copy = Image.open(io.BytesIO(large.jpeg(320)))
        self.assertLessEqual(max(copy.size), 320)
        self.assertAlmostEqual(copy.width / copy.height, 1400 / 900, delta=0.02)
        np.testing.assert_allclose(to_linear(np.asarray(copy, np.float32)[100, 100] / 255), PAINT, atol=0.01)
