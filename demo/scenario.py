"""The scenes of the demo project."""

from __future__ import annotations

from limus.effects.chipping import Chipping
from limus.effects.dirt import Dirt
from limus.effects.dust import Dust
from limus.effects.paint import Paint
from limus.effects.rust import Rust
from limus.masks.recipe import Recipe, term
from limus.masks.sources.parts import Parts
from limus.materials.base import BaseChoice
from limus.scene import Layer, ObjectFile, Scene
from limus.setting import Setting

PROJECT = "Kestrel Weir gatehouse"
BRASS = ["number plate", "plate screws", "grease nipple"]


def gate_hoist_scene() -> Scene:
    """Painted iron, ten years by the water."""
    return Scene(
        name="Gate hoist",
        object=ObjectFile(file="gate-hoist.glb"),
        setting=Setting(corrosivity="C4"),
        seed=3,
        bases=[
            BaseChoice(material="cast iron"),
            BaseChoice(material="brass", parts=BRASS),
            BaseChoice(material="rolled steel", parts=["shaft", "handle"]),
        ],
        layers=[
            Layer(
                id="paint",
                name="Works green",
                effect=Paint(),
                where=Recipe(terms=[term(Parts(names=[*BRASS, "shaft"]), invert=True)]),
            ),
            Layer(id="chipping", name="Chipping", effect=Chipping(coverage=0.10), where=Chipping.default_where()),
            Layer(id="rust", name="Rust", effect=Rust(), where=Rust.default_where()),
            Layer(id="dirt", name="Dirt", effect=Dirt(), where=Dirt.default_where()),
            Layer(id="dust", name="Dust", effect=Dust(), where=Dust.default_where(), strength=0.8),
        ],
    )
