"""The scenes of the demo project."""

from __future__ import annotations

from limus.bases.choice import from_stock
from limus.effects.chipping import Chipping
from limus.effects.decal import Decal
from limus.effects.dirt import Dirt
from limus.effects.dust import Dust
from limus.effects.grease import Grease
from limus.effects.lacquer import Lacquer
from limus.effects.leaks import Leaks
from limus.effects.paint import Paint
from limus.effects.patina import Patina
from limus.effects.rubbing import Rubbing
from limus.effects.rust import Rust
from limus.effects.scratching import Scratching
from limus.effects.smears import Smears
from limus.effects.splash import Splash
from limus.effects.variation import Variation
from limus.episode import Episode
from limus.masks.recipe import Recipe, Term, term
from limus.masks.sources.edges import Edges
from limus.masks.sources.noise import Noise
from limus.masks.sources.parts import Parts
from limus.masks.sources.proximity import ProximitySource
from limus.masks.sources.sheltered import Sheltered
from limus.masks.sources.sky import Sky
from limus.masks.sources.slope import SlopeSource
from limus.masks.sources.vertex_colour import VertexColourSource
from limus.object_size import ObjectSize
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


def _on(*names: str, **more: object) -> Recipe:
    """A part or several, and nothing else."""
    return Recipe(terms=[term(Parts(names=list(names)), **more)])


def _but(*names: str) -> Recipe:
    """Everything but these parts."""
    return Recipe(terms=[term(Parts(names=list(names)), invert=True)])


def _with(recipe: Recipe, *lines: Term) -> Recipe:
    return Recipe(terms=[*recipe.terms, *lines])


def gate_hoist_scene() -> Scene:
    """Painted iron: made, used, and ten years by the water."""
    size = ObjectSize(1.2)
    made, used, weather = "made", "used", "weather"
    handled = Recipe(
        terms=[
            term(Parts(names=["hand wheel", "handle"])),
            term(Sheltered(reach_mm=30.0), low=0.1, high=0.6, invert=True),
            term(Noise(size_mm=120.0, octaves=4, seed=7), low=0.25, high=0.7, out_low=0.25),
        ]
    )
    bearings = Recipe(
        terms=[
            term(Parts(names=["shaft", "grease nipple"])),
            term(ProximitySource(to="parts", parts=["shaft", "grease nipple"], reach_cm=3.5), combine="screen", amount=0.9),
            term(Noise(size_mm=30.0, octaves=4, seed=3), low=0.15, high=0.6, amount=0.8),
        ]
    )
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
        episodes=[
            Episode(id=made, name="Made and painted"),
            Episode(id=used, name="In use"),
            Episode(id=weather, name="Ten years by the water"),
        ],
        layers=[
            Layer(id="variation", name="Never quite even", effect=Variation(tone=0.3, relief_um=40.0), episode=made),
            Layer(
                id="paint",
                name="Works green",
                effect=Paint(undercoat=True, undercoat_color=(0.30, 0.31, 0.28), way="brush", texture_um=16.0, texture_mm=2.4),
                where=_but(*BRASS, "shaft"),
                episode=made,
            ),
            Layer(
                id="sign",
                name="Gate number",
                effect=Decal(
                    text="GATE 3",
                    stencil=True,
                    width_mm=84.0,
                    depth_mm=90.0,
                    at=(0.0, 0.312, 0.1),
                    facing=(0.0, 0.1, 1.0),
                    color=(0.70, 0.68, 0.60)
                ),
                episode=made,
            ),
            Layer(id="lacquer", name="Lacquered brass", effect=Lacquer(worn=0.7), where=_on(*BRASS), episode=made),
            Layer(id="hands", name="Hands on the wheel", effect=Rubbing(coverage=0.035, distress_mm=9.0), where=handled, episode=used, since=0.5),
            Layer(id="tools", name="Tools and boots", effect=Scratching.fitted(size), where=Scratching.default_where(size), episode=used, since=0.5),
            Layer(id="chipping", name="Knocked about", effect=Chipping(coverage=0.09, size_mm=5.5), where=_worn_edges(), episode=used, since=1.0),
            Layer(id="grease", name="Grease at the shaft", effect=Grease(what="grease", amount=0.55, thickness_mm=0.5), where=bearings, episode=used, since=2.0),
            Layer(id="rust", name="Rust", effect=Rust(runs_mm=110.0, runs=0.6), where=Rust.default_where(size), episode=weather, since=1.0),
            Layer(id="patina", name="Brass gone dull", effect=Patina(years=10.0, green=0.2), where=_on(*BRASS), episode=weather, since=1.0),
            Layer(id="leaks", name="Runs below the flanges", effect=Leaks.fitted(size), where=Leaks.default_where(size), episode=weather, since=2.0),
            Layer(id="dirt", name="Grime", effect=Dirt(), where=Dirt.default_where(size), episode=weather),
            Layer(id="splash", name="Splashed foot", effect=Splash(height_mm=95.0, amount=0.5), where=Splash.default_where(size), episode=weather),
            Layer(id="dust", name="Dust", effect=Dust(), where=_settled(), strength=0.7, episode=weather, since=8.0),
        ],
    )  # fmt: skip


def gauge_board_scene() -> Scene:
    """White enamel on steel: painted, read for years, chipped at the marks, with the mud line of a flood."""
    enamel = Paint(
        color=(0.80, 0.80, 0.76),
        roughness=0.22,
        thickness_um=180.0,
        primer_color=(0.035, 0.036, 0.04),
        primer_thickness_um=100.0,
        texture_um=6.0,
        sags=0.0,
    )
    figures = Paint(color=(0.012, 0.012, 0.013), roughness=0.3, primer=False, thickness_um=60.0, sags=0.0)
    size = ObjectSize(2.2)
    board = ("board", "marks", "figures")
    zinc = ("foot", "post", "bearers", "foot bolts")
    mud = Recipe(terms=[term(VertexColourSource(channel="R")), term(Noise(size_mm=34.0), low=0.22, high=0.55)])
    made, used, flood = "made", "used", "flood"
    return Scene(
        name="Gauge board",
        object=ObjectFile(file="gauge-board.glb"),
        setting=Setting(corrosivity="C4"),
        seed=5,
        bases=[from_stock("rolled steel"), from_stock("galvanised steel", parts=list(zinc))],
        episodes=[
            Episode(id=made, name="Enamelled"),
            Episode(id=used, name="Years of readings"),
            Episode(id=flood, name="After the flood"),
        ],
        layers=[
            Layer(id="paint", name="White enamel", effect=enamel, where=_on(*board), episode=made),
            Layer(id="figures", name="Black figures", effect=figures, where=_on("marks", "figures"), episode=made),
            Layer(id="variation", name="Never quite even", effect=Variation(tone=0.2, relief_um=20.0, each="none"), episode=made),
            Layer(id="chipping", name="Knocked at the marks", effect=Chipping(coverage=0.05), where=_worn_edges(), episode=used, since=1.0),
            Layer(id="scratches", name="Scraped clean", effect=Scratching.fitted(size), where=_with(Scratching.default_where(size), term(Parts(names=list(board)))),
                  episode=used, since=1.0),
            Layer(id="rust", name="Rust", effect=Rust(runs_mm=160.0, runs=0.65), where=Rust.default_where(size), episode=used, since=1.0),
            Layer(id="patina", name="Zinc gone dull", effect=Patina(years=10.0, green=0.35), where=_on(*zinc), episode=used),
            Layer(id="smears", name="Wiped to read it", effect=Smears.fitted(size), where=_with(Smears.default_where(size), term(Parts(names=list(board)))), episode=used),
            Layer(id="leaks", name="Runs below the bolts", effect=Leaks.fitted(size), where=Leaks.default_where(size), episode=used, since=2.0),
            Layer(id="mud", name="Mud line", effect=Dirt(), where=mud, episode=flood, since=7.0, fixed=True),
            Layer(id="splash", name="Splashed since", effect=Splash.fitted(size), where=Splash.default_where(size), episode=flood, since=7.0),
            Layer(id="dust", name="Dried silt", effect=Dust(color=(0.25, 0.205, 0.15), cling=0.10, thickness_um=9.0, trails=0.0), where=_settled(), episode=flood, since=7.0),
        ],
    )  # fmt: skip


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
