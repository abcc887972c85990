"""A server that fails: nothing that somebody did is lost, and the screen never says that it is saved when it is not."""

from __future__ import annotations

import re

from playwright.sync_api import Route

from server.projects.models import WorkObject
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
