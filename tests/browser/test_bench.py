"""Layers, recipes, look-through and refusals, as a person works with them."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from django.conf import settings
from django.test import override_settings

from limus.formats.gltf_write import write_glb
from server.projects.models import WorkObject
from tests.browser.base import BrowserTest
from tests.core import shapes
from tests.core.test_formats import triangle


class Layers(BrowserTest):
    def scene(self):  # type: ignore[no-untyped-def]
        return WorkObject.objects.order_by("id").first().scene()  # type: ignore[union-attr]

    def test_rename_duplicate_switch_off_move_and_remove(self) -> None:
        page = self.page
        self.open()
        page.locator("[data-layer=rust]").click()
        self.settle()
        page.locator(".sheet .title").click()
        page.get_by_label("Name of the layer").fill("Ten winters")
        page.keyboard.press("Enter")
        self.settle()
        self.assertEqual(self.scene().layers[2].name, "Ten winters")
        self.assertIn("Ten winters", page.locator("[data-layer=rust]").inner_text())

        page.locator("[data-layer=rust]").focus()
        page.keyboard.press("Alt+ArrowRight")
        self.settle()
        self.assertEqual(self.order(), ["paint", "chipping", "dirt", "rust", "dust"])

        lit = self.picture()
        page.locator("[data-layer=rust]").hover()
        page.get_by_role("button", name="Switch Ten winters off").click()
        self.settle()
        self.assertFalse(self.scene().layers[3].on)
        self.assertGreater(float((np.abs(self.picture() - lit).max(axis=2) > 20).mean()), 0.003)
        page.keyboard.press("Control+z")
        self.settle()

        page.locator("[data-layer=chipping]").click()
        self.pick(
            page.get_by_role("button", name="More for this layer"), page.get_by_role("menuitem", name="Duplicate")
        )
        self.settle()
        self.assertEqual(self.order(), ["paint", "chipping", "chipping-2", "dirt", "rust", "dust"])
        page.locator("[data-layer=chipping-2]").focus()
        page.keyboard.press("Delete")
        self.settle()
        self.assertEqual(len(self.order()), 5)

    def test_a_layer_that_does_nothing_says_why(self) -> None:
        page = self.page
        self.open()
        page.locator("[data-layer=paint]").hover()
        page.get_by_role("button", name="Switch Works green off").click()
        self.settle()
        page.locator("[data-layer=chipping]").click()
        self.settle()
        page.locator(".sheet .note").get_by_text("There is no paint to chip").wait_for()

    def test_channels(self) -> None:
        page = self.page
        self.open()
        page.locator("[data-layer=paint]").click()
        self.settle()
        before = self.picture()
        page.locator("[data-channel=base_color]").click()
        self.settle()
        self.assertFalse(self.scene().layers[0].channels["base_color"].on)
        self.assertGreater(float((np.abs(self.picture() - before).max(axis=2) > 20).mean()), 0.05)
        page.locator("[data-channel=base_color]").click()
        self.settle()
        self.assertEqual(self.scene().layers[0].channels, {})

    def test_typed_values_units_limits_and_defaults(self) -> None:
        page = self.page
        self.open()
        page.locator("[data-layer=chipping]").click()
        self.settle()
        field = page.locator("[data-field=size_mm] input")
        self.assertEqual(field.input_value(), "6 mm")
        field.fill("12")
        field.press("Enter")
        self.settle()
        self.assertEqual(self.scene().layers[1].effect.size_mm, 12.0)
        field.fill("9000")
        field.press("Enter")
        page.get_by_text("Use 0.2 mm to 200 mm.").wait_for()
        self.assertEqual(field.input_value(), "12 mm")
        page.locator("[data-field=size_mm] .tick").click()
        self.settle()
        self.assertEqual(self.scene().layers[1].effect.size_mm, 6.7)
        by = page.locator("[data-field=by] .p-select")
        # What is open closes when the sheet below it scrolls: that is done first.
        by.scroll_into_view_if_needed()
        self.settle(page)
        self.pick(by, page.get_by_role("option", name="flaking grade"))
        self.settle()
        page.locator("[data-field=grade]").wait_for()
        self.assertEqual(page.locator("[data-field=coverage]").count(), 0)
        self.assertIn("2.", page.locator("[data-layer=chipping] [data-testid=coverage]").inner_text())

    def test_recipe(self) -> None:
        page = self.page
        self.open()
        page.locator("[data-layer=dust]").click()
        self.settle()
        self.assertIn("where it faces up", " ".join(page.locator(".term").first.inner_text().split()))
        self.pick(self.page.get_by_role("button", name="Add a line"), page.get_by_role("menuitem", name="Exposed"))
        self.settle()
        self.assertIn("where the bare base shows", " ".join(page.locator(".term").last.inner_text().split()))
        low = page.locator("[data-layer=dust] [data-testid=coverage]").inner_text()
        page.locator(".term.open").get_by_role("button", name="Invert").click()
        self.settle()
        self.assertNotEqual(page.locator("[data-layer=dust] [data-testid=coverage]").inner_text(), low)
        self.assertTrue(self.scene().layers[4].where.terms[3].invert)
        page.locator(".term.open .thumb").click()
        page.get_by_test_id("view-label").get_by_text("Dust: line 4").wait_for()
        page.locator(".term.open").get_by_role("button", name="Remove line").click()
        self.settle()
        self.assertEqual(len(self.scene().layers[4].where.terms), 3)
        self.assertIn("Lit", self.label())

    def test_look_through(self) -> None:
        page = self.page
        self.open()
        for row, title in (("relief", "Relief"), ("curvature", "Curvature at 4.4 mm"), ("sky", "Sky")):
            page.locator(f"[data-look={row}]").click()
            page.get_by_test_id("view-label").get_by_text(title).wait_for()
            self.settle()
            page.get_by_label("Legend").wait_for()
        page.locator("nav.side-list").get_by_text("topcoat").click()
        page.get_by_test_id("view-label").get_by_text("Works green: topcoat").wait_for()
        page.keyboard.press("p")
        page.get_by_text("pinned").wait_for()
        page.keyboard.press(",")
        self.settle()
        self.assertIn("topcoat", self.label())

    def test_playing_the_story_back_and_peeking(self) -> None:
        page = self.page
        self.open()
        today = self.picture()
        hair = page.get_by_role("slider", name="Moment of the story")
        hair.focus()
        page.keyboard.press("Home")
        self.settle()
        self.assertIn("as made", self.label())
        made = self.picture()
        self.assertGreater(float((np.abs(made - today).max(axis=2) > 30).mean()), 0.08)
        page.keyboard.press("End")
        self.settle()
        page.locator("[data-layer=paint]").click()
        self.settle()
        page.locator("section.view canvas").first.focus()
        page.keyboard.down("b")
        page.get_by_test_id("view-label").get_by_text("before Works green").wait_for()
        self.settle()
        np.testing.assert_allclose(self.picture(), made, atol=3)
        page.keyboard.up("b")
        self.settle()
        self.assertIn("today", self.label())

    def test_light_turns_and_the_picture_with_it(self) -> None:
        self.open()
        before = self.picture()
        self.page.get_by_role("slider", name="Direction of the light").focus()
        for _ in range(9):
            self.page.keyboard.press("ArrowRight")
        self.settle()
        self.assertGreater(float((np.abs(self.picture() - before).max(axis=2) > 12).mean()), 0.05)

    def test_two_tabs_on_the_same_layer(self) -> None:
        self.open()
        other = self.tab()
        self.open(page=other)
        for page in (self.page, other):
            page.locator("[data-layer=rust]").click()
            self.settle(page)
        self.page.locator("[data-field=years] input").fill("25")
        self.page.locator("[data-field=years] input").press("Enter")
        self.settle()
        other.locator("[data-field=years] input").fill("3")
        other.locator("[data-field=years] input").press("Enter")
        other.get_by_text("changed in another window").wait_for()
        self.settle(other)
        # Nothing was overwritten, and the other tab shows what there is and can go on.
        self.assertEqual(self.scene().layers[2].effect.years, 25.0)
        self.assertEqual(other.locator("[data-field=years] input").input_value(), "25 years")
        other.locator("[data-field=years] input").fill("4")
        other.locator("[data-field=years] input").press("Enter")
        self.settle(other)
        self.assertEqual(self.scene().layers[2].effect.years, 4.0)

    def test_nothing_scrolls_sideways_and_accessibility(self) -> None:
        axe = (Path(settings.BASE_DIR) / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
        for width, height in ((1280, 800), (1100, 720)):
            page = self.tab(width, height)
            self.open(page=page)
            page.locator("[data-layer=chipping]").click()
            self.settle(page)
            self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), width)
        page.evaluate(axe)
        found = page.evaluate("axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']})")
        faults = [f"{v['id']}: {v['nodes'][0]['html'][:160]}" for v in found["violations"]]
        self.assertEqual(faults, [])


class Objects(BrowserTest):
    def test_stages_that_are_not_built_say_so(self) -> None:
        self.open()
        for stage in ("Review",):
            spot = self.page.locator(".stage", has_text=stage).first
            self.assertEqual(spot.get_attribute("aria-disabled"), "true")
            self.assertIn("Not built yet", spot.get_attribute("aria-label") or "")
        # The demo's user signs in by itself: there is nothing to sign out of.
        self.assertEqual(self.page.get_by_role("button", name="Sign out").count(), 0)

    def test_another_object_is_measured_and_weathered(self) -> None:
        page = self.page
        self.open()
        with tempfile.TemporaryDirectory() as folder:
            bad, good = Path(folder) / "bad.glb", Path(folder) / "ball.glb"
            bad.write_bytes(triangle(index=np.array([0, 1, 9])))
            write_glb(good, shapes.sphere(0.1, 40))
            self.pick(page.locator(".crumbs"), page.get_by_role("menuitem", name="Add an object"))
            page.get_by_label("Object file").set_input_files(bad)
            page.get_by_role("alert").get_by_text("bad.glb: meshes[0].primitives[0].indices").wait_for()
            page.get_by_label("Object file").set_input_files(good)
            page.get_by_role("button", name="Take it in").click()
            page.locator(".crumbs", has_text="ball").wait_for()
        self.assertIn("/object", page.url)
        page.get_by_role("link", name="Weather").click()
        page.get_by_test_id("view-label").get_by_text("512").wait_for()
        page.get_by_text("Nothing has happened to it yet").wait_for()
        for effect in ("paint", "chipping", "rust"):
            # Keys typed while a dialog fades out still belong to it.
            page.locator(".p-dialog").wait_for(state="detached")
            page.keyboard.press("a")
            page.locator(f"[data-effect={effect}]").click()
            page.locator(f"[data-layer={effect}]").wait_for()
        self.settle()
        page.locator(".measuring").wait_for(state="detached")
        self.settle()
        found = WorkObject.objects.get(name="ball")
        self.assertEqual([l.id for l in found.scene().layers], ["paint", "chipping", "rust"])
        self.assertNotEqual(page.locator("[data-layer=rust] [data-testid=coverage]").inner_text(), "0 %")

    @override_settings(DEMO_SIGN_IN=False)
    def test_sign_in(self) -> None:
        from django.contrib.auth import get_user_model

        get_user_model().objects.create_user("ada", password="right-of-way-7")
        self.page = self.tab()
        self.page.goto(f"{self.live_server_url}/")
        self.page.get_by_label("User name").fill("ada")
        self.page.get_by_label("Password").fill("wrong")
        self.page.get_by_role("button", name="Sign in").click()
        self.page.get_by_role("alert").get_by_text("do not match").wait_for()
        self.page.get_by_label("Password").fill("right-of-way-7")
        self.page.get_by_role("button", name="Sign in").click()
        self.page.get_by_text("There is no project yet").wait_for()
        self.page.get_by_label("Name of a new project").fill("My bench")
        self.page.get_by_role("button", name="Start a project").click()
        self.page.get_by_text("Drop a").wait_for()
        self.page.keyboard.press("Escape")
        self.page.locator(".p-dialog").wait_for(state="detached")
        self.page.get_by_role("button", name="Sign out").click()
        self.page.get_by_label("User name").wait_for()
