"""A server that fails: nothing that somebody did is lost, and the screen never says that it is saved when it is not."""

from __future__ import annotations

import re

from playwright.sync_api import Route

from server.projects.models import SceneVersion, WorkObject
from tests.browser.base import BrowserTest


class Failing(BrowserTest):
    def tearDown(self) -> None:
        # What was made to fail here is no fault.
        self.faults[:] = [
            fault
            for fault in self.faults
            if "status of 5" not in fault and "Failed to fetch" not in fault and "ERR_FAILED" not in fault
        ]
        super().tearDown()

    def switch_off(self, layer: str) -> None:
        self.page.locator(f"[data-layer={layer}]").get_by_role("button", name=re.compile("^Switch .* off$")).click()

    def fail_with(self, status: int, body: str, content_type: str = "text/html") -> None:
        def answer(route: Route) -> None:
            if route.request.method == "POST":
                route.fulfill(status=status, content_type=content_type, body=body)
            else:
                route.continue_()

        self.page.route("**/api/objects/*/edit", answer)

    def scene(self) -> dict[str, bool]:
        return {layer.id: layer.on for layer in WorkObject.objects.get(name="Gate hoist").scene().layers}

    def test_an_edit_answered_with_500_is_kept_and_sent_again(self) -> None:
        self.open()
        versions = SceneVersion.objects.count()
        self.fail_with(500, "<h1>Server Error (500)</h1>")
        self.switch_off("dust")
        self.page.get_by_text("Not saved yet", exact=True).wait_for()
        # The line stays, and so does what was done, through evaluations that work.
        self.page.get_by_text("is not saved yet").wait_for()
        self.settle()
        self.assertTrue(self.page.get_by_text("is not saved yet").is_visible())
        self.assertEqual(
            self.page.locator("[data-layer=dust]").get_by_role("button", name=re.compile("^Switch .* on$")).count(), 1
        )
        self.assertEqual(SceneVersion.objects.count(), versions)
        # A second edit goes the same way, and both arrive.
        self.switch_off("dirt")
        self.settle()
        self.page.unroute("**/api/objects/*/edit")
        self.page.get_by_text("Saved now").wait_for()
        self.assertFalse(self.page.get_by_text("Not saved yet", exact=True).is_visible())
        self.assertEqual((self.scene()["dust"], self.scene()["dirt"]), (False, False))

    def test_a_full_disk_is_said_and_waited_for(self) -> None:
        self.open()
        self.fail_with(507, '{"message": "The disk of the server is full. Make room on it."}', "application/json")
        self.switch_off("rust")
        self.page.get_by_text("The disk of the server is full").wait_for()
        self.page.unroute("**/api/objects/*/edit")
        self.page.get_by_role("button", name="Try now").click()
        self.page.get_by_text("Saved now").wait_for()
        self.assertFalse(self.scene()["rust"])

    def test_it_outlives_the_page(self) -> None:
        self.open()
        self.fail_with(500, "")
        self.switch_off("paint")
        self.page.get_by_text("Not saved yet", exact=True).wait_for()
        address = self.page.url.removeprefix(self.live_server_url)
        # The page is left before the server works again, or it may still send what it keeps.
        self.page.goto("about:blank")
        self.page.unroute("**/api/objects/*/edit")
        self.page.goto(f"{self.live_server_url}{address}")
        # It is said for some seconds; the picture may take longer.
        self.page.get_by_text("it was kept here").wait_for()
        self.settle()
        self.assertFalse(self.scene()["paint"])
        # Where the scene went on meanwhile it is not written over.
        self.fail_with(500, "")
        self.switch_off("chipping")
        self.page.get_by_text("Not saved yet", exact=True).wait_for()
        item = WorkObject.objects.get(name="Gate hoist")
        item.commit(item.head_id, {**item.document, "seed": 4711}, "Elsewhere")
        self.page.goto("about:blank")
        self.page.unroute("**/api/objects/*/edit")
        self.page.goto(f"{self.live_server_url}{address}")
        self.page.get_by_text("changed since").wait_for()
        self.settle()
        self.assertEqual(WorkObject.objects.get(name="Gate hoist").document["seed"], 4711)

    def test_undo_takes_back_what_waits_and_nothing_else(self) -> None:
        self.open()
        self.switch_off("dust")
        self.settle()
        self.fail_with(500, "")
        self.switch_off("dirt")
        self.page.get_by_text("Not saved yet", exact=True).wait_for()
        versions = SceneVersion.objects.count()
        self.page.get_by_role("button", name="Undo").click()
        self.page.locator("[data-layer=dirt]").get_by_role("button", name=re.compile("^Switch .* off$")).wait_for()
        self.page.unroute("**/api/objects/*/edit")
        self.page.get_by_text("Not saved yet", exact=True).wait_for(state="hidden")
        self.settle()
        # The one that was saved stands, here and there; nothing was written or undone.
        self.assertEqual(
            (self.scene()["dust"], self.scene()["dirt"], SceneVersion.objects.count()), (False, True, versions)
        )
        self.page.locator("[data-layer=dust]").get_by_role("button", name=re.compile("^Switch .* on$")).wait_for()
        # What was taken back can be had again.
        self.page.get_by_role("button", name="Redo").click()
        self.page.locator("[data-layer=dirt]").get_by_role("button", name=re.compile("^Switch .* on$")).wait_for()
        self.settle()
        self.assertEqual((self.scene()["dust"], self.scene()["dirt"]), (False, False))

    def test_undo_while_the_server_is_away_is_done_later(self) -> None:
        self.open()
        self.switch_off("dust")
        self.settle()
        self.page.route("**/api/objects/*/undo", lambda route: route.abort())
        self.page.get_by_role("button", name="Undo").click()
        self.page.get_by_text("Undo is done as soon as the server answers").wait_for()
        self.assertFalse(self.scene()["dust"])
        self.page.unroute("**/api/objects/*/undo")
        # The browser says that it is online again: nothing is waited for.
        self.page.evaluate("dispatchEvent(new Event('online'))")
        self.page.locator("[data-layer=dust]").get_by_role("button", name=re.compile("^Switch .* off$")).wait_for()
        self.settle()
        self.assertTrue(self.scene()["dust"])

    def test_edits_that_another_window_overtook_are_offered_again(self) -> None:
        self.open()
        item = WorkObject.objects.get(name="Gate hoist")
        item.commit(item.head_id, {**item.document, "seed": 4712}, "Elsewhere")
        self.switch_off("dust")
        offer = self.page.get_by_label("Edits that were not saved")
        offer.wait_for()
        self.assertTrue(self.scene()["dust"])
        # They are kept, also over a reload.
        self.page.reload()
        offer.wait_for()
        offer.get_by_role("button", name=re.compile("^Make .* again$")).click()
        offer.wait_for(state="detached")
        self.settle()
        item.refresh_from_db()
        self.assertEqual((self.scene()["dust"], item.document["seed"]), (False, 4712))

    def test_a_refusal_stays_to_be_read(self) -> None:
        self.open()
        self.fail_with(
            422,
            '{"message": "scene: layers[0].strength: 7 is above the limit 1. Use a number up to 1."}',
            "application/json",
        )
        self.switch_off("dust")
        line = self.page.get_by_text("above the limit")
        line.wait_for()
        self.page.unroute("**/api/objects/*/edit")
        self.settle()
        self.assertTrue(line.is_visible())
        # What stands there is what is saved.
        self.assertTrue(self.scene()["dust"])
        self.assertEqual(
            self.page.locator("[data-layer=dust]").get_by_role("button", name=re.compile("^Switch .* off$")).count(), 1
        )

    def test_the_export_lists_what_the_core_writes(self) -> None:
        self.open()
        self.page.get_by_role("link", name="Export").click()
        self.page.get_by_text("gate-hoist.glb").wait_for()
        self.page.get_by_role("button", name="Maps", exact=True).click()
        self.page.locator("aside li", has_text="maps.json").wait_for()
        files = self.page.locator("aside li").all_inner_texts()
        self.assertIn("scene.json", files)
        self.assertTrue(any(name.endswith("_base-color.png") for name in files), files)
