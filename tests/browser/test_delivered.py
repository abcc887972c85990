"""The same surface by other ways: what was delivered, opened in the view by the general loader, and stills that the
core makes without a browser.
"""

from __future__ import annotations

import io
import re
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import Locator

from limus.stills.camera import Camera
from limus.stills.lights import SETUPS
from limus.stills.still import Light, still
from server.projects.models import WorkObject
from server.projects.workshop import session_of
from tests.browser.base import BrowserTest


class FromTheFile(BrowserTest):
    def test_the_file_looks_like_the_surface(self) -> None:
        """Wanted: below 2 of 255 in the mean; it is far below. The loader is three's own and knows nothing of how the
        view draws.
        """
        item = min(self._heads)
        self.open(f"/object/{item}/export")
        page = self.page
        surface = self.picture()
        page.get_by_role("combobox", name="Resolution", exact=True).click()
        page.get_by_role("option", name="256,").click()
        page.get_by_test_id("export").click()
        page.get_by_test_id("download").wait_for()
        toggle = page.get_by_role("button", name="See the file in the view")
        with page.expect_response("**/model.glb") as answered:
            toggle.click()
        self.assertEqual(answered.value.status, 200)
        self.settle()
        delivered = self.picture()
        off = np.abs(delivered - surface)
        self.assertLess(float(off.mean()), 0.5)
        # It is another picture: drawn of other data by other means.
        self.assertGreater(float(off.max()), 0.0)

        page.get_by_role("button", name="The view shows the file").click()
        self.settle()
        np.testing.assert_array_equal(self.picture(), surface)

        # What is no model is said, and the view goes on showing the surface.
        page.route("**/model.glb", lambda route: route.fulfill(status=200, body=b"no model at all"))
        toggle.click()
        page.get_by_text("The file could not be opened in the view.").wait_for()
        self.settle()
        self.assertEqual(toggle.get_attribute("aria-pressed"), "false")
        np.testing.assert_array_equal(self.picture(), surface)
        page.unroute("**/model.glb")

        # What would be seen of a file that lacks its maps. While it is on its way, that is said.
        held: list[Any] = []
        page.route("**/model.glb", lambda route: held.append(route))
        toggle.click()
        page.get_by_role("button", name="Opening the file…").wait_for()
        self.until(lambda: bool(held))
        held[0].continue_(url=f"{self.live_server_url}/api/objects/{item}/mesh.glb")
        page.get_by_role("button", name="The view shows the file").wait_for()
        self.settle()
        self.assertGreater(float(np.abs(self.picture() - surface).mean()), 8.0)

        # Another order is no longer what the view shows.
        page.get_by_role("combobox", name="Target").click()
        page.get_by_role("option", name="Maps", exact=True).click()
        self.settle()
        np.testing.assert_array_equal(self.picture(), surface)


class WithoutTheBrowser(BrowserTest):
    """Stills of the core against the view, mean difference below 3 of 255."""

    def still(self, setup: str) -> np.ndarray:
        item = WorkObject.objects.get(pk=min(self._heads))
        session = session_of(item.scene())
        readings = session.measuring.best()
        assert readings is not None
        player = session.chronicle(readings.measured, self.at_rest, weather=session.scene.asks_for_weather)
        surface = player.finish(player.play(session.scene)[-1].pile)
        box = self.page.locator("section.view canvas").first.bounding_box()
        assert box is not None
        width, height = round(box["width"]), round(box["height"])
        camera = Camera.around(session.mesh.bounds, width / height)
        out = still(player.texels, surface, camera, Light(setup), width, height)[..., :3].astype(float)
        return out[height // 8 : height * 3 // 4, width // 4 : width * 3 // 4]

    def test_the_core_draws_what_the_view_draws(self) -> None:
        # The light that it is opened in, and one with a hard shadow from another side.
        for setup in ("north", "low-sun"):
            light = {"azimuth": SETUPS[setup].azimuth, "elevation": SETUPS[setup].elevation, "strength": 1}
            self.open(f"/object/{min(self._heads)}/weather")
            self.page.evaluate(
                "([setup, light]) => { localStorage.setItem('limus.setup', setup); "
                "localStorage.setItem('limus.light', JSON.stringify(light)) }",
                [setup, light],
            )
            self.open(f"/object/{min(self._heads)}/export")
            seen, made = self.picture(), self.still(setup)
            self.assertEqual(seen.shape, made.shape)
            self.assertLess(float(np.abs(seen - made).mean()), 3.0, setup)
            # Also where the object is, which is a third of the picture.
            there = np.abs(made - 134).max(axis=2) > 6
            self.assertGreater(float(there.mean()), 0.15)
            self.assertLess(float(np.abs((seen - made)[there].mean(axis=0)).max()), 3.0, setup)


class ByMouse(BrowserTest):
    """An order and a sheet, made with the mouse and the keys, and what comes of them."""

    def fetched(self, link: Locator) -> zipfile.ZipFile:
        with self.page.expect_download() as caught:
            link.click()
        return zipfile.ZipFile(Path(str(caught.value.path())))

    def pick(self, name: str, option: str) -> None:
        self.page.get_by_role("combobox", name=name, exact=True).click()
        self.page.get_by_role("option", name=re.compile(rf"^{re.escape(option)}(,|$)")).click()

    def test_an_order(self) -> None:
        self.open(f"/object/{min(self._heads)}/export")
        page = self.page
        self.pick("Target", "Maps")
        self.pick("Resolution", "512")
        page.get_by_role("button", name=re.compile("Smaller maps")).click()
        self.pick("Size of roughness", "128")
        page.get_by_text("Dither, so that smooth slopes show no steps").click()
        page.get_by_text("Colors run on beyond the surface everywhere").click()
        page.get_by_label("Gutter", exact=True).fill("3")
        page.get_by_label("Gutter", exact=True).press("Enter")
        names = page.get_by_role("textbox", name="Names of maps")
        names.fill("{map}_")
        names.press("End")
        page.get_by_role("button", name="size", exact=True).click()
        page.get_by_label("Rust: where it acted").click()
        self.settle()
        self.assertEqual(page.get_by_test_id("files").get_by_text("mask-rust-acted_512.png").count(), 1)
        page.get_by_test_id("export").click()
        pack = self.fetched(page.get_by_test_id("download"))
        for name, size in (("roughness_128.png", 128), ("base-color_512.png", 512), ("mask-rust-acted_512.png", 512)):
            with Image.open(io.BytesIO(pack.read(name))) as one:
                self.assertEqual(one.size, (size, size), name)
        color = np.asarray(Image.open(io.BytesIO(pack.read("base-color_512.png"))))
        # The gutter ends: black beyond it.
        self.assertGreater(float((color.max(axis=2) == 0).mean()), 0.02)

    def test_a_sheet(self) -> None:
        item = WorkObject.objects.get(pk=min(self._heads))
        self.open(f"/object/{item.pk}/export")
        page = self.page
        page.goto(f"{self.live_server_url}/project/{item.project_id}/batch")
        self.settle()
        sheet = f"object,target,resolution,out\n{item.name},maps,256,one\nNobody,maps,256,two\n"
        page.get_by_label("Sheet", exact=True).set_input_files(
            [{"name": "s.csv", "mimeType": "text/csv", "buffer": sheet.encode()}]
        )
        self.settle()
        page.get_by_text("1 of 2 rows cannot be done").wait_for()
        page.get_by_role("button", name="Remove row 3").click()
        self.settle()
        self.assertEqual(page.locator("[data-row]").count(), 1)
        page.get_by_role("combobox", name="What of row 2").click()
        page.get_by_role("option", name="TIFF maps", exact=True).click()
        page.get_by_test_id("begin").click()
        pack = self.fetched(page.get_by_test_id("download"))
        self.assertIn("one/maps.json", pack.namelist())
        self.assertTrue(any(name.startswith("one/") and name.endswith(".tif") for name in pack.namelist()))
