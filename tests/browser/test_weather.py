"""Water by tenths of a millimetre, and snapshots of dry and wet, as they are used."""

from __future__ import annotations

from typing import Any

from server.projects.models import WorkObject
from tests.browser.base import BrowserTest


class Weather(BrowserTest):
    first_only = False

    def saved(self) -> dict[str, Any]:
        item = WorkObject.objects.select_related("head").get(name="Gate hoist")
        assert item.head is not None
        return item.head.document  # type: ignore[no-any-return]

    def water(self) -> dict[str, Any]:
        return next(one for one in self.saved()["layers"] if one["effect"]["kind"] == "water")

    def test_the_level_goes_by_tenths_and_says_what_is_wet(self) -> None:
        page = self.page
        self.open()
        self.add("water")
        row = page.locator("[data-field=level_mm]")
        row.scroll_into_view_if_needed()
        self.assertRegex(row.inner_text(), r"[\d.]+ % of the surface is under water")
        before = float(self.water()["effect"]["level_mm"])
        row.get_by_role("slider").focus()
        page.keyboard.press("ArrowRight")
        self.settle()
        self.assertAlmostEqual(float(self.water()["effect"]["level_mm"]) - before, 0.1, places=3)
        # More of it, more is wet, where there are dips to hold it.
        dips = page.locator("[data-field=uneven_mm]").get_by_label("Unevenness, value")
        dips.fill("14")
        dips.press("Enter")
        self.settle()
        shares = []
        for level in ("0.5", "8"):
            field = row.get_by_label("Level, value")
            field.fill(level)
            field.press("Enter")
            self.settle()
            shares.append(float(row.locator(".said").inner_text().split(" ")[0].replace("<", "0")))
        self.assertGreater(shares[1], shares[0])
        # The level of the world is another field, in the same place.
        self.pick(
            page.locator("[data-field=by]").get_by_role("combobox"),
            page.get_by_role("option", name="the world, above the ground"),
        )
        self.settle()
        self.assertEqual(page.locator("[data-field=above_mm]").count(), 1)
        self.assertEqual(page.locator("[data-field=level_mm]").count(), 0)
        for _ in range(5):
            page.keyboard.press("Control+z")
            self.settle()
