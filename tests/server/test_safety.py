"""Nobody reads or removes what is not theirs: whatever a document is made to say, and whoever removes what in which
order.
"""

from __future__ import annotations

import copy
import io
import json
import os
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from django.conf import settings
from hypothesis import given
from hypothesis import settings as trying
from hypothesis import strategies as st
from pydantic import ValidationError

from limus.bases.catalogue import MATERIALS
from limus.common.errors import InputError
from limus.common.named_files import file_fields, models_in
from limus.document.scene import Scene
from limus.effects.catalogue import EFFECTS
from limus.masks.recipe import SOURCES
from server.jobs.models import Job
from server.projects import storage
from server.projects.data_files import files_in, find, find_received, is_exact
from server.projects.drawn import keep_picture
from server.projects.models import FileUse, OwnBase, Project, SourceFile
from tests.server.base import ServerTest
from tests.server.test_drawn import STROKE, png

#: What must never come out, and names that lead to it.
SECRET = "what nobody may read"
WAYS = (
    "pictures/../secret-key", "strokes/../secret-key", "objects/../secret-key", "pictures/./../secret-key",
    "secret-key",
    "../limus.sqlite3", "/etc/passwd", "pictures/0123456789abcdef0123456789abcdef/../../secret-key",
)  # fmt: skip


def everything(file: str) -> dict[str, Any]:
    """A document with every model that a scene can hold, every optional one there and every list with something in
    it.
    """
    terms = []
    for source in SOURCES.values():
        plain = source().model_dump(mode="json")
        if source.names_layer:
            plain[source.names_layer] = "all-paint"
        terms.append({"source": plain})
    picks = next(t for t in terms if t["source"]["kind"] == "picks")["source"]
    picks["picks"] = [{"what": "part", "at": [0, 0.1, 0], "facing": [0, 1, 0]}]
    layers: list[dict[str, Any]] = [{"id": "all-paint", "name": "First", "effect": {"kind": "paint"}}]
    for k, kind in enumerate(EFFECTS):
        layers.append({"id": f"l{k}", "name": kind, "effect": {"kind": kind}, "episode": "e"})
    layers[1]["where"], layers[2]["where"] = {"terms": terms[:20]}, {"terms": terms[20:]}
    plain = [
        t for t in terms if not (SOURCES[t["source"]["kind"]].looks_back or SOURCES[t["source"]["kind"]].names_layer)
    ]
    plain = [t for t in plain if t["source"]["kind"] != "base_map"]
    bases: list[dict[str, Any]] = [{"material": {"kind": kind}, "parts": ["box"]} for kind in MATERIALS]
    for base in bases:
        if base["material"]["kind"] == "map_set":
            base["material"]["maps"] = [{"file": "x.png"}, {"file": "y.png", "role": "base_color"}]
    bases[0]["where"] = {"terms": copy.deepcopy(plain[:32])}
    return {
        "version": 1,
        "object": {
            "file": file, "turned": ["box"], "two_sided": ["box"], "twin": {"file": "twin.glb"},
            "neighbours": [{"id": "n", "name": "Next door", "file": "next.glb"}],
        },
        "bases": bases,
        "layers": layers,
        "episodes": [{"id": "e", "name": "All of it", "where": {"terms": copy.deepcopy(plain[:32])}}],
        "snapshots": [{"id": "s", "name": "Dry", "layers_off": ["l1"], "episodes_off": ["e"]}],
        "vertex_paint": [{"file": "stroke.json"}],
    }  # fmt: skip


def texts(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Paths of every text of a document; an empty list of texts counts as one that could hold some."""
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from texts(inner, (*path, key))
    elif isinstance(value, list):
        if not value:
            yield (*path, 0)
        for k, inner in enumerate(value):
            yield from texts(inner, (*path, k))
    elif isinstance(value, str) or value is None:
        yield path


def with_text(document: dict[str, Any], path: tuple[Any, ...], text: str) -> dict[str, Any]:
    # Only what the path leads through is copied: there are hundreds of paths.
    out = copy.copy(document)
    place: Any = out
    for step in path[:-1]:
        place[step] = copy.copy(place[step])
        place = place[step]
    if isinstance(place, list) and path[-1] == len(place):
        place.append(text)
    else:
        place[path[-1]] = text
    return out


def names_a_file(path: tuple[Any, ...]) -> bool:
    return next(step for step in reversed(path) if isinstance(step, str)) in file_fields(Scene)


class NoFieldCarriesAPath(ServerTest):
    """Each text of the whole schema is tried as a carrier."""

    def setUp(self) -> None:
        super().setUp()
        self.item = self.add_box()
        (Path(settings.DATA_DIR) / "secret-key").write_text(SECRET)
        row = keep_picture(self.project, "mark.png", [png()])
        self.picture = row.path
        self.stroke = self.call("post", f"/objects/{self.item.pk}/strokes", {"stroke": STROKE}).json()["file"]

    def whole(self) -> dict[str, Any]:
        """The document of everything, with files that the project has."""
        document = Scene.model_validate(everything(self.item.scene().object.file)).model_dump(mode="json")
        for path in list(texts(document)):
            if names_a_file(path):
                stroke = {"vertex_paint", "strokes", "line"} & set(path)
                document = with_text(document, path, self.stroke if stroke else self.picture)
        document["object"]["file"] = document["object"]["twin"]["file"] = self.item.scene().object.file
        document["object"]["neighbours"][0]["file"] = self.item.scene().object.file
        return document

    def save(self, document: dict[str, Any]) -> Any:
        self.item.refresh_from_db()
        return self.call("put", f"/objects/{self.item.pk}/scene", {"base": self.item.head_id, "document": document})

    def test_the_document_holds_every_model(self) -> None:
        # Or a new one would not be tried below.
        seen: set[str] = set()

        def look(model: Any) -> None:
            seen.add(type(model).__name__)
            for name in type(model).model_fields:
                value = getattr(model, name)
                for inner in (
                    value
                    if isinstance(value, (list, tuple))
                    else value.values()
                    if isinstance(value, dict)
                    else [value]
                ):
                    if hasattr(type(inner), "model_fields"):
                        look(inner)

        look(Scene.model_validate(self.whole()))
        self.assertEqual(
            {m.__name__ for m in models_in(Scene)} - seen,
            {"ChannelUse", "ChannelRange", "Levels", "Cut"},
            "models without any text",
        )

    def test_a_field_by_the_name_of_a_file_field_is_one_everywhere(self) -> None:
        # Plain documents are asked by the names of fields alone; numbers do not matter there.
        wanted = file_fields(Scene)
        for model in models_in(Scene):
            for name, field in model.model_fields.items():
                if name in wanted and "str" in str(field.annotation):
                    self.assertIn(name, file_fields(model), f"{model.__name__}.{name}")

    def test_no_text_gives_anybody_a_file(self) -> None:
        document = self.whole()
        self.assertEqual(self.save(document).status_code, 200)
        carriers = [path for path in texts(document) if not names_a_file(path)]
        files = [path for path in texts(document) if names_a_file(path)]
        self.assertGreater(len(carriers), 60)
        self.assertGreater(len(files), 10)
        # All free texts at once say it: that may be saved, it is only a name.
        loaded = document
        taken = []
        for path in carriers:
            tried = with_text(loaded, path, WAYS[0])
            try:
                Scene.model_validate(tried)
            except ValidationError:
                continue
            loaded = tried
            taken.append(path)
        self.assertIn(("name",), taken)
        self.assertIn(("layers", 0, "name"), taken)
        self.assertEqual(self.save(loaded).status_code, 200)
        self.assertFalse([use.path for use in FileUse.objects.all() if not is_exact(use.path)])
        # And none of them vouches for it in a field that names a file: on or off, in use or not.
        for k, path in enumerate(files):
            for way in WAYS if k == 0 else WAYS[:2]:
                for switched in (True, False):
                    tried = with_text(loaded, path, way)
                    for layer in tried["layers"]:
                        layer["on"] = switched
                    answer = self.save(tried)
                    self.assertEqual(answer.status_code, 422, f"{path} = {way}")
                    self.assertIn("not a file of this project", answer.json()["message"])
            body = {"resolution": 64, "document": with_text(loaded, path, WAYS[0])}
            self.assertEqual(self.call("post", f"/objects/{self.item.pk}/evaluate", body).status_code, 422)

    def test_a_field_that_is_not_in_use_is_asked_about(self) -> None:
        # A decal of letters, and a map that is left out, do not read their file; what is saved with them would be
        # trusted later.
        decal = {"id": "sign", "name": "Sign", "effect": {"kind": "decal", "what": "text", "file": WAYS[0]}}
        document = copy.deepcopy(self.item.document)
        document["layers"].append(decal)
        answer = self.save(document)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("layers[5].effect.file", answer.json()["where"])
        theirs = Project.objects.create(owner=self.eve, name="Theirs")
        other = keep_picture(theirs, "theirs.png", [png(9)]).path
        document["layers"][-1]["effect"]["file"] = other
        self.assertEqual(self.save(document).status_code, 422)
        base = {"material": {"kind": "map_set", "maps": [{"file": other}]}}
        body = {"name": "Mine", "base": base, "project": self.project.pk}
        answer = self.call("post", "/store-room", body)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("not a file of this project", answer.json()["message"])
        self.assertEqual(OwnBase.objects.count(), 0)

    def test_what_was_let_in_before_is_not_believed(self) -> None:
        # Written by an earlier version of the program, which let it pass.
        for way in (*WAYS, "pictures/0123456789abcdef0123456789abcdef/theirs.png"):
            document = copy.deepcopy(self.item.document)
            document["layers"].append(
                {"id": "sign", "name": "Sign", "on": False, "effect": {"kind": "decal", "what": "picture", "file": way}}
            )
            document = Scene.model_validate(document).model_dump(mode="json")
            self.item.commit(self.item.head_id, document, "Old")
            body = {"kind": "export", "order": {"target": "maps", "resolution": 512}}
            job = self.call("post", f"/objects/{self.item.pk}/jobs", body).json()
            self.assertEqual(
                (Job.objects.get(pk=job["id"]).state, Job.objects.get(pk=job["id"]).file), (Job.FAILED, ""), way
            )
            self.assertIn("not a file of this project", Job.objects.get(pk=job["id"]).error)
            self.assertEqual(self.save({**document, "seed": 9}).status_code, 422)
            self.item.refresh_from_db()
            self.item.step(self.item.head_id or 0, back=True)

    def test_a_delivery_packs_what_is_read_and_nothing_else(self) -> None:
        spare = keep_picture(self.project, "spare.png", [png(5)]).path
        document = copy.deepcopy(self.item.document)
        document["layers"] += [
            {"id": "letters", "name": "A", "effect": {"kind": "decal", "what": "text", "file": spare}},
            {"id": "sign", "name": "B", "effect": {"kind": "decal", "what": "picture", "file": self.picture}},
        ]
        self.assertEqual(self.save(document).status_code, 200)
        body = {"kind": "export", "order": {"target": "maps", "resolution": 512}}
        job = self.call("post", f"/objects/{self.item.pk}/jobs", body).json()
        answer = self.client.get(job["file"])
        names = zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))).namelist()
        self.assertEqual([n for n in names if n.startswith("pictures/")], [self.picture])
        # What is named like a picture and is none does not go out, whoever put it there.
        find(self.picture).write_text(SECRET)
        before = Job.objects.count()
        answer = self.call("post", f"/objects/{self.item.pk}/jobs", body)
        # Found out when it is asked what there is to write, or, where that is still in memory, when it is packed.
        newest = Job.objects.latest("pk")
        self.assertTrue(answer.status_code == 422 or newest.state == Job.FAILED, answer.status_code)
        self.assertEqual(newest.file if Job.objects.count() > before else "", "")

    def test_a_treatment_takes_no_file_along(self) -> None:
        document = copy.deepcopy(self.item.document)
        document["layers"].append(
            {"id": "sign", "name": "Sign", "effect": {"kind": "decal", "what": "text", "file": self.picture}}
        )
        self.assertEqual(self.save(document).status_code, 200)
        answer = self.call("post", f"/objects/{self.item.pk}/treatments", {"name": "Signs", "layers": ["sign"]})
        self.assertEqual(answer.status_code, 201)
        name = answer.json()["treatment"]["name"]
        saved = json.loads(self.client.get(f"/api/treatments/file?name={name}").content)
        self.assertEqual(files_in(saved), set())


class Places(ServerTest):
    def test_only_the_exact_form_is_found(self) -> None:
        digest = "0123456789abcdef0123456789abcdef"
        for name in (f"pictures/{digest}/a b.png", f"objects/{digest}/in/side/x.gltf", f"strokes/{digest}.json"):
            self.assertEqual(find(name), Path(settings.DATA_DIR).resolve() / name)
        for name in (
            *WAYS, "", "pictures", f"pictures/{digest}", f"pictures/{digest}/", f"pictures/{digest}/..",
            f"pictures/{digest}/.",
            f"pictures/{digest}//x", f"pictures/{digest.upper()}/x", f"pictures/{digest}/a\\b", f"pictures/{digest}/\0",
            f"strokes/{digest}.json/x", f"strokes/{digest}.txt", f"intakes/{digest}/x", "intakes/1/x.obj",
            f" pictures/{digest}/x",
            f"readings/{digest}/x", f"pictures/{digest}/x\n/../y", f"deliveries/{digest}/1.zip",
        ):  # fmt: skip
            with self.assertRaises(InputError, msg=name):
                find(name)
        self.assertEqual(find_received("intakes/1/x.obj").name, "x.obj")
        for name in ("intakes/1/../2/x.obj", "intakes/../secret-key", "intakes/x/y"):
            with self.assertRaises(InputError, msg=name):
                find_received(name)

    def test_a_link_leads_nowhere(self) -> None:
        folder = Path(settings.DATA_DIR) / "pictures" / ("0" * 31 + "1")
        folder.mkdir(parents=True, exist_ok=True)
        for name, target in (("out.png", Path("/etc/hostname")), ("key.png", Path(settings.DATA_DIR) / "secret-key")):
            (folder / name).unlink(missing_ok=True)
            os.symlink(target, folder / name)
            with self.assertRaises(InputError):
                find(f"pictures/{folder.name}/{name}")


#: Two contents, three names, three projects (two of one owner): small numbers, so that they meet.
ACTS = st.lists(
    st.tuples(
        st.sampled_from(["bring", "remove", "project", "name"]), st.integers(0, 2), st.integers(0, 1), st.integers(0, 2)
    ),
    min_size=4,
    max_size=14,
)


class NothingOfAnybodyElseGoes(ServerTest):
    def test_after_any_removals_every_row_has_its_file(self) -> None:
        trying(max_examples=25, deadline=None)(given(ACTS)(self.after))()

    def after(self, acts: list[tuple[str, int, int, int]]) -> None:
        owners = [self.ada, self.ada, self.eve]
        projects: list[Project | None] = [Project.objects.create(owner=who, name="P") for who in owners]
        for act, p, content, name in acts:
            project = projects[p]
            if project is None:
                continue
            if act in ("bring", "name"):
                row = keep_picture(project, f"n{name}.png", [png(4 + content, 30 * p if act == "name" else 7)])
                if act == "name":
                    base = OwnBase.objects.create(owner=project.owner, name=f"b{OwnBase.objects.count()}", document={})
                    FileUse.objects.create(path=row.path, base=base)
            elif act == "remove":
                found = project.files.filter(name=f"n{name}.png").first()
                if found is not None:
                    try:
                        storage.remove_picture(found)
                    except InputError:
                        self.assertTrue(FileUse.objects.filter(path=found.path).exists())
            elif act == "project":
                storage.remove_project(project)
                projects[p] = None
            for path in {
                *SourceFile.objects.values_list("path", flat=True),
                *FileUse.objects.values_list("path", flat=True),
            }:
                self.assertTrue(find(path).is_file(), f"{path} is gone after {act}")
        named = set(SourceFile.objects.values_list("path", flat=True)) | set(
            FileUse.objects.values_list("path", flat=True)
        )
        there = {f"pictures/{p.parent.name}/{p.name}" for p in (Path(settings.DATA_DIR) / "pictures").glob("*/n?.png")}
        self.assertEqual(there, named, "what nobody names is gone")
        for project in projects:
            if project is not None:
                storage.remove_project(project)
        OwnBase.objects.all().delete()
        storage._unlink((Path(settings.DATA_DIR) / "pictures").glob("*"))

    def test_the_same_picture_under_two_names(self) -> None:
        theirs = Project.objects.create(owner=self.eve, name="Theirs")
        mine, other = keep_picture(self.project, "a.png", [png()]), keep_picture(theirs, "b.png", [png()])
        self.assertEqual(Path(mine.path).parent, Path(other.path).parent)
        storage.remove_picture(mine)
        self.assertFalse(find(mine.path).exists())
        self.assertTrue(find(other.path).is_file())
        storage.remove_project(self.project)
        self.assertTrue(find(other.path).is_file())
        storage.remove_picture(other)
        self.assertFalse(find(other.path).parent.exists())

    def test_a_picture_that_an_object_uses_under_another_name_stays(self) -> None:
        item = self.add_box()
        used, spare = (
            keep_picture(self.project, "used.png", [png(6)]),
            keep_picture(self.project, "spare.png", [png(6)]),
        )
        document = copy.deepcopy(item.document)
        document["layers"].append(
            {"id": "s", "name": "S", "effect": {"kind": "decal", "what": "picture", "file": used.path}}
        )
        answer = self.call("put", f"/objects/{item.pk}/scene", {"base": item.head_id, "document": document})
        self.assertEqual(answer.status_code, 200)
        storage.remove_picture(spare)
        self.assertTrue(find(used.path).is_file())
        item.refresh_from_db()
        again = keep_picture(self.project, "spare.png", [png(6)])
        storage.remove_object(item)
        self.assertTrue(find(again.path).is_file())
        self.assertFalse(find(used.path).exists())
