"""Where: building a recipe by dragging, painting with mirror and pressure, filling, undo, reload."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from server.projects.models import WorkObject
from tests.browser.base import BrowserTest

PEN = Path(__file__).resolve().parents[2] / "demo" / "pen-stroke.json"


class Places(BrowserTest):
    def terms(self, layer: str = "dust") -> list[dict[str, Any]]:
        item = WorkObject.objects.get(name="Gate hoist")
        assert item.head is not None
        return next(x for x in item.head.document["layers"] if x["id"] == layer)["where"]["terms"]  # type: ignore[no-any-return]

    def choose(self, layer: str) -> None:
        self.page.locator(f"[data-layer={layer}]").click()
        self.settle()

    def at(self, x: float, y: float) -> tuple[float, float]:
        """A place of the view, by shares of its width and height."""
        box: Any = self.page.locator("section.view canvas").first.bounding_box()
        return box["x"] + box["width"] * x, box["y"] + box["height"] * y

    def drag(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        a, b = self.at(*start), self.at(*end)
        self.page.mouse.move(*a)
        self.page.mouse.down()
        for k in range(1, 9):
            self.page.mouse.move(a[0] + (b[0] - a[0]) * k / 8, a[1] + (b[1] - a[1]) * k / 8)
            self.frame()
        self.page.mouse.up()
        self.settle()

    def size(self, millimetres: int) -> None:
        field = self.page.locator("#brush-size")
        field.fill(str(millimetres))
        field.press("Enter")
        self.page.locator("canvas").first.focus()

    def share(self) -> float:
        text = self.page.locator(".whole b").inner_text().replace("%", "").replace("<", "").strip()
        return float(text)

    def test_a_recipe_by_dragging(self) -> None:
        self.open()
        self.choose("dust")
        before = len(self.terms())
        self.page.locator("[data-look=occlusion]").drag_to(self.page.get_by_test_id("where"))
        self.settle()
        added = self.terms()[-1]
        self.assertEqual(
            (len(self.terms()), added["source"]["kind"], added["source"]["reach_mm"]), (before + 1, "sheltered", 73.0)
        )
        # By keyboard: the button of a row does the same.
        self.page.get_by_role("button", name="Add Height to the recipe").press("Enter")
        self.settle()
        self.assertEqual(self.terms()[-1]["source"]["kind"], "height")
        # Look through the line, pinned while another layer is chosen.
        self.page.locator(".term.open .thumb").click()
        self.settle()
        self.assertIn(f"Dust: line {before + 2}", self.label())
        self.page.locator("canvas").first.focus()
        self.page.keyboard.press("p")
        self.choose("dirt")
        self.assertIn(f"Dust: line {before + 2}", self.label())
        # The shaping that is not used all day: a curve with a point pulled down, and a coverage.
        self.choose("dust")
        self.page.locator(".term").last.get_by_role("button", expanded=False).first.click()
        self.page.get_by_role("button", name="Curve, edge and coverage").click()
        self.page.locator("[data-field=curve] .p-toggleswitch").click()
        self.settle()
        middle = self.page.get_by_role("slider", name="Point 2 at 0.5")
        middle.focus()
        for _ in range(3):
            self.page.keyboard.press("Shift+ArrowDown")
        self.settle()
        self.page.locator("[data-field=cover] .p-toggleswitch").click()
        self.settle()
        line = self.terms()[-1]
        self.assertEqual(line["curve"], [[0, 0], [0.5, 0.2], [1, 1]])
        self.assertEqual(line["cover"], 0.3)
        # Solo: only this line counts, and it covers what it was told to, about.
        self.page.locator(".term.open").get_by_role("button", name="Solo").click()
        self.settle()
        self.assertTrue(self.terms()[-1]["solo"])
        # Linked to another layer, one edit serves both; the other may be unlinked again.
        self.page.get_by_role("button", name="More for this line").click()
        menu = self.page.locator(".line-menu")
        menu.get_by_role("menuitem", name="Rust").last.click()
        self.settle()
        self.page.locator(".term.open").get_by_role("button", name="Invert").click()
        self.settle()
        self.assertTrue(self.terms("rust")[-1]["invert"])
        self.assertEqual(self.terms("rust")[-1]["link"], self.terms("dust")[-1]["link"])
        self.page.get_by_text("One line with Rust").wait_for()

    def test_painting_with_mirror_undo_and_reload(self) -> None:
        self.open()
        self.choose("rust")
        self.page.locator("[data-layer=rust]").press("h")
        bar = self.page.get_by_test_id("brush-bar")
        # In a narrow window the mirror stands with the rest.
        bar.get_by_role("button", name="More…").click()
        self.pick(self.page.locator("#brush-mirror"), self.page.get_by_role("option", name="Mirror left–right"))
        bar.get_by_role("button", name="More…").click()
        self.size(160)
        self.page.keyboard.press("m")
        self.settle()
        before = self.picture()
        whole = self.share()
        bar.get_by_text("Take away").click()
        # The tint under the cursor is there before the button is let go.
        a, b = self.at(0.44, 0.62), self.at(0.5, 0.7)
        self.page.mouse.move(*a)
        self.page.mouse.down()
        for k in range(1, 9):
            self.page.mouse.move(a[0] + (b[0] - a[0]) * k / 8, a[1] + (b[1] - a[1]) * k / 8)
            self.frame()
        self.settle()
        self.assertEqual(len(self.terms("rust")), 2)
        tinted = self.picture()
        self.assertGreater(float((np.abs(tinted - before).max(axis=2) > 30).mean()), 0.001)
        self.page.mouse.up()
        self.settle()
        line = self.terms("rust")[-1]
        self.assertEqual(
            (line["source"]["kind"], line["combine"], len(line["source"]["strokes"])), ("strokes", "over", 1)
        )
        self.assertLess(self.share(), whole)
        kept = json.loads(self.file(line["source"]["strokes"][0]))
        self.assertEqual((kept["action"], kept["mirror"]["normal"]), ("take", [1.0, 0.0, 0.0]))
        self.assertGreater(len(kept["points"]), 3)
        # A second one, then undo: it alone goes, also after the page was loaded again.
        self.drag((0.41, 0.6), (0.42, 0.68))
        self.assertEqual(len(self.terms("rust")[-1]["source"]["strokes"]), 2)
        self.page.reload()
        self.settle()
        self.page.get_by_role("button", name="Undo").click()
        self.settle()
        self.assertEqual(len(self.terms("rust")[-1]["source"]["strokes"]), 1)

    def file(self, name: str) -> str:
        from django.conf import settings

        return (Path(settings.DATA_DIR) / name).read_text()

    def test_the_recorded_pen_fills_and_the_uv_view(self) -> None:
        self.open()
        self.choose("dust")
        self.page.get_by_test_id("where").get_by_role("button", name="Paint").last.click()
        bar = self.page.get_by_test_id("brush-bar")
        bar.get_by_role("button", name="More…").click()
        self.page.get_by_test_id("pen-file").set_input_files(PEN)
        self.page.locator(".term", has_text="painted by hand").wait_for()
        self.settle()
        strokes = self.terms()[-1]["source"]["strokes"]
        self.assertGreaterEqual(len(strokes), 1)
        points = np.array([p for name in strokes for p in json.loads(self.file(name))["points"]])
        # Pressure and tilt of the pen came through.
        self.assertGreater(float(np.ptp(points[:, 6])), 0.4)
        self.assertGreater(float(points[:, 7].max()), 20.0)
        # Nonsense instead of a record is refused in words.
        bar.get_by_role("button", name="More…").click()
        self.page.get_by_test_id("pen-file").set_input_files(
            {"name": "x.json", "mimeType": "application/json", "buffer": b'{"version": 2}'}
        )
        self.page.get_by_text("This is not a recorded pen").wait_for()
        # On the UV view: the same strokes by another way.
        self.page.get_by_role("button", name="UV view").click()
        uv = self.page.get_by_test_id("uv-canvas")
        box: Any = uv.bounding_box()
        self.page.mouse.move(box["x"] + 40, box["y"] + 30)
        self.page.mouse.down()
        for k in range(6):
            self.page.mouse.move(box["x"] + 40 + 12 * k, box["y"] + 30)
            self.frame()
        self.page.mouse.up()
        self.settle()
        self.assertGreater(len(self.terms()[-1]["source"]["strokes"]), len(strokes))
        self.page.get_by_role("button", name="UV view").click()
        # Fill a part with one click, empty it with another.
        self.page.get_by_test_id("where").get_by_role("button", name="Fill").last.click()
        self.pick(bar.locator("#fill-what"), self.page.get_by_role("option", name="Part", exact=True))
        whole = self.share()
        self.page.mouse.click(*self.at(0.40, 0.69))
        self.settle()
        picks = self.terms()[-1]
        self.assertEqual((picks["source"]["kind"], picks["source"]["picks"][0]["what"]), ("picks", "part"))
        self.assertGreater(self.share(), whole + 5)
        self.page.keyboard.press("Escape")
        bar.wait_for(state="detached")

    def test_vertex_colours(self) -> None:
        self.open()
        self.choose("dust")
        self.page.get_by_test_id("where").get_by_role("button", name="Paint").last.click()
        bar = self.page.get_by_test_id("brush-bar")
        self.pick(bar.get_by_label("What it works on"), self.page.get_by_role("option", name="Vertex colour red"))
        self.settle()
        self.size(120)
        self.drag((0.45, 0.35), (0.48, 0.5))
        item = WorkObject.objects.get(name="Gate hoist")
        assert item.head is not None
        self.assertEqual([x["channel"] for x in item.head.document["vertex_paint"]], ["R"])
        self.assertIn("Vertex colour, R", self.label())
        self.assertEqual(bar.count(), 1)  # the brush stays in the hand
        self.assertGreater(float((self.picture().min(axis=2) > 200).mean()), 0.001)
