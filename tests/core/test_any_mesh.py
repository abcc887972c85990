"""A mesh that nobody made for this program goes all the way: a scanned rabbit from the npm registry, without UVs or
normals.
"""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from unittest import TestCase, mock, skipUnless

import numpy as np
import trimesh

from limus.common.store import Store
from limus.formats.read import read_object
from limus.intake.inspection import inspection
from limus.intake.object_file import ObjectFile
from limus.intake.preparation import beside_scene, prepared, surroundings
from limus.playing.chronicle import Chronicle
from limus.playing.session import Session
from limus.readings.catalogue import READINGS
from limus.readings.exposure import measure_exposure
from limus.readings.measured import measure
from limus.readings.ray_pass import RayPlan
from limus.readings.reading import Place
from limus.readings.setting import Setting
from limus.surface.pyramid import texels_of
from limus.targets.delivery import deliver
from limus.targets.order import Order
from tests.core.reference import NODE_MODULES, bunny
from tests.core.test_effects import STORY, scene


@skipUnless((NODE_MODULES / "bunny").exists(), "the mesh is installed with the front end")
class Rabbit(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        kept = mock.patch.dict(os.environ, {"LIMUS_CACHE": str(self.folder / "cache")})
        kept.start()
        self.addCleanup(kept.stop)
        positions, triangles = bunny()
        trimesh.Trimesh(positions, triangles, process=False).export(self.folder / "rabbit.ply")

    def test_unwrap_readings_weathering_delivery(self) -> None:
        facts = inspection(read_object(self.folder / "rabbit.ply"), unit_known=False)
        self.assertIn("uv-missing", {f["key"] for f in facts["findings"]})
        # About 20 units wide with no unit given: a size that could be meant is suggested, and taken here.
        setting = Setting()
        made = scene(*STORY, name="Rabbit")
        made.object = ObjectFile(file="rabbit.ply", scale=0.02, uv="unwrapped")
        find = beside_scene(self.folder)
        mesh = prepared(made.object, setting, find)
        health = inspection(mesh)["uv"]
        self.assertTrue(health["present"])
        self.assertLess(health["overlapping"], 0.001)
        self.assertEqual(health["flipped"], 0.0)
        around = surroundings(made.object, setting, mesh, find)
        texels = texels_of(mesh, 256)
        self.assertAlmostEqual(texels.total_area / float(mesh.areas.sum()), 1.0, delta=0.03)
        measured = measure(texels, RayPlan.for_mesh(mesh, 16), around=around)
        exposure = measure_exposure(texels, setting, around, rays=8)
        place = Place(texels, measured, setting, exposure)
        for kind, reading in READINGS.items():
            value = reading.value(place, reading.default_size_mm)
            self.assertTrue(np.isfinite(value).all(), kind)
            if not reading.missing(place) and not reading.components and kind not in ("part",):
                self.assertGreater(float(value.max()), float(value.min()), kind)
        # Ears are edges, the fold between body and leg is a hollow.
        curvature = measured.curvature(20.0)
        self.assertGreater(float(np.quantile(curvature, 0.99)), 0.2)
        self.assertLess(float(np.quantile(curvature, 0.01)), -0.1)
        chapters = Chronicle(texels, measured, Store(), exposure).play(made)
        self.assertEqual(len(chapters), len(made.layers))
        self.assertTrue(all(0 <= c.coverage <= 1 for c in chapters))
        self.assertGreater(max(c.coverage for c in chapters), 0.5)
        files, _ = deliver(Session.on(mesh, made), Order(resolution=256))
        (self.folder / "out.glb").write_bytes(next(f.data for f in files if f.name.endswith(".glb")))
        back = read_object(self.folder / "out.glb")
        self.assertAlmostEqual(float(back.areas.sum()), float(mesh.areas.sum()), places=4)
        self.assertIsNotNone(back.base_maps[0])
