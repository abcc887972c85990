"""Judging as somebody does it: a photograph beside the surface, read and taken over; then against now; a report, a
still, lights.
"""

from __future__ import annotations

import base64
import io
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import pypdf
from PIL import Image
from playwright.sync_api import Locator

from limus.common.colour import to_srgb
from server.projects.models import Moment, Photograph, WorkObject
from tests.browser.base import BrowserTest
from tests.core.test_photographs import PAINT, RUST, discs

#: Size and length of a film, and how far frames of it are from its first, of 255.
PLAYED = """async address => {
  const film = document.createElement('video')
  film.muted = true
  // Shown, and not only looked up.
  const after = act => new Promise((done, failed) => {
    film.requestVideoFrameCallback(done)
    film.onerror = failed
    act()
  })
  await after(() => (film.src = address))
  const paper = new OffscreenCanvas(film.videoWidth, film.videoHeight), pen = paper.getContext('2d')
  const at = async time => {
    if (time) await after(() => (film.currentTime = time))
    pen.drawImage(film, 0, 0)
    return pen.getImageData(0, 0, paper.width, paper.height).data
  }
  const off = (a, b) => a.reduce((sum, v, k) => sum + Math.abs(v - b[k]), 0) / a.length
  const first = await at(0)
  return [film.videoWidth, film.duration, off(first, await at(0.5)), off(first, await at(1.97))]
}"""


class Judging(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.item = WorkObject.objects.get(name="Gate hoist")
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def photograph(self) -> Path:
        """A green panel a third of a metre wide, an eighth of it broken down to something red."""
        linear = np.where(discs(20.0, 0.125, size=330)[0][..., None], RUST, PAINT)
        path = self.folder / "panel.png"
        Image.fromarray(np.round(to_srgb(linear) * 255).astype(np.uint8)).save(path)
        return path

    def stage(self) -> None:
        self.open(f"/object/{self.item.pk}/review")

    def place(self, x: float, y: float) -> tuple[float, float]:
        box = self.page.locator(".paper > img").first.bounding_box()
        assert box is not None
        return box["x"] + x * box["width"], box["y"] + y * box["height"]

    def layer(self) -> Any:
        self.item.refresh_from_db()
        return next(one for one in self.item.document["layers"] if one["id"] == "chipping")["effect"]

    def test_a_photograph_is_read_and_taken_over(self) -> None:
        page = self.page
        page.set_viewport_size({"width": 1200, "height": 760})
        self.stage()
        page.get_by_label("Photographs to hang on the wall").set_input_files(self.photograph())
        page.get_by_role("tab", name="Photograph").and_(page.locator("[aria-selected=true]")).wait_for()
        self.settle()
        # A box round what is to be read, drawn with the mouse.
        page.get_by_role("button", name="Region", exact=True).click()
        page.mouse.move(*self.place(0.02, 0.02))
        page.mouse.down()
        page.mouse.move(*self.place(0.98, 0.98), steps=3)
        page.mouse.up()
        self.settle()
        # Two points a hundred millimetres apart.
        page.get_by_role("button", name="Scale", exact=True).click()
        page.mouse.click(*self.place(0.2, 0.5))
        page.mouse.click(*self.place(0.8, 0.5))
        page.get_by_label("Length between the two points in mm").fill("198")
        page.keyboard.press("Enter")
        self.settle()
        photo = Photograph.objects.get()
        self.assertEqual(len(photo.marks["outline"]), 4)
        self.assertAlmostEqual(photo.marks["points"][1][0], 0.8, delta=0.02)
        page.get_by_label("Kinds of surface to tell apart").select_option("2")
        self.settle()
        page.get_by_role("button", name="Read it").click()
        self.settle()
        rows = page.get_by_role("table", name="Kinds of surface").locator("tbody tr")
        self.assertEqual(rows.count(), 2)
        self.assertRegex(rows.nth(1).inner_text(), r"1[123] %")
        page.get_by_label("Name of kind 2").fill("down to the iron")
        page.keyboard.press("Tab")
        self.settle()
        self.assertEqual(Photograph.objects.get().marks["names"][1], "down to the iron")
        # Onto the chips: shown first, then set, in one step that can be undone.
        page.get_by_label("Layer to set").click()
        page.get_by_role("option", name="Chipping", exact=True).click()
        before = self.layer()["coverage"]
        page.get_by_role("button", name="Find settings").click()
        self.settle()
        self.assertIn("Coverage", page.get_by_role("table", name="What would be set").inner_text())
        self.assertEqual(self.layer()["coverage"], before)
        page.get_by_role("button", name="Set these").click()
        self.until(lambda: abs(self.layer()["coverage"] - 0.125) < 0.02)
        page.keyboard.press("Control+z")
        self.until(lambda: self.layer()["coverage"] == before)
        # It stays beside the surface in the other stages; over the view it is matched by its opacity.
        page.get_by_role("link", name="Weather").click()
        self.settle()
        self.assertTrue(page.get_by_role("region", name="Photograph").is_visible())
        page.get_by_role("link", name="Review").click()
        self.settle()
        page.get_by_role("tab", name="Photograph").click()
        page.get_by_role("button", name="Over", exact=True).click()
        page.get_by_role("group", name="Photograph over the view").wait_for()
        self.assertAlmostEqual(float(page.locator(".layer img").evaluate("i => i.style.opacity")), 0.5)
        page.get_by_role("button", name="Close the photograph").click()
        self.assertEqual(page.locator(".layer img").count(), 0)

    def test_what_is_no_photograph_is_told(self) -> None:
        page = self.page
        self.stage()
        wrong = self.folder / "notes.png"
        wrong.write_bytes(b"not a picture at all")
        page.get_by_label("Photographs to hang on the wall").set_input_files([wrong, self.photograph()])
        self.settle()
        # The other one hangs.
        self.assertEqual([one.name for one in Photograph.objects.all()], ["panel.png"])
        self.assertIn("notes.png", page.get_by_label("Photographs of the real thing").get_by_role("alert").inner_text())

    def test_the_wall_shows_all_and_a_picture_is_hung_elsewhere(self) -> None:
        page = self.page
        self.stage()
        more = [self.folder / f"{name}.png" for name in ("left", "middle", "right", "far", "below")]
        for path in more:
            path.write_bytes(self.photograph().read_bytes())
        page.get_by_label("Photographs to hang on the wall").set_input_files(more)
        self.settle()
        page.get_by_role("button", name="Wall", exact=True).click()
        board = page.locator(".wall .board")
        pictures = board.locator("figure")
        self.settle()
        self.assertEqual(pictures.count(), 5)

        def box(of: Locator) -> tuple[float, float, float, float]:
            found = of.bounding_box()
            assert found is not None
            return found["x"], found["y"], found["x"] + found["width"], found["y"] + found["height"]

        def all_inside() -> bool:
            edge = box(board)
            each = [box(one) for one in pictures.all()]
            return all(edge[0] <= b[0] and edge[1] <= b[1] and b[2] <= edge[2] and b[3] <= edge[3] for b in each)

        self.until(all_inside)
        # One is dragged away by the mouse and stays there; the last one is pulled larger by its corner.
        self.take(pictures.nth(1).locator("img"), (150, 90))
        self.settle()
        hung = Photograph.objects.get(name="middle.png")
        first = Photograph.objects.get(name="left.png")
        self.assertGreater(hung.place["y"] - first.place.get("y", 0.0), 60)
        self.take(pictures.nth(4).locator(".corner"), (-40, 0))
        self.settle()
        self.assertLess(Photograph.objects.get(name="below.png").place["width"], 300)
        # From far out, back to all of them.
        page.mouse.wheel(0, -2500)
        self.until(lambda: not all_inside())
        page.get_by_role("button", name="Show all").click()
        self.until(all_inside)

    def test_then_against_now_and_back(self) -> None:
        page = self.page
        self.stage()
        page.get_by_role("button", name="Keep this moment").click()
        page.keyboard.type("Before")
        page.keyboard.press("Enter")
        self.settle()
        self.assertEqual(Moment.objects.get().version_id, self.item.head_id)
        window = self.picture()
        page.get_by_role("link", name="Weather").click()
        page.locator("[data-layer=chipping]").click()
        self.settle()
        page.get_by_label("Coverage, value").fill("60")
        page.keyboard.press("Enter")
        self.settle()
        page.get_by_role("link", name="Review").click()
        self.settle()
        now = self.picture()
        changed = float((np.abs(now - window).max(axis=2) > 25).mean())
        self.assertGreater(changed, 0.004)
        page.get_by_role("button", name="Before", exact=True).click()
        self.settle()
        line = page.get_by_role("slider", name="Line between then and now")
        self.assertEqual(line.get_attribute("aria-valuenow"), "50")
        self.pull(line, 1.0)
        # All the way to the right it is what it was.
        self.assertLess(self.off(self.picture(), window), changed / 3)
        line.press("ArrowLeft")
        self.assertEqual(line.get_attribute("aria-valuenow"), "98")
        self.pull(line, 0.0)
        self.assertLess(self.off(self.picture(), now), changed / 3)
        page.get_by_role("button", name="Difference", exact=True).click()
        self.settle()
        self.assertLess(float(np.median(self.picture()[80:])), 8.0)
        page.get_by_role("button", name="Leave the comparison").click()
        self.settle()
        self.assertLess(self.off(self.picture(), now), changed / 3)
        # The history has it too, and goes back to it as a step of its own.
        page.get_by_role("button", name="History", exact=True).click()
        self.settle()
        rows = page.locator("[data-version]")
        self.assertEqual(rows.count(), self.item.versions.count())
        page.get_by_role("button", name="More for Before").click()
        page.get_by_role("menuitem", name="Go back to it").click()
        self.until(lambda: self.layer()["coverage"] < 0.2)
        self.settle()
        self.assertEqual(self.item.versions.last().label, "Back to version 1")

    def pull(self, line: Locator, to: float) -> None:
        """Drag the line by the mouse to a share of the view's width."""
        view, box = self.page.locator("section.view").bounding_box(), line.bounding_box()
        assert view is not None and box is not None
        self.page.mouse.move(box["x"] + box["width"] / 2, view["y"] + view["height"] * 0.6)
        self.page.mouse.down()
        self.page.mouse.move(view["x"] + to * (view["width"] - 1), view["y"] + view["height"] * 0.6)
        self.page.mouse.up()
        self.settle()

    @staticmethod
    def off(one: np.ndarray, two: np.ndarray) -> float:
        """Share of the middle of the view that differs: what lies over it at the top does not count."""
        return float((np.abs(one - two).max(axis=2) > 25)[110:-90].mean())

    def test_report_and_still(self) -> None:
        page = self.page
        self.stage()
        self.assertGreater(float(self.picture().std()), 1.0)
        page.get_by_role("tab", name="Condition").click()
        self.settle()
        self.assertIn("ISO 4628-3", page.get_by_role("tabpanel").last.inner_text())
        with page.expect_download() as told:
            page.get_by_role("link", name="PDF").click()
        text = pypdf.PdfReader(told.value.path()).pages[0].extract_text()
        self.assertIn("Condition of Gate hoist", text)
        page.get_by_role("button", name="Picture or film of the view…").click()
        page.get_by_label("Width in pixels").click()
        page.get_by_role("option", name="1024").click()
        with page.expect_download() as told:
            page.get_by_role("button", name="Save it").click()
        still = np.asarray(Image.open(io.BytesIO(Path(told.value.path()).read_bytes())).convert("RGB"), np.float32)
        self.assertEqual(still.shape[1], 1024)
        self.assertEqual(told.value.suggested_filename, "Gate hoist.png")
        # The object stands in its middle, on the neutral surround.
        self.assertGreater(float(still[still.shape[0] // 4 : -still.shape[0] // 4, 400:620].std()), 15.0)
        np.testing.assert_allclose(still[5, 5], [134, 134, 134], atol=2)

    def test_the_sun_of_the_setting_and_a_light_by_name(self) -> None:
        page = self.page
        self.stage()
        page.get_by_role("button", name="Sun of the setting").click()
        self.settle()
        self.assertIn(page.locator("[aria-current=true]").get_attribute("data-light"), ("noon", "low-sun"))
        page.get_by_role("slider", name="Hour by the sun").focus()
        page.keyboard.press("Home")
        self.settle()
        page.get_by_text("The sun is below the horizon then.").wait_for()
        page.get_by_role("button", name="Keep this light").click()
        page.keyboard.type("Midsummer")
        page.keyboard.press("Enter")
        page.keyboard.press("2")
        page.get_by_role("button", name="Midsummer", exact=True).click()
        self.settle()
        self.assertNotEqual(page.locator("[aria-current=true]").get_attribute("data-light"), "overcast")
        page.get_by_role("button", name="Remove Midsummer").click()
        self.assertEqual(page.locator("[data-kept-light]").count(), 0)

    def test_a_panorama_of_ones_own_lights_the_view(self) -> None:
        page = self.page
        self.stage()
        # Radiance RGBE, flat: red from the left half, blue from the right, eight times as bright as black is not.
        left, right = bytes([255, 20, 20, 131]), bytes([20, 20, 255, 131])
        good = self.folder / "stage lamps.hdr"
        good.write_bytes(b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 32 +X 64\n" + (left * 32 + right * 32) * 32)
        bad = self.folder / "room.hdr"
        bad.write_bytes(b"#?RADIANCE nonsense")
        page.get_by_label("Panoramas: light all round").set_input_files(bad)
        page.get_by_role("alert").get_by_text("no panorama that can be read").wait_for()
        page.get_by_label("Panoramas: light all round").set_input_files(good)
        lamp = page.get_by_role("button", name="stage lamps", exact=True)
        lamp.wait_for()
        self.settle()
        self.assertEqual(lamp.get_attribute("aria-current"), "true")

        def redness() -> np.ndarray:
            """Red less blue of what is lit, from left to right."""
            picture = self.picture()
            lit = np.ptp(picture, axis=2) > 12
            apart = np.where(lit, picture[..., 0] - picture[..., 2], 0.0)
            return apart.sum(axis=0) / np.maximum(lit.sum(axis=0), 1)  # type: ignore[no-any-return]

        first = redness()
        self.assertGreater(float(np.ptp(first)), 40.0)
        # Turned half round by hand, what was red is blue.
        ball = page.get_by_role("slider", name="Direction of the light")
        ball.focus()
        for _ in range(18):
            page.keyboard.press("ArrowRight")
        self.settle()
        both = np.abs(first) > 15
        self.assertLess(float(np.corrcoef(first[both], redness()[both])[0, 1]), 0.0)
        # It is kept, and can be taken away.
        page.reload()
        self.settle()
        lamp.wait_for()
        page.get_by_role("button", name="Remove stage lamps").click()
        lamp.wait_for(state="detached")

    def test_a_turn_is_filmed_and_another_called_off(self) -> None:
        page = self.page
        self.stage()
        self.assertGreater(float(self.picture().std()), 1.0)
        page.get_by_role("button", name="Picture or film of the view…").click()
        self.choose("What", "A turn all round")
        self.choose("Width in pixels", "640")
        self.choose("Seconds", "2")
        with page.expect_download() as told:
            page.get_by_role("button", name="Save it").click()
        name = told.value.suggested_filename
        self.assertRegex(name, r"^Gate hoist\.(mp4|webm)$")
        kind = "video/" + name.rsplit(".")[-1]
        film = base64.b64encode(Path(told.value.path()).read_bytes()).decode()
        # As the browser plays it: its size, its length, and frames at the begin, a quarter and nearly the whole round.
        empty = page.context.new_page()
        width, length, quarter, whole = empty.evaluate(PLAYED, f"data:{kind};base64,{film}")
        empty.close()
        self.assertEqual(width, 640)
        self.assertAlmostEqual(length, 2.0, delta=0.1)
        self.assertGreater(quarter, 3.0)
        self.assertLess(whole, quarter / 2)
        # Called off half way, nothing is saved, and the next can begin.
        downloads: list[Any] = []

        def saved(found: Any) -> None:
            downloads.append(found)

        page.on("download", saved)
        self.choose("Seconds", "20")
        page.get_by_role("button", name="Save it").click()
        page.get_by_role("progressbar", name="Film made").wait_for()
        page.get_by_role("button", name="Cancel", exact=True).click()
        page.get_by_role("button", name="Save it").wait_for()
        self.settle()
        page.remove_listener("download", saved)
        self.assertEqual(downloads, [])
