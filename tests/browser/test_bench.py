"""Layers, recipes, look-through and refusals, as a person works with them."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from django.test import override_settings

from limus.formats.gltf_write import write_glb
from server.projects.models import WorkObject
from tests.browser.base import BrowserTest
from tests.core import shapes
from tests.core.test_formats import triangle


class Layers(BrowserTest):
    def scene(self):  # type: ignore[no-untyped-def]
        return WorkObject.objects.order_by("id").first().scene()  # type: ignore[union-attr]

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


class Objects(BrowserTest):
    def test_every_stage_is_there(self) -> None:
        self.open()
        self.assertEqual(self.page.locator("a.stage").count(), 5)
        self.assertEqual(self.page.locator(".stage[aria-disabled=true]").count(), 0)
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
        page.get_by_test_id("view-label").get_by_text(str(self.at_rest)).wait_for()
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
