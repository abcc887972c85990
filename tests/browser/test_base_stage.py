"""The Base stage in a real browser."""

from __future__ import annotations

import tempfile
import zipfile
from pathlib import Path
from typing import Any

import numpy as np

from limus.formats.gltf_read import read_gltf
from server.projects.models import WorkObject
from tests.browser.base import BrowserTest
from tests.server.test_base_stage import map_files


class BaseStage(BrowserTest):
    def enter(self) -> None:
        pk = WorkObject.objects.get(name="Gate hoist").pk
        self.open(f"/object/{pk}/base")
        self.page.locator("[data-stock]").first.wait_for()

    def bases(self) -> list[dict[str, Any]]:
        return WorkObject.objects.get(name="Gate hoist").scene().model_dump()["bases"]

    def find(self, text: str) -> None:
        self.page.get_by_role("textbox", name="Find a base").fill(text)

    def drop_set(self) -> None:
        """A real map set, dropped on the view."""
        files = [{"name": n, "data": list(d)} for n, d in map_files().items()]
        transfer = self.page.evaluate_handle(
            "files => { const t = new DataTransfer(); for (const f of files) t.items.add(new File([new "
            "Uint8Array(f.data)], f.name)); return t }",
            files,
        )
        view = self.page.locator("main.work-stage")
        view.dispatch_event("dragover", {"dataTransfer": transfer})
        view.dispatch_event("drop", {"dataTransfer": transfer})

    def test_a_map_set_on_one_part_and_a_base_of_the_store_room_on_another(self) -> None:
        page = self.page
        self.enter()
        self.drop_set()
        table = page.get_by_role("table", name="What each file is")
        table.wait_for()
        self.assertEqual(
            table.locator("tr[data-role]").evaluate_all("rows => rows.map(r => r.dataset.role)"),
            ["base_color", "normal", "roughness"],
        )
        self.assertIn("points down", page.get_by_label("What was found").inner_text())
        size = page.get_by_role("spinbutton", name="Real width of a tile")
        size.fill("6")
        size.press("Tab")
        page.get_by_role("button", name="Use as base").click()
        page.locator(".sheet .title", has_text="Old wall").wait_for()
        self.settle()
        # Its tile of 6 cm shows on an object of more than a metre; breaking mends that.
        page.locator(".sheet .note", has_text="shows to repeat").wait_for()
        page.get_by_role("tab", name="Placing").click()
        page.locator("[data-field=broken] .p-toggleswitch").click()
        self.settle()
        page.get_by_test_id("repetition").get_by_text("it does not show").wait_for()
        # Another base for the wheel.
        self.find("copper")
        page.locator("[data-stock=copper]").wait_for()
        self.pick(
            page.get_by_role("button", name="More for Copper"), page.get_by_role("menuitem", name="Add for other parts")
        )
        page.locator("[data-base='3'][aria-pressed=true]").wait_for()
        page.get_by_role("tab", name="Placing").click()
        self.pick(page.locator(".sheet .p-multiselect"), page.get_by_role("option", name="hand wheel", exact=True))
        page.keyboard.press("Escape")
        self.settle()
        bases = self.bases()
        self.assertEqual([b["name"] for b in bases], ["Old wall", "Brass", "Rolled steel", "Copper"])
        self.assertEqual(
            (bases[0]["placing"]["size_cm"], bases[0]["placing"]["broken"], bases[3]["parts"]),
            (6.0, True, ["hand wheel"]),
        )
        # What goes out is what was put on: roughness and metalness of the two, without the layers over them.
        document = WorkObject.objects.get(name="Gate hoist").head.document
        head = WorkObject.objects.get(name="Gate hoist")
        head.commit(head.head_id, {**document, "layers": []}, "bare")
        page.reload()
        page.get_by_role("link", name="Export").click()
        self.choose("Resolution", "512")
        with page.expect_download() as waiting:
            page.get_by_test_id("export").click()
        with tempfile.TemporaryDirectory() as folder, zipfile.ZipFile(waiting.value.path()) as files:
            inside = next(n for n in files.namelist() if n.endswith(".glb"))
            mesh = read_gltf(Path(files.extract(inside, folder)))
        maps = mesh.base_maps[0]
        assert maps is not None and maps.orm is not None
        size_px = maps.orm.pixels.shape[0]

        def metalness(part: str) -> float:
            entry = next(p for p in mesh.parts if p.name == part)
            uv = mesh.uv[mesh.triangles[entry.first : entry.first + entry.count]].mean(axis=1)  # type: ignore[index]
            x, y = (np.clip((uv * size_px).astype(int), 0, size_px - 1)).T
            return float(maps.orm.pixels[y, x, 2].mean()) / 255  # type: ignore[index]

        self.assertGreater(metalness("hand wheel"), 0.9)
        self.assertLess(metalness("pedestal"), 0.1)

    def test_the_picture_shows_the_base_and_undo_takes_it_back(self) -> None:
        page = self.page
        self.enter()
        before = self.picture()
        self.find("brick")
        page.locator("[data-stock='brick in mortar']").wait_for()
        page.get_by_label("Use Brick in mortar").click()
        page.locator(".sheet .title", has_text="Brick in mortar").wait_for()
        self.settle()
        bricks = self.picture()
        self.assertGreater(float(np.abs(bricks - before).mean()), 4)
        # Redder than iron.
        changed = np.abs(bricks - before).max(axis=2) > 20
        self.assertGreater(float((bricks[changed][:, 0] - bricks[changed][:, 2]).mean()), 15)
        # Their edges are broken by the handle of the slider; what else is to be said of them stands there only then.
        self.assertEqual(page.locator("[data-field=arris_size_mm], [data-field=arris_as]").count(), 0)
        self.slide("arris_mm", 40)
        self.settle()
        brick = self.bases()[0]["material"]
        self.assertGreater(brick["arris_mm"], 3.0)
        self.assertLessEqual(brick["arris_mm"], 20.0)
        broken = self.picture()
        self.assertGreater(float((np.abs(broken - bricks).max(axis=2) > 8).mean()), 0.01)
        self.slide("arris_size_mm", 30)
        self.choose("Edge", "scalloped")
        self.settle()
        edge = self.bases()[0]["material"]
        self.assertEqual(edge["arris_as"], "scalloped")
        self.assertGreater(edge["arris_size_mm"], 1.3 * brick["arris_size_mm"])
        self.assertGreater(float((np.abs(self.picture() - broken).max(axis=2) > 8).mean()), 0.01)
        for _ in range(3):
            page.keyboard.press("Control+z")
            self.settle()
        self.assertEqual(self.bases()[0]["material"]["arris_mm"], 0.0)
        page.get_by_role("button", name="Undo").click()
        page.locator(".sheet .title", has_text="Cast iron").wait_for()
        self.settle()
        self.assertLess(float(np.abs(self.picture() - before).mean()), 1.5)

    def test_bad_files_are_told_and_a_good_one_is_kept(self) -> None:
        page = self.page
        self.enter()
        page.get_by_role("button", name="Texture files…").first.click()
        chooser = (
            page.get_by_label("Texture files", exact=True)
            .locator("visible=true")
            .or_(page.locator("input[aria-label='Texture files']"))
        )
        page.locator("input[aria-label='Texture files']").set_input_files(
            [{"name": "cut.png", "mimeType": "image/png", "buffer": b"no"}]
        )
        page.get_by_role("alert").get_by_text("not a picture that can be read").wait_for()
        self.assertGreaterEqual(chooser.count(), 1)
        name, data = next(iter(map_files().items()))
        page.locator("input[aria-label='Texture files']").set_input_files(
            [
                {"name": "cut.png", "mimeType": "image/png", "buffer": b"no"},
                {"name": name, "mimeType": "image/png", "buffer": data},
            ]
        )
        page.get_by_role("button", name="Use as base").wait_for()
        self.assertIn("Left out: cut.png", page.get_by_label("What was found").inner_text())
        page.get_by_role("button", name="Cancel").click()
        self.assertEqual(len(self.bases()), 3)

    def test_the_mask_of_a_base_is_painted_with_the_mouse(self) -> None:
        page = self.page
        self.enter()
        page.get_by_role("button", name="More for Bronze").click()
        page.get_by_role("menuitem", name="Lay over by a mask").click()
        page.get_by_role("tab", name="Placing").click()
        self.settle()
        share = page.locator(".whole b")
        before = float(share.inner_text().split()[0])
        page.locator("canvas").first.focus()
        page.keyboard.press("h")
        self.assertIn("Mask of Bronze", page.get_by_test_id("brush-bar").inner_text())
        page.locator("#brush-size").fill("220")
        page.locator("#brush-size").press("Enter")
        box: Any = page.locator("section.view canvas").first.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.4
        page.mouse.move(x, y)
        page.mouse.down()
        for k in range(1, 7):
            page.mouse.move(x, y + k * 22)
            self.frame()
        page.mouse.up()
        self.settle()
        terms = self.bases()[-1]["where"]["terms"]
        self.assertEqual([t["source"]["kind"] for t in terms], ["noise", "strokes"])
        self.assertEqual(len(terms[1]["source"]["strokes"]), 1)
        self.assertGreater(float(share.inner_text().split()[0]), before + 1.0)
        page.keyboard.press("Control+z")
        self.settle()
        self.assertEqual(len(self.bases()[-1]["where"]["terms"]), 1)
        self.assertEqual(float(share.inner_text().split()[0]), before)
