"""The whole story in the browser, from opening the demo to reading the exported file back."""

from __future__ import annotations

import io
import re
import tempfile
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from limus.formats.gltf_read import read_gltf
from server.projects.models import SceneVersion, WorkObject
from tests.browser.base import BrowserTest
from tests.core.test_formats import VALIDATOR, khronos


class Story(BrowserTest):
    at_rest = 512

    def test_whole_story(self) -> None:
        page = self.page
        self.open()
        self.assertIn("/weather", page.url)
        self.assertEqual(self.order(), ["paint", "chipping", "rust", "dirt", "dust"])
        self.assertEqual(self.label(), "Lit · 512 · near · today")

        # Add rust.
        self.add("rust")
        self.assertEqual(self.order()[-1], "rust-2")
        self.assertEqual(page.locator(".sheet .title").inner_text(), "Rust 2")
        self.pick(
            page.locator(".sheet header").get_by_role("button", name="More"),
            page.get_by_role("menuitem", name="Remove"),
        )
        self.settle()

        # Drag a setting: the surface changes while dragging, small, and sharpens on release.
        page.locator("[data-layer=chipping]").click()
        self.settle()
        before = self.picture()
        coverage = page.locator("[data-layer=chipping] [data-testid=coverage]")
        self.assertEqual(coverage.inner_text(), "9.8 %")
        saved = SceneVersion.objects.count()
        self.slide("coverage", 40, release=False)
        # As small as this machine needs it to follow.
        page.get_by_test_id("view-label").get_by_text(re.compile("^(128|256)$")).wait_for()
        self.settle()
        during = self.picture()
        self.assertGreater(float((np.abs(during - before).max(axis=2) > 24).mean()), 0.01)
        self.assertEqual(SceneVersion.objects.count(), saved)
        self.assertNotEqual(coverage.inner_text(), "9.8 %")
        page.mouse.up()
        page.get_by_test_id("view-label").get_by_text("512", exact=True).wait_for()
        self.settle()
        self.assertEqual(SceneVersion.objects.count(), saved + 1)
        covers = coverage.inner_text()
        self.assertIn(covers, page.locator(".sheet").inner_text())
        wanted = WorkObject.objects.get().scene().layers[1].effect.coverage  # type: ignore[attr-defined]
        self.assertAlmostEqual(float(covers.split()[0]) / 100, wanted, delta=0.02)

        # Look through its mask: plain black and white.
        page.keyboard.press("m")
        page.get_by_test_id("view-label").get_by_text("Mask of Chipping").wait_for()
        self.settle()
        mask = self.picture()
        self.assertLess(float((mask.max(axis=2) - mask.min(axis=2)).max()), 12.0)
        self.assertGreater(float((mask < 20).all(axis=2).mean()), 0.05)
        self.assertGreater(float((mask > 235).all(axis=2).mean()), 0.0005)
        page.keyboard.press("l")
        self.settle()

        # Reorder by dragging in the chronicle: dust before dirt.
        box: Any = page.locator("[data-layer=dust]").bounding_box()
        to: Any = page.locator("[data-layer=dirt]").bounding_box()
        page.mouse.move(box["x"] + 40, box["y"] + 80)
        page.mouse.down()
        for k in range(1, 9):
            page.mouse.move(box["x"] + 40 + (to["x"] - box["x"] - 30) * k / 8, box["y"] + 80)
            self.frame(page)
        page.mouse.up()
        self.settle()
        self.assertEqual(self.order(), ["paint", "chipping", "rust", "dust", "dirt"])
        self.assertEqual([l.id for l in WorkObject.objects.get().scene().layers], self.order())

        # Undo, reload, redo.
        page.get_by_role("button", name="Undo", exact=True).click()
        self.settle()
        self.assertEqual(self.order(), ["paint", "chipping", "rust", "dirt", "dust"])
        page.reload()
        page.get_by_test_id("view-label").get_by_text("512", exact=True).wait_for()
        self.settle()
        self.assertEqual(self.order(), ["paint", "chipping", "rust", "dirt", "dust"])
        self.assertEqual(page.locator("[data-layer=chipping] [data-testid=coverage]").inner_text(), covers)
        page.keyboard.press("Control+Shift+Z")
        self.settle()
        self.assertEqual(self.order()[-1], "dirt")
        page.keyboard.press("Control+z")
        self.settle()
        self.assertEqual(self.order()[-1], "dust")

        # Export, and read the GLB back.
        page.get_by_role("link", name="Export").click()
        self.choose("Resolution", "512")
        with page.expect_download() as waiting:
            page.get_by_test_id("export").click()
        with tempfile.TemporaryDirectory() as folder:
            pack = Path(folder) / waiting.value.suggested_filename
            waiting.value.save_as(pack)
            self.assertEqual(pack.name, "gate-hoist-gltf-512.zip")
            with zipfile.ZipFile(pack) as files:
                files.extractall(folder)
            glb = Path(folder) / "gate-hoist.glb"
            mesh = read_gltf(glb)
            self.assertGreater(len(mesh.triangles), 20_000)
            self.assertIn("hand wheel", [p.name for p in mesh.parts])
            if VALIDATOR.exists():
                self.assertEqual(khronos(glb)["numErrors"], 0)
            raw = glb.read_bytes()
            start = raw.index(b"\x89PNG")
            self.assertEqual(Image.open(io.BytesIO(raw[start:])).size, (512, 512))
        page.get_by_text("Done.").wait_for()
