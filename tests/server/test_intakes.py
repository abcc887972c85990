"""Bringing objects in: looked at first, then taken in; replaced, given a twin; and what is refused or breaks off."""

from __future__ import annotations

import io
import json
import os
import shutil
import zipfile
from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from django.conf import settings
from django.test import override_settings
from django.utils import timezone

from limus.common.errors import InputError
from limus.formats.gltf_write import glb_bytes
from limus.surface.mesh import Mesh
from limus.surface.turning import turned
from server.jobs.models import Job
from server.projects import intake as intakes
from server.projects import storage
from server.projects.models import Intake, SourceFile, StaleEdit, WorkObject
from server.projects.try_out import folder as try_out_folder
from tests.core import shapes
from tests.core.test_effects import STORY, scene
from tests.core.test_formats import triangle
from tests.server.base import ServerTest

POST = "v 0 0 0\nv 900 0 0\nv 0 1500 0\nv 0 0 700\no post\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n"


class IntakeTest(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.root = Path(settings.DATA_DIR)
        shutil.rmtree(self.root / "intakes", ignore_errors=True)

    def begin(self, **body: Any) -> int:
        answer = self.call("post", f"/projects/{self.project.pk}/intakes", body)
        self.assertEqual(answer.status_code, 201, answer.content)
        return int(answer.json()["id"])

    def send(self, intake: int, name: str, data: bytes | str) -> Any:
        return self.client.generic(
            "PUT", f"/api/intakes/{intake}/files?name={name}", data.encode() if isinstance(data, str) else data,
            content_type="application/octet-stream",
        )  # fmt: skip

    def looked_at(self, files: dict[str, bytes | str], **body: Any) -> dict[str, Any]:
        """Begin, send, check: what the person sees before accepting."""
        intake = self.begin(**body)
        for name, data in files.items():
            self.assertEqual(self.send(intake, name, data).status_code, 201, name)
        self.assertEqual(self.call("post", f"/intakes/{intake}/check").status_code, 202)
        return self.call("get", f"/intakes/{intake}").json()  # type: ignore[no-any-return]

    def accept(self, intake: int, **body: Any) -> Any:
        return self.call("post", f"/intakes/{intake}/accept", body)

    def object(self, item: int) -> dict[str, Any]:
        return self.call("get", f"/objects/{item}").json()  # type: ignore[no-any-return]

    def left_behind(self) -> list[str]:
        return [str(p) for p in (self.root / "intakes").rglob("*")] if (self.root / "intakes").exists() else []


class NewObject(IntakeTest):
    def test_what_is_being_taken_over_is_not_looked_at_again(self) -> None:
        found = self.looked_at({"cup.glb": glb_bytes(shapes.box(0.1))})
        Intake.objects.filter(pk=found["id"]).update(state=Intake.TAKING)
        jobs = Job.objects.count()
        answer = self.call("post", f"/intakes/{found['id']}/check")
        self.assertEqual((answer.status_code, answer.json()["state"]), (202, Intake.TAKING))
        self.assertEqual(Job.objects.count(), jobs)

    def test_preview_says_what_was_found_before_anything_is_made(self) -> None:
        found = self.looked_at({"post.obj": POST})
        self.assertEqual((found["state"], found["files"]), ("ready", ["post.obj"]))
        facts = found["facts"]
        self.assertEqual((facts["triangles"], [p["name"] for p in facts["parts"]]), (4, ["post"]))
        self.assertEqual((facts["suggested_scale"], facts["unit_known"], facts["suggested_up"]), (0.001, False, "+y"))
        self.assertEqual({f["key"] for f in facts["findings"]} & {"uv-missing", "size"}, {"uv-missing", "size"})
        self.assertEqual(WorkObject.objects.count(), 0)

        answer = self.accept(found["id"], name="Post", scale=0.001, up="+y", unwrap=True)
        self.assertEqual(answer.status_code, 201)
        item = self.object(answer.json()["id"])
        self.assertEqual((item["name"], item["scene"]["document"]["object"]["uv"]), ("Post", "unwrapped"))
        self.assertTrue(item["facts"]["uv"]["present"])
        np.testing.assert_allclose(item["facts"]["size_m"], [0.9, 1.5, 0.7], atol=1e-4)
        self.assertEqual((Intake.objects.count(), self.left_behind()), (0, []))
        self.assertEqual(self.call("get", f"/intakes/{found['id']}").status_code, 404)

    def test_up_axis_and_parts_that_are_inside_out(self) -> None:
        bad = turned(shapes.joined(shapes.box(0.2), shapes.box(0.1, (0, 0, 0.5))), ["box 2"])
        found = self.looked_at({"two.glb": glb_bytes(bad)})
        self.assertIn("inside-out", {f["key"] for f in found["facts"]["findings"]})
        item = self.object(self.accept(found["id"], up="+z", turn=True).json()["id"])
        self.assertEqual(item["scene"]["document"]["object"]["turned"], ["box 2"])
        self.assertNotIn("inside-out", {f["key"] for f in item["facts"]["findings"]})
        np.testing.assert_allclose(item["facts"]["size_m"], [0.2, 0.65, 0.2], atol=1e-5)

    def test_a_gltf_with_its_files_and_a_zip(self) -> None:
        document = {
            "asset": {"version": "2.0"}, "nodes": [{"mesh": 0}],
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
            "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
            "bufferViews": [{"buffer": 0, "byteLength": 36}], "buffers": [{"uri": "cup.bin", "byteLength": 36}],
        }  # fmt: skip
        blob = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
        alone = self.looked_at({"cup.gltf": json.dumps(document)})
        self.assertEqual(alone["state"], "failed")
        self.assertIn("'cup.bin' is missing", alone["error"])
        # What is missing can be sent after it.
        self.assertEqual(self.send(alone["id"], "cup.bin", blob).status_code, 201)
        self.call("post", f"/intakes/{alone['id']}/check")
        again = self.call("get", f"/intakes/{alone['id']}").json()
        self.assertEqual((again["state"], again["error"]), ("ready", ""))
        item = self.accept(again["id"], unwrap=True).json()["id"]
        self.assertEqual(self.object(item)["facts"]["triangles"], 1)

        raw = io.BytesIO()
        with zipfile.ZipFile(raw, "w") as pack:
            pack.writestr("cup/cup.gltf", json.dumps(document))
            pack.writestr("cup/cup.bin", blob)
        zipped = self.looked_at({"cup.zip": raw.getvalue()})
        self.assertEqual((zipped["state"], zipped["facts"]["file"]), ("ready", "cup.gltf"))
        made = self.object(self.accept(zipped["id"], unwrap=True).json()["id"])
        self.assertTrue(made["scene"]["document"]["object"]["file"].endswith("cup/cup.gltf"))

    def test_discarding_leaves_nothing(self) -> None:
        found = self.looked_at({"post.obj": POST})
        self.assertTrue(self.left_behind())
        self.assertEqual(self.call("delete", f"/intakes/{found['id']}").status_code, 204)
        self.assertEqual((Intake.objects.count(), self.left_behind()), (0, []))

    def test_forgotten_intakes_are_tidied_up(self) -> None:
        old = self.looked_at({"post.obj": POST})["id"]
        Intake.objects.filter(pk=old).update(created=timezone.now() - timedelta(days=2))
        (self.root / "intakes" / "99999").mkdir()
        fresh = self.begin()
        self.send(fresh, "post.obj", POST)
        os.utime(self.root / "intakes" / "99999", (0, 0))
        storage.sweep()
        self.assertEqual({p.name for p in (self.root / "intakes").iterdir()}, {str(fresh)})
        self.assertFalse(Intake.objects.filter(pk=old).exists())

    def test_try_out_files(self) -> None:
        shutil.rmtree(try_out_folder(), ignore_errors=True)
        self.assertEqual(self.call("get", "/try-out").json(), [])
        try_out_folder().mkdir(parents=True, exist_ok=True)
        self.addCleanup(shutil.rmtree, try_out_folder())
        (try_out_folder() / "post.obj").write_text(POST)
        self.assertEqual(self.call("get", "/try-out").json(), ["post.obj"])
        intake = self.begin(try_out="post.obj")
        self.call("post", f"/intakes/{intake}/check")
        self.assertEqual(self.call("get", f"/intakes/{intake}").json()["state"], "ready")
        for name in ("../post.obj", "gone.obj"):
            answer = self.call("post", f"/projects/{self.project.pk}/intakes", {"try_out": name})
            self.assertEqual(answer.status_code, 422)
            self.assertIn("post.obj", answer.json()["message"])
        # The file to try is copied, not moved.
        self.assertTrue((try_out_folder() / "post.obj").exists())


class Refusals(IntakeTest):
    def test_kinds_of_files(self) -> None:
        intake = self.begin()
        for name in ("virus.exe", "notes.txt", "noend", ".."):
            answer = self.send(intake, name, b"x")
            self.assertEqual(answer.status_code, 422, name)
            self.assertIn("not taken in", answer.json()["message"])
        self.assertEqual(self.send(intake, "../../../cup.obj", POST).json()["files"], ["cup.obj"])
        self.assertEqual([p for p in self.left_behind() if p.endswith(".part")], [])

    def test_what_cannot_be_used_is_said_and_can_be_sent_again(self) -> None:
        cases = {
            "0 bytes": ("cup.glb", b""),
            "not a PLY": ("cup.ply", b"hello"),
            "2 objects": ("a.obj", POST),
            "no object": ("a.png", b"x"),
        }
        for words, (name, data) in cases.items():
            intake = self.begin()
            if data or words != "0 bytes":
                self.send(intake, name, data)
            if words == "2 objects":
                self.send(intake, "b.obj", POST)
            if words == "0 bytes":
                self.assertEqual(self.send(intake, name, data).status_code, 411)
                continue
            self.call("post", f"/intakes/{intake}/check")
            found = self.call("get", f"/intakes/{intake}").json()
            self.assertEqual(found["state"], "failed", words)
            self.assertIn(words, found["error"])
            self.assertEqual(self.accept(intake).status_code, 422)
        nothing = self.begin()
        self.call("post", f"/intakes/{nothing}/check")
        self.assertIn("nothing was received", self.call("get", f"/intakes/{nothing}").json()["error"])

    def test_an_upload_that_breaks_off_leaves_nothing(self) -> None:
        intake = Intake.objects.create(project=self.project)

        def broken() -> Iterator[bytes]:
            yield b"v 0 0 0\n" * 1000
            raise ConnectionError("gone")

        with self.assertRaises(ConnectionError):
            intakes.receive(intake, "cup.obj", broken())
        self.assertEqual(list(intake.folder.iterdir()), [])
        with self.assertRaises(ConnectionError):
            intakes.take_in(self.project, "cup.obj", broken())
        self.assertEqual(Intake.objects.count(), 1)

    def test_size_limit_counts_all_files_and_stops_while_receiving(self) -> None:
        read = []

        def endless() -> Iterator[bytes]:
            for k in range(1000):
                read.append(k)
                yield b"x" * 1000

        intake = Intake.objects.create(project=self.project)
        with override_settings(UPLOAD_LIMIT=10_000):
            intakes.receive(intake, "a.png", [b"x" * 6000])
            with self.assertRaises(intakes.InputError) as caught:
                intakes.receive(intake, "b.png", endless())
            self.assertIn("in all", caught.exception.line)
            self.assertLess(len(read), 8)
            self.assertEqual([p.name for p in intake.folder.iterdir()], ["a.png"])
            with override_settings(UPLOAD_LIMIT=3 << 20), self.assertRaisesRegex(InputError, "more than 3 MB in all"):
                intakes.receive(intake, "b.png", [b"x" * (2 << 20), b"x" * (2 << 20)])
            # By its length alone, before any of it is read.
            answer = self.send(self.begin(), "c.png", b"x" * 20_000)
            self.assertEqual(answer.status_code, 413)

    def test_too_many_triangles_by_the_header_alone(self) -> None:
        ball = glb_bytes(shapes.sphere(0.2, 16))
        with (
            override_settings(TRIANGLE_LIMIT=100),
            mock.patch.object(intakes, "read_object", side_effect=AssertionError("was read")),
        ):
            found = self.looked_at({"ball.glb": ball})
        self.assertIn("more than the limit 100", found["error"])
        self.assertIn("LIMUS_TRIANGLE_LIMIT", found["error"])

    def test_zip_bombs_and_paths(self) -> None:
        for name, data in (("a/../../evil.obj", POST.encode()), ("cup.obj", b"\0" * (70 << 20))):
            raw = io.BytesIO()
            with zipfile.ZipFile(raw, "w", zipfile.ZIP_DEFLATED) as pack:
                pack.writestr(name, data)
            found = self.looked_at({"pack.zip": raw.getvalue()})
            self.assertEqual(found["state"], "failed")
            self.assertRegex(found["error"], "leads out|would unpack")
            self.assertLess(sum(Path(p).stat().st_size for p in self.left_behind() if Path(p).is_file()), 1 << 20)
            self.call("delete", f"/intakes/{found['id']}")
        self.assertEqual(list(self.root.rglob("evil.obj")), [])

    def test_odd_numbers(self) -> None:
        found = self.looked_at({"post.obj": POST})
        for body in ({"scale": 0}, {"scale": -1}, {"scale": 1e30}, {"up": "+w"}, {"more": 1}):
            self.assertEqual(self.accept(found["id"], **body).status_code, 422, body)
        self.assertEqual(WorkObject.objects.count(), 0)

    def test_of_somebody_else(self) -> None:
        found = self.looked_at({"post.obj": POST})
        item = self.add_box()
        self.client.force_login(self.eve)
        for method, path, body in (
            ("get", f"/intakes/{found['id']}", None), ("post", f"/intakes/{found['id']}/check", None), ("delete",
                f"/intakes/{found['id']}", None),
            ("post", f"/intakes/{found['id']}/accept", {}), ("post", f"/projects/{self.project.pk}/intakes", {}),
            ("post", f"/objects/{item.pk}/look", {"resolution": 128}), ("get",
                f"/objects/{item.pk}/neighbours/a.glb", None),
        ):  # fmt: skip
            self.assertEqual(self.call(method, path, body).status_code, 404, path)
        self.assertEqual(self.send(found["id"], "x.obj", POST).status_code, 404)
        self.assertEqual(Intake.objects.count(), 1)


class Replacing(IntakeTest):
    def setUp(self) -> None:
        super().setUp()
        self.mesh = shapes.joined(shapes.box(0.2), shapes.box(0.1, (0.3, 0, 0)))
        made = scene(*STORY, name="Box")
        made.object.turned = []
        self.item = intakes.take_in(self.project, "box.glb", [glb_bytes(self.mesh)], made)

    def newer(self) -> Mesh:
        fine = shapes.joined(shapes.box(0.22), shapes.sphere(0.06, 24))
        fine.positions[fine.triangles[fine.parts[1].first :].ravel(), 0] += np.float32(0.3)
        return replace(fine, parts=(replace(fine.parts[0], name="box 1"), replace(fine.parts[1], name="knob")))

    def look(self, data: bytes, purpose: str = "replace") -> dict[str, Any]:
        return self.looked_at({"new.glb": data}, purpose=purpose, object=self.item.pk)

    def test_layers_stay_and_the_report_says_what_changed(self) -> None:
        self.measured(self.item)
        before = self.object(self.item.pk)
        document = before["scene"]["document"]
        document["layers"][1]["where"]["terms"].append({"source": {"kind": "parts", "names": ["box 2"]}})
        edited = self.call(
            "put", f"/objects/{self.item.pk}/scene", {"base": before["scene"]["version"], "document": document}
        ).json()
        found = self.look(glb_bytes(self.newer()))
        self.assertEqual(found["report"]["gone"], [{"name": "box 2", "used_by": ["layer chips"], "suggestion": "knob"}])
        self.assertEqual(found["report"]["new"], ["knob"])
        self.assertTrue(any("layers with their settings" in line for line in found["report"]["kept"]))
        answer = self.accept(found["id"], base=edited["version"], match={"box 2": "knob"})
        self.assertEqual(answer.status_code, 201)
        after = self.object(self.item.pk)
        self.assertEqual(after["scene"]["label"], "Replace the model")
        self.assertEqual([l["id"] for l in after["scene"]["document"]["layers"]], [l["id"] for l in document["layers"]])
        self.assertEqual(after["scene"]["document"]["layers"][1]["where"]["terms"][-1]["source"]["names"], ["knob"])
        self.assertEqual(after["scene"]["document"]["layers"][2], edited["document"]["layers"][2])
        self.assertNotEqual(after["digest"], before["digest"])
        self.assertEqual(after["readings"], "missing")
        self.measured(self.item)
        result = self.call("post", f"/objects/{self.item.pk}/evaluate", {"resolution": 128})
        self.assertEqual(result.status_code, 200)
        self.assertIn(result.json()["readings"], ("good", "fine"))
        # One undo and the old model is back, with its readings.
        back = self.call("post", f"/objects/{self.item.pk}/undo", {"base": after["scene"]["version"]}).json()
        self.assertIn(["set", ["object", "file"], document["object"]["file"]], back["change"])
        old = self.object(self.item.pk)
        self.assertEqual(old["digest"], before["digest"])
        self.assertIn(old["readings"], ("good", "fine"))

    def test_two_replacements_at_once(self) -> None:
        base = self.object(self.item.pk)["scene"]["version"]
        one, two = self.look(glb_bytes(self.newer())), self.look(glb_bytes(shapes.box(0.25)))
        self.assertEqual(self.accept(one["id"], base=base).status_code, 201)
        refused = self.accept(two["id"], base=base)
        self.assertEqual(refused.status_code, 409)
        self.assertIn("another window", refused.json()["message"])
        # Nothing is lost: it waits, and goes in on the newest version.
        self.assertEqual(self.call("get", f"/intakes/{two['id']}").json()["state"], "ready")
        newest = self.object(self.item.pk)["scene"]["version"]
        self.assertEqual(self.accept(two["id"], base=newest).status_code, 201)
        self.assertEqual(self.object(self.item.pk)["facts"]["triangles"], 12)

    def test_a_clash_in_the_very_moment_keeps_the_files(self) -> None:
        base = self.object(self.item.pk)["scene"]["version"]
        found = self.look(glb_bytes(self.newer()))
        with mock.patch.object(WorkObject, "commit", side_effect=StaleEdit):
            self.assertEqual(self.accept(found["id"], base=base).status_code, 409)
        self.assertEqual(SourceFile.objects.count(), 1)
        self.assertEqual(self.accept(found["id"], base=base).status_code, 201)

    def test_a_replacement_without_uvs_is_unwrapped_on_wish(self) -> None:
        base = self.object(self.item.pk)["scene"]["version"]
        found = self.look(glb_bytes(replace(shapes.box(0.2), uv=None)))
        self.assertTrue(any("no UVs" in line for line in found["report"]["look"]))
        self.accept(found["id"], base=base, unwrap=True)
        self.assertTrue(self.object(self.item.pk)["facts"]["uv"]["present"])

    def test_twin(self) -> None:
        base = self.object(self.item.pk)["scene"]["version"]
        self.measured(self.item)
        plain = self.call("post", f"/objects/{self.item.pk}/look", {"resolution": 128}).json()["maps"]
        # A dome stands 20 mm out of the first box.
        dome = shapes.sphere(0.08, 16)
        dome.positions[:, 1] += np.float32(0.04)
        raised = shapes.joined(shapes.box(0.2), shapes.box(0.1, (0.3, 0, 0)), dome)
        names = ("box_1_high", "box_2_high", "box_1_high")
        one = replace(
            raised, uv=None, parts=tuple(replace(p, name=n) for p, n in zip(raised.parts, names, strict=True))
        )
        high = self.looked_at({"high.glb": glb_bytes(one)}, purpose="twin", object=self.item.pk)
        self.assertEqual(self.accept(high["id"], base=base).status_code, 201)
        item = self.object(self.item.pk)
        self.assertEqual(item["scene"]["label"], "High-poly twin")
        self.assertEqual((item["twin"]["matched"], item["twin"]["parts"]), (2, 2))
        self.assertLess(item["twin"]["missed"], 0.1)
        self.assertNotIn("missed", item["missing_readings"])
        self.measured(self.item)
        seen = self.call(
            "post", f"/objects/{self.item.pk}/look", {"resolution": 128, "look": {"kind": "reading", "name": "missed"}}
        )
        self.assertEqual(seen.status_code, 200, seen.content)
        carried = self.call("post", f"/objects/{self.item.pk}/look", {"resolution": 128}).json()["maps"]
        self.assertNotEqual(carried["normal"], plain["normal"])
        self.assertEqual(carried["base_color"], plain["base_color"])
        # Taken away again by undo, the readings of before are there at once or measured anew.
        self.call("post", f"/objects/{self.item.pk}/undo", {"base": item["scene"]["version"]})
        self.assertIsNone(self.object(self.item.pk)["twin"])

    def test_a_marker_and_something_that_stands_there(self) -> None:
        self.measured(self.item)
        base = self.object(self.item.pk)["scene"]["version"]
        dots = shapes.joined(shapes.box(0.02), shapes.box(0.02, (0.05, 0, 0)))
        found = self.looked_at({"dots.glb": glb_bytes(dots)}, purpose="marker", object=self.item.pk)
        self.assertEqual(self.accept(found["id"], base=base, name="Dots", unwrap=True).status_code, 201)
        item = self.object(self.item.pk)
        self.assertEqual(item["scene"]["label"], "Marker Dots")
        near = item["scene"]["document"]["object"]["neighbours"]
        self.assertEqual([(n["name"], n["role"], n["position_mm"]) for n in near], [("Dots", "marker", [0, 0, 0])])
        # A marker is not measured: the readings are still of this, and it is none of what is near.
        self.assertEqual(item["readings"], "good")
        self.assertIn("proximity", item["missing_readings"])
        self.assertFalse(Job.objects.filter(kind="unwrap").exists())
        listed = self.call("get", f"/objects/{self.item.pk}/neighbours").json()
        self.assertEqual([(n["id"], n["marker"], len(n["pieces"])) for n in listed], [(near[0]["id"], True, 2)])
        drawn = self.client.get(f"/api/objects/{self.item.pk}/neighbours/{near[0]['id']}.glb")
        self.assertEqual(drawn.status_code, 200)
        found = self.looked_at({"post.glb": glb_bytes(shapes.box(0.1))}, purpose="neighbour", object=self.item.pk)
        self.assertEqual(self.accept(found["id"], base=item["scene"]["version"], name="Post").status_code, 201)
        item = self.object(self.item.pk)
        self.assertIn(item["readings"], ("outdated", "missing"))
        self.assertNotIn("proximity", item["missing_readings"])
        # Nobody else sees them.
        self.client.force_login(self.eve)
        self.assertEqual(self.call("get", f"/objects/{self.item.pk}/neighbours").status_code, 404)


class SharingFiles(IntakeTest):
    def test_a_scene_cannot_name_files_of_others(self) -> None:
        item = self.add_box()
        secret = self.add_box().scene().object.file
        SourceFile.objects.filter(path=secret).delete()
        found = self.object(item.pk)["scene"]
        for change in (
            {"file": "limus.sqlite3"}, {"file": "../secret-key"}, {"file": "/etc/passwd"},
            {"twin": {"file": "secret-key"}},
            {"neighbours": [{"id": "a", "name": "A", "file": "secret-key"}]},
        ):  # fmt: skip
            document = {**found["document"], "object": {**found["document"]["object"], **change}}
            for path, body in (
                ("scene", {"base": found["version"], "document": document}),
                ("evaluate", {"document": document}),
                ("look", {"document": document}),
            ):
                answer = self.call("put" if path == "scene" else "post", f"/objects/{item.pk}/{path}", body)
                self.assertEqual(answer.status_code, 422, (change, path))
                self.assertIn("not a file of this project", answer.json()["message"])

    def test_files_go_when_no_version_names_them(self) -> None:
        item = self.add_box()
        path = self.root / item.scene().object.file
        found = self.looked_at({"post.obj": POST}, purpose="replace", object=item.pk)
        self.accept(found["id"], base=self.object(item.pk)["scene"]["version"], unwrap=True, scale=0.001)
        # An older version still names it.
        self.assertTrue(path.exists())
        self.call("delete", f"/objects/{item.pk}")
        self.assertFalse(path.exists())
        self.assertEqual(SourceFile.objects.count(), 0)

    def test_the_same_file_twice_is_kept_once(self) -> None:
        one, two = (self.looked_at({"cup.glb": triangle()}) for _ in range(2))
        a, b = (self.accept(x["id"]).json() for x in (one, two))
        self.assertEqual(a["file"], b["file"])
        self.assertEqual(SourceFile.objects.count(), 1)
        self.assertEqual(self.left_behind(), [])
