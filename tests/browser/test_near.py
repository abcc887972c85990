"""Coming near: what is seen is drawn finer, tile by tile, and nothing of another surface stays."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.ndimage import uniform_filter

from tests.browser.base import BrowserTest


class Near(BrowserTest):
    """On the hoist, its head filling the view."""

    def near(self) -> int:
        """Tiles that are shown."""
        return int(self.page.locator("section.view canvas").first.get_attribute("data-near") or 0)

    def come(self, steps: int = 14) -> None:
        """Bring the head of the hoist near."""
        canvas = self.page.locator("section.view canvas").first
        box = canvas.bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + box["width"] * 0.47, box["y"] + box["height"] * 0.40)
        for _ in range(steps):
            self.page.mouse.wheel(0, -240)
            self.frame()
        self.page.mouse.move(box["x"] + 4, box["y"] + 4)
        self.settle()

    @staticmethod
    def detail(picture: np.ndarray) -> float:
        """How much neighbouring pixels differ beyond what a slope does."""
        grey = picture.mean(axis=2)
        return float(
            np.abs(4 * grey[1:-1, 1:-1] - grey[:-2, 1:-1] - grey[2:, 1:-1] - grey[1:-1, :-2] - grey[1:-1, 2:]).mean()
        )

    @staticmethod
    def spots(picture: np.ndarray) -> float:
        """Share of the picture, below its legend, that differs from what lies around it."""
        grey = picture[60:].mean(axis=2)
        return float((np.abs(grey - uniform_filter(grey, 9)) > 3.0).mean())

    def test_finer_as_one_comes_near_and_never_of_another_surface(self) -> None:
        self.open()
        button = self.page.get_by_test_id("close-up")
        self.assertEqual(button.get_attribute("aria-pressed"), "false")
        self.come()
        self.assertEqual(self.near(), 0)
        coarse = self.picture()
        button.click()
        self.settle()
        self.assertGreater(self.near(), 2)
        self.assertRegex(self.label(), r"· [\d.]+ mm ·")
        fine = self.picture()
        self.assertGreater(self.detail(fine), 1.25 * self.detail(coarse))
        # The same surface, no lighter and no darker.
        self.assertLess(float(np.abs(fine.mean(axis=(0, 1)) - coarse.mean(axis=(0, 1))).max()), 6.0)

        # Another surface: what was near is gone, and tiles of the new one come.
        self.page.locator("[data-layer=paint]").click()
        self.settle()
        self.page.locator("#layer-on").click(force=True)
        self.settle()
        other = self.picture()
        self.assertGreater(self.near(), 2)
        button.click()
        self.settle()
        bare = self.picture()
        self.assertLess(float(np.abs(other.mean(axis=(0, 1)) - bare.mean(axis=(0, 1))).max()), 6.0)
        self.assertGreater(float(np.abs(bare - coarse).mean()), 6.0)
        button.click()
        self.page.keyboard.press("Control+z")
        self.settle()
        self.assertGreater(self.near(), 2)
        self.assertGreater(self.detail(self.picture()), 1.15 * self.detail(coarse))

        # A mask that is looked through is as fine; off again it is as coarse as the maps.
        self.page.locator("[data-layer=rust]").click()
        self.settle()
        self.page.keyboard.press("m")
        self.settle()
        self.assertIn("Mask of", self.label())
        self.assertGreater(self.near(), 2)
        fine = self.picture()
        button.click()
        self.settle()
        self.assertEqual(self.near(), 0)
        coarse = self.picture()
        self.assertGreater(self.spots(fine), 1.4 * self.spots(coarse))
        # The same mask, but for what 256 texels over a metre cannot hold of it.
        self.assertLess(float(abs(fine[60:].mean() - coarse[60:].mean())), 12.0)

    def test_paint_is_as_sharp_as_the_view_before_it_is_answered(self) -> None:
        """A hard brush of 8 mm where a texel of the maps is 4 mm wide: the way from paint to none is a few pixels."""
        page = self.page
        self.open()
        self.come()
        page.locator("[data-layer=rust]").click()
        self.settle()
        page.locator("[data-layer=rust]").press("h")
        page.locator("#brush-size").fill("8")
        page.locator("#brush-size").press("Enter")
        page.get_by_role("slider", name="Hardness").press("End")
        page.locator("canvas").first.focus()
        self.settle()
        before = self.picture()
        held: list[Any] = []
        page.route("**/api/objects/*/evaluate", lambda route: held.append(route))
        canvas = page.locator("section.view canvas").first
        box = canvas.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.45
        page.mouse.move(x, y)
        page.mouse.down()
        for k in range(1, 6):
            page.mouse.move(x + 8 * k, y)
            self.frame()
        painted = np.abs(self.picture() - before).max(axis=2)
        page.mouse.up()
        page.unroute("**/api/objects/*/evaluate")
        for route in held:
            route.continue_()
        self.settle()
        # Across the stroke, behind the ring of the brush: 8 mm of paint, and at each side hardly more than a pixel
        # between paint and none.
        _, columns = np.nonzero(painted > 25)
        line = painted[:, columns.min() + 12]
        full = float(np.median(line[line > 0.5 * line.max()]))
        between = int(((line > 0.15 * full) & (line < 0.85 * full)).sum())
        self.assertGreater(full, 40.0)
        self.assertGreater(int((line > 0.5 * full).sum()), 12)
        self.assertLessEqual(between, 4)

    def test_many_moves_leave_nothing_behind(self) -> None:
        self.open()
        self.page.get_by_test_id("close-up").click()
        self.come()
        first = self.picture()
        tiles = self.near()
        canvas = self.page.locator("section.view canvas").first
        box = canvas.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        # To and fro, as far as it goes, while tiles are on their way.
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        for k in range(200):
            self.page.mouse.move(x + 40 * np.sin(k / 3), y + 20 * np.sin(k / 5))
            self.frame()
        self.page.mouse.move(x, y)
        self.page.mouse.up()
        self.page.mouse.move(box["x"] + 4, box["y"] + 4)
        self.settle()
        self.assertGreaterEqual(self.near(), tiles)
        self.assertLess(float(np.abs(self.picture() - first).mean()), 2.0)
