"""The scenes of the demo project."""

from __future__ import annotations

from limus.bases.choice import from_stock
from limus.effects.chipping import Chipping
from limus.effects.dirt import Dirt
from limus.effects.dust import Dust
from limus.effects.paint import Paint
from limus.effects.rust import Rust
from limus.masks.recipe import Recipe, term
from limus.masks.sources.edges import Edges
from limus.masks.sources.noise import Noise
from limus.masks.sources.parts import Parts
from limus.masks.sources.sky import Sky
from limus.masks.sources.slope import SlopeSource
from limus.masks.sources.vertex_colour import VertexColourSource
from limus.scene import Layer, ObjectFile, Scene
from limus.setting import Setting

PROJECT = "Kestrel Weir gatehouse"
BRASS = ["number plate", "plate screws", "grease nipple"]


def _worn_edges() -> Recipe:
    """Where paint of these objects breaks: edges, some stretches of them, and stray places."""
    return Recipe(
        terms=[
            term(Edges(radius_mm=4.0)),
            term(Noise(size_mm=90.0, octaves=3, seed=1), amount=0.8),
            term(Noise(size_mm=34.0, octaves=4, seed=2), low=0.55, high=1.0, combine="add", amount=0.45),
        ]
    )


def _settled() -> Recipe:
    """Where dust lies: what faces up and sees the sky."""
    return Recipe(
        terms=[
            term(SlopeSource(towards="up", span="180"), low=0.3, high=0.75),
            term(Sky(), low=0.05, high=0.6, amount=0.7),
            term(Noise(size_mm=40.0, octaves=5, seed=9), low=0.05, high=0.75, amount=0.6),
        ]
    )


def gate_hoist_scene() -> Scene:
    """Painted iron, ten years by the water."""
    return Scene(
        name="Gate hoist",
        object=ObjectFile(file="gate-hoist.glb"),
        setting=Setting(corrosivity="C4"),
        seed=3,
        bases=[
            from_stock("cast iron"),
            from_stock("brass", parts=BRASS),
            from_stock("rolled steel", parts=["shaft", "handle"]),
        ],
        layers=[
            Layer(
                id="paint",
                name="Works green",
                effect=Paint(),
                where=Recipe(terms=[term(Parts(names=[*BRASS, "shaft"]), invert=True)]),
            ),
            Layer(id="chipping", name="Chipping", effect=Chipping(coverage=0.10), where=_worn_edges()),
            Layer(id="rust", name="Rust", effect=Rust(), where=Rust.default_where()),
            Layer(id="dirt", name="Dirt", effect=Dirt(), where=Dirt.default_where()),
            Layer(id="dust", name="Dust", effect=Dust(), where=_settled(), strength=0.8),
        ],
    )


def gauge_board_scene() -> Scene:
    """White enamel on steel, chipped at the marks, with the mud line of a flood."""
    enamel = Paint(
        color=(0.80, 0.80, 0.76),
        roughness=0.22,
        thickness_um=180.0,
        primer_color=(0.035, 0.036, 0.04),
        primer_thickness_um=100.0,
        texture_um=6.0,
    )
    figures = Paint(color=(0.012, 0.012, 0.013), roughness=0.3, primer=False, thickness_um=60.0)
    return Scene(
        name="Gauge board",
        object=ObjectFile(file="gauge-board.glb"),
        setting=Setting(corrosivity="C4"),
        seed=5,
        bases=[from_stock("rolled steel"), from_stock("galvanised steel", parts=["foot", "post", "bearers", "foot bolts"])],
        layers=[
            Layer(
                id="paint",
                name="White enamel",
                effect=enamel,
                where=Recipe(terms=[term(Parts(names=["board", "marks", "figures"]))]),
            ),
            Layer(
                id="figures", name="Black figures", effect=figures, where=Recipe(terms=[term(Parts(names=["marks", "figures"]))])
            ),
            Layer(id="chipping", name="Chipping", effect=Chipping(coverage=0.05), where=_worn_edges()),
            Layer(id="rust", name="Rust", effect=Rust(), where=Rust.default_where()),
            Layer(
                id="mud",
                name="Mud line",
                effect=Dirt(),
                where=Recipe(terms=[term(VertexColourSource(channel="R")), term(Noise(size_mm=34.0), low=0.22, high=0.55)]),
            ),
        ],
    )


def slate_panel_scene() -> Scene:
    """Slates on timber, dusted where they lie flat."""
    return Scene(
        name="Slate panel",
        object=ObjectFile(file="slate-panel.glb"),
        setting=Setting(corrosivity="C3"),
        seed=7,
        bases=[
            from_stock("weathered pine"),
            from_stock("slate", parts=["slates"], placing={"scatter": "island"}),
        ],
        layers=[
            Layer(id="dirt", name="Dirt", effect=Dirt(), where=Dirt.default_where()),
            Layer(id="dust", name="Dust", effect=Dust(), where=_settled(), strength=0.6),
        ],
    )


def pier_cap_scene() -> Scene:
    """Cast concrete, worn to its pebbles where it is knocked, with an iron ring."""
    worn = Recipe(
        terms=[
            term(Edges(radius_mm=14.0), low=0.02, high=0.16),
            term(Noise(size_mm=160.0, octaves=4, seed=3), low=0.15, high=0.6, amount=0.9),
            term(Noise(size_mm=420.0, octaves=5, seed=4), low=0.5, high=0.72, combine="add", amount=0.9),
        ]
    )
    return Scene(
        name="Pier cap",
        object=ObjectFile(file="pier-cap.glb"),
        setting=Setting(corrosivity="C4"),
        seed=11,
        bases=[
            from_stock("smooth concrete"),
            from_stock("cast iron", parts=["plate", "ring"]),
            from_stock("rolled steel", parts=["bolts"]),
            from_stock("exposed aggregate", parts=["cap"], where=worn, stands_mm=-3.0, blend_mm=2.0, placing={"scale": 0.7}),
        ],
        layers=[
            Layer(id="rust", name="Rust", effect=Rust(), where=Rust.default_where()),
            Layer(id="dirt", name="Dirt", effect=Dirt(), where=Dirt.default_where()),
            Layer(id="dust", name="Dust", effect=Dust(), where=_settled(), strength=0.5),
        ],
    )
