"""What a document covers does not hang on how finely it is drawn: the same from 512 up, within a twentieth."""

from __future__ import annotations

from unittest import TestCase

from demo import gate_hoist
from limus.bases.choice import from_stock
from limus.common.object_size import ObjectSize
from limus.common.store import Store
from limus.document.scene import Layer, ObjectFile, Scene
from limus.document.start import fresh_effect
from limus.effects.catalogue import EFFECTS
from limus.playing.session import Session
from limus.readings.setting import Setting

#: What must have happened before it.
BEFORE = {"washing": ("dirt", "dust"), "staining": ("paint", "chipping")}
IRON = ("staining", "lichen", "grease")


class Coverage(TestCase):
    def test_the_same_from_512_up(self) -> None:
        mesh = gate_hoist.build()
        size = ObjectSize(mesh.diagonal)
        session = Session.on(mesh, Scene(object=ObjectFile(file="a.glb")), store=Store(3 << 30))
        session.measure("draft", lambda share, word: None)
        readings = session.measuring.best()
        assert readings is not None
        for kind in ("leaks", "washing", "cracks", "moss", "grease", "lichen", "frost", "staining"):
            layers = [
                Layer(id=k, name=k, effect=fresh_effect(k, size, Setting()), where=EFFECTS[k].default_where(size))
                for k in (*BEFORE.get(kind, ()), kind)
            ]
            base = from_stock("cast iron" if kind in IRON else "smooth concrete")
            scene = Scene(object=ObjectFile(file="a.glb"), bases=[base], layers=layers)
            coarse, fine = (
                session.chronicle(readings.measured, resolution, weather=True).play(scene)[-1].coverage
                for resolution in (512, 1024)
            )
            self.assertGreater(fine, 0.002, kind)
            self.assertAlmostEqual(coarse / fine, 1.0, delta=0.05, msg=kind)
