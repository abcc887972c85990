"""Two windows on one object, and the start page."""

from __future__ import annotations

from playwright.sync_api import Route

from server.projects.models import Project, WorkObject
from tests.browser.base import BrowserTest


class StartPage(BrowserTest):
    def test_whoever_leaves_while_the_object_is_still_opening_stays_away(self) -> None:
        item = WorkObject.objects.get()
        # A slow server: the object is not there yet when they leave.
        held: list[Route] = []
        self.page.route("**/api/objects/*", lambda route: held.append(route))
        self.page.goto(f"{self.live_server_url}/object/{item.pk}/weather", wait_until="commit")
        self.until(lambda: len(held) > 0)
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
        self.until(lambda: bool(self.page.evaluate(drawn)))
        self.assertIn("17 parts · 5 layers", cards.last.inner_text())
        self.assertIn("just now", cards.first.inner_text())
        self.page.get_by_label("Find an object").fill("bollard 3")
        self.assertEqual(cards.count(), 1)
        self.page.get_by_label("Find an object").fill("gate hoist weir")
        self.assertEqual(cards.count(), 1)
        self.page.get_by_label("Find an object").fill("nothing like it")
        self.page.get_by_text("Nothing is called that").wait_for()

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
        self.assertEqual(self.page.evaluate("localStorage['limus.size']"), "1024")
        # Leaving the view is when late complaints come out; they fail the test.
        self.page.get_by_label("Limus, all projects").click()
        self.page.locator("main.start").wait_for()
        self.settle()
