"""The rest of the interface: view tools, controls of every kind, export, projects, keyboard."""

from __future__ import annotations

from typing import Any

import numpy as np
from playwright.sync_api import Request
from skimage.color import deltaE_ciede2000, rgb2lab

from limus.common.colour import to_srgb
from limus.common.object_size import ObjectSize
from limus.document.start import fresh_layer
from limus.readings.setting import Setting
from server.jobs.models import Job
from server.projects.models import WorkObject
from tests.browser.base import BrowserTest


def fresh_document(kind: str) -> dict[str, Any]:
    """A new layer on the hoist, as a document has it."""
    return fresh_layer(kind, kind, ObjectSize(1.1), Setting()).model_dump(mode="json")


class View(BrowserTest):
    def scale(self) -> float:
        """Millimetres for each pixel, read off the scale bar."""
        bar = self.page.locator(".scale-bar")
        length, unit = bar.inner_text().split()
        box: Any = bar.bounding_box()
        return float(length) * {"m": 1000.0, "mm": 1.0, "µm": 0.001}[unit] / float(box["width"])

    def test_zoom_frame_and_scale_bar(self) -> None:
        self.open()
        start = self.scale()
        # The hoist is 1.03 m tall and fills most of the view's height.
        height: Any = self.page.locator("section.view").bounding_box()
        self.assertTrue(1030 < start * height["height"] < 1700)
        canvas = self.page.locator("section.view canvas").first
        box: Any = canvas.bounding_box()
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        for _ in range(4):
            self.page.mouse.wheel(0, -240)
        self.settle()
        self.assertLess(self.scale(), start * 0.8)
        canvas.focus()
        self.page.keyboard.press("f")
        self.settle()
        self.assertAlmostEqual(self.scale() / start, 1.0, delta=0.02)

    def test_orbit(self) -> None:
        self.open()
        before = self.picture()
        box: Any = self.page.locator("section.view canvas").first.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 120, y + 10, steps=4)
        self.page.mouse.up()
        self.settle()
        self.assertGreater(float((np.abs(self.picture() - before).max(axis=2) > 20).mean()), 0.08)
        # What faces the camera is seen anew from where it stands after a turn.
        self.page.locator("[data-look=facing]").click()
        self.settle()
        facing = self.picture()
        asked: list[str] = []

        def heard(request: Request) -> None:
            asked.append(request.post_data or "")

        self.page.on("request", heard)
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x - 160, y, steps=4)
        self.page.mouse.up()
        self.settle()
        self.page.remove_listener("request", heard)
        self.assertIn('"kind":"facing"', "".join(asked))
        self.assertGreater(float((np.abs(self.picture() - facing).max(axis=2) > 20).mean()), 0.05)

    def test_straight_on_keeps_the_size(self) -> None:
        self.open()
        before = self.scale()
        self.page.get_by_role("button", name="Straight-on").click()
        self.settle()
        self.assertAlmostEqual(self.scale() / before, 1.0, delta=0.02)

    def test_a_colour_is_taken_from_the_view_in_three_clicks(self) -> None:
        # All of it has one base color: whatever is clicked, no light and no gloss may be in what is read.
        item = WorkObject.objects.get(name="Gate hoist")
        document = {**item.document, "episodes": [], "layers": [fresh_document("substance")]}
        grey = {"white": [0.18, 0.20, 0.15], "black": None}
        document["layers"][0]["effect"] |= {"covers": "all", "values": {"base_color": grey}}
        item.commit(item.head_id, document, "One colour")
        self.open()
        page = self.page
        page.locator("[data-layer=substance]").click()
        page.get_by_label("Give a channel a value").last.click()
        page.get_by_role("option", name="Specular color", exact=True).click()
        self.settle()
        field = page.locator('[data-field="values-specular_color-white"]')
        field.locator(".take").click()
        page.get_by_role("menuitem", name="From the view").click()
        page.get_by_test_id("eyedropper").get_by_text("Click the object").wait_for()
        box: Any = page.locator("section.view canvas").first.bounding_box()
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.55)
        page.get_by_test_id("eyedropper").wait_for(state="detached")
        self.settle()
        effect = WorkObject.objects.get(pk=item.pk).document["layers"][0]["effect"]
        got = np.array(effect["values"]["specular_color"]["white"])
        # CIEDE2000 as scikit-image has it.
        labs = [rgb2lab(to_srgb(c.astype(np.float32))[None, None]) for c in (got, np.array(grey["white"]))]
        self.assertLess(float(deltaE_ciede2000(*labs).max()), 1.0)
        # And it is called off by Escape.
        field.locator(".take").click()
        page.get_by_role("menuitem", name="From the view").click()
        page.get_by_test_id("eyedropper").wait_for()
        page.keyboard.press("Escape")
        page.get_by_test_id("eyedropper").wait_for(state="detached")

    def test_the_guide_and_the_shelf_of_substances_by_mouse(self) -> None:
        page = self.page
        self.open()
        page.get_by_label("Guide and keyboard").click()
        dialog = page.get_by_role("dialog", name="Guide")
        dialog.locator('[data-page="base:gold"]').click()
        pictures = dialog.locator("article img")
        # It is said while pictures are made, and they come.
        self.until(lambda: pictures.evaluate_all("all => all.length === 2 && all.every(i => i.naturalWidth > 0)"))
        self.until(lambda: dialog.get_by_text("Being made").count() == 0)
        dialog.get_by_label("Close").click()
        dialog.wait_for(state="detached")
        self.add("substance")
        page.locator("[data-field=substance] .chosen").click()
        page.locator(".room [data-stock=gold]").click()
        self.settle()
        effect = WorkObject.objects.get(name="Gate hoist").document["layers"][-1]["effect"]
        self.assertEqual(effect["substance"]["name"], "Gold")
        self.pick(
            page.get_by_label("Give a channel a value").last, page.get_by_role("option", name="Roughness", exact=True)
        )
        self.settle()
        # Fresh, at its default, by its handle.
        self.slide("values-roughness-white", 30)
        self.settle()
        page.get_by_label("Roughness: a range from black to white").click()
        self.settle()
        values = WorkObject.objects.get(name="Gate hoist").document["layers"][-1]["effect"]["values"]
        self.assertGreater(values["roughness"]["white"], 0.55)
        self.assertEqual(values["roughness"]["black"], 0.5)

    def test_uv_view_is_linked_with_the_cursor(self) -> None:
        page = self.tab(1280, 800)
        self.open(page=page)
        page.keyboard.press("u")
        flat = page.locator("section.uv canvas")
        flat.wait_for()
        self.settle(page)
        before = flat.screenshot()
        box: Any = page.locator("section.view canvas").first.bounding_box()
        page.mouse.move(box["x"] + box["width"] * 0.46, box["y"] + box["height"] * 0.74)
        self.settle(page)
        self.assertTrue(flat.screenshot() != before)
        page.keyboard.press("u")
        flat.wait_for(state="detached")

    def test_dim_is_remembered(self) -> None:
        self.open()
        light = self.page.evaluate("getComputedStyle(document.querySelector('.sheet')).backgroundColor")
        surround = self.page.evaluate("getComputedStyle(document.querySelector('section.view')).backgroundColor")
        self.page.get_by_role("button", name="Dim colours").click()
        self.page.reload()
        self.page.get_by_test_id("view-label").get_by_text(str(self.at_rest)).wait_for()
        dim = self.page.evaluate("getComputedStyle(document.querySelector('.sheet')).backgroundColor")
        self.assertNotEqual(light, dim)
        # The surround of the picture is the same true grey in both.
        self.assertEqual(surround, "rgb(134, 134, 134)")
        self.assertEqual(
            self.page.evaluate("getComputedStyle(document.querySelector('section.view')).backgroundColor"), surround
        )


class Around(BrowserTest):
    def test_maps_are_listed_and_an_export_can_be_cancelled(self) -> None:
        self.open()
        self.page.get_by_role("link", name="Export").click()
        self.choose("Target", "Maps")
        self.page.get_by_text("gate-hoist_hoist_normal.png").wait_for()
        # A mask is ticked by the middle of its box, and goes along.
        tick = self.page.get_by_role("checkbox", name="Rust: where it acted")
        tick.scroll_into_view_if_needed()
        box: Any = tick.bounding_box()
        self.page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        self.page.get_by_text("gate-hoist_hoist_mask-rust-acted.png").wait_for()
        self.assertTrue(tick.is_checked())
        self.choose("Resolution", "4096")
        self.page.get_by_test_id("export").click()
        self.page.get_by_role("button", name="Cancel").click()
        self.page.get_by_text("Cancelled; nothing was written").wait_for()
        self.assertEqual(Job.objects.filter(kind="export").get().file, "")
