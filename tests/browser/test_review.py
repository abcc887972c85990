"""The Review stage as somebody judges in it: lights, and findings that are mended or let be."""

from __future__ import annotations

import numpy as np

from limus.document.scene import Scene
from server.projects.models import WorkObject
from tests.browser.base import BrowserTest


class Review(BrowserTest):
    def stage(self) -> None:
        self.open(f"/object/{WorkObject.objects.get(name='Gate hoist').pk}/review")

    def test_the_surface_in_every_light(self) -> None:
        page = self.page
        self.stage()
        window = self.picture()
        page.get_by_role("button", name="In all lights").click()
        cards = page.get_by_role("region", name="In all lights").locator("img")
        self.until(lambda: cards.count() == 8)
        self.settle()
        shown = cards.evaluate_all("images => images.map(i => [i.naturalWidth, i.src])")
        self.assertEqual({width for width, _ in shown}, {192})
        # Eight pictures, each in another light.
        self.assertEqual(len({src for _, src in shown}), 8)
        # Drawing them left the view as it was.
        self.assertLess(float(np.abs(self.picture() - window).mean()), 0.5)
        page.locator("section.view canvas").first.focus()
        page.keyboard.press("7")
        self.settle()
        lamp = self.picture()
        self.assertGreater(float((np.abs(lamp - window).max(axis=2) > 20).mean()), 0.02)
        self.assertEqual(page.locator("[data-light=grazing]").get_attribute("aria-current"), "true")
        page.get_by_role("region", name="In all lights").get_by_role("button", name="Overcast").click()
        self.settle()
        self.assertGreater(float(np.abs(self.picture() - lamp).mean()), 1.0)
        # It stays as it is in the other stages.
        page.get_by_role("link", name="Weather").click()
        self.settle()
        page.get_by_role("link", name="Review").click()
        self.settle()
        self.assertEqual(page.locator("[data-light=overcast]").get_attribute("aria-current"), "true")

    def test_findings_are_mended_and_accepted(self) -> None:
        page = self.page
        item = WorkObject.objects.get(name="Gate hoist")
        nowhere = {"terms": [{"source": {"kind": "even", "level": 0.0}}]}
        layers = [
            *item.document["layers"],
            {"id": "lost", "name": "Lost", "effect": {"kind": "dust"}, "where": nowhere},
        ]
        whole = Scene.model_validate({**item.document, "layers": layers}).model_dump(mode="json")
        item.commit(item.head_id, whole, "A layer that does nothing")
        self.stage()
        lost = page.locator("[data-finding='idle-layer:lost']")
        lost.wait_for()
        self.assertIn("'Lost' changes nothing", lost.inner_text())
        page.get_by_test_id("findings-dot").wait_for()
        self.assertRegex(
            page.get_by_role("link", name="Review", exact=True).get_attribute("aria-description") or "", r"\d findings"
        )
        # Shown in the view.
        lost.locator(".what").click()
        page.get_by_test_id("view-label").get_by_text("Mask of Lost").wait_for()
        self.settle()
        # Let be for good, and back.
        black = page.locator("[data-finding='mask-level:lost']")
        black.get_by_role("button", name="Accept for good").click()
        black.wait_for(state="detached")
        self.settle()
        self.assertEqual(WorkObject.objects.get(pk=item.pk).scene().accepted, ["mask-level:lost"])
        page.get_by_role("button", name="1 accepted").click()
        page.get_by_role("button", name="Show it again").click()
        black.wait_for()
        # Mended by its own button: the layer is off, and what was found of it is gone.
        lost.get_by_role("button", name="Switch it off").click()
        lost.wait_for(state="detached")
        self.settle()
        self.assertFalse(WorkObject.objects.get(pk=item.pk).scene().layers[-1].on)
        self.assertEqual(page.locator("[data-finding='mask-level:lost']").count(), 0)
