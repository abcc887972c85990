"""Every control that slides can be taken by its handle, where it stands when nobody has touched it."""

from __future__ import annotations

import json
from typing import Any

from playwright.sync_api import Locator, Request, Route

from limus.document.scene import Layer
from limus.document.start import fresh_effect
from limus.effects.catalogue import EFFECTS
from limus.readings.setting import Setting
from server.projects.models import WorkObject
from server.projects.workshop import session_of
from tests.browser.base import BrowserTest


class Sliders(BrowserTest):
    def fresh(self) -> None:
        """The hoist with one layer of every effect, each as it comes; nothing is evaluated, which is no matter here."""
        item = WorkObject.objects.get(name="Gate hoist")
        size = session_of(item.scene()).size
        layers = [
            Layer(
                id=kind, name=kind, effect=fresh_effect(kind, size, Setting()), where=EFFECTS[kind].default_where(size)
            )
            for kind in EFFECTS
        ]
        document = {
            **item.document,
            "layers": [one.model_dump(mode="json") for one in layers],
            "episodes": [],
            "snapshots": [],
        }
        item.commit(item.head_id, document, "One of each")

        def later(route: Route) -> None:
            route.fulfill(status=409, content_type="application/json", body=json.dumps({"message": "later"}))

        self.page.route("**/api/objects/*/evaluate", later)
        self.edits = 0
        self.page.on("requestfinished", self.counted)
        self.page.goto(f"{self.live_server_url}/static/web/mark.svg")
        self.page.evaluate("localStorage.setItem('limus.view', 'off')")
        self.page.goto(f"{self.live_server_url}/object/{item.pk}/weather")
        self.page.locator("[data-layer]").first.wait_for()

    def counted(self, request: Request) -> None:
        self.edits += request.url.endswith("/edit")

    edits = 0

    def drag(self, slider: Locator, where: str) -> None:
        handle = slider.locator(".p-slider-handle")
        handle.scroll_into_view_if_needed()
        before = handle.get_attribute("aria-valuenow") or ""
        low, high = (float(handle.get_attribute(f"aria-value{end}") or 0) for end in ("min", "max"))
        box: Any = handle.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        by = 60 if float(before) < (low + high) / 2 else -60
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + by, y, steps=3)
        moved = handle.get_attribute("aria-valuenow") or ""
        self.page.mouse.up()
        self.assertGreater(
            (float(moved) - float(before)) * (1 if by > 0 else -1), 0, f"{where}: the handle was not taken"
        )

    def test_every_fresh_slider_of_every_effect(self) -> None:
        self.page.set_viewport_size({"width": 1280, "height": 900})
        self.fresh()
        tried = 0
        for kind in EFFECTS:
            self.page.locator(f"[data-layer={kind}]").click()
            self.page.locator("aside.sheet .title", has_text=kind).wait_for()
            names = self.page.locator("aside.sheet [data-field]:has(.p-slider)").evaluate_all(
                "all => all.map(f => f.dataset.field)"
            )
            self.assertTrue(names, kind)
            for name in names:
                slider = self.page.locator(f"aside.sheet [data-field={name}]:has(.p-slider)").first
                if slider.count() and slider.is_visible():
                    self.drag(slider, f"{kind}.{name}")
                    tried += 1
        self.settle()
        self.page.remove_listener("requestfinished", self.counted)
        self.assertGreater(tried, 120)
        # Each was saved as an edit of its own.
        self.assertGreaterEqual(self.edits, tried - 10)

    def test_the_tick_returns_to_the_default_and_never_hides_the_handle(self) -> None:
        self.fresh()
        self.page.locator("[data-layer=chipping]").click()
        field = self.page.locator("[data-field=size_mm]").first
        handle, tick, value = field.locator(".p-slider-handle"), field.locator(".tick"), field.locator("input.value")
        was = value.input_value()
        self.drag(field, "size_mm")
        self.assertNotEqual(value.input_value(), was)
        tick.click()
        self.assertEqual(value.input_value(), was)
        # A hair beside its default the handle lies over the tick: taken by its middle it still follows.
        for key in ("ArrowRight", "ArrowRight"):
            handle.press(key)
        self.drag(field, "size_mm beside its default")
