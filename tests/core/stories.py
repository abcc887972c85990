"""A short story for tests of the document: five layers on the hoist, with the names that everybody knows."""

from __future__ import annotations

from demo.scenario import BRASS, _settled, _worn_edges, gate_hoist_scene
from limus.document.scene import Layer, Scene
from limus.effects.chipping import Chipping
from limus.effects.dirt import Dirt
from limus.effects.dust import Dust
from limus.effects.paint import Paint
from limus.effects.rust import Rust
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.masks.sources.parts import Parts
from limus.masks.sources.sheltered import Sheltered


def short_story() -> Scene:
    """Paint, chipping, rust, dirt and dust; bases and setting are those of the demo."""
    plain = Recipe(terms=[term(Parts(names=[*BRASS, "shaft"]), invert=True)])
    damp = Recipe(
        terms=[
            term(Noise(size_mm=70.0, octaves=4, seed=5), low=0.05, high=0.6, out_low=0.35),
            term(Sheltered(reach_mm=32.0), low=0.0, high=0.7, combine="add", amount=0.35),
        ]
    )
    return gate_hoist_scene().model_copy(
        update={
            "episodes": [],
            "layers": [
                Layer(id="paint", name="Works green", effect=Paint(), where=plain),
                Layer(id="chipping", name="Chipping", effect=Chipping(coverage=0.10), where=_worn_edges()),
                Layer(id="rust", name="Rust", effect=Rust(), where=damp),
                Layer(id="dirt", name="Dirt", effect=Dirt(), where=Dirt.default_where()),
                Layer(id="dust", name="Dust", effect=Dust(), where=_settled(), strength=0.8),
            ],
        }
    )
