"""A short story for tests of the document: five layers on the hoist, with the names that everybody knows."""

from __future__ import annotations

from demo.scenario import BRASS, gate_hoist_scene
from limus.effects.chipping import Chipping
from limus.effects.dirt import Dirt
from limus.effects.dust import Dust
from limus.effects.paint import Paint
from limus.effects.rust import Rust
from limus.masks.recipe import Recipe, term
from limus.masks.sources.parts import Parts
from limus.scene import Layer, Scene


def short_story() -> Scene:
    """Paint, chipping, rust, dirt and dust; bases and setting are those of the demo."""
    plain = Recipe(terms=[term(Parts(names=[*BRASS, "shaft"]), invert=True)])
    return gate_hoist_scene().model_copy(
        update={
            "episodes": [],
            "layers": [
                Layer(id="paint", name="Works green", effect=Paint(), where=plain),
                Layer(id="chipping", name="Chipping", effect=Chipping(coverage=0.10), where=Chipping.default_where()),
                Layer(id="rust", name="Rust", effect=Rust(), where=Rust.default_where()),
                Layer(id="dirt", name="Dirt", effect=Dirt(), where=Dirt.default_where()),
                Layer(id="dust", name="Dust", effect=Dust(), where=Dust.default_where(), strength=0.8),
            ],
        }
    )
