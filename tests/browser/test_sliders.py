"""Every control that slides can be taken by its handle, where it stands when nobody has touched it."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from playwright.sync_api import Locator, Route

from limus.document.scene import Layer
from limus.document.start import fresh_effect
from limus.effects.catalogue import EFFECTS
from limus.readings.setting import Setting
from server.projects.models import WorkObject
from server.projects.workshop import session_of
from tests.browser.base import BrowserTest

#: Takes every slider of the sheet by its handle, as a mouse does: what lies at the middle of the handle is pressed,
#: then the pointer moves 60 pixels and lets go. Answers what lay there and how far the value went with the pointer.
TAKE_ALL = """async () => {
  const out = []
  const names = [...document.querySelectorAll('aside.sheet [data-field]:has(.p-slider)')].map(f => f.dataset.field)
  for (const name of names) {
    const field = document.querySelector(`aside.sheet [data-field="${name}"]:has(.p-slider)`)
    const handle = field?.querySelector('.p-slider-handle')
    if (!handle || !handle.offsetParent) continue
    handle.scrollIntoView({ block: 'center' })
    await new Promise(done => requestAnimationFrame(() => setTimeout(done)))
    const now = () => Number(handle.getAttribute('aria-valuenow'))
    const box = handle.getBoundingClientRect()
    const x = box.x + box.width / 2, y = box.y + box.height / 2
    const under = document.elementFromPoint(x, y)
    const before = now()
    const middle = (Number(handle.getAttribute('aria-valuemin')) + Number(handle.getAttribute('aria-valuemax'))) / 2
    const by = before < middle ? 60 : -60
    const mouse = (what, on, dx) => on.dispatchEvent(new MouseEvent(what, {
      bubbles: true, cancelable: true, view: window, button: 0, clientX: x + dx, clientY: y }))
    const step = () => new Promise(done => setTimeout(done))
    mouse('mousedown', under, 0)
    for (const share of [1 / 3, 2 / 3, 1]) {
      mouse('mousemove', document.elementFromPoint(x + by * share, y) ?? document.body, by * share)
      await step()
    }
    const moved = (now() - before) * Math.sign(by)
    mouse('mouseup', document.elementFromPoint(x + by, y) ?? document.body, by)
    out.push({ name, moved, under: handle.contains(under) ? 'handle' : under?.outerHTML.slice(0, 120) })
    await step()
  }
  return out
}"""


def leaves(before: Any, after: Any) -> Iterator[tuple[Any, Any]]:
    """Values that differ between two documents of the same shape."""
    if isinstance(before, dict):
        for name in before:
            yield from leaves(before[name], after[name])
    elif isinstance(before, list) and len(before) == len(after):
        for one, other in zip(before, after, strict=True):
            yield from leaves(one, other)
    elif before != after:
        yield before, after


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
        self.before = document
        self.page.goto(f"{self.live_server_url}/static/web/mark.svg")
        self.page.evaluate("localStorage.setItem('limus.view', 'off')")
        self.page.goto(f"{self.live_server_url}/object/{item.pk}/weather")
        self.page.locator("[data-layer]").first.wait_for()

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
            taken = self.page.evaluate(TAKE_ALL)
            self.assertTrue(taken, kind)
            for one in taken:
                tried += 1
                self.assertEqual(one["under"], "handle", f"{kind}.{one['name']}: something lies over the handle")
                self.assertGreater(one["moved"], 0, f"{kind}.{one['name']}: the handle was not taken")
        self.settle()
        self.assertGreater(tried, 120)
        # Each is saved, and nothing else has changed.
        item = WorkObject.objects.get(name="Gate hoist")
        self.assertEqual(len(list(leaves(self.before, item.document))), tried)

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
