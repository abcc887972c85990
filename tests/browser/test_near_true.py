"""What is drawn near by is true: squares of a fifth of a millimetre, letters of twelve, and the core's own colors."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image, ImageDraw, ImageFont
from scipy.ndimage import map_coordinates

import limus
from limus.bases.choice import BaseChoice
from limus.common.colour import to_srgb
from limus.document.scene import Layer, Scene
from limus.effects.decal import Decal
from limus.effects.dust import Dust
from limus.formats.gltf_write import glb_bytes
from limus.patterns.lettering import FONTS
from limus.surface.mesh import Mesh
from server.projects.drawn import keep_picture
from server.projects.intake import take_in
from server.projects.models import Project, WorkObject
from server.projects.workshop import session_of
from tests.browser.base import BrowserTest
from tests.core import shapes

#: Where the camera stands when an object is opened (web/src/view3d/lens.ts): a plate faces it.
TOWARDS = np.array([0.58, 0.36, 0.82]) / np.linalg.norm([0.58, 0.36, 0.82])
#: Side of a square of the checker, and height of the letters, mm.
SQUARE, TALL = 0.2, 12.0
WORD = "KW7"
#: Width of a stripe and how high it stands, mm: less than a texel of the maps (0.95 mm), and enough to be seen.
STRIPE, TOOTH = 0.7, 0.5
FOLDER = Path(limus.__file__).parent / "fonts"


def plate(side_mm: float) -> Mesh:
    """Square, its picture upright as the camera sees it; UVs from 0.01 to 0.99."""
    right = np.cross([0.0, 1.0, 0.0], TOWARDS)
    right /= np.linalg.norm(right)
    up = np.cross(TOWARDS, right)
    across, down = np.meshgrid(np.linspace(-0.5, 0.5, 9), np.linspace(-0.5, 0.5, 9))
    return shapes.grid((across[:, :, None] * right + down[:, :, None] * up) * side_mm / 1000, "plate.glb")


def lettered() -> np.ndarray:
    """(h, w) bool: the word as Pillow draws it, cut to its own border."""
    font = ImageFont.truetype(str(FOLDER / FONTS["stencil"][1]), 400)
    left, top, right, bottom = font.getbbox(WORD)
    image = Image.new("L", (int(right - left), int(bottom - top)))
    ImageDraw.Draw(image).text((-left, -top), WORD, 255, font=font)
    return np.asarray(image) > 127


class Near(BrowserTest):
    """Plates seen straight on, without perspective."""

    at_rest = 128

    def comb(self) -> WorkObject:
        """A plate seen nearly edge-on, raised by ``TOOTH`` in stripes of ``STRIPE`` that run away from the camera."""
        project = Project.objects.get(items__name="Gate hoist")
        stripes = np.zeros((64, 64, 3), np.uint8)
        stripes[:, :32] = 255
        files = {}
        for name, pixels in {"high.png": stripes, "grey.png": np.full((64, 64, 3), 250, np.uint8)}.items():
            out = io.BytesIO()
            Image.fromarray(pixels).save(out, "PNG")
            files[name] = keep_picture(project, name, [out.getvalue()]).path
        maps = {"kind": "map_set", "range_mm": TOOTH, "relief_from": "height", "maps": [
            {"file": files["grey.png"], "role": "base_color", "colour": "srgb"},
            {"file": files["high.png"], "role": "height", "colour": "linear"},
        ]}  # fmt: skip
        base = BaseChoice.model_validate({"material": maps, "placing": {"way": "uv", "size_cm": 2 * STRIPE / 10}})
        lean = np.radians(7.0)
        right = np.cross([0.0, 1.0, 0.0], TOWARDS)
        right /= np.linalg.norm(right)
        up = np.cross(TOWARDS, right)
        away = np.sin(lean) * up - np.cos(lean) * TOWARDS
        across, down = np.meshgrid(np.linspace(-0.5, 0.5, 9), np.linspace(-0.5, 0.5, 9))
        mesh = shapes.grid((across[:, :, None] * right + down[:, :, None] * away) * 0.12, "plate.glb")
        scene = Scene.model_validate(
            {"name": "Comb", "object": {"file": "plate.glb"}, "bases": [base.model_dump()], "layers": []}
        )
        return take_in(project, "plate.glb", [glb_bytes(mesh)], scene)

    def profile(self) -> np.ndarray:
        """(w,) pixels from the top of the picture down to the plate, which is brighter than all around it."""
        there = self.picture().mean(axis=2) > 145
        return np.where(there.any(axis=0), there.argmax(axis=0), there.shape[0]).astype(float)

    def test_the_mesh_follows_a_relief_that_only_tiles_have(self) -> None:
        self.open(f"/object/{self.comb().pk}/weather")
        self.page.get_by_role("button", name="Straight-on").click()
        self.settle()
        # Its far edge, against what lies behind it.
        edge = self.profile()
        self.come(16, float(edge[len(edge) // 2]) - self.picture().shape[0] * 0.6)
        coarse = self.profile()
        self.sharpen()
        fine = self.profile()
        scale = self.pixels_per_mm()

        def height(line: np.ndarray) -> float:
            """Mm from crest to trough of the wave that is as long as two stripes; the far edge is somewhat smaller
            than what the scale bar speaks of.
            """
            hann = np.hanning(len(line))
            waves = 2.0 * STRIPE * scale * np.linspace(0.88, 1.02, 15)
            turn = np.exp(-2j * np.pi * np.arange(len(line)) / waves[:, None])
            return float(4.0 * np.abs(((line - line.mean()) * hann * turn).sum(axis=1)).max() / hann.sum() / scale)

        # A square wave has 4/pi of its height in its first harmonic; the screen cuts corners of it.
        self.assertGreater(height(fine), 0.5 * TOOTH)
        self.assertLess(height(fine), 4 / np.pi * 1.1 * TOOTH)
        self.assertLess(height(coarse), height(fine) / 3)

    def brought(self, side_mm: float, bases: list[dict[str, Any]], layers: list[Layer]) -> WorkObject:
        project = Project.objects.get(items__name="Gate hoist")
        scene = Scene.model_validate(
            {"name": "Plate", "object": {"file": "plate.glb"}, "bases": bases, "layers": layers}
        )
        return take_in(project, "plate.glb", [glb_bytes(plate(side_mm))], scene)

    def checker(self) -> WorkObject:
        project = Project.objects.get(items__name="Gate hoist")
        squares = np.kron([[1, 0], [0, 1]], np.ones((32, 32))) * 120 + 60
        out = io.BytesIO()
        Image.fromarray(np.repeat(squares[:, :, None], 3, axis=2).astype(np.uint8)).save(out, "PNG")
        file = keep_picture(project, "checker.png", [out.getvalue()]).path
        maps = {"kind": "map_set", "maps": [{"file": file, "role": "base_color", "colour": "srgb"}]}
        base = BaseChoice.model_validate({"material": maps, "placing": {"way": "uv", "size_cm": 2 * SQUARE / 10}})
        return self.brought(60.0, [base.model_dump()], [])

    def come(self, steps: int, down: float = 0.0) -> None:
        """Bring near what lies so many pixels below the middle."""
        canvas = self.page.locator("section.view canvas").first
        box: Any = canvas.bounding_box()
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2 + down)
        for _ in range(steps):
            self.page.mouse.wheel(0, -240)
            self.frame()
        self.page.mouse.move(box["x"] + 4, box["y"] + 4)
        self.settle()

    def pixels_per_mm(self) -> float:
        """By the scale bar."""
        length, unit = self.page.locator(".scale-bar").inner_text().split()
        bar: Any = self.page.locator(".scale-bar i, .scale-bar .bar, .scale-bar div").last.bounding_box()
        return float(bar["width"]) / (float(length) * {"mm": 1.0, "µm": 0.001}[unit])

    def before(self, item: WorkObject, steps: int) -> None:
        """The middle of an object, its maps as they are."""
        self.open(f"/object/{item.pk}/weather")
        self.page.get_by_role("button", name="Straight-on").click()
        self.settle()
        self.come(steps)

    def sharpen(self) -> None:
        self.page.get_by_test_id("close-up").click()
        # Away from it: its tip lies over the view.
        self.page.mouse.move(2, 2)
        self.page.get_by_role("tooltip").wait_for(state="detached")
        self.settle()
        self.assertRegex(self.label(), r"· [\d.]+ mm ·")

    def test_squares_of_a_fifth_of_a_millimetre(self) -> None:
        self.before(self.checker(), 12)
        coarse = self.picture()
        self.sharpen()
        fine = self.picture()
        scale = self.pixels_per_mm()
        # A checker repeats along both axes at once: its strongest wave goes over two squares each way.
        away, strong = self.wave(fine)
        np.testing.assert_allclose(away, np.full(2, 1.0 / (2.0 * SQUARE * scale)), rtol=0.03)
        self.assertGreater(strong, 4.0 * self.wave(coarse, away)[1])
        # No lighter and no darker for it, but for what the screen loses of the squares by stretching them.
        self.assertLess(float(np.abs(fine.mean(axis=(0, 1)) - coarse.mean(axis=(0, 1))).max()), 10.0)

    @staticmethod
    def wave(picture: np.ndarray, at: np.ndarray | None = None) -> tuple[np.ndarray, float]:
        """(2,) cycles a pixel of the strongest wave (or of the one ``at``), and how strong it is."""
        side = min(picture.shape[:2])
        grey = picture[:side, :side].mean(axis=2)
        seen = np.abs(np.fft.fft2((grey - grey.mean()) * np.outer(np.hanning(side), np.hanning(side))))
        rate = np.abs(np.fft.fftfreq(side))
        # What varies slowly is the light.
        seen[rate < 0.02, :] = 0.0
        seen[:, rate < 0.02] = 0.0
        if at is not None:
            row, column = (round(one * side) for one in at.tolist())
            return at, float(seen[row - 1 : row + 2, column - 1 : column + 2].max())
        row, column = np.unravel_index(int(seen.argmax()), seen.shape)
        return np.array([rate[row], rate[column]]), float(seen.max())

    def test_the_colours_of_the_core(self) -> None:
        """Against what the core makes of all of the plate at once at that density, read at the same places."""
        item = self.checker()
        # As near as the maps are fine, a little nearer: nothing is averaged for the screen.
        self.before(item, 12)
        self.page.locator("[data-look=base_color]").click()
        self.settle()
        self.sharpen()
        seen, scale = self.picture(), self.pixels_per_mm()
        session = session_of(item.scene())
        readings = session.measuring.best()
        assert readings is not None
        chronicle = session.chronicle(readings.measured, 1024)
        values = chronicle.as_made(session.scene).visible()["base_color"]
        whole = np.zeros((1024 * 1024, 3), np.float32)
        whole[chronicle.texels.pixel] = np.asarray(values)
        light = whole.reshape(1024, 1024, 3)
        canvas = self.page.locator("section.view canvas").first
        box: Any = canvas.bounding_box()
        height, width = round(box["height"]), round(box["width"])
        # Drawn at fewer pixels than the screen has, which the browser stretches.
        wide, tall = canvas.evaluate("c => [c.width, c.height]")
        places = [(np.arange(n) + 0.5 - n / 2) * many / n for n, many in ((tall, height), (wide, width))]
        at = [(0.5 + one / scale / 60.0 * 0.98) * 1024 - 0.5 for one in np.meshgrid(*places, indexing="ij")]
        read = np.stack([map_coordinates(light[:, :, k], at, order=1) for k in range(3)], axis=2)
        drawn = to_srgb(read) * 255.0
        on_screen = np.meshgrid(
            (np.arange(height // 8, height * 3 // 4) + 0.5) * tall / height - 0.5,
            (np.arange(width // 4, width * 3 // 4) + 0.5) * wide / width - 0.5, indexing="ij",
        )  # fmt: skip
        expected = np.stack([map_coordinates(drawn[:, :, k], on_screen, order=1) for k in range(3)], axis=2)
        off = np.abs(seen - expected)[20:-20, 20:-20]
        self.assertLess(float(off.mean()), 3.0)
        self.assertGreater(float(expected.std()), 20.0)

    def test_letters_of_twelve_millimetres(self) -> None:
        shape = lettered()
        sign = Decal(
            text=WORD, width_mm=TALL * shape.shape[1] / shape.shape[0], color=(0.5, 0.02, 0.02), depth_mm=4.0,
            at=(0.0, 0.0, 0.0), facing=tuple(TOWARDS.tolist()),
        )  # fmt: skip
        layers = [Layer(id="sign", name="Sign", effect=sign), Layer(id="dust", name="Dust", effect=Dust(), on=False)]
        self.before(self.brought(1000.0, [], layers), 18)
        coarse = self.picture()
        self.sharpen()
        fine = self.picture()
        # In the maps a texel is 8 mm wide: a smear.
        self.assertGreater(self.like(fine, shape), 0.75)
        self.assertLess(self.like(coarse, shape), 0.6)
        self.assertAlmostEqual(self.height_of(fine) / self.pixels_per_mm(), TALL, delta=1.0)

    @staticmethod
    def red(picture: np.ndarray) -> np.ndarray:
        return np.asarray(picture[:, :, 0] - picture[:, :, 1] > 40)

    def height_of(self, picture: np.ndarray) -> float:
        return float(np.ptp(np.flatnonzero(self.red(picture).any(axis=1))) + 1)

    def like(self, picture: np.ndarray, shape: np.ndarray) -> float:
        """Share of what is red or a letter that is both, the letters stretched over the border of the red."""
        red = self.red(picture)
        rows, columns = (np.flatnonzero(red.any(axis=k)) for k in (1, 0))
        red = red[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
        wanted = (
            np.asarray(Image.fromarray((shape * 255).astype(np.uint8)).resize(red.shape[::-1], Image.Resampling.BOX))
            > 127
        )
        return float((red & wanted).sum() / (red | wanted).sum())
