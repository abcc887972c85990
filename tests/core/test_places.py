"""Sources and shaping of lines, references between layers, and bad input."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestCase

import numpy as np
from PIL import Image, ImageCms
from scipy import ndimage
from scipy.interpolate import PchipInterpolator

from limus.common.errors import InputError
from limus.common.store import Store
from limus.document.scene import Scene, scene_from
from limus.formats.picture_read import read_picture
from limus.masks.edge import broken_up
from limus.masks.hand.stroke import Brush, Stroke
from limus.masks.recipe import SOURCES, Recipe, Term
from limus.masks.shape import curved
from limus.masks.source import Scope
from limus.masks.sources.blotches import Blotches
from limus.masks.sources.even import Even
from limus.masks.sources.facing import Facing
from limus.masks.sources.gradient import Gradient
from limus.masks.sources.height import HeightSource
from limus.masks.sources.noise import Noise
from limus.masks.sources.picture import PictureSource
from limus.masks.sources.pieces import PiecesSource
from limus.masks.sources.proximity import ProximitySource
from limus.masks.sources.ramp import Ramp
from limus.masks.sources.slope import SlopeSource
from limus.masks.sources.strokes import Strokes
from limus.playing.chronicle import Chronicle, LayerMasks
from limus.readings.measured import Measured
from limus.readings.reading import Place
from limus.readings.setting import Setting
from limus.surface.axes import placed
from limus.surface.blur import blur
from limus.surface.grow import grow
from limus.surface.mesh import Mesh
from limus.surface.nearest import distance_to
from limus.surface.texels import Texels
from limus.surface.walk import read_off, surface_gradient
from tests.core import shapes


def scope_of(mesh: Mesh, size: int = 256, setting: Setting | None = None, folder: Path | None = None) -> Scope:
    """A scope without measured readings."""
    texels = Texels.of(mesh, size)
    find = None if folder is None else lambda name: folder / name
    return Scope(Place(texels, Measured.blank(texels), setting or Setting()), Store(), 1, files=find)


def flat_image(scope: Scope, field: np.ndarray) -> np.ndarray:
    return scope.place.texels.image(field, empty=np.nan)[0]


class OnAPlane(TestCase):
    """A flat square of 300 mm, one island: there every library of pictures is a reference, away from the border."""

    def setUp(self) -> None:
        self.scope = scope_of(shapes.plane(0.3))
        self.texels = self.scope.place.texels
        self.pixel = 300.0 / (256 * 0.96)  # the island fills 96 % of the picture

    def inner(self, image: np.ndarray, margin: int = 40) -> np.ndarray:
        return image[margin:-margin, margin:-margin]

    def test_growing_is_dilation_by_a_disc(self) -> None:
        # scipy.ndimage.grey_dilation with a disc, and the area of a grown disc: pi (R + r)^2 (Steiner).
        r = np.linalg.norm(self.texels.position[:, [0, 2]], axis=1) * 1000
        disc = np.clip((40.0 - r) / self.pixel + 0.5, 0, 1).astype(np.float32)
        for by in (6.0, 20.0, 45.0):
            grown = grow(self.texels, disc, by)
            self.assertAlmostEqual(
                float((self.texels.area * grown).sum()) * 1e6 / (np.pi * (40 + by) ** 2), 1.0, delta=0.03
            )
        shrunk = grow(self.texels, disc, -12.0)
        self.assertAlmostEqual(float((self.texels.area * shrunk).sum()) * 1e6 / (np.pi * 28**2), 1.0, delta=0.05)
        field = Blotches(size_mm=80.0, softness=0.3).value(self.scope)
        steps = round(8.0 / self.pixel)
        y, x = np.indices((2 * steps + 1, 2 * steps + 1)) - steps
        theirs = ndimage.grey_dilation(
            np.nan_to_num(flat_image(self.scope, field)), footprint=np.hypot(x, y) <= 8.0 / self.pixel
        )
        ours = flat_image(self.scope, grow(self.texels, field, 8.0))
        self.assertLess(float(np.abs(self.inner(ours - theirs)).mean()), 0.03)

    def test_softening_is_a_gaussian(self) -> None:
        # scipy.ndimage.gaussian_filter away from the borders.
        field = Noise(size_mm=40.0).value(self.scope)
        ours = flat_image(self.scope, blur(self.texels, field, 5.0))
        theirs = ndimage.gaussian_filter(np.nan_to_num(flat_image(self.scope, field)), 5.0 / self.pixel)
        self.assertLess(float(np.abs(self.inner(ours - theirs)).max()), 0.02)

    def test_distances_on_the_flat(self) -> None:
        # To a drawn line, against scipy's exact Euclidean distance transform of the same line drawn as pixels.
        line = np.array([[-0.08, 0, 0.0], [0.08, 0, 0.0]], np.float32)
        ours = flat_image(self.scope, distance_to(self.texels.position, line, np.array([[0, 1, 1]]), 1.0) * 1000)
        on = np.nan_to_num(ours, nan=99) <= 0.5 * self.pixel
        theirs = ndimage.distance_transform_edt(~on) * self.pixel
        self.assertLess(float(np.nanmax(np.abs(ours - theirs))), 1.2 * self.pixel)

    def test_reading_off_to_the_side(self) -> None:
        field = (self.texels.position[:, 0] * 10).astype(np.float32)
        offset = np.zeros((len(field), 3), np.float32)
        offset[:, 0] = 0.0123
        moved = read_off(self.texels, field, offset, 50.0)
        inside = np.abs(self.texels.position[:, [0, 2]]).max(axis=1) < 0.12
        np.testing.assert_allclose(moved[inside], field[inside] + 0.123, atol=0.004)
        slope = surface_gradient(self.texels, field)
        np.testing.assert_allclose(slope[inside], np.tile([10.0, 0, 0], (inside.sum(), 1)), atol=0.05)

    def test_breaking_up_an_edge(self) -> None:
        half = (self.texels.position[:, 0] > 0).astype(np.float32)
        term = Term(source=Even(), breakup_mm=8.0, breakup_size_mm=20.0)
        broken = term.shaped(self.scope, half)
        changed = np.abs(broken - half) > 0.5
        # Only within the distance of the edge, on both sides of it, and the share stays about the same.
        self.assertLess(float(np.abs(self.texels.position[changed, 0]).max()), 0.012)
        self.assertTrue((self.texels.position[changed, 0] > 0).any() and (self.texels.position[changed, 0] < 0).any())
        self.assertAlmostEqual(self.texels.share(broken), 0.5, delta=0.02)
        # Along a straight edge nothing lies that could be pulled to and fro.
        along = Term(source=Even(), breakup_mm=8.0, breakup_way="along").shaped(self.scope, half)
        self.assertLess(self.texels.share(np.abs(along - half)), 0.004)
        blotches = Blotches(size_mm=50.0).value(self.scope)
        across, along = (
            Term(source=Even(), breakup_mm=8.0, breakup_way=w).shaped(self.scope, blotches) for w in ("across", "along")
        )  # type: ignore[arg-type]
        self.assertGreater(float(np.abs(across - along).mean()), 0.01)

    def broken_edge(self, way: str, character: str = "soft", **more: Any) -> tuple[np.ndarray, np.ndarray]:
        """(n,) change of a half plane, white at +x, and (bins,) mm by which its edge moved out along z."""
        x, z = self.texels.position[:, 0], self.texels.position[:, 2]
        half = (x > 0).astype(np.float32)
        shaping: dict[str, Any] = {"breakup_mm": 8.0, "breakup_size_mm": 24.0, **more}
        line = Term.model_validate({"source": Even(), "breakup_way": way, "breakup_as": character, **shaping})
        change = line.shaped(self.scope, half) - half
        near = np.abs(x) < 0.02
        bins = np.floor((z[near] - z.min()) / 0.003).astype(np.int64)
        area = self.texels.area[near].astype(np.float64)
        moved = np.bincount(bins, change[near] * area) / np.bincount(bins, area) * 40.0
        return change, moved[2:-2]

    def test_an_edge_is_bitten_into_or_spreads(self) -> None:
        for way, sign in (("inward", -1.0), ("outward", 1.0)):
            change, moved = self.broken_edge(way)
            with self.subTest(way=way):
                self.assertGreaterEqual(float((sign * change).min()), 0.0)
                # Half the way on average, nowhere beyond the whole of it and a texel.
                self.assertAlmostEqual(float((sign * moved).mean()), 4.0, delta=1.0)
                self.assertLess(float((sign * moved).max()), 8.0 + 1.5 * self.texels.texel_mm)

    def test_characters_of_an_edge(self) -> None:
        # Teeth come to a point where they stand out furthest, arcs where they reach in furthest.
        for character, sign in (("sharp", 1.0), ("scalloped", -1.0)):
            _, moved = self.broken_edge("across", character, breakup_size_mm=40.0)
            bend = np.abs(np.diff(moved, 2))
            middle = moved[1:-1]
            out = (middle > moved[:-2]) & (middle > moved[2:])
            inwards = (middle < moved[:-2]) & (middle < moved[2:])
            self.assertGreater(sign * (float(bend[out].mean()) - float(bend[inwards].mean())), 0.0, character)
        # Pieces: the outline keeps its distance over a piece and then jumps; a rolling one never rests.
        steps = {}
        for character in ("soft", "crumbled"):
            _, moved = self.broken_edge("across", character, breakup_size_mm=40.0)
            steps[character] = np.abs(np.diff(moved)) / moved.std()
        self.assertGreater(float((steps["crumbled"] < 0.12).mean()), 1.15 * float((steps["soft"] < 0.12).mean()))
        self.assertGreater(float(steps["crumbled"].max()), 1.3 * float(steps["soft"].max()))

    def test_an_edge_is_drawn_out_downwards(self) -> None:
        texels = Texels.of(shapes.plane(0.3, 90.0), 128)
        y = texels.position[:, 1]
        band = (np.abs(y - y.mean()) < 0.02).astype(np.float32)
        drawn = broken_up(texels, band, 30.0, 12.0, "down", 3)
        below, above = y < y.mean() - 0.02, y > y.mean() + 0.02
        # The edge itself is half a texel soft.
        self.assertLess(float(np.abs((drawn - band)[above]).max()), 0.1)
        self.assertGreaterEqual(float((drawn - band).min()), 0.0)
        reached = float(texels.area[below] @ drawn[below]) / 0.3 * 1000.0
        self.assertAlmostEqual(reached, 15.0, delta=5.0)
        self.assertGreater(float(y[drawn > 0.5].min()), y.mean() - 0.02 - 0.030 * 1.1)

    def test_edges_above_are_broken_only_where_a_line_says(self) -> None:
        x, z = self.texels.position[:, 0], self.texels.position[:, 2]
        halves = [Gradient(towards="east", start=0.499, end=0.501), Gradient(towards="south", start=0.45, end=0.55)]
        plain = Recipe(terms=[Term(source=halves[0])]).value(self.scope)
        line = Term(source=halves[1], combine="breaks", breakup_mm=8.0, breakup_size_mm=20.0)
        broken = Recipe(terms=[Term(source=halves[0]), line]).value(self.scope)
        guide = halves[1].value(self.scope)
        changed = np.abs(broken - plain) > 0.5
        self.assertTrue(changed.any())
        self.assertEqual(float(np.abs(broken - plain)[guide == 0].max()), 0.0)
        self.assertGreater(float(np.abs(x[changed]).max()), 0.004)
        self.assertLess(float(np.abs(x[changed]).max()), 0.012)
        self.assertTrue((np.sign(z[changed]) == np.sign(z[guide == 1].mean())).mean() > 0.9)
        half = Recipe(terms=[Term(source=halves[0]), line.model_copy(update={"amount": 0.5})]).value(self.scope)
        self.assertLess(self.texels.share(np.abs(half - plain)), 0.7 * self.texels.share(np.abs(broken - plain)))
        idle = line.model_copy(update={"breakup_mm": 0.0})
        self.assertIn("say how far", idle.finding(self.scope))
        np.testing.assert_array_equal(Recipe(terms=[Term(source=halves[0]), idle]).value(self.scope), plain)
        # By itself there is no edge to break.
        self.assertEqual(float(Recipe(terms=[line]).value(self.scope).min()), 1.0)

    def test_coverage_sharpening_and_curve(self) -> None:
        soft = Noise(size_mm=60.0)
        for cover in (0.1, 0.5, 0.8):
            value = Term(source=soft, cover=cover).value(self.scope)
            self.assertAlmostEqual(self.texels.share((value > 0.5).astype(np.float32)), cover, delta=0.003)
        hard = Term(source=soft, cover=0.3, sharpen=1.0).value(self.scope)
        self.assertAlmostEqual(self.texels.share(hard), 0.3, delta=0.005)
        self.assertIn("instead of 30%", Term(source=Even(), cover=0.3).finding(self.scope))
        self.assertEqual(Term(source=soft, cover=0.3).finding(self.scope), "")
        points = [(0.0, 1.0), (0.4, 0.2), (0.9, 0.6)]
        x = np.linspace(0, 1, 301).astype(np.float32)
        theirs = PchipInterpolator(*np.array(points).T)(np.clip(x, 0, 0.9))
        np.testing.assert_allclose(curved(x, points), theirs, atol=2e-3)

    def test_a_line_painted_over_the_ones_above(self) -> None:
        with TemporaryDirectory() as folder:
            scope = scope_of(shapes.plane(0.3), folder=Path(folder))
            at = (0.0, 0.0, 0.0, 0, 1, 0, 1, 0, 0)
            for name, action, x in (("a", "add", -0.08), ("b", "take", 0.08)):
                drawn = Stroke(action=action, brush=Brush(size_mm=60, hardness=1.0), points=[(x, *at[1:])])  # type: ignore[arg-type]
                (Path(folder) / name).write_text(drawn.model_dump_json())
            lines = [Term(source=Even(level=0.4)), Term(source=Strokes(strokes=["a", "b"]), combine="over")]
            r = [
                np.hypot(scope.place.texels.position[:, 0] - x, scope.place.texels.position[:, 2])
                for x in (-0.08, 0.08)
            ]

            def values(**more: Any) -> list[float]:
                changed = [lines[0], lines[1].model_copy(update=more)]
                out = Recipe(terms=changed).value(scope)
                return [
                    float(out[r[0] < 0.02].mean()),
                    float(out[r[1] < 0.02].mean()),
                    float(out[(r[0] > 0.04) & (r[1] > 0.04)].mean()),
                ]

            np.testing.assert_allclose(values(), [1.0, 0.0, 0.4], atol=1e-5)
            np.testing.assert_allclose(values(amount=0.5), [0.7, 0.2, 0.4], atol=1e-5)
            np.testing.assert_allclose(values(invert=True), [0.0, 1.0, 0.4], atol=1e-5)
            np.testing.assert_allclose(values(soften_mm=3.0), [1.0, 0.0, 0.4], atol=0.02)
            # A first line that is painted stands on black.
            only = Recipe(terms=lines[1:]).value(scope)
            self.assertAlmostEqual(scope.place.texels.share(only) * 0.09, np.pi * 0.03**2, delta=5e-5)
            grown = Recipe(terms=[lines[1].model_copy(update={"grow_mm": 10.0})]).value(scope)
            self.assertAlmostEqual(scope.place.texels.share(grown) * 0.09, np.pi * 0.04**2, delta=2e-4)

    def test_solo_and_mute(self) -> None:
        lines = [
            Term(source=Even(level=0.8)),
            Term(source=Even(level=0.5)),
            Term(source=Even(level=0.25), solo=True, muted=True),
        ]
        self.assertAlmostEqual(float(Recipe(terms=lines).value(self.scope).mean()), 0.25, places=6)

    def test_one_range_changed_leaves_the_others(self) -> None:
        cache = Store()
        scope = Scope(self.scope.place, cache, 1)
        lines = [
            Term(source=Noise(size_mm=20.0 + k, seed=k), soften_mm=2.0, combine="screen", amount=0.3) for k in range(8)
        ]
        Recipe(terms=lines).value(scope)
        before = cache.misses
        lines[3] = lines[3].model_copy(update={"low": 0.3})
        Recipe(terms=lines).value(scope)
        self.assertEqual(cache.misses - before, 2)  # the line that changed, and the whole


class OverSeams(TestCase):
    """A cube has an island for each face; a tube unrolled has a seam down its back."""

    def test_links_lead_to_what_lies_next_door(self) -> None:
        for mesh in (shapes.box(0.2), shapes.cylinder()):
            texels = Texels.of(mesh, 256)
            links = texels.links
            rows, sides = np.nonzero(links >= 0)
            gap = np.linalg.norm(texels.position[links[rows, sides]] - texels.position[rows], axis=1) * 1000
            self.assertLess(float(gap.max()), 3.5 * float(texels.step_of_triangle.max()))
            # Over every seam of the cube something is found; the tube is open at its ends only.
            other = texels.island[links[rows, sides]] != texels.island[rows]
            if mesh.source == "box.glb":
                self.assertTrue((links >= 0).all())
                self.assertGreater(int(other.sum()), 500)
            else:
                ends = (links < 0).any(axis=1)
                height = texels.position[ends, 1]
                self.assertTrue(((height < 0.01) | (height > 0.39)).all())

    def test_growing_and_breaking_up_show_no_seam(self) -> None:
        # A ball's worth of white round an edge of the cube: what grows on both faces grows alike.
        texels = Texels.of(shapes.box(0.2), 512)
        p = texels.position
        near = (np.linalg.norm(p - np.array([0.1, 0.1, 0.0], np.float32), axis=1) < 0.04).astype(np.float32)
        grown = grow(texels, near, 15.0)
        right, top = texels.normal[:, 0] > 0.9, texels.normal[:, 1] > 0.9
        a, b = (float((texels.area * grown)[side].sum()) for side in (right, top))
        self.assertAlmostEqual(a / b, 1.0, delta=0.06)
        self.assertAlmostEqual((a + b) * 1e6 / (np.pi * 55**2), 1.0, delta=0.06)
        # A field that runs evenly over the seam still does after it was read off to the side.
        field = (p @ np.array([1.0, 0.7, 0.3], np.float32)).astype(np.float32)
        offset = np.tile(np.array([[0.0, 0.0, 0.009]], np.float32), (len(p), 1))
        moved = read_off(texels, field, offset, 50.0)
        inner = (np.abs(p[:, 2]) < 0.08) & (right | top)
        np.testing.assert_allclose(moved[inner], field[inner] + 0.3 * 0.009, atol=0.0012)

    def test_a_grid_finds_the_nearest_that_does_not_face_away(self) -> None:
        # scipy's cKDTree over those that face the same way.
        from scipy.spatial import cKDTree

        from limus.surface.grid import nearest_facing

        texels = Texels.of(shapes.sphere(0.1, 48), 128)
        grid = texels.grid
        rng = np.random.default_rng(4)
        for _ in range(60):
            way = rng.normal(size=3)
            way /= np.linalg.norm(way)
            at = way * 0.1 + rng.normal(scale=0.004, size=3)
            found = nearest_facing(
                *at,
                *way,
                0.03,
                texels.position,
                texels.normal,
                grid.low,
                grid.side,
                grid.counts,
                grid.starts,
                grid.order,
            )
            fits = np.flatnonzero(texels.normal @ way >= -0.2)
            distance, _ = cKDTree(texels.position[fits]).query(at)
            self.assertAlmostEqual(float(np.linalg.norm(texels.position[found] - at)), float(distance), places=6)
        far = nearest_facing(
            0.5,
            0.0,
            0.0,
            1.0,
            0.0,
            0.0,
            0.03,
            texels.position,
            texels.normal,
            grid.low,
            grid.side,
            grid.counts,
            grid.starts,
            grid.order,
        )
        self.assertEqual(far, -1)


class Places(TestCase):
    def test_towards_a_direction(self) -> None:
        mesh = shapes.box(0.2)
        scope = scope_of(mesh, 64, Setting(north_deg=90.0))
        n = scope.place.texels.normal
        # With north to the right (+X), the north side is the one that faces +X, and east the one towards you (+Z).
        for towards, way in (("north", (1, 0, 0)), ("east", (0, 0, 1)), ("south", (-1, 0, 0)), ("down", (0, -1, 0))):
            value = SlopeSource(towards=towards).value(scope)  # type: ignore[arg-type]
            self.assertTrue(((value > 0.99) == (n @ np.array(way) > 0.99)).all(), towards)
        tilted = SlopeSource(towards="other", azimuth_deg=90.0, elevation_deg=45.0, span="180").value(scope)
        self.assertAlmostEqual(float(tilted[n[:, 1] > 0.9][0]), 0.75, places=3)
        # In the object's own axes it turns with the object: what is up in a file with z up faces up here.
        turned = scope_of(placed(mesh, 1.0, "+z"), 64)
        own = SlopeSource(towards="other", azimuth_deg=180.0, space="object").value(turned)  # +Z of the file
        self.assertTrue(((own > 0.99) == (turned.place.texels.normal[:, 1] > 0.99)).all())

    def test_ramps_bands_and_gradients(self) -> None:
        scope = scope_of(shapes.box(0.2), 128)
        p = scope.place.texels.position * 1000 + 100
        np.testing.assert_allclose(
            Ramp(from_mm=50, to_mm=150).value(scope), np.clip((p[:, 1] - 50) / 100, 0, 1), atol=1e-4
        )
        down = Ramp(towards="down", from_mm=0, to_mm=200).value(scope)
        np.testing.assert_allclose(down, 1 - p[:, 1] / 200, atol=1e-4)
        band = HeightSource(from_mm=40, to_mm=80, fade_mm=0.0).value(scope)
        inside = (p[:, 1] > 41) & (p[:, 1] < 79)
        self.assertTrue((band[inside] == 1).all() and (band[(p[:, 1] < 39) | (p[:, 1] > 81)] == 0).all())
        np.testing.assert_allclose(Gradient().value(scope), p[:, 1] / 200, atol=1e-4)
        middle = Gradient(shape="round").value(scope)
        np.testing.assert_allclose(middle, np.linalg.norm(p - 100, axis=1) / (100 * 3**0.5), atol=1e-4)
        around = Gradient(shape="around").value(scope)
        self.assertTrue(float(around.min()) < 0.01 and float(around.max()) > 0.99)

    def test_facing_one_camera(self) -> None:
        # A ball of radius r seen from R: cosine of the angle of view by the law of cosines.
        ball = shapes.sphere(0.2, 64)
        scope = scope_of(ball, 128)
        eye = np.array([0.3, 0.9, -0.5])
        p, n = scope.place.texels.position.astype(np.float64), scope.place.texels.normal.astype(np.float64)
        gap = np.linalg.norm(eye - p, axis=1)
        wanted = np.clip((eye @ eye - gap**2 - 0.2**2) / (2 * gap * 0.2), 0.0, 1.0)
        round_ = (n * p).sum(axis=1) / np.linalg.norm(p, axis=1) > 0.9995
        self.assertGreater(float(round_.mean()), 0.5)
        found = Facing(eye=tuple(eye)).value(scope)
        np.testing.assert_allclose(found[round_], wanted[round_], atol=0.02)
        self.assertEqual(float(found[p @ eye < 0].max()), 0.0)
        np.testing.assert_allclose(Facing(eye=tuple(eye), way="grazing").value(scope), 1.0 - found, atol=1e-6)
        # In a file in millimetres that has z up the same camera gives the same mask.
        turned = placed(replace(ball, positions=ball.positions[:, [0, 2, 1]] * np.float32([1000, -1000, 1000]),
            normals=ball.normals[:, [0, 2, 1]] * np.float32([1, -1, 1])), 0.001, "+z")  # fmt: skip
        there = scope_of(turned, 128)
        in_file = (eye @ turned.turn) / turned.scale
        np.testing.assert_allclose(Facing(eye=tuple(in_file)).value(there), found, atol=2e-3)
        none = Facing()
        self.assertEqual(float(none.value(scope).max()), 0.0)
        self.assertIn("No camera is taken", none.finding(scope))

    def test_near_parts_against_trimesh(self) -> None:
        # trimesh's exact distance to the closest point of a mesh.
        import trimesh

        two = shapes.joined(shapes.box(0.1), shapes.box(0.1, (0.25, 0.02, 0)))
        scope = scope_of(two, 64)
        source = ProximitySource(to="parts", parts=["box 2"], reach_cm=30.0)
        rows = np.arange(0, len(scope.place.texels), 7)
        points = scope.place.texels.position[rows].astype(np.float64)
        corners = two.positions[two.triangles[12:]].astype(np.float64)
        each = [trimesh.triangles.closest_point(np.tile(c, (len(points), 1, 1)), points) for c in corners]
        theirs = np.min([np.linalg.norm(points - at, axis=1) for at in each], axis=0)
        np.testing.assert_allclose(source.distance_mm(scope)[rows], theirs * 1000, atol=0.02)
        near, inside, beyond = (
            ProximitySource(to="parts", parts=["box 2"], side=s, reach_cm=17.0, fade_cm=0.01).value(scope)
            for s in ("near", "inside", "beyond")
        )  # type: ignore[arg-type]
        np.testing.assert_allclose(near[rows], np.clip(1 - theirs / 0.17, 0, 1), atol=1e-3)
        np.testing.assert_allclose(inside + beyond, 1.0, atol=1e-6)
        self.assertTrue((inside[rows][theirs < 0.169] == 1).all() and (inside[rows][theirs > 0.171] == 0).all())
        frayed = ProximitySource(to="parts", parts=["box 2"], side="inside", reach_cm=17.0, breakup=1.0).value(scope)
        self.assertGreater(float(np.abs(frayed - inside).mean()), 0.01)

    def test_coverage_does_not_depend_on_the_uvs(self) -> None:
        # One face of a cube takes nearly all of the picture: 30 % is still 30 % of the real surface.
        wide = [
            shapes.cell(0, 0, 1, 1, 0.3)
            if k == 0
            else np.array(
                [[0.0, 0.02 + 0.02 * k], [0.2, 0.02 + 0.02 * k], [0.2, 0.005 + 0.02 * k], [0.0, 0.005 + 0.02 * k]]
            )
            for k in range(6)
        ]
        for mesh in (shapes.box(0.2), shapes.box(0.2, uv_of=wide)):
            scope = scope_of(mesh, 512)
            value = Term(source=Noise(size_mm=60.0), cover=0.3, sharpen=1.0).value(scope)
            self.assertAlmostEqual(scope.place.texels.share(value), 0.3, delta=0.01)

    def test_every_piece_its_own(self) -> None:
        two = shapes.joined(shapes.box(0.1), shapes.box(0.1, (0.3, 0, 0)))
        scope = scope_of(two, 128)
        part = scope.place.texels.part
        value = PiecesSource(of="part").value(scope)
        self.assertEqual([len(set(value[part == k].tolist())) for k in (0, 1)], [1, 1])
        self.assertNotEqual(value[part == 0][0], value[part == 1][0])
        self.assertEqual(len(set(PiecesSource(of="island").value(scope).tolist())), 12)

    def test_finer_than_a_texel_is_said(self) -> None:
        scope = scope_of(shapes.box(1.0), 64)
        for kind, fields in (
            ("noise", {"size_mm": 1}),
            ("cells", {"size_mm": 1}),
            ("speckle", {"size_mm": 0.5}),
            ("scratches", {"width_mm": 0.1}),
            ("fibres", {"size_mm": 1}),
        ):
            source = SOURCES[kind](**fields)
            self.assertIn("finer than", source.finding(scope), kind)
            if kind != "scratches":
                self.assertLess(float(source.value(scope).std()), 0.02, kind)


class FromPictures(TestCase):
    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.grey = np.linspace(0, 1, 64)[None].repeat(64, 0)

    def refused(self, name: str) -> str:
        with self.assertRaises(InputError) as caught:
            read_picture(self.folder / name)
        self.assertTrue(caught.exception.remedy)
        return caught.exception.line

    def test_kinds_of_files(self) -> None:
        eight = Image.fromarray((self.grey * 255).astype(np.uint8))
        sixteen = Image.fromarray((self.grey * 65535).astype(np.uint16))
        colour = Image.merge("RGB", [eight, eight, eight])
        eight.save(self.folder / "8.png")
        sixteen.save(self.folder / "16.png")
        sixteen.save(self.folder / "16.tif")
        colour.convert("CMYK").save(self.folder / "cmyk.jpg", quality=98)
        colour.save(self.folder / "broken-icc.png", icc_profile=b"this is no colour profile")
        colour.save(
            self.folder / "icc.jpg",
            quality=98,
            icc_profile=ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes(),
        )
        Image.fromarray(self.grey.astype(np.float32)).save(self.folder / "float.tif")
        for name, tolerance in (
            ("8.png", 0.005),
            ("16.png", 2e-5),
            ("16.tif", 2e-5),
            ("cmyk.jpg", 0.03),
            ("broken-icc.png", 0.005),
            ("icc.jpg", 0.02),
            ("float.tif", 1e-6),
        ):
            found = read_picture(self.folder / name)
            np.testing.assert_allclose(found.values[:, :, 0], self.grey, atol=tolerance, err_msg=name)
        self.assertIn("without a profile", read_picture(self.folder / "cmyk.jpg").notes[0])
        self.assertIn("profile is not used", read_picture(self.folder / "broken-icc.png").notes[0])

    def test_refusals(self) -> None:
        self.assertIn("cannot be read", self.refused("gone.png"))
        (self.folder / "text.png").write_text("not a picture")
        self.assertIn("not a picture", self.refused("text.png"))
        Image.fromarray(np.zeros((64, 64), np.uint8)).save(self.folder / "cut.png")
        (self.folder / "cut.png").write_bytes((self.folder / "cut.png").read_bytes()[:60])
        self.refused("cut.png")
        Image.new("1", (30000, 30000)).save(self.folder / "huge.png")
        self.assertIn("more than 64 megapixels", self.refused("huge.png"))
        Image.new("1", (9000, 9000)).save(self.folder / "large.png")
        self.assertIn("9000 x 9000", self.refused("large.png"))

    def test_laid_on(self) -> None:
        # A picture that is bright on the right: thrown from the front it is bright where x is large.
        Image.fromarray((self.grey * 255).astype(np.uint8)).save(self.folder / "ramp.png")
        scope = scope_of(shapes.box(0.2), 128, folder=self.folder)
        texels = scope.place.texels
        front = texels.normal[:, 2] > 0.9
        thrown = PictureSource(file="ramp.png", way="projected", towards="south", size_mm=200.0).value(scope)
        np.testing.assert_allclose(thrown[front], texels.position[front, 0] / 0.2 + 0.5, atol=0.03)
        self.assertEqual(float(thrown[texels.normal[:, 2] < -0.9].max()), 0.0)
        by_uv = PictureSource(file="ramp.png", way="uv").value(scope)
        _, u, _ = texels.page_xy
        self.assertGreater(float(np.corrcoef(by_uv, u)[0, 1]), 0.98)
        # From three sides: flat faces show the plain picture; nothing jumps over an edge more than the picture itself
        # does.
        Image.fromarray(np.full((8, 8), 128, np.uint8)).save(self.folder / "even.png")
        even = PictureSource(file="even.png", size_mm=50.0).value(scope)
        np.testing.assert_allclose(even, 128 / 255, atol=1e-3)
        self.assertEqual(float(PictureSource().value(scope).max()), 0.0)
        self.assertIn("No picture", PictureSource().finding(scope))
        rgb = np.zeros((4, 4, 3), np.uint8)
        rgb[..., 1] = 128
        Image.fromarray(rgb).save(self.folder / "green.png")
        for channel, holds, wanted in (
            ("G", "data", 128 / 255),
            ("G", "colour", 0.2159),
            ("brightness", "data", 0.7152 * 128 / 255),
            ("R", "data", 0.0),
        ):
            value = PictureSource(file="green.png", channel=channel, holds=holds).plane(scope)  # type: ignore[arg-type]
            self.assertAlmostEqual(float(value[0, 0]), wanted, places=3)


class BetweenLayers(TestCase):
    def document(self, **where: Any) -> dict[str, Any]:
        def layer(name: str, kind: str) -> dict[str, Any]:
            return {
                "id": name,
                "name": name.capitalize(),
                "effect": {"kind": kind},
                "where": {"terms": where.get(name, [])},
            }

        return {
            "version": 1,
            "object": {"file": "box.glb"},
            "layers": [layer("paint", "paint"), layer("rust", "rust"), layer("dust", "dust")],
        }

    def refused(self, document: dict[str, Any]) -> str:
        with self.assertRaises(InputError) as caught:
            scene_from(document)
        return caught.exception.line

    def test_a_loop_is_refused_with_its_names(self) -> None:
        def mask(of: str, **more: Any) -> list[dict[str, Any]]:
            return [{"source": {"kind": "mask", "layer": of}, **more}]

        self.assertIn(
            "Paint → Rust → Dust → Paint",
            self.refused(self.document(paint=mask("rust"), rust=mask("dust"), dust=mask("paint"))),
        )
        self.assertIn("Rust → Rust", self.refused(self.document(rust=mask("rust"))))
        # By way of the surface: paint is where dust is, and dust is where paint shows.
        looks = [{"source": {"kind": "exposed", "what": "paint"}}]
        self.assertIn("Paint → Dust → Paint", self.refused(self.document(paint=mask("dust"), dust=looks)))
        scene_from(self.document(paint=mask("dust"), rust=mask("dust", invert=True)))
        scene_from(self.document(paint=mask("dust", muted=True), dust=mask("paint")))

    def test_a_layer_that_is_gone(self) -> None:
        self.assertIn(
            "'moss', which does not exist",
            self.refused(self.document(dust=[{"source": {"kind": "mask", "layer": "moss"}}])),
        )
        self.assertIn(
            "leaves no coat before", self.refused(self.document(paint=[{"source": {"kind": "coat", "layer": "dust"}}]))
        )

    def test_linked_lines_must_be_alike(self) -> None:
        one = {"source": {"kind": "noise", "size_mm": 20}, "link": "patch", "amount": 0.5}
        scene_from(self.document(paint=[one], dust=[{**one, "amount": 1.0, "combine": "screen"}]))
        other = {**one, "source": {"kind": "noise", "size_mm": 30}}
        self.assertIn("they differ", self.refused(self.document(paint=[one], dust=[other])))

    def test_radius_and_curve_limits(self) -> None:
        for size in (0, 1e7):  # nothing, and ten kilometres
            self.assertIn(
                "radius_mm", self.refused(self.document(dust=[{"source": {"kind": "edges", "radius_mm": size}}]))
            )
        bad = [{"source": {"kind": "even"}, "curve": [[0.5, 0], [0.2, 1]]}]
        self.assertIn("left to right", self.refused(self.document(dust=bad)))

    def play(self, document: dict[str, Any]) -> tuple[Chronicle, Scene]:
        texels = Texels.of(shapes.box(0.2), 64)
        return Chronicle(texels, Measured.blank(texels), Store()), scene_from(document)

    def test_the_mask_of_another_layer_at_its_own_moment(self) -> None:
        half = [{"source": {"kind": "slope", "towards": "up"}}]
        where_paint_shows = [{"source": {"kind": "exposed", "what": "paint"}}]
        document = self.document(
            paint=half, rust=where_paint_shows, dust=[{"source": {"kind": "mask", "layer": "rust"}, "invert": True}]
        )
        chronicle, scene = self.play(document)
        chapters = {c.layer.id: c for c in chronicle.play(scene)}
        np.testing.assert_allclose(chapters["dust"].mask, 1 - chapters["rust"].mask, atol=1e-6)
        self.assertGreater(float(chapters["rust"].mask.max()), 0.9)
        # Also of a later layer, and of one that is off.
        document = self.document(paint=[{"source": {"kind": "mask", "layer": "dust"}}], dust=half)
        document["layers"][2]["on"] = False
        chronicle, scene = self.play(document)
        masks = LayerMasks(chronicle, scene)
        np.testing.assert_allclose(masks.value("paint"), masks.value("dust"), atol=1e-6)
        # And it follows when that one changes.
        document["layers"][2]["where"]["terms"][0]["invert"] = True
        again = LayerMasks(chronicle, scene_from(document))
        np.testing.assert_allclose(again.value("paint"), 1 - masks.value("dust"), atol=1e-6)

    def test_where_a_layer_acted(self) -> None:
        # A loss: chips break out of paint, here and there within what their mask allows.
        def document(how: str) -> dict[str, Any]:
            out = self.document(dust=[{"source": {"kind": "acted", "layer": "chips", "how": how}}])
            out["layers"][1] = {"id": "chips", "name": "Chips", "effect": {"kind": "chipping", "coverage": 0.2}}
            return out

        strongly = document("strongly")
        chronicle, scene = self.play(strongly)
        _, chips, dust = chronicle.play(scene)
        # Not where it may be: where it was.
        self.assertLess(float(chips.shown.mean()), 0.5 * float(chips.mask.mean()))
        self.assertGreater(float(chips.shown.mean()), 0.05)
        np.testing.assert_allclose(dust.mask, chips.shown, atol=1e-6)
        anywhere = chronicle.play(scene_from(document("acted")))[-1].mask
        self.assertTrue((anywhere[chips.shown > 0.02] > 0.99).all() and (anywhere[chips.shown == 0] == 0).all())
        self.assertGreater(float((anywhere - chips.shown).max()), 0.2)
        # It follows what that layer does.
        strongly["layers"][1]["effect"]["coverage"] = 0.05
        _, fewer, follows = chronicle.play(scene_from(strongly))
        np.testing.assert_allclose(follows.mask, fewer.shown, atol=1e-6)
        self.assertLess(float(follows.mask.mean()), 0.5 * float(dust.mask.mean()))
        # One that is off did nothing, and says so.
        strongly["layers"][1]["on"] = False
        scene = scene_from(strongly)
        chapters = chronicle.play(scene)
        self.assertEqual([c.layer.id for c in chapters], ["paint", "dust"])
        self.assertEqual(float(chapters[1].mask.max()), 0.0)
        scope = chronicle.scope(scene, chapters[0].pile)
        self.assertIn("is off or did nothing", scene.layers[2].where.terms[0].source.finding(scope))

    def test_what_did_not_act_yet_is_refused(self) -> None:
        later = [{"source": {"kind": "acted", "layer": "dust"}}]
        line = self.refused(self.document(paint=later))
        self.assertIn("layers[0].where.terms[0].source.layer", line)
        self.assertIn("has not happened before 'Paint' does", line)
        # Two that look at where the other acted, and a layer that looks at itself.
        earlier = [{"source": {"kind": "acted", "layer": "paint"}}]
        self.assertIn("has not happened", self.refused(self.document(paint=later, dust=earlier)))
        self.assertIn(
            "has not happened", self.refused(self.document(dust=[{"source": {"kind": "acted", "layer": "dust"}}]))
        )
        # By way of a mask: paint is where dust may be, and dust is where paint was.
        mask = [{"source": {"kind": "mask", "layer": "dust"}}]
        self.assertIn("run in a loop", self.refused(self.document(paint=mask, dust=earlier)))

    def test_thickness_relief_base_and_wetness(self) -> None:
        thick = [{"source": {"kind": "coat", "layer": "paint", "full_um": 1000.0}}]
        relief = [{"source": {"kind": "relief", "from_mm": -1.0, "to_mm": 1.0}}]
        chronicle, scene = self.play(self.document(rust=thick, dust=relief))
        chapters = chronicle.play(scene)
        paint = chapters[0].pile
        np.testing.assert_allclose(chapters[1].mask, np.clip(paint.coat_thickness("paint") / 1000, 0, 1), atol=1e-6)
        np.testing.assert_allclose(chapters[2].mask, np.clip((chapters[1].pile.relief() + 1) / 2, 0, 1), atol=1e-6)
        self.assertEqual(float(paint.wetness().max()), 0.0)
        made = chronicle.as_made(scene)
        for what in ("height", "roughness", "metalness", "brightness"):
            value = SOURCES["base_map"](what=what).value(chronicle.scope(scene, paint))
            self.assertTrue(np.isfinite(value).all() and float(value.max()) <= 1.0)
            if what == "height":
                self.assertGreater(float(np.corrcoef(value, made.skin)[0, 1]), 0.95)


class WhatExposedSays(TestCase):
    def test_a_family_without_its_word_is_explained(self) -> None:
        line = {"source": {"kind": "exposed", "what": "ferrous"}}
        layers = [{"id": "a", "name": "A", "effect": {"kind": "rust"}, "where": {"terms": [line]}}]
        with self.assertRaisesRegex(
            InputError, "'ferrous' is a family of substances and no layer. Write 'family:ferrous'"
        ):
            scene_from({"version": 1, "object": {"file": "a.glb"}, "layers": layers})
