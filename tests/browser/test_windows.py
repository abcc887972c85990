"""Two windows on one object, and the start page."""

from __future__ import annotations

import json
import re

from playwright.sync_api import Route

from server.projects.models import Project, SceneVersion, WorkObject
from tests.browser.base import BrowserTest


class TwoWindows(BrowserTest):
    def years(self) -> float:
        return float(WorkObject.objects.get(name="Gate hoist").scene().layer("rust").effect.years)  # type: ignore[union-attr]

    def switch_off(self, layer: str) -> None:
        self.page.locator(f"[data-layer={layer}]").get_by_role("button", name=re.compile("^Switch .* off$")).click()

    def test_an_older_window_never_writes_over_a_newer_edit(self) -> None:
        # A sets the years; B, which has not heard of it, makes two edits before its first refusal comes back.
        item = WorkObject.objects.get(name="Gate hoist")
        self.open()
        assert item.head is not None
        newer = json.loads(json.dumps(item.head.document))
        newer["layers"][2]["effect"]["years"] = 25.0
        item.commit(item.head_id, newer, "Years")
        held: list[Route] = []
        self.page.route(
            "**/api/objects/*/edit",
            lambda route: held.append(route) if route.request.method == "POST" else route.continue_(),
        )
        self.page.route("**/api/objects/*/evaluate", lambda route: None)
        for layer in ("dirt", "dust"):
            self.switch_off(layer)
        self.until(lambda: len(held) > 0)
        self.frame(count=5)
        # One edit is under way, the other waits for it.
        self.assertEqual(len(held), 1)
        held[0].continue_()
        # The newest scene is there although every evaluation hangs, and the second edit says that it was not saved.
        self.page.get_by_text("Overtaken by another window").wait_for()
        self.frame(count=5)
        self.assertEqual(len(held), 1, "a document was sent under a version it was not read at")
        self.assertEqual(self.years(), 25.0)
        self.assertEqual(SceneVersion.objects.filter(object=item).count(), 2)
        self.page.unroute("**/api/objects/*/evaluate")
        self.page.unroute("**/api/objects/*/edit")
        # From here on it works as before, on the newest scene.
        self.switch_off("dust")
        self.settle()
        scene = WorkObject.objects.get(pk=item.pk).scene()
        self.assertEqual((scene.layer("rust").effect.years, scene.layer("dust").on), (25.0, False))  # type: ignore[union-attr]

    def test_quick_edits_of_one_window_are_all_saved(self) -> None:
        self.open()
        for layer in ("chipping", "rust", "dirt", "dust"):
            self.switch_off(layer)
        self.settle()
        scene = WorkObject.objects.get(name="Gate hoist").scene()
        self.assertEqual([layer.on for layer in scene.layers], [True, False, False, False, False])


class StartPage(BrowserTest):
    def test_whoever_leaves_while_the_object_is_still_opening_stays_away(self) -> None:
        item = WorkObject.objects.get()
        # A slow server: the object is not there yet when they leave.
        held: list[Route] = []
        self.page.route("**/api/objects/*", lambda route: held.append(route))
        self.page.goto(f"{self.live_server_url}/object/{item.pk}/weather", wait_until="commit")
        self.page.get_by_label("Limus, all projects").click()
        self.page.locator("main.start li a").first.wait_for()
        self.assertEqual(len(held), 1)
        held[0].continue_()
        self.settle()
        self.assertEqual(self.page.url, f"{self.live_server_url}/")
        self.page.unroute("**/api/objects/*")

    def test_pictures_search_and_words(self) -> None:
        project = Project.objects.get()
        head = WorkObject.objects.get(name="Gate hoist").scene()
        for k in range(5):
            item = WorkObject.objects.create(project=project, name=f"Bollard {k}")
            item.commit(None, head.model_copy(update={"name": f"Bollard {k}"}).model_dump(mode="json"), "As made")
        self.open()
        self.page.get_by_label("Limus, all projects").click()
        cards = self.page.locator("main.start li a")
        cards.nth(5).wait_for()
        self.assertEqual(cards.count(), 6)
        # The newest stand first, each with its picture.
        self.assertIn("Bollard 4", cards.first.inner_text())
        shown = self.page.locator("main.start img").first
        shown.wait_for()
        drawn = "[...document.querySelectorAll('main.start img')].slice(0, 3).every(i => i.naturalWidth === 480)"
        for _ in range(300):
            if self.page.evaluate(drawn):
                break
            self.frame()
        self.assertTrue(self.page.evaluate(drawn))
        self.assertIn("17 parts · 5 layers", cards.last.inner_text())
        self.assertIn("just now", cards.first.inner_text())
        self.page.get_by_label("Find an object").fill("bollard 3")
        self.assertEqual(cards.count(), 1)
        self.page.get_by_label("Find an object").fill("gate hoist weir")
        self.assertEqual(cards.count(), 1)
        self.page.get_by_label("Find an object").fill("nothing like it")
        self.page.get_by_text("Nothing is called that").wait_for()

    def test_a_project_is_removed_after_asking(self) -> None:
        self.open()
        owner = Project.objects.get().owner
        Project.objects.create(owner=owner, name="Mistake")
        self.page.get_by_label("Limus, all projects").click()
        self.page.get_by_label("Remove the project Mistake").click()
        self.page.get_by_role("button", name="Keep").click()
        self.page.get_by_label("Remove the project Mistake").click()
        self.page.get_by_role("button", name="Remove", exact=True).click()
        self.page.get_by_label("Remove the project Mistake").wait_for(state="detached")
        self.assertEqual([p.name for p in Project.objects.all()], ["Kestrel Weir gatehouse"])

    def test_cards_keep_their_size_on_a_wide_screen(self) -> None:
        self.page.set_viewport_size({"width": 1920, "height": 1080})
        self.open()
        self.page.get_by_label("Limus, all projects").click()
        card = self.page.locator("main.start li a").first
        card.wait_for()
        box = card.bounding_box()
        assert box is not None
        self.assertTrue(180 < box["width"] <= 300 and box["height"] < 300, box)
        self.assertIn("1 object", self.page.locator("main.start h2").inner_text())
        self.assertNotIn("1 objects", self.page.locator("main.start h2").inner_text())


class Sizes(BrowserTest):
    def test_every_size_that_memory_holds_and_nothing_for_the_graphics_to_complain_of(self) -> None:
        self.open()
        self.picture()
        label = self.page.get_by_test_id("view-label")
        label.locator(".p-select").click()
        sizes = self.page.get_by_role("option").all_inner_texts()
        self.assertEqual(sizes[:2], ["512", "1024"])
        self.assertIn("2048", sizes)
        self.page.get_by_role("option", name="1024").click()
        # The coarse picture stays until the fine one is there.
        label.get_by_text("1024").wait_for()
        self.settle()
        # Leaving the view is when late complaints come out; they fail the test.
        self.page.get_by_label("Limus, all projects").click()
        self.page.locator("main.start").wait_for()
        self.settle()

    def test_a_new_layer_has_sizes_that_fit(self) -> None:
        self.open()
        self.add("chipping")
        scene = WorkObject.objects.get(name="Gate hoist").scene()
        new = scene.layer("chipping-2")
        assert new is not None
        # The hoist is 1.2 m across: 6 mm at one metre, growing with the power 0.6.
        self.assertEqual(new.effect.size_mm, 6.7)  # type: ignore[attr-defined]
        self.assertEqual(new.where.terms[0].source.radius_mm, 4.6)  # type: ignore[attr-defined]
        # What was there is as it was typed.
        self.assertEqual(scene.layer("chipping").effect.size_mm, 6.0)  # type: ignore[union-attr]

    def test_families_and_coats_to_choose_from(self) -> None:
        self.open()
        self.page.locator("[data-layer=dust]").click()
        self.settle()
        self.pick(self.page.get_by_role("button", name="Add a line"), self.page.get_by_role("menuitem", name="Exposed"))
        self.settle()
        self.page.locator(".term.open [data-field=what] .p-select").click()
        options = self.page.get_by_role("option").all_inner_texts()
        for wanted in ("the bare base", "iron or steel", "copper alloy", "Works green: primer", "zinc (none here)"):
            self.assertIn(wanted, options)
        self.page.get_by_role("option", name="Works green: primer").click()
        self.settle()
        scene = WorkObject.objects.get(name="Gate hoist").scene()
        self.assertEqual(scene.layer("dust").where.terms[-1].source.what, "paint/primer")  # type: ignore[union-attr]
