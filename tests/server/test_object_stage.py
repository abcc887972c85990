"""What the object stage asks for: looks before and after measuring, surroundings, setting, unwrapping, qualities."""

from __future__ import annotations

from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from django.conf import settings
from django.test import override_settings

from limus.common.store import Store, shared
from limus.formats.gltf_write import glb_bytes
from limus.playing.session import Session
from limus.playing.sizes import MOST_MEASURED
from limus.readings.catalogue import READINGS
from limus.surface.mesh import Part
from server.jobs.models import Job
from server.projects import intake as intakes
from server.projects.models import WorkObject
from server.projects.workshop import session_of
from tests.core import shapes
from tests.core.test_effects import STORY, scene
from tests.server.base import ServerTest


class StageTest(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.item = self.add_box()

    def state(self) -> dict[str, Any]:
        return self.call("get", f"/objects/{self.item.pk}").json()  # type: ignore[no-any-return]

    def look(self, **look: Any) -> Any:
        body = {"resolution": 128, "look": look} if look else {"resolution": 128}
        return self.call("post", f"/objects/{self.item.pk}/look", body)

    def change(self, part: str, **values: Any) -> dict[str, Any]:
        found = self.state()["scene"]
        document = {**found["document"], part: {**found["document"][part], **values}}
        answer = self.call("put", f"/objects/{self.item.pk}/scene", {"base": found["version"], "document": document})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()  # type: ignore[no-any-return]

    def job(self, **body: Any) -> Job:
        made = self.call("post", f"/objects/{self.item.pk}/jobs", body).json()
        return Job.objects.get(pk=made["id"])


class Looking(StageTest):
    def test_before_measuring(self) -> None:
        with mock.patch.dict("os.environ", {"LIMUS_CACHE": str(Path(settings.DATA_DIR) / "empty")}):
            shared().clear()
            self.assertEqual(self.state()["readings"], "missing")
            lit = self.look()
            self.assertEqual((lit.status_code, lit.json()["readings"]), (200, "missing"))
            for kind in ("uv", "reading"):
                names = (
                    ("checker", "islands", "overlap", "stretch", "density")
                    if kind == "uv"
                    else ("slope", "position", "part", "island")
                )
                for name in names:
                    self.assertEqual(self.look(kind=kind, name=name).status_code, 200, name)
            for name in ("curvature", "sky", "sun", "runoff"):
                answer = self.look(kind="reading", name=name)
                self.assertEqual(answer.status_code, 422)
                self.assertIn("not been measured", answer.json()["message"])

    def test_every_reading_with_legend_and_values(self) -> None:
        self.measured(self.item)
        silent = self.state()["missing_readings"]
        self.assertEqual(set(silent), {"vertex_colour", "missed", "proximity"})
        for name, reading in READINGS.items():
            answer = self.look(kind="reading", name=name)
            if name in silent:
                self.assertEqual(answer.status_code, 422, name)
                self.assertIn(silent[name].lower()[:20], answer.json()["message"].lower())
                continue
            found = answer.json()["look"]
            self.assertEqual(found["unit"], reading.unit, name)
            self.assertTrue(found["title"], name)
            picture = self.client.get(f"/api/maps/{found['maps'][0]}")
            self.assertEqual(picture.status_code, 200)
            # What the probe reads: half floats, one or more for each pixel, and the numbers are those of the reading.
            values = self.client.get(f"/api/maps/{found['values'][0]}")
            wide = max(1, len(reading.components))
            self.assertEqual(len(values.content), 128 * 128 * 2 * wide, name)
            numbers = np.frombuffer(values.content, np.float16).astype(np.float32)
            self.assertTrue(np.isfinite(numbers).any(), name)
        slope = self.client.get(f"/api/maps/{self.look(kind='reading', name='slope').json()['look']['values'][0]}")
        degrees = np.frombuffer(slope.content, np.float16)
        self.assertTrue({0.0, 90.0, 180.0} >= set(np.unique(np.round(degrees[np.isfinite(degrees)]))))

    def test_unknown_looks_are_refused(self) -> None:
        for look in ({"kind": "reading", "name": "aura"}, {"kind": "uv", "name": "zebra"}):
            self.assertEqual(self.look(**look).status_code, 422, look)

    def test_small_pictures_for_the_band(self) -> None:
        self.measured(self.item)
        found = self.call("post", f"/objects/{self.item.pk}/look", {"resolution": 128, "pictures": True}).json()[
            "pictures"
        ]
        self.assertTrue(
            {f"reading:{k}" for k in ("curvature", "occlusion", "sky", "sun", "rain", "runoff")} <= set(found),
            sorted(found),
        )


class Settings(StageTest):
    def test_weather_is_measured_again_but_not_the_rays(self) -> None:
        self.measured(self.item)
        table = session_of(self.item.scene()).measuring.best().measured.table  # type: ignore[union-attr]
        self.change("setting", wind_from_deg=90.0, latitude=20.0)
        self.item = WorkObject.objects.get(pk=self.item.pk)
        found = session_of(self.item.scene()).measuring.best()
        assert found is not None
        self.assertTrue(found.exact)
        self.assertIn(found.quality, ("good", "fine"))
        self.assertEqual(found.measured.table.tobytes(), table.tobytes())
        self.assertEqual(self.look(kind="reading", name="rain").status_code, 200)

    def test_ground_makes_the_readings_old_until_they_are_measured(self) -> None:
        self.measured(self.item)
        before = self.look(kind="reading", name="occlusion").json()["look"]["maps"]
        self.change("setting", ground_hides=False)
        self.assertEqual(self.state()["readings"], "outdated")
        # The old ones stand in, and say so.
        answer = self.look(kind="reading", name="occlusion").json()
        self.assertEqual((answer["readings"], answer["look"]["maps"]), ("outdated", before))
        evaluated = self.call("post", f"/objects/{self.item.pk}/evaluate", {"resolution": 128}).json()
        self.assertEqual(evaluated["readings"], "outdated")
        self.measured(self.item)
        self.assertEqual(self.state()["readings"], "good")
        self.assertNotEqual(self.look(kind="reading", name="occlusion").json()["look"]["maps"], before)

    def test_neighbours(self) -> None:
        other = self.add_box()
        file = other.scene().object.file
        near = {
            "id": "wall",
            "name": "Wall",
            "file": file,
            "position_mm": [250, 0, 0],
            "rotation_deg": [0, 30, 0],
            "scale": 1.5,
        }
        self.change("object", neighbours=[near])
        raw = self.client.get(f"/api/objects/{self.item.pk}/neighbours/wall.glb")
        self.assertEqual((raw.status_code, raw.content[:4]), (200, b"glTF"))
        self.assertEqual(self.client.get(f"/api/objects/{self.item.pk}/neighbours/gone.glb").status_code, 404)
        self.assertNotIn("proximity", self.state()["missing_readings"])
        self.measured(self.item)
        self.assertEqual(self.look(kind="reading", name="proximity").status_code, 200)
        # Its file stays while it is a neighbour, even when its own object goes.
        self.call("delete", f"/objects/{other.pk}")
        self.assertEqual(self.client.get(f"/api/objects/{self.item.pk}/neighbours/wall.glb").status_code, 200)


class Working(StageTest):
    def test_draft_first_then_good_then_fine(self) -> None:
        words: list[str] = []
        from server.work.runner import Watch

        say = Watch.say

        def noted(watch: Watch, share: float, word: str = "") -> None:
            words.append(word)
            say(watch, share, word)

        with override_settings(READINGS_RESOLUTION=64), mock.patch.object(Watch, "say", noted):
            self.assertEqual(self.job(kind="measure", quality="fine").state, "done")
            self.assertEqual(self.state()["readings"], "fine")
        order = list(dict.fromkeys(w for w in words if "readings" in w))
        self.assertEqual(order, ["Draft readings", "Measuring readings", "Measuring fine readings"])

    def test_unwrap_job_and_the_original_is_kept(self) -> None:
        before = self.state()
        job = self.job(kind="unwrap")
        self.assertEqual((job.state, job.error), ("done", ""))
        # The scene took them up by itself, as an edit like any other.
        with mock.patch("limus.intake.preparation.atlas_for", side_effect=AssertionError("made again")):
            after = self.state()
        self.assertEqual((after["scene"]["document"]["object"]["uv"], after["scene"]["label"]), ("unwrapped", "Unwrap"))
        self.assertNotEqual(after["digest"], before["digest"])
        self.call("post", f"/objects/{self.item.pk}/undo", {"base": after["scene"]["version"]})
        self.assertEqual(self.state()["digest"], before["digest"])

    def test_what_was_edited_while_uvs_were_made_stays(self) -> None:
        from server.work import runner

        once = runner.facts_of

        def meanwhile(session: Any) -> Any:
            item = WorkObject.objects.get(pk=self.item.pk)
            item.commit(item.head_id, {**item.document, "seed": 4242}, "Meanwhile")
            return once(session)

        with mock.patch.object(runner, "facts_of", meanwhile):
            self.assertEqual(self.job(kind="unwrap").state, "done")
        document = self.state()["scene"]["document"]
        self.assertEqual((document["seed"], document["object"]["uv"]), (4242, "unwrapped"))

    def test_an_object_without_uvs_says_so_everywhere(self) -> None:
        bare = shapes.box(0.2)
        bare = bare.__class__(bare.positions, bare.normals, bare.triangles, parts=bare.parts)
        made = scene(*STORY, name="Bare")
        self.item = intakes.take_in(self.project, "bare.glb", [glb_bytes(bare)], made)
        self.assertEqual(self.state()["readings"], "missing")
        self.assertIn("uv-missing", {f["key"] for f in self.state()["facts"]["findings"]})
        job = self.job(kind="measure")
        self.assertEqual(job.state, "failed")
        self.assertIn("UV", job.error)
        self.assertEqual(self.look().status_code, 422)
        self.change("object", uv="unwrapped")
        self.measured(self.item)

    @override_settings(READINGS_RESOLUTION=32)
    def test_two_hundred_map_sets_fit(self) -> None:
        boxes = shapes.joined(*[shapes.box(0.05, (0.1 * k, 0, 0)) for k in range(200)])
        assert boxes.uv is not None
        many = boxes.__class__(
            boxes.positions, boxes.normals, boxes.triangles, np.stack([(boxes.uv[:, 0] * 200) % 1, boxes.uv[:, 1]],
                axis=1).astype(np.float32),
            parts=tuple(Part(p.name, p.first, p.count, k) for k, p in enumerate(boxes.parts)),
            uv_domains=tuple(f"set {k}" for k in range(200)),
        )  # fmt: skip
        session = Session.on(many, scene(), store=Store(5 << 30), good=4096)
        self.assertEqual(session.fitted(2048), 256)
        for quality, most in MOST_MEASURED.items():
            self.assertLessEqual(200 * session.measuring.size(quality) ** 2, most)
        self.item = intakes.take_in(self.project, "many.glb", [glb_bytes(many)], scene(*STORY, name="Many"))
        with override_settings(READINGS_RESOLUTION=32):
            self.measured(self.item)
            answer = self.call("post", f"/objects/{self.item.pk}/evaluate", {"resolution": 32})
        self.assertEqual(len(answer.json()["maps"]["base_color"]), 200)

    def test_catalogue_has_what_the_stage_draws(self) -> None:
        found = self.call("get", "/catalogue").json()
        controls = {"slider", "colour", "choice", "switch", "parts", "exposed", "seed", "optional"}
        for name, field in found["setting"]["properties"].items():
            self.assertIn(field.get("control"), controls, name)
            self.assertIn(field.get("group"), {"Standing", "Sun", "Weather", "Climate"}, name)
            self.assertTrue(field.get("title") and field.get("description"), name)
        self.assertEqual(set(found["uv_looks"]), {"checker", "islands", "overlap", "stretch", "density"})
        self.assertTrue({".glb", ".gltf", ".obj", ".ply", ".stl", ".zip", ".mtl", ".png"} <= set(found["file_kinds"]))
