"""Strokes, pictures, links and findings through the API."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import mock

import numpy as np
from django.conf import settings
from PIL import Image

from limus.common.errors import InputError
from limus.formats.gltf_read import read_gltf
from server.projects import drawn
from server.projects.models import SourceFile
from tests.server.base import ServerTest

STROKE: dict[str, Any] = {
    "brush": {"size_mm": 60.0, "hardness": 1.0},
    "points": [[-0.05, 0.1, 0.0, 0, 1, 0, 1, 0, 0], [0.05, 0.1, 0.0, 0, 1, 0, 1, 0, 0]],
}


def png(size: int = 8, value: int = 200) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.full((size, size), value, np.uint8)).save(out, "png")
    return out.getvalue()


class Drawn(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.item = self.add_box()

    def stroke(self, **more: Any) -> Any:
        return self.call("post", f"/objects/{self.item.pk}/strokes", {"stroke": {**STROKE, **more}})

    def bring(self, name: str, data: bytes) -> Any:
        return self.client.put(
            f"/api/projects/{self.project.pk}/pictures?name={name}", data, content_type="application/octet-stream"
        )

    def head(self) -> dict[str, Any]:
        return self.call("get", f"/objects/{self.item.pk}").json()["scene"]  # type: ignore[no-any-return]

    def save(self, change: Any) -> Any:
        head = self.head()
        document = head["document"]
        change(document)
        return self.call("put", f"/objects/{self.item.pk}/scene", {"base": head["version"], "document": document})

    def last(self, *terms: dict[str, Any]) -> Any:
        return self.save(lambda d: d["layers"][-1]["where"].update(terms=list(terms), cut=None))

    def evaluate(self, **more: Any) -> dict[str, Any]:
        head = self.head()["document"]
        body = {"resolution": 128, "selected": head["layers"][-1]["id"], "pictures": True, **more}
        answer = self.call("post", f"/objects/{self.item.pk}/evaluate", body)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()  # type: ignore[no-any-return]


class Strokes(Drawn):
    def test_a_stroke_shows_once_the_scene_names_it(self) -> None:
        self.measured(self.item)
        kept = self.stroke()
        self.assertEqual(kept.status_code, 201)
        name = kept.json()["file"]
        self.assertTrue((Path(settings.DATA_DIR) / name).is_file())
        # The same stroke again is the same file.
        self.assertEqual(self.stroke().json()["file"], name)
        line = {"source": {"kind": "strokes", "strokes": [name]}, "combine": "over"}
        self.assertEqual(self.last(line).status_code, 200)
        found = self.evaluate()["where"]
        # A stroke 60 mm wide and 100 mm long with round ends on a cube of 200 mm.
        wanted = (100 * 60 + np.pi * 30**2) / (6 * 200 * 200)
        self.assertAlmostEqual(found["share"] / wanted, 1.0, delta=0.06)
        self.assertEqual(found["terms"][0]["finding"], "")
        undone = self.call("post", f"/objects/{self.item.pk}/undo", {"base": self.head()["version"]})
        self.assertEqual(undone.status_code, 200)
        self.assertNotEqual(len(self.head()["document"]["layers"][-1]["where"]["terms"]), 1)

    def test_refusals(self) -> None:
        for bad, word in (
            ({"points": [[0, 0, None, 0, 1, 0, 1, 0, 0]]}, "points[0][2]"),
            ({"brush": {"size_mm": 0}}, "brush.size_mm"),
            ({"brush": {"size_mm": 1e7}}, "brush.size_mm"),
            ({"brush": {"size_mm": 0.05, "spacing": 0.02}}, "more than 100000"),
            (
                {"brush": {"size_mm": 5, "shape": "picture", "picture": "pictures/other.png"}},
                "not a picture of this project",
            ),
        ):
            answer = self.stroke(**bad)
            self.assertEqual(answer.status_code, 422, bad)
            self.assertIn(word, answer.json()["message"])
        raw = '{"stroke": {"points": [[NaN, 0, 0, 0, 1, 0, 1, 0, 0]]}}'
        answer = self.client.post(f"/api/objects/{self.item.pk}/strokes", raw, content_type="application/json")
        self.assertIn(answer.status_code, (400, 422))

    def test_strokes_of_others(self) -> None:
        name = self.stroke().json()["file"]
        self.client.force_login(self.eve)
        self.assertEqual(self.stroke().status_code, 404)
        self.client.force_login(self.ada)
        SourceFile.objects.filter(path=name).delete()
        answer = self.last({"source": {"kind": "strokes", "strokes": [name]}})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("not a file of this project", answer.json()["message"])

    def test_vertex_paint_is_seen_and_exported(self) -> None:
        self.measured(self.item)
        self.assertIn("vertex_colour", self.call("get", f"/objects/{self.item.pk}").json()["missing_readings"])
        name = self.stroke(brush={"size_mm": 500.0}).json()["file"]
        self.assertEqual(self.save(lambda d: d.update(vertex_paint=[{"file": name, "channel": "G"}])).status_code, 200)
        self.assertNotIn("vertex_colour", self.call("get", f"/objects/{self.item.pk}").json()["missing_readings"])
        looked = self.evaluate(look={"kind": "reading", "name": "vertex_colour", "component": "G"})
        self.assertEqual(looked["look"]["title"], "Vertex colour, G")
        job = self.call(
            "post", f"/objects/{self.item.pk}/jobs", {"kind": "export", "order": {"resolution": 256}}
        ).json()
        self.assertEqual(self.call("get", f"/jobs/{job['id']}").json()["state"], "done")
        archive = b"".join(self.client.get(f"/api/jobs/{job['id']}/file").streaming_content)  # type: ignore[attr-defined]
        with zipfile.ZipFile(io.BytesIO(archive)) as files:
            # The scene comes along with its strokes, so that the command line can repeat the result.
            self.assertIn(name, files.namelist())
            self.assertEqual(json.loads(files.read("scene.json"))["vertex_paint"], [{"file": name, "channel": "G"}])
            glb = next(files.read(n) for n in files.namelist() if n.endswith(".glb"))
        # The view opens the very file.
        done = self.call("get", f"/jobs/{job['id']}").json()
        self.assertEqual(b"".join(self.client.get(done["model"]).streaming_content), glb)  # type: ignore[attr-defined]
        maps = self.call(
            "post", f"/objects/{self.item.pk}/jobs", {"kind": "export", "order": {"target": "maps", "resolution": 256}}
        ).json()
        self.assertEqual(self.call("get", f"/jobs/{maps['id']}").json()["model"], "")
        self.assertEqual(self.client.get(f"/api/jobs/{maps['id']}/model.glb").status_code, 404)
        with TemporaryDirectory() as folder:
            (Path(folder) / "out.glb").write_bytes(glb)
            colours = read_gltf(Path(folder) / "out.glb").colours
        assert colours is not None
        # The top of the cube is green, its underside is not.
        self.assertEqual(
            (float(colours[:, 1].max()), float(colours[:, 1].min()), float(colours[:, 0].max())), (1.0, 0.0, 0.0)
        )

    def test_removing_the_object_removes_its_strokes(self) -> None:
        name = self.stroke().json()["file"]
        self.last({"source": {"kind": "strokes", "strokes": [name]}})
        self.assertEqual(self.call("delete", f"/objects/{self.item.pk}").status_code, 204)
        self.assertFalse((Path(settings.DATA_DIR) / name).exists())


class Pictures(Drawn):
    def test_brought_in_listed_and_read(self) -> None:
        self.measured(self.item)
        made = self.bring("rust map.png", png())
        self.assertEqual(made.status_code, 201)
        file = made.json()["file"]
        self.assertEqual(
            self.call("get", f"/projects/{self.project.pk}/pictures").json(), [{"file": file, "name": "rust map.png"}]
        )
        self.assertEqual(self.last({"source": {"kind": "picture", "file": file}}).status_code, 200)
        self.assertAlmostEqual(self.evaluate()["where"]["share"], 200 / 255, places=2)
        # Its file went missing under the running program: a clear line, not a failure.
        (Path(settings.DATA_DIR) / file).unlink()
        self.last({"source": {"kind": "picture", "file": file, "size_mm": 123.0}})
        body = {"resolution": 128, "selected": self.head()["document"]["layers"][-1]["id"]}
        answer = self.call("post", f"/objects/{self.item.pk}/evaluate", body)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("cannot be read", answer.json()["message"])

    def test_refusals(self) -> None:
        for name, data, word in (
            ("a.png", b"not a picture", "not a picture"),
            ("a.exe", png(), "no pictures"),
            ("a.png", png()[:40], ""),
        ):
            answer = self.bring(name, data)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(word, answer.json()["message"])
        self.assertEqual(self.call("get", f"/projects/{self.project.pk}/pictures").json(), [])
        self.assertEqual(list((Path(settings.DATA_DIR) / "pictures").glob("*.part")), [])
        self.client.force_login(self.eve)
        self.assertEqual(self.bring("a.png", png()).status_code, 404)


class BetweenLayers(Drawn):
    def test_a_picture_that_is_too_large(self) -> None:
        with mock.patch.object(drawn, "LARGEST_PICTURE", 2 << 20):
            with self.assertRaises(InputError) as caught:
                drawn.keep_picture(self.project, "wall.png", [b"x" * (1 << 20)] * 3)
            self.assertEqual((caught.exception.where, caught.exception.problem), ("wall.png", "more than 2 MB"))
        self.assertEqual(list((Path(settings.DATA_DIR) / "pictures").glob("*.part")), [])

    def test_a_loop_is_refused_with_its_names(self) -> None:
        def loop(document: dict[str, Any]) -> None:
            one, two = document["layers"][0], document["layers"][1]
            one["where"]["terms"] = [{"source": {"kind": "mask", "layer": two["id"]}}]
            two["where"]["terms"] = [{"source": {"kind": "mask", "layer": one["id"]}}]

        names = [x["name"] for x in self.head()["document"]["layers"][:2]]
        answer = self.save(loop)
        self.assertEqual(answer.status_code, 422)
        self.assertIn(f"{names[0]} → {names[1]} → {names[0]}", answer.json()["message"])

    def test_findings_come_with_their_line(self) -> None:
        self.measured(self.item)
        self.last({"source": {"kind": "noise", "size_mm": 0.5}}, {"source": {"kind": "mask"}, "combine": "screen"})
        terms = self.evaluate()["where"]["terms"]
        self.assertIn("finer than two texels", terms[0]["finding"])
        self.assertIn("No layer is chosen", terms[1]["finding"])

    def test_the_catalogue_tells_what_shows_a_reading(self) -> None:
        found = self.call("get", "/catalogue").json()
        shows = {s["reading"]: s["kind"] for s in found["sources"] if s["reading"]}
        self.assertEqual(shows["curvature"], "edges")
        self.assertEqual(shows["occlusion"], "sheltered")
        self.assertIn("size_mm", found["brush"]["properties"])
        self.assertEqual({s["kind"] for s in found["sources"] if s["over"]}, {"strokes", "picks"})
