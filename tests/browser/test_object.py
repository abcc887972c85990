"""The object stage as a person works with it: bring in, look, mend, set, measure, replace."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from limus.formats.gltf_write import glb_bytes, write_glb
from limus.surface.turning import turned
from server.projects.intake import take_in
from server.projects.models import Intake, WorkObject
from tests.browser.base import BrowserTest
from tests.core import shapes

#: Where the pieces of a marker lie, metres.
SPOTS = [(0.0, 0.3, 0.0), (0.2, 0.3, 0.0), (0.0, 0.5, 0.1)]


class ObjectTest(BrowserTest):
    def stage(self, name: str = "Gate hoist") -> None:
        """The object stage of one object of the demo."""
        self.open(f"/object/{WorkObject.objects.get(name=name).pk}/object")

    def scene(self, name: str = "Gate hoist") -> Any:
        return WorkObject.objects.get(name=name).scene()

    def good(self) -> None:
        """Wait until the readings are measured."""
        self.page.get_by_test_id("quality").get_by_text("Good", exact=True).wait_for()
        self.settle()

    def tab_of(self, name: str) -> None:
        self.page.get_by_role("tab", name=name).click()

    def bring(self, *files: Path) -> None:
        self.pick(self.page.locator(".crumbs"), self.page.get_by_role("menuitem", name="Add an object"))
        self.page.get_by_label("Object file").set_input_files(list(files))


class Looking(ObjectTest):
    def test_readings_have_a_legend_and_a_probe(self) -> None:
        page = self.page
        self.stage()
        self.good()
        lit = self.picture()
        page.locator(".band [data-look=slope]").click()
        page.get_by_test_id("view-label").get_by_text("Slope").wait_for()
        self.settle()
        self.assertGreater(float((np.abs(self.picture() - lit).max(axis=2) > 20).mean()), 0.05)
        legend = " ".join(page.get_by_label("Legend").inner_text().split())
        self.assertIn("180", legend)
        box: Any = page.locator("section.view canvas").first.bounding_box()
        # Somewhere in the middle of the view stands the hoist.
        for share in (0.5, 0.45, 0.55, 0.4, 0.6):
            page.mouse.move(box["x"] + box["width"] * 0.46, box["y"] + box["height"] * share)
            self.settle(page)
            if page.get_by_test_id("probe").count():
                break
        probe = page.get_by_test_id("probe").inner_text()
        self.assertRegex(probe, r"^\d+(\.\d+)? ?° · \w+")
        # A radius typed into the card is the radius that is shown.
        page.locator(".band [data-look=curvature]").click()
        page.get_by_test_id("view-label").get_by_text("Curvature at 4.4 mm").wait_for()
        field = page.get_by_label("Curvature: radius")
        field.fill("30")
        field.press("Enter")
        page.get_by_test_id("view-label").get_by_text("Curvature at 30 mm").wait_for()
        # One component of a reading that has several.
        self.pick(page.get_by_label("Position: component").first, page.get_by_role("option", name="y", exact=True))
        page.get_by_test_id("view-label").get_by_text("Position, y").wait_for()
        page.keyboard.press("Escape")
        page.locator("section.view canvas").first.focus()
        page.keyboard.press("l")
        page.get_by_test_id("view-label").get_by_text("Lit").wait_for()

    def test_uvs_are_drawn_and_parts_light_up(self) -> None:
        page = self.page
        self.stage()
        self.good()
        before = self.picture()
        page.locator("[data-look=uv-checker]").click()
        page.get_by_test_id("view-label").get_by_text("Checker").wait_for()
        self.settle()
        self.assertGreater(float((np.abs(self.picture() - before).max(axis=2) > 20).mean()), 0.05)
        page.locator("section.view canvas").first.focus()
        page.keyboard.press("u")
        page.locator("section.uv canvas").wait_for()
        page.keyboard.press("u")
        page.locator("section.uv canvas").wait_for(state="detached")
        page.get_by_role("button", name="As made L").click()
        self.settle()
        plain = self.picture()
        part = page.locator("[data-part='hand wheel']")
        part.click()
        self.settle()
        self.assertEqual(part.get_attribute("aria-pressed"), "true")
        self.assertGreater(float((np.abs(self.picture() - plain).max(axis=2) > 10).mean()), 0.01)


class Bringing(ObjectTest):
    first_only = False

    def test_a_file_without_uvs_all_the_way(self) -> None:
        page = self.page
        self.open()
        self.pick(page.locator(".crumbs"), page.get_by_role("menuitem", name="Add an object"))
        page.get_by_role("button", name="slate-panel-without-uvs.obj").click()
        page.get_by_text("it has no UVs").wait_for()
        self.assertIn("triangles", page.locator(".found dl").inner_text())
        name = page.get_by_label("Name", exact=True)
        name.fill("Hearth slab")
        page.get_by_role("button", name="Take it in").click()
        page.locator(".crumbs", has_text="Hearth slab").wait_for()
        self.good()
        made = self.scene("Hearth slab")
        self.assertEqual((made.object.uv, made.layers), ("unwrapped", []))
        page.locator("[data-finding=uv-good]").wait_for()
        page.locator("[data-look=uv-islands]").click()
        page.get_by_test_id("view-label").get_by_text("Islands").wait_for()
        self.settle()
        # And on into weathering.
        page.get_by_role("link", name="Weather").click()
        page.get_by_text("Nothing has happened to it yet").wait_for()
        page.keyboard.press("a")
        page.locator("[data-effect=dirt]").click()
        page.locator("[data-layer=dirt]").wait_for()
        self.settle()
        self.assertNotEqual(page.locator("[data-layer=dirt] [data-testid=coverage]").inner_text(), "0 %")

    def test_unit_axis_and_parts_that_are_inside_out_are_asked(self) -> None:
        page = self.page
        self.open()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "tin.glb"
            tin = shapes.joined(shapes.box(900.0), shapes.box(300.0, (0, 0, 1200)))
            write_glb(path, turned(tin, ["box 2"]))
            self.bring(path)
            page.get_by_text("hard to believe").wait_for()
            self.assertIn("millimetre", page.locator(".found").inner_text())
            self.assertIn("0.9", page.locator(".found dl").inner_text())
            self.pick(page.get_by_label("Up in the file"), page.get_by_role("option", name="+Z"))
            self.assertTrue(page.get_by_label("Turn box 2").is_checked())
            page.get_by_role("button", name="Take it in").click()
            page.locator(".crumbs", has_text="tin").wait_for()
        self.good()
        made = self.scene("tin")
        self.assertEqual((made.object.scale, made.setting.up, made.object.turned), (0.001, "+z", ["box 2"]))
        self.assertIn("1.8", page.locator(".sheet header").inner_text())
        # The unit can still be changed afterwards, and that undone.
        self.pick(page.get_by_test_id("file-unit"), page.get_by_role("option", name="centimetre"))
        self.settle()
        self.assertEqual(self.scene("tin").object.scale, 0.01)
        page.keyboard.press("Control+z")
        self.settle()
        self.assertEqual(self.scene("tin").object.scale, 0.001)

    def test_discard_and_refusals_leave_nothing(self) -> None:
        page = self.page
        self.open()
        with tempfile.TemporaryDirectory() as folder:
            good, text, empty = Path(folder) / "ball.glb", Path(folder) / "cup.obj", Path(folder) / "cup.glb"
            write_glb(good, shapes.sphere(0.1, 16))
            text.write_text("hello")
            empty.write_bytes(b"")
            self.bring(text)
            page.get_by_role("alert").get_by_text("not an OBJ file").wait_for()
            page.get_by_label("Object file").set_input_files(empty)
            page.get_by_role("alert").get_by_text("0 bytes").wait_for()
            page.get_by_label("Object file").set_input_files(good)
            page.get_by_role("button", name="Discard").click()
            page.locator(".p-dialog").wait_for(state="detached")
        self.settle(page)
        self.assertEqual((Intake.objects.count(), WorkObject.objects.count()), (0, 4))

    def test_replace_keeps_the_layers_and_can_be_undone(self) -> None:
        page = self.page
        self.stage("Gauge board")
        self.good()
        before = self.scene("Gauge board")
        page.get_by_role("button", name="Replace…").click()
        page.get_by_role("button", name="gauge-board-newer.glb").click()
        report = page.locator(".report")
        report.wait_for()
        self.assertIn("What carries over", report.inner_text())
        self.assertIn("is gone", report.inner_text())
        page.get_by_role("button", name="Replace", exact=True).click()
        page.locator(".p-dialog").wait_for(state="detached")
        self.settle()
        self.good()
        after = self.scene("Gauge board")
        self.assertNotEqual(after.object.file, before.object.file)
        self.assertEqual([l.id for l in after.layers], [l.id for l in before.layers])
        page.get_by_role("button", name="Undo", exact=True).click()
        self.settle()
        self.assertEqual(self.scene("Gauge board"), before)
        self.good()

    def test_a_newer_model_and_its_twin_at_once(self) -> None:
        page = self.page
        low, high = shapes.sphere(0.2, 12), replace(shapes.sphere(0.2, 48), uv=None)
        project = WorkObject.objects.get(name="Gate hoist").project
        with tempfile.TemporaryDirectory() as folder:
            for name, mesh in (("newer.glb", low), ("finer.glb", high)):
                write_glb(Path(folder) / name, mesh)
            item = take_in(project, "ball.glb", [glb_bytes(shapes.sphere(0.19, 12))])
            self.open(f"/object/{item.pk}/object")
            page.get_by_role("button", name="Replace…").click()
            page.get_by_label("Object file").set_input_files([Path(folder) / "finer.glb", Path(folder) / "newer.glb"])
            page.get_by_text("finer.glb, the finer one, comes next").wait_for()
            page.get_by_role("button", name="Replace", exact=True).click()
            page.get_by_role("button", name="Use as the twin").click()
            page.locator(".p-dialog").wait_for(state="detached")
            self.settle()
        scene = WorkObject.objects.get(pk=item.pk).scene()
        self.assertIn("newer.glb", scene.object.file)
        assert scene.object.twin is not None
        self.assertIn("finer.glb", scene.object.twin.file)

    def test_twin_and_neighbour(self) -> None:
        page = self.page
        self.stage()
        self.good()
        self.tab_of("Around it")
        page.get_by_role("button", name="Bring a twin…").click()
        page.get_by_role("button", name="gate-hoist-high.glb").click()
        page.get_by_role("button", name="Use as the twin").click()
        page.get_by_text("17 of 17 parts match by name").wait_for()
        self.good()
        page.get_by_role("button", name="Show what was missed").click()
        page.get_by_test_id("view-label").get_by_text("Twin misses").wait_for()
        self.settle()
        page.get_by_role("button", name="Back to the surface").click()
        self.pick(page.get_by_role("button", name="Add…", exact=True), page.get_by_role("menuitem", name="Gauge board"))
        page.locator("[data-neighbour]").wait_for()
        place = page.get_by_label("Gauge board: place along x")
        place.fill("420")
        place.press("Enter")
        self.settle()
        near = self.scene().object.neighbours[0]
        self.assertEqual((near.name, near.position_mm[0]), ("Gauge board", 420.0))
        self.good()
        page.locator(".band [data-look=proximity]").click()
        page.get_by_test_id("view-label").get_by_text("Proximity").wait_for()
        self.settle()
        page.get_by_role("switch", name="Gauge board stands there").click()
        self.settle()
        self.assertFalse(self.scene().object.neighbours[0].on)

    def test_a_marker_is_dropped_and_a_layer_lies_on_two_of_its_pieces(self) -> None:
        page = self.page
        self.open()
        tops = shapes.joined(
            *(replace(shapes.plane(0.08), positions=shapes.plane(0.08).positions + np.float32(at)) for at in SPOTS)
        )
        page.locator(".view").evaluate(
            "(view, bytes) => { const t = new DataTransfer(); t.items.add(new File([new Uint8Array(bytes)], "
            "'spots.glb')); for (const kind of ['dragover', 'drop']) view.dispatchEvent(new DragEvent(kind, "
            "{ dataTransfer: t, bubbles: true, cancelable: true })) }",
            list(glb_bytes(tops)),
        )
        page.get_by_role("button", name="A marker Says where").click()
        page.get_by_role("button", name="Use as a marker").click()
        page.locator(".p-dialog").wait_for(state="detached")
        self.settle()
        self.assertEqual(self.scene().object.neighbours[0].role, "marker")
        page.locator("[data-layer=rust]").click()
        self.settle()
        self.pick(
            page.get_by_role("button", name="Add a line…"), page.get_by_role("menuitem", name="Near or on something")
        )
        self.settle()
        self.pick(page.locator("[data-field=side] [role=combobox]"), page.get_by_role("option", name="on", exact=True))
        page.locator("[data-field=which] .p-multiselect").click()
        pieces = page.get_by_role("option")
        pieces.nth(1).click()
        pieces.nth(2).click()
        page.keyboard.press("Escape")
        self.settle()
        source = next(l for l in self.scene().layers if l.id == "rust").where.terms[-1].source
        self.assertEqual((source.side, len(source.which)), ("on", 2))
        page.locator(".term .sentence").last.get_by_text("on", exact=False).wait_for()
        self.assertRegex(page.locator(".term .sentence").last.inner_text(), r"^(and only )?on \S+.* and \S+")


class Fitness(ObjectTest):
    def test_unwrap_again_and_back(self) -> None:
        page = self.page
        self.stage()
        self.good()
        page.get_by_role("button", name="Unwrap again").click()
        page.get_by_role("button", name="Back to the file's").wait_for()
        self.good()
        self.assertEqual(self.scene().object.uv, "unwrapped")
        page.get_by_role("button", name="Back to the file's").click()
        self.good()
        self.assertEqual(self.scene().object.uv, "own")

    def test_sheets_get_a_back(self) -> None:
        page = self.page
        self.open()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "flag.glb"
            write_glb(path, shapes.plane(0.4))
            self.bring(path)
            page.get_by_role("button", name="Take it in").click()
            page.locator(".crumbs", has_text="flag").wait_for()
        self.good()
        page.locator("[data-finding=sheets]").get_by_role("button", name="Give them a back").click()
        page.locator("[data-part='plane back']").wait_for()
        self.good()
        self.assertEqual(self.scene("flag").object.two_sided, ["plane"])
        self.assertEqual(page.locator("[data-finding=sheets]").count(), 0)
