"""Photographs on the wall of a project, what is read off them, and moments that show them."""

from __future__ import annotations

import base64
import io
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from PIL import Image

from limus.common.colour import to_srgb
from server.api.photographs import _no_larger
from server.projects.models import Moment, Photograph, SourceFile
from tests.server.base import ServerTest

PAINT, RUST = (0.03, 0.12, 0.08), (0.20, 0.05, 0.02)


def panel(seed: int = 1) -> bytes:
    """A green panel with rusty discs, a grey card in its corner."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[:240, :320]
    rust = np.zeros((240, 320), bool)
    for _ in range(12):
        cx, cy = rng.uniform(60, 320), rng.uniform(60, 240)
        rust |= (x - cx) ** 2 + (y - cy) ** 2 < 12**2
    linear = np.where(rust[..., None], RUST, PAINT)
    linear[:40, :40] = 0.18
    out = io.BytesIO()
    Image.fromarray(np.round(to_srgb(linear) * 255).astype(np.uint8)).save(out, "PNG")
    return out.getvalue()


class Wall(ServerTest):
    def hang(self, data: bytes | None = None, name: str = "gate panel.png") -> Any:
        return self.client.put(
            f"/api/projects/{self.project.pk}/photographs?name={name}",
            data=panel() if data is None else data,
            content_type="application/octet-stream",
        )

    def test_what_was_read_is_shown_no_larger_than_it_is_looked_at(self) -> None:
        plain = io.BytesIO()
        Image.fromarray(np.zeros((500, 1400, 3), np.uint8)).save(plain, "PNG")
        smaller = Image.open(io.BytesIO(_no_larger(plain.getvalue())))
        self.assertEqual(smaller.size, (700, 250))
        self.assertEqual(_no_larger(plain.getvalue(), 1400), plain.getvalue())
        line = io.BytesIO()
        Image.fromarray(np.zeros((1, 1400, 3), np.uint8)).save(line, "PNG")
        self.assertEqual(Image.open(io.BytesIO(_no_larger(line.getvalue()))).size, (700, 1))

    def test_hung_marked_read_and_taken_down(self) -> None:
        found = self.hang().json()
        self.assertEqual((found["width"], found["height"], found["mm_per_width"]), (320, 240, None))
        where = f"/api/photographs/{found['id']}"
        marks = {
            "points": [[0.25, 0.5], [0.75, 0.5]],
            "length_mm": 80,
            "card": [0.02, 0.02, 0.1, 0.14],
            "outline": [[0.2, 0.2], [1, 0.2], [1, 1], [0.2, 1]],
            "kinds": 2,
        }
        changed = self.call(
            "patch", where[4:], {"marks": marks, "note": "seen in March", "place": {"x": 10, "y": 20, "width": 500}}
        )
        self.assertEqual(changed.status_code, 200, changed.content)
        # Half of the width is 80 mm.
        self.assertAlmostEqual(changed.json()["mm_per_width"], 160.0)
        self.assertEqual(changed.json()["note"], "seen in March")
        read = self.call("post", f"{where[4:]}/read", {"kinds": 2}).json()
        kinds = read["read"]["kinds"]
        self.assertEqual(len(kinds), 2)
        self.assertTrue(read["read"]["light_taken_out"])
        np.testing.assert_allclose(kinds[0]["color"], PAINT, atol=0.01)
        np.testing.assert_allclose(kinds[1]["color"], RUST, atol=0.01)
        # Discs of 24 pixels are 12 mm.
        self.assertAlmostEqual(kinds[1]["sizes_mm"][1], 12.0, delta=2.4)
        shown = Image.open(io.BytesIO(base64.b64decode(read["shown"].removeprefix("data:image/png;base64,"))))
        # Of what lies within the outline, 80 % of 320 x 240.
        self.assertEqual(shown.size, (256, 192))
        self.assertEqual(len(shown.convert("RGB").getcolors()), 2)
        small = self.client.get(f"{where}/picture.jpg?small=true")
        self.assertEqual(small["Content-Type"], "image/jpeg")
        self.assertEqual(Image.open(io.BytesIO(small.content)).size, (320, 240))
        file = SourceFile.objects.get(path=Photograph.objects.get().path)
        kept = Path(settings.DATA_DIR) / file.path
        self.assertTrue(kept.exists())
        # A picture that hangs on the wall is not removed as a picture.
        gone = self.client.delete(f"/api/projects/{self.project.pk}/pictures?file={file.path}")
        self.assertEqual(gone.status_code, 422)
        self.assertIn("gate panel.png", gone.json()["message"])
        self.assertEqual(self.client.delete(where).status_code, 204)
        self.assertFalse(kept.exists())
        self.assertEqual(Photograph.objects.count(), 0)

    def test_the_same_picture_twice_goes_with_the_last(self) -> None:
        one, two = self.hang().json(), self.hang().json()
        path = Path(settings.DATA_DIR) / Photograph.objects.first().path  # type: ignore[union-attr]
        self.client.delete(f"/api/photographs/{one['id']}")
        self.assertTrue(path.exists())
        self.client.delete(f"/api/photographs/{two['id']}")
        self.assertFalse(path.exists())

    def test_refusals(self) -> None:
        for data, name, said in (
            (b"no picture", "a.png", "not a picture"),
            (panel(), "a.exe", "no pictures"),
        ):
            answer = self.hang(data, name)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(said, answer.json()["message"])
        # A name leads nowhere.
        smuggled = self.hang(name="../../../etc/x.png")
        self.assertIn(smuggled.status_code, (201, 422))
        for row in Photograph.objects.all():
            self.assertRegex(row.path, r"^pictures/[0-9a-f]{32}/[^/]+$")
        found = self.hang().json()
        where = f"/api/photographs/{found['id']}"
        for body, said in (
            ({"marks": {"points": [[0.5, 0.5], [0.5, 0.5]], "length_mm": 3}}, "are one"),
            ({"marks": {"length_mm": -3}}, "length_mm"),
            ({"marks": {"points": [[0.5, 1e999], [0.1, 0.5]]}}, ""),
            ({"path": "pictures/other"}, "path"),
        ):
            answer = self.call("patch", where[4:], body)
            self.assertIn(answer.status_code, (400, 422), body)
            self.assertIn(said, answer.json()["message"])
        nothing = self.call("post", f"{where[4:]}/read", {})
        self.assertIn("no region", nothing.json()["message"])
        tiny = self.call("post", f"{where[4:]}/read", {"outline": [[0.5, 0.5], [0.504, 0.5], [0.5, 0.504]]})
        self.assertEqual(tiny.status_code, 422)
        self.assertIn("pixels", tiny.json()["message"])

    def test_nobody_elses(self) -> None:
        found = self.hang().json()
        self.client.force_login(self.eve)
        where = f"/api/photographs/{found['id']}"
        self.assertEqual(self.client.get(f"{where}/picture.jpg").status_code, 404)
        self.assertEqual(self.call("patch", where[4:], {"note": "mine"}).status_code, 404)
        self.assertEqual(self.call("post", f"{where[4:]}/read", {}).status_code, 404)
        self.assertEqual(self.client.delete(where).status_code, 404)
        self.assertEqual(self.client.get(f"/api/projects/{self.project.pk}/photographs").status_code, 404)


class Fitting(ServerTest):
    def test_settings_are_found_and_nothing_is_saved(self) -> None:
        item = self.add_box()
        where = f"/objects/{item.pk}/fit"
        wanted = {"share": 0.2, "size_mm": 9.0}
        layer = next(one["id"] for one in item.document["layers"] if one["effect"]["kind"] == "chipping")
        self.measured(item)
        before = item.versions.count()
        found = self.call("post", where, {"layer": layer, "wanted": wanted, "resolution": 128})
        self.assertEqual(found.status_code, 200, found.content)
        self.assertIn("coverage", {one["field"] for one in found.json()["changes"]})
        self.assertEqual(item.versions.count(), before)
        for body, said in (
            ({"layer": "nobody", "wanted": wanted}, "no such layer"),
            ({"layer": layer, "wanted": {"share": 3}}, "share"),
            ({"layer": layer, "wanted": {}}, "nothing of this"),
        ):
            answer = self.call("post", where, body)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(said, answer.json()["message"])


class Moments(ServerTest):
    VIEW = {"position": [1.0, 1.0, 2.0], "target": [0.0, 0.2, 0.0], "field_deg": 30.0}

    def test_kept_renamed_and_removed(self) -> None:
        item = self.add_box()
        where = f"/objects/{item.pk}/moments"
        kept = self.call("post", where, {"name": "Before", "version": item.head_id, "view": self.VIEW})
        self.assertEqual(kept.status_code, 201, kept.content)
        one = kept.json()
        self.assertEqual([m["name"] for m in self.call("get", where).json()], ["Before"])
        self.assertEqual(self.call("patch", f"/moments/{one['id']}", {"name": "After"}).json()["name"], "After")
        self.assertEqual(self.call("patch", f"/moments/{one['id']}", {"name": ""}).status_code, 422)
        for body, said in (
            ({"name": "x", "version": 999999, "view": self.VIEW}, "not kept"),
            ({"name": "x", "version": item.head_id, "view": {**self.VIEW, "field_deg": 0}}, "field_deg"),
            ({"name": "x", "version": item.head_id, "view": self.VIEW, "photograph": 99}, "no such photograph"),
        ):
            answer = self.call("post", where, body)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(said, answer.json()["message"])
        self.client.force_login(self.eve)
        self.assertEqual(self.call("get", where).status_code, 404)
        self.assertEqual(self.call("delete", f"/moments/{one['id']}").status_code, 404)
        self.client.force_login(self.ada)
        self.assertEqual(self.call("delete", f"/moments/{one['id']}").status_code, 204)
        self.assertEqual(Moment.objects.count(), 0)

    def test_a_photograph_that_a_moment_shows_stays(self) -> None:
        item = self.add_box()
        found = self.client.put(
            f"/api/projects/{item.project_id}/photographs?name=a.png",
            data=panel(),
            content_type="application/octet-stream",
        ).json()
        body = {"name": "Beside it", "version": item.head_id, "view": self.VIEW, "photograph": found["id"]}
        self.call("post", f"/objects/{item.pk}/moments", body)
        answer = self.call("delete", f"/photographs/{found['id']}")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("'Beside it' shows it", answer.json()["message"])
        self.assertEqual(Photograph.objects.count(), 1)


class Reports(ServerTest):
    def test_as_numbers_page_and_table(self) -> None:
        item = self.add_box()
        where = f"/objects/{item.pk}/condition"
        self.measured(item)
        found = self.call("get", where)
        self.assertEqual(found.status_code, 200, found.content)
        self.assertGreater(found.json()["whole"]["area_m2"], 0)
        young = self.call("get", f"{where}?year=0").json()
        self.assertEqual(young["year"], 0)
        page = self.call("get", f"{where}.pdf?year=3")
        self.assertEqual(page.content[:5], b"%PDF-")
        self.assertIn(f"condition-{item.pk}-year-3.pdf", page["Content-Disposition"])
        table = self.call("get", f"{where}.csv")
        self.assertTrue(table.content.decode("utf-8-sig").startswith("part,coat,family"))
        for bad in ("?year=-1", "?year=nan", ".doc"):
            self.assertIn(self.call("get", f"{where}{bad}").status_code, (404, 422), bad)

    def test_of_an_object_without_layers(self) -> None:
        item = self.add_box()
        document = item.document | {"layers": [], "episodes": []}
        self.call("put", f"/objects/{item.pk}/scene", {"base": item.head_id, "document": document})
        item.refresh_from_db()
        self.measured(item)
        found = self.call("get", f"/objects/{item.pk}/condition").json()
        self.assertEqual([coat["name"] for coat in found["whole"]["coats"]], ["Bare base"])
        self.assertEqual(found["whole"]["rust_iso"], "Ri0")
        self.assertEqual(self.call("get", f"/objects/{item.pk}/condition.pdf").content[:5], b"%PDF-")
