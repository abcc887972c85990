"""A default is subtle and seen, at every size; where it cannot be seen it says what to raise."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from limus.bases.choice import from_stock
from limus.common.object_size import ObjectSize
from limus.common.store import Store
from limus.document.scene import Layer, ObjectFile, Scene
from limus.document.start import fresh_effect
from limus.effects.catalogue import EFFECTS
from limus.playing.chronicle import Chronicle
from limus.readings.exposure import measure_exposure
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.readings.setting import Setting
from limus.review.change import changed
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from tests.core import shapes

#: What each is shown on, and what must have happened before it.
BASES = {
    "patina": "copper", "salt": "brick in mortar", "soot": "smooth concrete", "debris": "smooth concrete",
    "lacquer": "brass",
    "cracks": "smooth concrete", "algae": "smooth concrete", "moss": "smooth concrete", "lichen": "smooth concrete",
}  # fmt: skip
BEFORE = dict.fromkeys(("chipping", "peeling", "rubbing", "scratching", "fading"), ("paint",)) | {"washing": ("dust",)}


def bracket() -> Mesh:
    return shapes.joined(shapes.box(0.5), shapes.box(0.5, (0.5, 0.0, 0.0)), shapes.box(0.5, (0.0, 0.5, 0.0)))


def sized(mesh: Mesh, metres: float) -> Mesh:
    return replace(mesh, positions=(mesh.positions * (metres / mesh.diagonal)).astype(np.float32))


class Defaults(TestCase):
    def test_every_default_is_seen_or_says_what_to_raise(self) -> None:
        silent = []
        for metres in (0.05, 0.5, 5.0, 20.0):
            for name, mesh in (("box", shapes.box(1.0)), ("figure", shapes.sphere(0.5, 32)), ("bracket", bracket())):
                mesh = sized(mesh, metres)
                texels = Texels.of(mesh, 160)
                plan = RayPlan.for_mesh(mesh, 4)
                measured = Measured(texels, plan, measure_rays(texels, plan).astype(np.float16))
                exposure = measure_exposure(texels, Setting(), rays=4)
                size = ObjectSize(mesh.diagonal)
                chronicle = Chronicle(texels, measured, Store(1 << 29), exposure)
                for kind, effect in EFFECTS.items():
                    layers = [
                        Layer(
                            id=k, name=k, effect=fresh_effect(k, size, Setting()), where=EFFECTS[k].default_where(size)
                        )
                        for k in (*BEFORE.get(kind, ()), kind)
                    ]
                    scene = Scene(
                        object=ObjectFile(file="a.glb"), bases=[from_stock(BASES.get(kind, "cast iron"))], layers=layers
                    )
                    chapters = chronicle.play(scene)
                    before = chapters[-2].pile if len(chapters) > 1 else chronicle.as_made(scene)
                    found = changed(chronicle.finish(before), chronicle.finish(chapters[-1].pile), texels.area)
                    note = chapters[-1].note
                    if not found.seen and not note:
                        silent.append(f"{kind} on a {name} of {metres:g} m: {found}")
                    if note and "Hardly" in note:
                        self.assertIn(effect.louder, note)
                        # Not said of what anybody sees.
                        self.assertLess(found.colour, 4.0, f"{kind} on a {name} of {metres:g} m")
        self.assertEqual(silent, [])
