"""UVs that are laid out in several tiles (UDIM: 1001 + column + 10 * row, ten columns; from memory)."""

from __future__ import annotations

import io
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image

from limus.document.scene import Scene
from limus.formats.gltf_write import write_glb
from limus.formats.read import read_object
from limus.intake.inspection import inspection
from limus.intake.object_file import ObjectFile
from limus.intake.preparation import beside_scene, prepared
from limus.playing.session import Session
from limus.readings.setting import Setting
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from limus.surface.udim import MOST, in_tiles, set_tiles, tile_number, tiles_of, triangle_tiles
from limus.targets.delivery import deliver
from limus.targets.order import Order
from tests.core import shapes
from tests.core.test_delivery import OwnReadings
from tests.core.test_effects import STORY, scene


def laid_out(tiles: list[tuple[int, int]], size: float = 0.2) -> Mesh:
    """Boxes side by side in one map set, each with its UVs in a tile (column, row) of its own."""
    meshes = []
    for k, (column, row) in enumerate(tiles):
        box = shapes.box(size)
        assert box.uv is not None
        moved = box.uv + np.array([column, -row], np.float32)
        meshes.append(replace(box, positions=box.positions + np.float32(k * 2 * size), uv=moved.astype(np.float32)))
    out = shapes.joined(*meshes, source="tiles.glb")
    uv = np.concatenate([m.uv for m in meshes if m.uv is not None])
    return replace(out, uv=uv)


class Tiles(OwnReadings):
    def test_numbers(self) -> None:
        self.assertEqual(
            [tile_number(0, 0), tile_number(9, 0), tile_number(0, 1), tile_number(3, 2)], [1001, 1010, 1011, 1024]
        )
        mesh = laid_out([(0, 0), (1, 0), (0, 1)])
        self.assertEqual(tiles_of(mesh), [1001, 1002, 1011])
        found = triangle_tiles(mesh)
        assert found is not None
        self.assertEqual([int(found[p.first]) for p in mesh.parts], [1001, 1002, 1011])

    def test_what_is_no_tiles(self) -> None:
        self.assertEqual(tiles_of(shapes.box(0.2)), [])
        box = shapes.box(0.2)
        assert box.uv is not None
        for uv in (
            box.uv * 3,
            box.uv + np.float32(0.5),
            box.uv - np.array([1, 0], np.float32),
            box.uv + np.array([0, 1], np.float32),
        ):
            self.assertEqual(tiles_of(replace(box, uv=uv.astype(np.float32))), [])
        self.assertEqual(tiles_of(laid_out([(0, 0), (10, 0)])), [])
        self.assertEqual(tiles_of(laid_out([(0, 0), (0, MOST)])), [])
        self.assertEqual(tiles_of(replace(box, uv=None)), [])
        nan = box.uv.copy()
        nan[0] = np.nan
        self.assertEqual(tiles_of(replace(box, uv=nan)), [])

    def test_a_map_set_for_each(self) -> None:
        mesh = laid_out([(0, 0), (1, 0), (0, 1)])
        out = in_tiles(mesh)
        self.assertEqual(out.uv_domains, ("object 1001", "object 1002", "object 1011"))
        self.assertEqual(set_tiles(out), (1001, 1002, 1011))
        self.assertEqual(len(out.parts), 3)
        self.assertEqual(tiles_of(out), [])
        self.assertIs(in_tiles(out), out)

        # Every triangle is still there, in the same place.
        def corners(of: Mesh) -> np.ndarray:
            return np.sort(of.positions[of.triangles].reshape(-1, 9), axis=0)

        np.testing.assert_array_equal(corners(out), corners(mesh))
        # As one picture the three lie over one another; as tiles each has a picture of its own, as full as one box.
        one, all_ = Texels.of(shapes.box(0.2), 64), Texels.of(out, 64)
        self.assertEqual((len(all_), all_.pages), (3 * len(one), 3))
        self.assertLess(len(Texels.of(mesh, 64)), 1.05 * len(one))

    def test_a_part_in_two_tiles_becomes_two(self) -> None:
        box = shapes.box(0.2)
        assert box.uv is not None
        uv = box.uv.copy()
        half = np.unique(box.triangles[: len(box.triangles) // 2])
        uv[half, 0] += 1
        out = in_tiles(replace(box, uv=uv))
        self.assertEqual([p.name for p in out.parts], [f"{box.parts[0].name} 1001", f"{box.parts[0].name} 1002"])
        self.assertEqual(sum(p.count for p in out.parts), len(box.triangles))
        first = 0
        for part in out.parts:
            self.assertEqual(part.first, first)
            first += part.count

    def test_taken_in_and_delivered_under_their_numbers(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            write_glb(folder / "tiles.glb", laid_out([(0, 0), (1, 0), (0, 1)]))
            report = inspection(read_object(folder / "tiles.glb"))
            self.assertEqual(report["tiles"], [1001, 1002, 1011])
            self.assertIn("uv-tiles", [f["key"] for f in report["findings"]])
            document = ObjectFile(file="tiles.glb", uv="tiles")
            mesh = prepared(document, Setting(), beside_scene(folder))
            after = inspection(mesh)
            self.assertFalse([f for f in after["findings"] if f["key"] in ("uv-tiles", "uv-outside", "uv-overlap")])
            made = scene(*STORY, name="Row").model_copy(update={"object": document})
            session = Session(Scene.model_validate(made.model_dump()), beside_scene(folder))
            files, _ = deliver(session, Order(target="maps", resolution=64, names="{object}_{map}.{udim}"))
            names = [f.name for f in files]
            for tile in (1001, 1002, 1011):
                self.assertIn(f"row_base-color.{tile}.png", names)
            pictures = {f.name: np.asarray(Image.open(io.BytesIO(f.data))) for f in files if f.name.endswith(".png")}
            one, two = (pictures[f"row_base-color.{tile}.png"] for tile in (1001, 1002))
            # The same box in another place: the same colours on the whole, another pattern.
            self.assertLess(float(np.abs(one.mean(axis=(0, 1)) - two.mean(axis=(0, 1))).max()), 25)
            self.assertGreater(float(np.abs(one.astype(float) - two).mean()), 1.0)
