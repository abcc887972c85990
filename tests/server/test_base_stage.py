"""The Base stage through the API: the store room, texture files, what is said of bases, and the delivery."""

from __future__ import annotations

import io
import json
import zipfile
from typing import Any

import numpy as np
from django.test import override_settings
from PIL import Image

from limus.bases.choice import from_stock
from limus.bases.store_room import STOCK
from limus.common.errors import InputError
from limus.formats.gltf_write import glb_bytes
from limus.review.sample import sample_picture
from server.projects import storage, store_room
from server.projects.data_files import find
from server.projects.intake import own_files_only, take_in
from server.projects.models import OwnBase, Project, SourceFile
from tests.core import shapes
from tests.core.test_effects import scene
from tests.core.test_map_sets import normal_map, relief
from tests.server.base import ServerTest


def png(image: np.ndarray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(image).save(out, "png")
    return out.getvalue()


def map_files() -> dict[str, bytes]:
    """A set of three."""
    height = relief(1, 64)
    colour = np.stack([height * 200 + 30, height * 150 + 20, height * 90 + 10], axis=2).astype(np.uint8)
    return {
        "old_wall_albedo.png": png(colour),
        "old_wall_normal.png": png(normal_map(height, 0.03, "down")),
        "old_wall_rough.png": png((255 - height * 120).astype(np.uint8)),
    }


class Room(ServerTest):
    def shelves(self, **query: Any) -> Any:
        return self.client.get("/api/store-room", query).json()

    def test_pages_search_and_family(self) -> None:
        first = self.shelves(size=10)
        self.assertEqual((first["total"], first["pages"], len(first["bases"])), (len(STOCK), -(-len(STOCK) // 10), 10))
        names = [b["name"] for k in range(1, first["pages"] + 1) for b in self.shelves(size=10, page=k)["bases"]]
        self.assertEqual(names, list(STOCK))
        # A page beyond the last is the last.
        self.assertEqual(self.shelves(size=10, page=99)["page"], first["pages"])
        self.assertEqual([b["name"] for b in self.shelves(query="spangle")["bases"]], ["galvanised steel"])
        self.assertEqual({b["family"] for b in self.shelves(family="timber")["bases"]}, {"timber"})
        self.assertEqual(self.shelves(query="cheese"), {"total": 0, "page": 1, "pages": 1, "bases": []})
        self.assertEqual(self.client.get("/api/store-room", {"page": 0}).status_code, 422)

    def test_favourites_are_ones_own(self) -> None:
        self.assertEqual(self.call("put", "/store-room/favourite", {"name": "oak"}).status_code, 204)
        self.assertEqual([b["name"] for b in self.shelves(favourites=True)["bases"]], ["oak"])
        self.client.force_login(self.eve)
        self.assertEqual(self.shelves(favourites=True)["total"], 0)
        self.client.force_login(self.ada)
        self.call("put", "/store-room/favourite", {"name": "oak", "on": False})
        self.assertEqual(self.shelves(favourites=True)["total"], 0)
        self.assertEqual(self.call("put", "/store-room/favourite", {"name": "cheese"}).status_code, 422)

    def test_a_sample_is_made_once(self) -> None:
        first = self.client.get("/api/store-room/picture", {"name": "enamel"})
        self.assertEqual((first.status_code, first["Content-Type"]), (200, "image/png"))
        self.assertEqual(Image.open(io.BytesIO(first.content)).size, (236, 188))
        self.assertEqual(self.client.get("/api/store-room/picture", {"name": "enamel"}).content, first.content)
        self.assertEqual(self.client.get("/api/store-room/picture", {"name": "cheese"}).status_code, 422)

    @override_settings(STORE_ROOM="failing")
    def test_when_it_does_not_answer(self) -> None:
        answer = self.client.get("/api/store-room")
        self.assertEqual(answer.status_code, 503)
        self.assertIn("does not answer", answer.json()["message"])
        self.assertEqual(self.client.get("/api/store-room/picture", {"name": "oak"}).status_code, 503)
        # What is on objects does not hang on it.
        item = self.add_box()
        self.assertEqual(
            self.call("post", f"/objects/{item.pk}/look", {"resolution": 64, "bases": True}).status_code, 200
        )

    def test_own_bases(self) -> None:
        item = self.add_box()
        base = from_stock("oak", levels={"roughness": {"value": [0.3]}}).model_dump(mode="json")
        made = self.call("post", "/store-room", {"name": "Bench top", "base": base, "project": self.project.pk})
        self.assertEqual(made.status_code, 201)
        name = made.json()["name"]
        self.assertEqual([b["title"] for b in self.shelves(own=True)["bases"]], ["Bench top"])
        self.assertEqual(self.shelves(query="bench top")["bases"][0]["own"], True)
        # Families before and after its own in the alphabet.
        for family, found in (("timber", 1), ("stone", 0), ("zinc", 0)):
            self.assertEqual(self.shelves(own=True, family=family)["total"], found, family)
        # A sample of twelve times what a pattern of it takes.
        choice = store_room.entry(self.ada, name)
        picture = np.asarray(Image.open(io.BytesIO(self.client.get("/api/store-room/picture", {"name": name}).content)))
        wide = 12.0 * choice.placing.size_cm
        np.testing.assert_array_equal(picture, sample_picture(choice, wide, store_room.SAMPLE, files=find))
        taken = self.call("post", f"/objects/{item.pk}/store-room/take", {"name": name}).json()["base"]
        # It is seen, and not the maps that the object came with.
        self.assertFalse(taken["file_maps"])
        self.assertEqual((taken["name"], taken["levels"]["roughness"]["value"]), ("Bench top", [0.3]))
        again = self.call("post", "/store-room", {"name": "Bench top", "base": base, "project": self.project.pk})
        self.assertIn("already", again.json()["message"])
        self.client.force_login(self.eve)
        self.assertEqual(self.shelves(own=True)["total"], 0)
        self.assertEqual(self.client.delete(f"/api/store-room?name={name}").status_code, 422)
        self.client.force_login(self.ada)
        self.assertEqual(self.client.delete(f"/api/store-room?name={name}").status_code, 204)
        self.assertFalse(OwnBase.objects.exists())

    def test_own_bases_that_are_none(self) -> None:
        for base, said in (
            ({"material": {"kind": "cheese"}}, "'cheese' is not a known material"),
            ({"material": {"kind": "timber", "weathered": 3}}, "weathered: 3 is above the limit 1"),
            (
                {"material": {"kind": "map_set", "maps": [{"file": "pictures/x/y.png", "role": "height"}]}},
                "not a file of this project",
            ),
        ):
            answer = self.call("post", "/store-room", {"name": "Odd", "base": base, "project": self.project.pk})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(said, answer.json()["message"])


class Textures(ServerTest):
    def bring(self, name: str, data: bytes, project: Project | None = None) -> Any:
        where = (project or self.project).pk
        return self.client.put(
            f"/api/projects/{where}/texture-files?name={name}", data, content_type="application/octet-stream"
        )

    def test_from_files_to_maps(self) -> None:
        item = self.add_box()
        files = [self.bring(n, d).json()["files"][0]["file"] for n, d in map_files().items()]
        found = self.call("post", f"/projects/{self.project.pk}/recognise", {"files": files, "size_cm": 10}).json()
        self.assertEqual([u["role"] for u in found["uses"]], ["base_color", "normal", "roughness"])
        self.assertEqual((found["green"], found["base"]["name"]), ("down", "Old wall"))
        self.assertTrue(found["files"][0]["picture"].startswith("data:image/png;base64,"))
        self.assertIn("green of old_wall_normal.png points down", " ".join(found["findings"]))
        head = self.call("get", f"/objects/{item.pk}").json()["scene"]
        document = head["document"]
        document["bases"] = [found["base"]]
        self.assertEqual(
            self.call("put", f"/objects/{item.pk}/scene", {"base": head["version"], "document": document}).status_code,
            200,
        )
        answer = self.call(
            "post", f"/objects/{item.pk}/look", {"resolution": 128, "bases": True, "pictures": True, "relief": True}
        ).json()
        (said,) = answer["bases"]
        self.assertEqual((said["index"], said["title"], said["share"]), (0, "Old wall", 1.0))
        # A relief of 3 % of 10 cm.
        self.assertAlmostEqual(said["relief_mm"][1] - said["relief_mm"][0], 3.0, delta=0.9)
        self.assertIn("channel:roughness", answer["pictures"])
        # The relief as the view asks for it: half floats, in millimetres.
        raw = self.client.get(f"/api/maps/{answer['maps']['relief'][0]}").content
        values = np.frombuffer(raw, np.float16).astype(float)
        self.assertEqual(len(values), 128 * 128)
        self.assertAlmostEqual(float(values.max()), answer["maps"]["relief_mm"][1], delta=0.01)
        mean = to_mean(map_files()["old_wall_albedo.png"])
        np.testing.assert_allclose(said["color"], mean, atol=0.03)

    def test_repetition_is_told_and_mended(self) -> None:
        item = self.add_box()
        files = [self.bring(n, d).json()["files"][0]["file"] for n, d in map_files().items()]
        base = self.call("post", f"/projects/{self.project.pk}/recognise", {"files": files, "size_cm": 4}).json()[
            "base"
        ]

        def said(**placing: Any) -> dict[str, Any]:
            document = self.call("get", f"/objects/{item.pk}").json()["scene"]["document"]
            document["bases"] = [{**base, "placing": {**base["placing"], **placing}}]
            answer = self.call(
                "post", f"/objects/{item.pk}/look", {"resolution": 64, "bases": True, "document": document}
            )
            return answer.json()["bases"][0]  # type: ignore[no-any-return]

        self.assertIn("Its tile shows to repeat every 40", " ".join(said()["notes"]))
        self.assertNotIn("repeat", " ".join(said(broken=True)["notes"]))

    def test_a_zip_and_what_of_it_is_refused(self) -> None:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            for name, data in map_files().items():
                archive.writestr(f"wall/{name}", data)
            archive.writestr("wall/broken.png", b"no")
            archive.writestr("wall/readme.txt", b"hello")
        answer = self.bring("wall.zip", out.getvalue())
        self.assertEqual(answer.status_code, 201)
        self.assertEqual(len(answer.json()["files"]), 3)
        self.assertIn("broken.png", answer.json()["refused"][0])

    def test_bad_files(self) -> None:
        for name, data, said in (
            ("a.png", map_files()["old_wall_rough.png"][:60], "can be read"),
            ("a.txt", b"x", "files are no pictures"),
            ("a.zip", b"x", "zip cannot be read"),
        ):
            answer = self.bring(name, data)
            self.assertEqual(answer.status_code, 422, name)
            self.assertIn(said, answer.json()["message"])
        self.assertFalse(SourceFile.objects.filter(project=self.project, path__startswith="pictures/").exists())

    def test_somebody_elses_files(self) -> None:
        other = Project.objects.create(owner=self.eve, name="Other")
        file = self.bring("old_wall_albedo.png", map_files()["old_wall_albedo.png"]).json()["files"][0]["file"]
        self.assertEqual(self.bring("x.png", b"x", other).status_code, 404)
        self.client.force_login(self.eve)
        answer = self.call("post", f"/projects/{other.pk}/recognise", {"files": [file]})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("not a picture of this project", answer.json()["message"])

    def test_a_scene_may_name_its_own_maps_only(self) -> None:
        item = self.add_box()
        document = self.call("get", f"/objects/{item.pk}").json()["scene"]["document"]
        document["bases"] = [
            {"material": {"kind": "map_set", "maps": [{"file": "pictures/0/x.png", "role": "height"}]}}
        ]
        answer = self.call("post", f"/objects/{item.pk}/look", {"resolution": 64, "document": document})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("bases[0].material.maps[0].file", answer.json()["message"])

    def test_files_of_an_own_base_outlive_the_object(self) -> None:
        file = self.bring("old_wall_albedo.png", map_files()["old_wall_albedo.png"]).json()["files"][0]["file"]
        base = {"material": {"kind": "map_set", "maps": [{"file": file, "role": "base_color", "colour": "srgb"}]}}
        name = self.call("post", "/store-room", {"name": "Wall", "base": base, "project": self.project.pk}).json()[
            "name"
        ]
        with self.assertRaisesRegex(InputError, "Wall"):
            storage.remove_picture(self.project.files.get(path=file))
        storage.remove_project(self.project)
        storage.sweep()
        self.assertTrue(find(file).exists())
        # In another project the file becomes its own with the base.
        other = Project.objects.create(owner=self.ada, name="Other")
        self.project = other
        item = self.add_box()
        taken = self.call("post", f"/objects/{item.pk}/store-room/take", {"name": name}).json()["base"]
        document = self.call("get", f"/objects/{item.pk}").json()["scene"]["document"]
        document["bases"] = [taken]
        self.assertEqual(
            self.call("post", f"/objects/{item.pk}/look", {"resolution": 64, "document": document}).status_code, 200
        )
        own_files_only(item.scene(), other)
        self.assertEqual(other.files.get(path=file).name, "old_wall_albedo.png")

    def test_colour_of_a_photograph(self) -> None:
        # Half of it grey card in warm light, half of it brick in the same light.
        light = np.array([1.0, 0.8, 0.6]) * 0.9
        card, brick = 0.18 * light, np.array([0.28, 0.12, 0.07]) * light
        picture = np.empty((40, 80, 3), np.uint8)
        encode = lambda c: np.round(np.where(c <= 0.0031308, 12.92 * c, 1.055 * c ** (1 / 2.4) - 0.055) * 255)  # noqa: E731
        picture[:, :40], picture[:, 40:] = encode(card), encode(brick)
        file = self.bring("photo.png", png(picture)).json()["files"][0]["file"]
        path = f"/projects/{self.project.pk}/pick-colour"
        got = self.call("post", path, {"file": file, "at": [0.75, 0.5], "grey": [0.25, 0.5]}).json()
        np.testing.assert_allclose(got["color"], [0.28, 0.12, 0.07], atol=0.006)
        self.assertEqual(got["note"], "")
        stated = self.call("post", path, {"file": file, "at": [0.25, 0.5], "exposure": -1}).json()
        np.testing.assert_allclose(stated["color"], np.clip(card * 2, 0, 1), atol=0.006)
        shown = self.client.get(f"/api/projects/{self.project.pk}/pictures/shown", {"file": file})
        self.assertEqual(Image.open(io.BytesIO(shown.content)).size, (80, 40))

    def test_colour_of_a_place_is_the_mean_of_a_few_pixels_around_it(self) -> None:
        # Every pixel another grey: three by three of them, fewer at the border; also of a picture with one plane.
        rng = np.random.default_rng(8)
        grey = rng.integers(0, 256, (40, 80), np.uint8)
        linear = grey / 255.0
        linear = np.where(linear <= 0.04045, linear / 12.92, ((linear + 0.055) / 1.055) ** 2.4)  # IEC 61966-2-1
        for name, picture in (("plane.png", grey), ("three.png", np.repeat(grey[:, :, None], 3, axis=2))):
            file = self.bring(name, png(picture)).json()["files"][0]["file"]
            for x, y in ((30, 20), (0, 0), (79, 39), (79, 5), (7, 39)):
                at = [(x + 0.5) / 80, (y + 0.5) / 40]
                seen = self.call("post", f"/projects/{self.project.pk}/pick-colour", {"file": file, "at": at}).json()
                near = linear[max(0, y - 1) : y + 2, max(0, x - 1) : x + 2]
                np.testing.assert_allclose(seen["seen"], [near.mean()] * 3, atol=1e-4)

    def test_guesses_are_offered_and_nothing_is_done(self) -> None:
        item = self.add_box()
        before = self.call("get", f"/objects/{item.pk}").json()["scene"]["version"]
        self.assertEqual(self.call("get", f"/objects/{item.pk}/guessed-bases").json(), [])
        self.assertEqual(self.call("get", f"/objects/{item.pk}").json()["scene"]["version"], before)

    def test_before_anything_was_measured(self) -> None:
        # A mask of curvature has nothing to look at yet: its base is left out, and the one after it keeps its number.
        # A size that no other test has: readings of a box once measured are kept on disk.
        item = take_in(self.project, "box.glb", [glb_bytes(shapes.box(0.2137))], scene(name="Unmeasured"))
        document = self.call("get", f"/objects/{item.pk}").json()["scene"]["document"]
        edges = {"terms": [{"source": {"kind": "edges", "radius_mm": 4}}]}
        document["bases"] = [
            {"material": "slate"},
            {"material": "oak", "where": edges},
            {"material": "brass", "parts": ["box"]},
        ]
        answer = self.call(
            "post", f"/objects/{item.pk}/look", {"resolution": 64, "bases": True, "document": document}
        ).json()
        self.assertEqual([(b["index"], b["title"]) for b in answer["bases"]], [(2, "Brass")])

    def test_older_documents_come_whole(self) -> None:
        item = self.add_box()
        item.document["bases"] = [{"material": "slate"}]
        item.save()
        base = self.call("get", f"/objects/{item.pk}").json()["scene"]["document"]["bases"][0]
        self.assertEqual((base["material"]["kind"], base["placing"]["way"]), ("slate", "triplanar"))

    def test_the_catalogue_says_all_that_the_stage_needs(self) -> None:
        found = self.client.get("/api/catalogue").json()
        self.assertIn("timber", [m["kind"] for m in found["materials"]])
        self.assertEqual(
            set(json.loads(json.dumps(found["base"]))["properties"]), {"blend_mm", "stands_mm", "relief", "occlusion"}
        )
        self.assertIn("gloss", [r["name"] for r in found["roles"]])
        self.assertEqual(found["albedos"]["fresh snow"], [0.8, 0.95])


def to_mean(data: bytes) -> np.ndarray:
    """(3,) mean linear colour of a PNG."""
    values = np.asarray(Image.open(io.BytesIO(data))).astype(float) / 255
    return np.asarray(
        np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).reshape(-1, 3).mean(axis=0)
    )
