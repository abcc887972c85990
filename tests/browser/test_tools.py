"""The rest of the interface: view tools, controls of every kind, export, projects, keyboard."""

from __future__ import annotations

import re
from typing import Any

import numpy as np

from server.jobs.models import Job
from server.projects.models import Project, WorkObject
from tests.browser.base import BrowserTest


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

    def test_straight_on_keeps_the_size(self) -> None:
        self.open()
        before = self.scale()
        self.page.get_by_role("button", name="Straight-on").click()
        self.settle()
        self.assertAlmostEqual(self.scale() / before, 1.0, delta=0.02)

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

    def test_resolution_at_rest(self) -> None:
        self.open()
        self.pick(self.page.get_by_label("Resolution at rest").first, self.page.get_by_role("option", name="1024"))
        self.page.get_by_test_id("view-label").get_by_text("1024").wait_for()
        self.settle()
        self.assertEqual(self.label(), "Lit · 1024 · today")
        self.page.reload()
        self.page.get_by_test_id("view-label").get_by_text("1024").wait_for()

    def test_dim_is_remembered(self) -> None:
        self.open()
        light = self.page.evaluate("getComputedStyle(document.querySelector('.sheet')).backgroundColor")
        surround = self.page.evaluate("getComputedStyle(document.querySelector('section.view')).backgroundColor")
        self.page.get_by_role("button", name="Dim colours").click()
        self.page.reload()
        self.page.get_by_test_id("view-label").get_by_text("512").wait_for()
        dim = self.page.evaluate("getComputedStyle(document.querySelector('.sheet')).backgroundColor")
        self.assertNotEqual(light, dim)
        # The surround of the picture is the same true grey in both.
        self.assertEqual(surround, "rgb(134, 134, 134)")
        self.assertEqual(
            self.page.evaluate("getComputedStyle(document.querySelector('section.view')).backgroundColor"), surround
        )


class Controls(BrowserTest):
    def layer(self, k: int) -> Any:
        return WorkObject.objects.order_by("id").first().scene().layers[k]  # type: ignore[union-attr]

    def test_colour(self) -> None:
        self.open()
        self.page.locator("[data-layer=paint]").click()
        self.settle()
        before = self.picture()
        field = self.page.locator("[data-field=color] input[type=text]").last
        field.fill("a02020")
        field.press("Enter")
        self.settle()
        red = self.layer(0).effect.color
        # IEC 61966-2-1: a0 is 0.3515 linear.
        self.assertAlmostEqual(red[0], 0.3515, delta=0.001)
        after = self.picture()
        self.assertGreater(
            float((after[..., 0] - after[..., 1] > 30).mean()),
            float((before[..., 0] - before[..., 1] > 30).mean()) + 0.05,
        )
        field.fill("no colour")
        field.press("Enter")
        self.assertEqual(field.input_value(), "a02020")

    def test_switch_hides_what_does_not_apply(self) -> None:
        self.open()
        self.page.locator("[data-layer=paint]").click()
        self.settle()
        self.page.locator("[data-field=primer_color]").wait_for()
        self.page.locator("[data-field=primer] .p-toggleswitch").click()
        self.settle()
        self.assertFalse(self.layer(0).effect.primer)
        self.assertEqual(self.page.locator("[data-field=primer_color]").count(), 0)

    def test_parts(self) -> None:
        self.open()
        self.page.locator("[data-layer=paint]").click()
        self.settle()
        self.page.locator(".term .words").first.click()
        self.pick(
            self.page.locator("[data-field=names] .p-multiselect"),
            self.page.get_by_role("option", name="handle", exact=True),
        )
        self.page.keyboard.press("Escape")
        self.settle()
        self.assertIn("handle", self.layer(0).where.terms[0].source.names)

    def test_arrow_keys_move_a_slider_and_save_when_they_rest(self) -> None:
        self.open()
        self.page.locator("[data-layer=dust]").click()
        self.settle()
        handle = self.page.locator("[data-field=strength] [role=slider]")
        handle.focus()
        for _ in range(5):
            self.page.keyboard.press("ArrowLeft")
        self.settle()
        self.assertLess(self.layer(4).strength, 0.8)
        self.assertIn("%", handle.get_attribute("aria-valuetext") or "")

    def test_cut_by_coverage(self) -> None:
        self.open()
        self.page.locator("[data-layer=dirt]").click()
        self.settle()
        self.page.locator(".cut .p-toggleswitch").click()
        self.settle()
        field = self.page.locator("[data-field=coverage] input")
        field.fill("30")
        field.press("Enter")
        self.settle()
        self.assertAlmostEqual(self.layer(3).where.cut.coverage, 0.30, delta=1e-6)
        self.assertEqual(self.page.locator("[data-field=level]").count(), 0)

    def test_lines_are_muted_moved_and_duplicated(self) -> None:
        self.open()
        self.page.locator("[data-layer=dust]").click()
        self.settle()
        self.page.locator(".term .words").nth(1).click()
        line = self.page.locator(".term.open")
        line.get_by_role("button", name="Mute").click()
        self.settle()
        self.assertTrue(self.layer(4).where.terms[1].muted)
        self.assertIn("muted", line.inner_text())
        self.pick(
            line.get_by_role("button", name="More for this line"), self.page.get_by_role("menuitem", name="Earlier")
        )
        self.settle()
        self.assertEqual([t.source.kind for t in self.layer(4).where.terms], ["sky", "slope", "noise"])
        self.page.locator(".term.open").get_by_role("button", name="Duplicate line").click()
        self.settle()
        self.assertEqual(len(self.layer(4).where.terms), 4)
        self.page.keyboard.press("Control+z")
        self.settle()
        self.assertEqual(len(self.layer(4).where.terms), 3)

    def test_amount_and_blend_of_a_channel(self) -> None:
        self.open()
        self.page.locator("[data-layer=dirt]").click()
        self.settle()
        self.page.get_by_role("button", name="Base color: amount and blend").click()
        field = self.page.locator("[data-field=channel-amount] input")
        field.fill("40")
        field.press("Enter")
        self.settle()
        self.pick(self.page.locator(".details .p-select"), self.page.get_by_role("option", name="multiply"))
        self.settle()
        use = self.layer(3).channels["base_color"]
        self.assertEqual((use.amount, use.blend), (0.4, "multiply"))
        self.assertIn("40 %, multiply", self.page.locator(".chips").inner_text())

    def test_a_layer_that_others_ask_for_is_not_removed(self) -> None:
        self.open()
        self.page.locator("[data-layer=dust]").click()
        self.settle()
        self.pick(self.page.get_by_role("button", name="Add a line"), self.page.get_by_role("menuitem", name="Exposed"))
        self.settle()
        self.pick(
            self.page.locator(".term.open [data-field=what] .p-select"),
            self.page.get_by_role("option", name="Rust", exact=True),
        )
        self.settle()
        self.page.locator("[data-layer=rust]").focus()
        self.page.keyboard.press("Delete")
        self.page.get_by_text("Dust has a line that looks at this layer").wait_for()
        self.assertIn("rust", self.order())


class Around(BrowserTest):
    def test_shortcuts_sheet_and_search(self) -> None:
        self.open()
        self.page.keyboard.press("?")
        self.page.get_by_role("dialog", name="Keyboard").wait_for()
        self.page.keyboard.press("Escape")
        self.page.get_by_role("dialog").wait_for(state="detached")
        self.page.keyboard.press("a")
        search = self.page.get_by_label("Search effects")
        search.fill("corrodes")
        self.assertEqual(self.page.locator("[data-effect]").count(), 1)
        search.fill("confetti")
        self.page.get_by_text("Nothing of that name").wait_for()
        search.fill("dust")
        search.press("Enter")
        self.page.locator("[data-layer=dust-2]").wait_for()
        self.settle()
        self.assertEqual(self.order()[-1], "dust-2")

    def test_projects(self) -> None:
        self.open()
        self.page.get_by_role("link", name="all projects").click()
        self.page.get_by_role("heading", name="Kestrel Weir gatehouse").wait_for()
        self.page.get_by_label("Name of a new project").fill("Second bench")
        self.page.get_by_role("button", name="Start a project").click()
        self.page.get_by_text("Drop a").wait_for()
        self.page.keyboard.press("Escape")
        self.page.get_by_role("heading", name="Second bench").wait_for()
        self.assertEqual(Project.objects.filter(owner__username="demo").count(), 2)
        self.page.get_by_role("link", name="Gate hoist").click()
        self.page.get_by_test_id("view-label").get_by_text("512").wait_for()
        self.assertTrue(re.search(r"/object/\d+/weather$", self.page.url))

    def test_an_object_is_removed_only_after_asking(self) -> None:
        self.open()
        self.page.get_by_role("link", name="all projects").click()
        self.page.get_by_role("button", name="Remove Gate hoist").click()
        self.page.get_by_role("button", name="Keep").click()
        self.assertEqual(WorkObject.objects.count(), 1)
        self.page.get_by_role("button", name="Remove Gate hoist").click()
        self.page.get_by_role("alertdialog").get_by_role("button", name="Remove").click()
        self.page.get_by_role("link", name="Gate hoist").wait_for(state="detached")
        self.assertEqual(WorkObject.objects.count(), 0)
        self.page.go_back()
        self.page.get_by_text("This object does not exist any more").wait_for()

    def test_an_object_that_does_not_exist(self) -> None:
        self.page.goto(f"{self.live_server_url}/object/99999/weather")
        self.page.get_by_text("This object does not exist any more").wait_for()

    def test_maps_are_listed_and_an_export_can_be_cancelled(self) -> None:
        self.open()
        self.page.get_by_role("link", name="Export").click()
        self.page.get_by_role("button", name="Maps", exact=True).click()
        self.page.get_by_text("gate-hoist_hoist_normal.png").wait_for()
        self.page.get_by_role("button", name="4096", exact=True).click()
        self.page.get_by_test_id("export").click()
        self.page.get_by_role("button", name="Cancel").click()
        self.page.get_by_text("Cancelled; nothing was written").wait_for()
        self.assertEqual(Job.objects.filter(kind="export").get().file, "")
