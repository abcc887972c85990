"""What a delivery can be, read back by libraries that are not ours: MaterialX, usd-core, OpenEXR, trimesh, Pillow."""

from __future__ import annotations

import io
import json
import tempfile
from dataclasses import replace
from hashlib import sha256
from pathlib import Path
from typing import Any, ClassVar

import MaterialX as Mx
import numpy as np
import OpenEXR
import trimesh
from PIL import Image
from pxr import Sdf, Usd, UsdGeom, UsdShade, UsdValidation

from limus.common.colour import to_srgb
from limus.common.errors import InputError
from limus.document.scene import scene_from
from limus.playing.chronicle import Surface
from limus.playing.session import Session
from limus.surface.texels import Texels
from limus.targets.delivery import deliver, outlook
from limus.targets.finishing import finish_of
from limus.targets.naming import check_names
from limus.targets.order import Order, order_from
from limus.targets.packing import write_zip
from limus.targets.preview import previewed
from limus.targets.recipe import PRESETS, WIDTHS
from limus.targets.targets import TARGETS
from limus.targets.written import Written
from tests.core import shapes
from tests.core.test_delivery import OwnReadings
from tests.core.test_effects import STORY, scene

SIZE = 128


class Delivered(OwnReadings):
    """One story on a box of two parts, delivered as whatever a test asks for."""

    session: ClassVar[Session]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.session = Session.on(shapes.box(0.2), scene(*STORY, name="Pier cap"))
        cls.texels, cls.surface, _ = cls.session.finished(SIZE)

    texels: ClassVar[Texels]
    surface: ClassVar[Surface]

    def files(self, target: str, **order: Any) -> dict[str, bytes]:
        asked = Order(target=target, **{"resolution": SIZE, **order})
        made, _ = deliver(self.session, asked)
        self.assertEqual([f.name for f in made], outlook(self.session, asked).files)
        return {f.name: f.data for f in made}

    def folder(self, target: str, **order: Any) -> Path:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        out = Path(made.name)
        for name, data in self.files(target, **order).items():
            (out / name).parent.mkdir(parents=True, exist_ok=True)
            (out / name).write_bytes(data)
        return out

    @staticmethod
    def picture(data: bytes) -> np.ndarray:
        return np.asarray(Image.open(io.BytesIO(data)))

    def at_texels(self, picture: np.ndarray) -> np.ndarray:
        return picture.reshape(SIZE * SIZE, -1)[self.texels.pixel]


def apart(one: bytes, two: bytes) -> str:
    """Where two files of one name differ, for whoever reads of it."""
    if one == two:
        return ""
    first = next((k for k, (a, b) in enumerate(zip(one, two, strict=False)) if a != b), min(len(one), len(two)))
    here, there = one[first : first + 16], two[first : first + 16]
    return f", {len(one)} and {len(two)} bytes, from byte {first} on: {here!r}, {there!r}"


class Kinds(Delivered):
    def test_the_same_bytes_again(self) -> None:
        for target in TARGETS:
            more = {"recipe": PRESETS["Metalness with smoothness"]} if target == "packed" else {}
            once, again = self.files(target, **more), self.files(target, **more)
            self.assertEqual(list(once), list(again), target)
            for name in once:
                one, two = once[name], again[name]
                self.assertEqual(sha256(one).digest(), sha256(two).digest(), f"{target}: {name}{apart(one, two)}")

    def test_checksums_are_those_of_the_files(self) -> None:
        files = self.files("maps", masks=("rust",))
        for listing in ("maps.json", "masks.json"):
            entries = json.loads(files[listing])["files"]
            self.assertGreater(len(entries), 0)
            for name, about in entries.items():
                self.assertEqual(about["sha256"], sha256(files[name]).hexdigest(), name)

    def test_exr_in_parts_holds_the_numbers_of_single_maps(self) -> None:
        single = self.folder("exr", bits=32)
        folder = self.folder("exr-parts", bits=32)
        self.assertEqual(sorted(path.name for path in folder.iterdir()), ["maps.json", "pier-cap_object_maps.exr"])
        listed = json.loads((folder / "maps.json").read_text())["files"]["pier-cap_object_maps.exr"]
        whole = (folder / "pier-cap_object_maps.exr").read_bytes()
        self.assertEqual(listed["sha256"], sha256(whole).hexdigest())
        with OpenEXR.File(str(folder / "pier-cap_object_maps.exr"), separate_channels=True) as file:
            names = [part.name() for part in file.parts]
            self.assertEqual(names, list(listed["parts"]))
            self.assertLessEqual({"base-color", "roughness", "height", "normal"}, set(names))
            for part in file.parts:
                self.assertEqual(part.type(), OpenEXR.tiledimage)
                own = single / f"pier-cap_object_{part.name()}.exr"
                with OpenEXR.File(str(own), separate_channels=True) as one:
                    self.assertEqual(set(part.channels), set(one.channels()))
                    for title, channel in one.channels().items():
                        np.testing.assert_array_equal(part.channels[title].pixels, channel.pixels, part.name())
        # Where it is looked at before it is written, its color stands for it.
        order = Order(target="exr-parts", resolution=SIZE)
        seen = previewed(self.session, order, "pier-cap_object_maps.exr", 64)
        self.assertEqual(seen.components, ("R", "G", "B"))

    def test_materialx_is_valid_and_names_its_maps(self) -> None:
        # The MaterialX library with its own definitions of OpenPBR Surface.
        folder = self.folder("materialx")
        document = Mx.createDocument()
        Mx.loadLibraries(Mx.getDefaultDataLibraryFolders(), Mx.getDefaultDataSearchPath(), document)
        Mx.readFromXmlFile(document, str(folder / "pier-cap_object.mtlx"))
        valid, message = document.validate()
        self.assertTrue(valid, message)
        surface = document.getNode("surface")
        connected = {i.getName() for i in surface.getInputs() if i.getNodeGraphString()}
        self.assertLessEqual(
            {"base_color", "base_metalness", "specular_roughness", "geometry_normal", "fuzz_weight"}, connected
        )
        images = [n for n in document.getNodeGraph("maps").getNodes() if n.getCategory() == "tiledimage"]
        self.assertGreater(len(images), 5)
        for image in images:
            self.assertTrue((folder / image.getInputValue("file")).is_file())
        material = document.getMaterialNodes()[0]
        moved = document.getNode(material.getInput("displacementshader").getNodeName())
        self.assertAlmostEqual(moved.getInputValue("scale"), 0.001)
        # The heights themselves, in mm, by OpenEXR.
        with OpenEXR.File(str(folder / "pier-cap_object_height.exr")) as file:
            height = file.channels()["Y"].pixels
        np.testing.assert_allclose(
            self.at_texels(height)[:, 0], self.surface.relief, atol=float(np.abs(self.surface.relief).max()) * 1e-3
        )

    def test_usd_is_compliant_and_reads_back(self) -> None:
        folder = self.folder("usd")
        path = folder / "pier-cap.usdc"
        stage = Usd.Stage.Open(str(path))
        every = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
        self.assertGreater(len(every), 10)
        said = UsdValidation.ValidationContext(every).Validate(stage)
        self.assertEqual([error.GetMessage() for error in said], [])
        self.assertEqual((UsdGeom.GetStageMetersPerUnit(stage), UsdGeom.GetStageUpAxis(stage)), (1.0, "Y"))
        meshes = [UsdGeom.Mesh(p) for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]
        mesh = self.session.mesh
        self.assertEqual(len(meshes), len(mesh.parts))
        for one, part in zip(meshes, mesh.parts, strict=True):
            corners = mesh.triangles[part.first : part.first + part.count].ravel()
            points = np.asarray(one.GetPointsAttr().Get())[np.asarray(one.GetFaceVertexIndicesAttr().Get())]
            np.testing.assert_array_equal(points, mesh.positions[corners])
            st = UsdGeom.PrimvarsAPI(one).GetPrimvar("st").Get()
            uv = np.asarray(st)[np.asarray(one.GetFaceVertexIndicesAttr().Get())]
            np.testing.assert_allclose(uv[:, 1], 1 - mesh.uv[corners, 1], atol=1e-6)
        material = UsdShade.MaterialBindingAPI(meshes[0]).ComputeBoundMaterial()[0]
        surface = UsdShade.Shader(material.ComputeSurfaceSource()[0])
        self.assertEqual(surface.GetIdAttr().Get(), "UsdPreviewSurface")
        found = {}
        for wanted in ("diffuseColor", "roughness", "metallic", "normal", "displacement"):
            texture = UsdShade.Shader(surface.GetInput(wanted).GetConnectedSources()[0][0].source.GetPrim())
            asset = texture.GetInput("file").Get()
            assert isinstance(asset, Sdf.AssetPath)
            self.assertTrue((folder / asset.path).is_file(), wanted)
            found[wanted] = texture
        self.assertEqual(found["diffuseColor"].GetInput("sourceColorSpace").Get(), "sRGB")
        self.assertEqual(found["roughness"].GetInput("sourceColorSpace").Get(), "raw")
        # What a renderer reads is the relief in metres.
        scale, bias = (float(found["displacement"].GetInput(k).Get()[0]) for k in ("scale", "bias"))
        picture = self.picture((folder / found["displacement"].GetInput("file").Get().path).read_bytes())
        metres = self.at_texels(picture)[:, 0] / 65535 * scale + bias
        np.testing.assert_allclose(metres * 1000, self.surface.relief, atol=1e-3)

    def test_obj_is_read_by_another_library(self) -> None:
        folder = self.folder("obj")
        found = trimesh.load(folder / "pier-cap.obj", process=False, force="scene")
        mesh = self.session.mesh
        ours = mesh.positions[mesh.triangles]
        theirs = np.concatenate([one.vertices[one.faces] for one in found.geometry.values()])
        self.assertEqual(len(theirs), len(ours))
        np.testing.assert_allclose(
            np.sort(theirs.reshape(-1, 3), axis=0), np.sort(ours.reshape(-1, 3), axis=0), atol=1e-6
        )
        text = (folder / "pier-cap.mtl").read_text()
        for line in text.splitlines():
            if line.startswith(("map_", "norm", "disp")):
                self.assertTrue((folder / line.split()[-1]).is_file(), line)
        self.assertIn("map_Kd pier-cap_object_base-color.png", text)
        # The picture that the library finds is the one that was written.
        first = next(iter(found.geometry.values()))
        written = self.picture((folder / "pier-cap_object_base-color.png").read_bytes())
        np.testing.assert_array_equal(np.asarray(first.visual.material.image), written)

    def test_each_says_what_it_has_no_place_for(self) -> None:
        for target in ("usd", "obj"):
            _, notes = deliver(self.session, Order(target=target, resolution=64))
            self.assertTrue([n for n in notes if "no " in n], target)


class Packing(Delivered):
    def test_components_are_what_the_recipe_says(self) -> None:
        recipe = (
            "orm=ambient-occlusion,1-roughness,metalness,0.5",
            "lacquer=mask:rust:acted*1-mask:paint*1-roughness",
            "color=base-color,opacity",
            "normal=normal.r,normal.g",
        )
        files = self.files("packed", recipe=recipe)
        orm, lacquer, color, normal = (
            self.at_texels(self.picture(files[f"pier-cap_object_{n}.png"]))
            for n in ("orm", "lacquer", "color", "normal")
        )
        roughness = self.surface.channel("roughness")
        for column, wanted in zip(
            orm.T, (1 - self.surface.occlusion, 1 - roughness, self.surface.channel("metalness")), strict=False
        ):
            np.testing.assert_allclose(column / 255, wanted, atol=0.003)
        self.assertTrue((orm[:, 3] == 128).all())
        chapters = {c.layer.id: c for c in self.session.exact(SIZE).play(self.session.scene)}
        product = chapters["rust"].shown * (1 - chapters["paint"].mask) * (1 - roughness)
        np.testing.assert_allclose(lacquer[:, 0] / 255, product, atol=0.003)
        np.testing.assert_allclose(color[:, :3] / 255, to_srgb(self.surface.channel("base_color")), atol=0.003)
        self.assertTrue((color[:, 3] == 255).all())
        np.testing.assert_allclose(normal[:, 1] / 255, self.surface.normal[:, 1] / 2 + 0.5, atol=0.003)
        about = json.loads(files["maps.json"])["files"]["pier-cap_object_lacquer.png"]["channels"]["L"]
        self.assertEqual(about[0], {"mask": "rust:acted"})
        self.assertEqual(about[2], {"one_minus": True, "map": "roughness"})

    def test_presets_can_all_be_written(self) -> None:
        for name, recipe in PRESETS.items():
            files = self.files("packed", recipe=recipe, resolution=64)
            self.assertEqual(len(files), len(recipe) + 1, name)

    def test_what_cannot_be_packed(self) -> None:
        for line, problem in (
            ("orm", "begins with a name"),
            ("../up=roughness", "begins with a name"),
            ("a=", "begins with a name"),
            ("a=rougness", "no map 'rougness'"),
            ("a=normal.g,base-color,opacity", "1 to 4 components, not 5"),
            ("a=roughness.r", "has one component"),
            ("a=1-normal", "has three components"),
            ("a=2", "more than white"),
            ("a=" + "*".join(["roughness"] * 9), "more than 8"),
            ("a=roughness,,metalness", "nothing that can be packed"),
        ):
            with self.subTest(line), self.assertRaises(InputError) as caught:
                order_from({"target": "packed", "recipe": [line]})
            self.assertIn(problem, caught.exception.line)
            self.assertIn("recipe[0]", caught.exception.where)
        with self.assertRaises(InputError) as caught:
            order_from({"target": "packed", "recipe": ["a=roughness", "A=metalness"]})
        self.assertIn("two maps are called a", caught.exception.line)
        with self.assertRaises(InputError) as caught:
            deliver(self.session, Order(target="packed", recipe=("a=mask:moss",)))
        self.assertIn("'moss' is no mask of this scene", caught.exception.line)
        self.assertEqual(WIDTHS["normal"], 3)


class Names(Delivered):
    def test_patterns(self) -> None:
        files = self.files("maps", names="{set}/{size}/{object}.{udim}.{map}", sizes={"roughness": 32})
        self.assertIn("object/128/pier-cap.1001.base-color.png", files)
        self.assertIn("object/32/pier-cap.1001.roughness.png", files)
        with tempfile.TemporaryDirectory() as folder:
            write_zip([Written(k, v) for k, v in files.items()], Path(folder) / "a.zip")
            self.assertEqual([p.name for p in Path(folder).iterdir()], ["a.zip"])
        usd = self.folder("usd", names="maps/{map}")
        texture = (usd / "maps/base-color.png").is_file()
        self.assertTrue(texture)
        stage = Usd.Stage.Open(str(usd / "pier-cap.usdc"))
        files_named = [
            UsdShade.Shader(p).GetInput("file").Get().path
            for p in stage.Traverse()
            if p.IsA(UsdShade.Shader) and UsdShade.Shader(p).GetInput("file")
        ]
        self.assertIn("./maps/base-color.png", files_named)

    def test_no_pattern_leaves_the_folder(self) -> None:
        for pattern in (
            "../{map}", "/{map}", "{set}/../../{map}", "a//{map}", ".{map}", "{map}/", "{map}.", "a\\{map}", "{map}\n",
            "{map}:x", "~{map}*", "a/b/c/d/{map}", "./{map}", "{map} ",
        ):  # fmt: skip
            with self.subTest(pattern), self.assertRaises(InputError) as caught:
                order_from({"target": "maps", "names": pattern})
            self.assertIn("names", caught.exception.where + caught.exception.line)
        for pattern, problem in (("{object}", "the same name"), ("{who}_{map}", "no word of a pattern")):
            with self.assertRaises(InputError) as caught:
                order_from({"target": "maps", "names": pattern})
            self.assertIn(problem, caught.exception.line)

    def test_two_files_of_one_name(self) -> None:
        mesh = shapes.joined(shapes.box(0.2), shapes.box(0.1))
        parts = tuple(replace(part, map_set=k) for k, part in enumerate(mesh.parts))
        mesh = replace(mesh, parts=parts, uv_domains=("a", "b"), uv_titles=())
        session = Session.on(mesh, scene(*STORY, name="Pair"))
        self.assertGreater(len(mesh.uv_domains), 1)
        for make in (outlook, deliver):
            with self.assertRaises(InputError) as caught:
                make(session, Order(target="maps", resolution=64, names="{map}"))
            self.assertIn("two files would be called", caught.exception.line)
            self.assertIn("{set}", caught.exception.remedy)
        check_names(["a/b", "c"])
        with self.assertRaises(InputError):
            check_names(["A", "a"])
        with self.assertRaises(InputError):
            check_names(["a", "a/b"])


class Sizes(Delivered):
    def test_a_smaller_map_holds_the_means(self) -> None:
        full, small = self.files("maps", bits=16), self.files("maps", bits=16, sizes={"height": 32, "normal": 64})
        name = "pier-cap_object_height.png"
        one, other = (self.picture(x[name]).astype(float) for x in (full, small))
        self.assertEqual(other.shape, (32, 32))
        np.testing.assert_allclose(other, one.reshape(32, 4, 32, 4).mean(axis=(1, 3)), atol=1.0)
        self.assertEqual(json.loads(small["maps.json"])["files"][name]["size"], 32)
        normal = self.picture(small["pier-cap_object_normal.png"]) / 255 * 2 - 1
        self.assertEqual(normal.shape, (64, 64, 3))
        np.testing.assert_allclose(np.linalg.norm(normal, axis=-1), 1.0, atol=0.015)
        # Colours are averaged as light, not as they are encoded.
        tiny = self.picture(self.files("maps", sizes={"base-color": 16})["pier-cap_object_base-color.png"])
        linear = self.texels.image(self.surface.channel("base_color"))[0].reshape(16, 8, 16, 8, 3).mean(axis=(1, 3))
        np.testing.assert_allclose(tiny / 255, to_srgb(linear), atol=1.01 / 255)

    def test_sizes_that_cannot_be(self) -> None:
        for sizes in ({"roughness": 256}, {"roughness": 100}, {"rough": 64}, {"roughness": 4}):
            with self.subTest(sizes), self.assertRaises(InputError) as caught:
                order_from({"target": "maps", "resolution": 128, "sizes": sizes})
            self.assertIn("sizes", caught.exception.where)
        for target, field, value in (("gltf", "names", "{map}"), ("exr", "dither", True), ("maps", "recipe", ["a=0"])):
            with self.assertRaises(InputError) as caught:
                order_from({"target": target, field: value})
            self.assertIn(f"{target} does not take this", caught.exception.line)
        with self.assertRaises(InputError):
            order_from({"target": "maps", "bits": 16, "dither": True})
        with self.assertRaises(InputError):
            order_from({"target": "packed"})

    def test_a_gutter_ends(self) -> None:
        from scipy.ndimage import distance_transform_edt

        off = distance_transform_edt(self.texels.index.reshape(SIZE, SIZE) < 0)
        plain = self.picture(self.files("maps")["pier-cap_object_base-color.png"])
        for pixels in (0, 1):
            cut = self.files("maps", gutter=pixels)
            color = self.picture(cut["pier-cap_object_base-color.png"])
            np.testing.assert_array_equal(color[off <= pixels], plain[off <= pixels])
            self.assertEqual(int(color[off > pixels].max()), 0)
            normal = self.picture(cut["pier-cap_object_normal.png"])[off > pixels]
            self.assertGreater(len(normal), 20)
            np.testing.assert_allclose(normal / 255, np.tile([0.5, 0.5, 1.0], (len(normal), 1)), atol=0.004)

    def test_dither_keeps_the_mean_and_breaks_the_steps(self) -> None:
        slope = np.repeat(np.linspace(0.2, 0.21, 512, dtype=np.float32)[None], 256, axis=0)[..., None]
        plain, spread = (finish_of(np.dtype(np.uint8), dither=d, seed="x").make(slope, 0, 0) for d in (False, True))
        self.assertEqual(len(np.unique(plain)), 4)
        columns = spread[..., 0].astype(float).mean(axis=0).reshape(32, 16).mean(axis=1)
        wanted = slope[0, :, 0].reshape(32, 16).mean(axis=1) * 255
        # 4,096 values of a spread of at most half a step: four standard errors are 0.031.
        self.assertLess(float(np.abs(columns - wanted).max()), 0.04)
        self.assertGreater(float(np.abs(plain[0, :, 0].reshape(32, 16).mean(axis=1) - wanted).max()), 0.4)
        # What needs no rounding stays, and a piece is the same wherever its tile begins.
        for value in (0.0, 1.0, 128 / 255):
            even = np.full((64, 64, 1), value, np.float32)
            self.assertEqual(len(np.unique(finish_of(np.dtype(np.uint8), dither=True).make(even, 0, 0))), 1)
        again = finish_of(np.dtype(np.uint8), dither=True, seed="x").make(slope[40:, 30:], 40, 30)
        np.testing.assert_array_equal(again, spread[40:, 30:])

    def test_the_same_in_windows(self) -> None:
        """What is new of a map does not hang on how it is drawn: tiles of 64 rows against all at once."""
        from unittest import mock

        order = {"sizes": {"roughness": 32, "height": 64}, "dither": True, "gutter": 2, "resolution": 256}
        whole = self.files("maps", **order)
        with (
            mock.patch("limus.targets.delivery.LARGEST_WHOLE", 64), mock.patch("limus.playing.needed._WHOLE", 64),
            mock.patch("limus.playing.needed.TILE_ROWS", 64), mock.patch("limus.playing.needed.TILE_TEXELS", 64 * 128),
        ):  # fmt: skip
            cut = self.files("maps", **order)
        for name in ("pier-cap_object_roughness.png", "pier-cap_object_base-color.png"):
            one, other = (self.picture(x[name]).astype(float) for x in (whole, cut))
            self.assertEqual(one.shape, other.shape)
            self.assertLess(abs(one.mean() - other.mean()), 3.0, name)
            black = [(p.reshape(*p.shape[:2], -1).max(axis=2) == 0).mean() for p in (one, other)]
            self.assertAlmostEqual(black[0], black[1], delta=0.01, msg=name)
        self.assertGreater(black[0], 0.01)

    def test_a_gutter_in_mm(self) -> None:
        """mm / (side of a texel), rounded up; a map set of a metre is no wider than what is refused in pixels."""
        texel = self.texels.texel_mm
        name = "pier-cap_object_base-color.png"
        none, in_pixels, in_mm = (
            self.files("maps", **given)[name] for given in ({"gutter": 0}, {"gutter": 1}, {"gutter_mm": 0.6 * texel})
        )
        self.assertTrue(in_pixels == in_mm)
        self.assertFalse(in_pixels == none)
        wide = Order(target="maps", gutter_mm=100.0 * texel)
        self.assertEqual(wide.gutter_at(texel), 64)
        # Said before, and with the delivery; a narrower one is nothing to speak of.
        (said,) = wide.said_at(texel)
        self.assertIn("would be 100 pixels wide, and the widest is 64", said)
        self.assertEqual(Order(target="maps", gutter_mm=64.0 * texel).said_at(texel), [])
        asked = order_from({"target": "maps", "resolution": SIZE, "gutter_mm": 100.0 * texel})
        notes = deliver(self.session, asked)[1]
        for where in (outlook(self.session, asked).notes, notes):
            self.assertEqual(len([one for one in where if one.startswith("The gutter of")]), 1)
        with self.assertRaises(InputError) as caught:
            order_from({"target": "maps", "gutter": 1, "gutter_mm": 1.0})
        self.assertIn("gutter_mm", caught.exception.where)


class Variants(Delivered):
    """Snapshots in one USD stage, read back by its library."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        document = cls.session.scene.model_dump(mode="json")
        off = [layer["id"] for layer in document["layers"]]
        snapshots = [
            {"id": "new", "name": "As made", "layers_off": off, "episodes_off": []},
            {"id": "worn", "name": "Worn (10 y)", "layers_off": [], "episodes_off": []},
            {"id": "clash", "name": "Worn 10 y", "layers_off": [], "episodes_off": []},
        ]
        cls.session = cls.session.showing(scene_from({**document, "snapshots": snapshots}))

    def test_each_snapshot_is_a_variant_of_its_own_maps(self) -> None:
        folder = self.folder("usd", snapshots=("As made", "worn"))
        stage = Usd.Stage.Open(str(folder / "pier-cap.usdc"))
        choice = stage.GetDefaultPrim().GetVariantSets().GetVariantSet("condition")
        self.assertEqual(choice.GetVariantNames(), ["As_made", "worn"])
        self.assertEqual(choice.GetVariantSelection(), "As_made")
        every, plain = UsdValidation.ValidationRegistry().GetOrLoadAllValidators(), {}
        for word, name in (("As_made", "as-made"), ("worn", "worn")):
            choice.SetVariantSelection(word)
            for prim in (one for one in stage.Traverse() if one.IsA(UsdGeom.Mesh)):
                material, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
                surface, *_ = material.ComputeSurfaceSource()
                source, *_ = surface.GetInput("diffuseColor").GetConnectedSource()
                file = UsdShade.Shader(source.GetPrim()).GetInput("file").Get().path
                self.assertEqual(Path(file).parts[0], name)
                plain[name] = self.picture((folder / file).read_bytes())
            self.assertEqual(list(UsdValidation.ValidationContext(every).Validate(stage)), [])
        # The very maps of the two: nothing on it, and everything.
        alone = self.session.showing(self.session.scene.at_snapshot("As made"))
        for name, session in (("as-made", alone), ("worn", self.session)):
            made, _ = deliver(session, Order(target="maps", resolution=SIZE))
            color = next(file for file in made if file.name.endswith("base-color.png"))
            np.testing.assert_array_equal(plain[name], self.picture(color.data))
        self.assertGreater(float(np.abs(plain["as-made"].astype(float) - plain["worn"]).mean()), 3.0)
        heights = json.loads((folder / "maps.json").read_text())["files"]
        spans = [heights[f"{name}/pier-cap_object_height.png"]["height"] for name in ("as-made", "worn")]
        self.assertNotEqual(spans[0], spans[1])

    def test_a_map_of_a_snapshot_is_looked_at(self) -> None:
        order = Order(target="usd", resolution=SIZE, snapshots=("As made", "worn"))
        looks = [
            previewed(self.session, order, f"{one}/pier-cap_object_base-color.png", 64) for one in ("as-made", "worn")
        ]
        self.assertNotEqual(looks[0].mean, looks[1].mean)

    def test_what_cannot_be(self) -> None:
        for order, word in (
            ({"snapshots": ["gone"]}, "no snapshot 'gone'"), ({"snapshots": ["worn", "worn"]}, "named twice"),
            ({"snapshots": ["Worn (10 y)", "Worn 10 y"]}, "one folder|the folder worn-10-y"),
            ({"snapshots": ["worn"], "masks": ["paint"]}, "one condition"),
            ({"snapshots": ["worn"], "target": "maps"}, "does not take this"),
        ):  # fmt: skip
            with self.subTest(order), self.assertRaises(InputError) as caught:
                outlook(self.session, order_from({"target": "usd", "resolution": SIZE, **order}))
            self.assertRegex(caught.exception.line, word)


class InVertices(Delivered):
    """Read back by trimesh."""

    def mesh(self, **order: Any) -> trimesh.Trimesh:
        (data,) = self.files("vertices", **order).values()
        loaded = trimesh.load(io.BytesIO(data), file_type="glb", process=False)
        parts = list(loaded.geometry.values())
        colours = np.concatenate([part.visual.vertex_attributes["color"] for part in parts])
        whole = trimesh.util.concatenate(parts)
        whole.metadata["colours"] = colours.astype(np.float64)
        return whole

    @staticmethod
    def colours(mesh: trimesh.Trimesh) -> np.ndarray:
        return np.asarray(mesh.metadata["colours"])

    def mean(self, mesh: trimesh.Trimesh) -> np.ndarray:
        """Over the surface, of what is linear between vertices."""
        of_faces = self.colours(mesh)[mesh.faces].mean(axis=1)
        return np.asarray((of_faces * mesh.area_faces[:, None]).sum(axis=0) / mesh.area)

    def test_colours_keep_their_mean_however_coarse_the_mesh(self) -> None:
        weight = self.texels.area / self.texels.total_area
        wanted = (self.surface.channel("base_color") * weight[:, None]).sum(axis=0)
        coarse = self.mesh()
        self.assertEqual(len(coarse.faces), len(self.session.mesh.triangles))
        np.testing.assert_allclose(self.mean(coarse)[:3], wanted, rtol=0.01)
        fine = self.mesh(edge_mm=10.0)
        self.assertLessEqual(float(fine.edges_unique_length.max()), 0.010001)
        np.testing.assert_allclose(self.mean(fine)[:3], wanted, rtol=0.01)
        # A fine one says where what is.
        self.assertGreater(float(self.colours(fine)[:, 0].std()), 2 * float(self.colours(coarse)[:, 0].std()))

    def test_masks_are_components(self) -> None:
        names = [layer.id for layer in self.session.scene.layers][:2]
        data = self.mesh(masks=tuple(f"{name}:acted" for name in names), edge_mm=8.0)
        _, taken = self.taken([f"{name}:acted" for name in names])
        found = self.mean(data)
        for k, values in enumerate(taken):
            share = self.texels.share(values)
            self.assertGreater(share, 0.001)
            self.assertAlmostEqual(float(found[k]), share, delta=0.01 * share + 0.002)
        np.testing.assert_array_equal(self.colours(data)[:, 2:], np.tile([0.0, 1.0], (len(data.vertices), 1)))

    def taken(self, texts: list[str]) -> tuple[Any, list[np.ndarray]]:
        from limus.targets.masks import MaskTaker, masks_asked

        asked = masks_asked(texts, self.session.scene)
        taker = MaskTaker(self.session.scene, asked)
        self.session.finished(SIZE, watch=taker)
        return asked, [taker.fields[one] for one in asked]

    def test_moved_by_the_relief_and_not_torn(self) -> None:
        still, far = self.mesh(edge_mm=6.0), self.mesh(edge_mm=6.0, moved=True)
        self.assertEqual(len(still.faces), len(far.faces))
        for one in (still, far):
            one.merge_vertices(merge_tex=True, merge_norm=True)
            self.assertTrue(one.is_watertight)
        # What a thin layer adds to a body: its height over the surface (mm x m2), but for what meets at the edges.
        wanted = float((self.surface.relief.astype(np.float64) * self.texels.area).sum()) / 1000.0
        self.assertGreater(abs(wanted), 1e-7)
        self.assertAlmostEqual(far.volume - still.volume, wanted, delta=0.08 * abs(wanted))
        # Normals are those of the new shape, as trimesh finds them from the faces.
        own = self.mesh(edge_mm=6.0, moved=True)
        given = np.asarray(own.vertex_normals)
        middle = given[own.faces].mean(axis=1)
        middle /= np.linalg.norm(middle, axis=1, keepdims=True)
        self.assertGreater(float(np.median((middle * own.face_normals).sum(axis=1))), 0.995)

    def test_what_cannot_be(self) -> None:
        for order, word in (
            ({"masks": ["a", "b", "c", "d", "e"]}, "4 masks"),
            ({"edge_mm": 0.0}, "edge_mm"),
            ({"target": "obj", "moved": True}, "does not take this"),
            ({"resolution": 4096}, "up to 2048"),
        ):
            with self.subTest(order), self.assertRaises(InputError) as caught:
                deliver(self.session, order_from({"target": "vertices", "resolution": SIZE, **order}))
            self.assertIn(word, caught.exception.line)
        with self.assertRaises(InputError) as caught:
            self.files("vertices", edge_mm=0.1)
        self.assertIn("edge_mm", caught.exception.where)
        self.assertIn("more than 1000000 triangles", caught.exception.line)
