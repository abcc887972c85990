"""Signs by their handles, episodes, years and treatments, as they are used."""

from __future__ import annotations

import copy
from typing import Any

from limus.document.scene import Scene
from server.projects.drawn import keep_picture
from server.projects.models import OwnTreatment, WorkObject
from tests.browser.base import BrowserTest
from tests.server.test_base_stage import map_files
from tests.server.test_drawn import png


class Use(BrowserTest):
    first_only = False
    whole_story = True

    def effect(self, layer: str) -> dict[str, Any]:
        item = WorkObject.objects.select_related("head").get(name=self.on)
        assert item.head is not None
        return next(one["effect"] for one in item.head.document["layers"] if one["id"] == layer)  # type: ignore[no-any-return]

    on = "Gate hoist"

    def saved(self) -> dict[str, Any]:
        item = WorkObject.objects.select_related("head").get(name=self.on)
        assert item.head is not None
        return item.head.document  # type: ignore[no-any-return]

    def drag(self, test_id: str, by: tuple[int, int]) -> None:
        self.take(self.page.locator(test_id).first, by, release=False)
        self.settle()
        self.page.mouse.up()
        self.settle()

    def test_a_sign_is_placed_aged_and_used_again(self) -> None:
        page = self.page
        self.open()
        self.add("decal")
        sign = self.order()[-1]
        self.assertIsNone(self.effect(sign)["at"])
        # By its handles: over the surface, larger, turned; each a step of its own.
        self.drag(".grip.middle", (-6, 30))
        first = self.effect(sign)["at"]
        self.assertIsNotNone(first)
        wide = self.effect(sign)["width_mm"]
        self.drag(".grip.corner >> nth=1", (26, -26))
        self.assertGreater(self.effect(sign)["width_mm"], 1.2 * wide)
        self.drag(".grip.knob", (60, 30))
        self.assertGreater(abs(self.effect(sign)["turn_deg"]), 20)
        page.keyboard.press("Control+z")
        self.settle()
        self.assertEqual(self.effect(sign)["turn_deg"], 0.0)
        # By keyboard.
        page.locator(".grip.middle").focus()
        page.keyboard.press("ArrowUp")
        self.settle()
        self.assertNotEqual(self.effect(sign)["at"], first)
        # Before everything that wore it, it is worn: earlier than the chips.
        covered = page.locator(f"[data-layer={sign}] [data-testid=coverage]").inner_text()
        self.assertNotIn("off", covered)
        # Its episode saved, and put on another object.
        page.locator("[data-episode=weather]").click()
        page.get_by_label("Selected episode").wait_for()
        self.pick(
            page.get_by_role("button", name="More for this episode"),
            page.get_by_role("menuitem", name="Save as treatment"),
        )
        page.get_by_label("Name", exact=True).fill("By the water")
        page.get_by_role("button", name="Save", exact=True).click()
        page.get_by_text("Saved as the treatment").wait_for()
        self.assertEqual(OwnTreatment.objects.count(), 1)
        self.on = "Slate panel"
        other = WorkObject.objects.get(name=self.on)
        self.open(f"/object/{other.pk}/weather")
        before = len(self.saved()["layers"])
        self.pick(page.get_by_test_id("add-layer"), page.get_by_role("button", name="A treatment"))
        page.locator("[data-treatment^='own:'] .whole").click()
        page.locator("[data-treatment]").first.wait_for(state="detached")
        self.settle()
        document = self.saved()
        self.assertGreater(len(document["layers"]), before + 4)
        self.assertEqual(document["episodes"][-1]["name"], "Ten years by the water")

    def test_several_files_dropped_are_the_maps_of_one_sign(self) -> None:
        page = self.page
        self.open()
        files = [{"name": n, "data": list(d)} for n, d in map_files().items()]
        transfer = page.evaluate_handle(
            "files => { const t = new DataTransfer(); for (const f of files) t.items.add(new File([new "
            "Uint8Array(f.data)], f.name)); return t }",
            files,
        )
        box: Any = page.locator("section.view canvas").first.bounding_box()
        at = {"clientX": box["x"] + box["width"] / 2, "clientY": box["y"] + box["height"] / 2}
        for kind in ("dragover", "drop"):
            page.locator("section.view canvas").first.dispatch_event(
                kind, {"dataTransfer": transfer, "bubbles": True, "cancelable": True, **at}
            )
        table = page.get_by_role("table", name="What each file is")
        table.wait_for()
        self.settle()
        effect = WorkObject.objects.get(name="Gate hoist").scene().layers[-1].effect
        self.assertEqual((effect.kind, effect.what), ("decal", "maps"))  # type: ignore[union-attr]
        self.assertEqual(
            {use.role for use in effect.maps.maps},  # type: ignore[union-attr]
            {"base_color", "normal", "roughness"},
        )
        self.assertEqual(effect.maps.green, "down")  # type: ignore[union-attr]
        # A role is changed in the sheet as in the base stage.
        self.pick(
            table.locator("tr[data-role=roughness] [role=combobox]").nth(1), page.get_by_role("option", name="Gloss")
        )
        self.settle()
        effect = WorkObject.objects.get(name="Gate hoist").scene().layers[-1].effect
        self.assertIn("gloss", {use.role for use in effect.maps.maps})  # type: ignore[union-attr]

    def test_a_picture_of_a_line_is_held_by_its_frame(self) -> None:
        page = self.page
        item = WorkObject.objects.get(name="Gate hoist")
        name = keep_picture(item.project, "stamp.png", [png(64)]).path
        line = {"source": {"kind": "picture", "file": name, "way": "frame", "size_mm": 200.0}}
        document = copy.deepcopy(item.document)
        document["layers"][-1]["where"]["terms"].append(line)
        document = Scene.model_validate(document).model_dump(mode="json")
        item.commit(item.head_id, document, "Stamp")
        self.open()
        page.locator("[data-layer]").last.click()
        page.locator(".term .sentence").last.click()
        self.settle()
        page.get_by_test_id("decal-handles").wait_for()

        def source() -> dict[str, Any]:
            return self.saved()["layers"][-1]["where"]["terms"][-1]["source"]  # type: ignore[no-any-return]

        self.drag(".handles .middle", (0, 40))
        self.assertIsNotNone(source()["at"])
        self.drag(".handles .corner", (-30, -30))
        self.assertGreater(source()["size_mm"], 205.0)
        page.get_by_role("button", name="Undo", exact=True).click()
        self.settle()
        self.assertEqual(source()["size_mm"], 200.0)

    def test_the_picker_shows_each_effect_on_this_object(self) -> None:
        page = self.page
        self.open()
        page.get_by_test_id("add-layer").scroll_into_view_if_needed()
        page.get_by_test_id("add-layer").click()
        pictures = page.locator(".effect .picture img")
        pictures.nth(2).wait_for()
        page.get_by_label("Search effects").fill("scratch")
        self.assertEqual(page.locator(".effect").count(), 2)
        page.get_by_label("Search effects").fill("zzz")
        page.get_by_text("Nothing of that name").wait_for()
        with page.expect_request(lambda r: r.method == "DELETE" and "glimpse" in r.url):
            page.keyboard.press("Escape")
