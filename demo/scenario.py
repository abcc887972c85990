"""The scenes of the demo project."""

from __future__ import annotations

from typing import Any

from limus.bases.choice import from_stock
from limus.common.object_size import ObjectSize
from limus.document.episode import Episode
from limus.document.scene import Layer, ObjectFile, Scene
from limus.document.snapshot import Snapshot
from limus.effects.algae import Algae
from limus.effects.chipping import Chipping
from limus.effects.cracks import CrackLayer
from limus.effects.decal import Decal
from limus.effects.dirt import Dirt
from limus.effects.dust import Dust
from limus.effects.effect import Effect
from limus.effects.fading import Fading
from limus.effects.frost import Frost
from limus.effects.grease import Grease
from limus.effects.lacquer import Lacquer
from limus.effects.leaks import Leaks
from limus.effects.lichen import Lichen
from limus.effects.moss import Moss
from limus.effects.mud import Mud
from limus.effects.paint import Paint
from limus.effects.patina import Patina
from limus.effects.rubbing import Rubbing
from limus.effects.rust import Rust
from limus.effects.salt import Salt
from limus.effects.scratching import Scratching
from limus.effects.smears import Smears
from limus.effects.snow import Snow
from limus.effects.splash import Splash
from limus.effects.staining import Staining
from limus.effects.variation import Variation
from limus.effects.washing import Washing
from limus.effects.water import Water
from limus.effects.wetness import Wetness
from limus.masks.recipe import Recipe, Term, term
from limus.masks.sources.edges import Edges
from limus.masks.sources.noise import Noise
from limus.masks.sources.parts import Parts
from limus.masks.sources.proximity import ProximitySource
from limus.masks.sources.sheltered import Sheltered
from limus.masks.sources.sky import Sky
from limus.masks.sources.slope import SlopeSource
from limus.masks.sources.vertex_colour import VertexColourSource
from limus.readings.setting import Setting

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


def _fit(effect: type[Effect], size: ObjectSize, **own: object) -> Any:
    """The effect with sizes that suit the object, and settings of its own."""
    return effect.model_validate({**size.fields(effect), **own})


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
            term(
                ProximitySource(to="parts", parts=["shaft", "grease nipple"], reach_cm=3.5),
                combine="screen",
                amount=0.9,
            ),
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
                effect=Paint(undercoat=True, undercoat_color=(0.30, 0.31, 0.28), way="brush", texture_um=16.0,
                    texture_mm=2.4),
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
            Layer(id="hands", name="Hands on the wheel", effect=Rubbing(coverage=0.035, distress_mm=9.0),
                where=handled, episode=used, since=0.5),
            Layer(id="tools", name="Tools and boots", effect=Scratching.fitted(size),
                where=Scratching.default_where(size), episode=used, since=0.5),
            Layer(id="chipping", name="Knocked about", effect=Chipping(coverage=0.09, size_mm=5.5),
                where=_worn_edges(), episode=used, since=1.0),
            Layer(id="grease", name="Grease at the shaft", effect=Grease(what="grease", amount=0.55,
                thickness_mm=0.5), where=bearings, episode=used, since=2.0),
            Layer(id="rust", name="Rust", effect=Rust(runs_mm=110.0, runs=0.6), where=Rust.default_where(size),
                episode=weather, since=1.0),
            Layer(id="patina", name="Brass gone dull", effect=Patina(years=10.0, green=0.2), where=_on(*BRASS),
                episode=weather, since=1.0),
            Layer(id="leaks", name="Runs below the flanges", effect=Leaks.fitted(size),
                where=Leaks.default_where(size), episode=weather, since=2.0),
            Layer(id="dirt", name="Grime", effect=Dirt(), where=Dirt.default_where(size), episode=weather),
            Layer(id="splash", name="Splashed foot", effect=Splash(height_mm=95.0, amount=0.5),
                where=Splash.default_where(size), episode=weather),
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
            Layer(id="variation", name="Never quite even", effect=Variation(tone=0.2, relief_um=20.0, each="none"),
                episode=made),
            Layer(id="chipping", name="Knocked at the marks", effect=Chipping(coverage=0.05), where=_worn_edges(),
                episode=used, since=1.0),
            Layer(id="scratches", name="Scraped clean", effect=Scratching.fitted(size),
                where=_with(Scratching.default_where(size), term(Parts(names=list(board)))),
                  episode=used, since=1.0),
            Layer(id="rust", name="Rust", effect=Rust(runs_mm=160.0, runs=0.65), where=Rust.default_where(size),
                episode=used, since=1.0),
            Layer(id="patina", name="Zinc gone dull", effect=Patina(years=10.0, green=0.35), where=_on(*zinc),
                episode=used),
            Layer(id="smears", name="Wiped to read it", effect=Smears.fitted(size),
                where=_with(Smears.default_where(size), term(Parts(names=list(board)))), episode=used),
            Layer(id="leaks", name="Runs below the bolts", effect=Leaks.fitted(size),
                where=Leaks.default_where(size), episode=used, since=2.0),
            Layer(id="mud", name="Mud line", effect=Dirt(), where=mud, episode=flood, since=7.0, fixed=True),
            Layer(id="splash", name="Splashed since", effect=Splash.fitted(size), where=Splash.default_where(size),
                episode=flood, since=7.0),
            Layer(id="dust", name="Dried silt", effect=Dust(color=(0.25, 0.205, 0.15), cling=0.10, thickness_um=9.0,
                trails=0.0), where=_settled(), episode=flood, since=7.0),
        ],
    )  # fmt: skip


def _states(wet: str, winter: str) -> list[Snapshot]:
    """Dry, wet and in winter, by the episodes that bring water and snow."""
    return [
        Snapshot(id="dry", name="Dry", episodes_off=[wet, winter]),
        Snapshot(id="wet", name="Wet", episodes_off=[winter]),
        Snapshot(id="winter", name="Winter", episodes_off=[wet]),
    ]


def slate_panel_scene() -> Scene:
    """Slates on timber: laid, split by frost one by one, forty years under lichen and moss; in rain and under snow."""
    size = ObjectSize(1.7)
    laid, years, wet, winter = "laid", "years", "rain", "snow"
    slates, timber = _on("slates"), _on("battens", "verge boards")
    return Scene(
        name="Slate panel",
        object=ObjectFile(file="slate-panel.glb"),
        setting=Setting(corrosivity="C3", years=40.0, wind_from_deg=200.0, rain_mm=1400.0),
        seed=7,
        bases=[
            from_stock("weathered pine"),
            from_stock("slate", parts=["slates"], placing={"scatter": "island"}),
        ],
        episodes=[
            Episode(id=laid, name="Laid"),
            Episode(id=years, name="Forty years on the roof"),
            Episode(id=wet, name="In the rain", on=False),
            Episode(id=winter, name="First snow", on=False),
        ],
        snapshots=_states(wet, winter),
        layers=[
            Layer(id="variation", name="No two alike", effect=Variation(tone=0.3, each="island", piece_tone=0.75,
                relief_um=30.0), where=slates, episode=laid),
            Layer(id="cracks", name="Split by frost", effect=CrackLayer(way="stress", size_mm=190.0, width_mm=0.7,
                depth_mm=3.0, opened=0.16, crumble_mm=1.6, stain_mm=1.6),
                  where=slates, episode=years, since=8.0),
            Layer(id="checks", name="Checked boards", effect=CrackLayer(way="splits", size_mm=240.0, width_mm=1.1,
                depth_mm=4.0, opened=0.6), where=timber, episode=years, since=3.0),
            Layer(id="fading", name="Bleached boards", effect=Fading(years=40.0, fade=0.7, chalk=0.15), where=timber,
                episode=years),
            Layer(id="dirt", name="Dirt", effect=Dirt.fitted(size), where=Dirt.default_where(size), strength=0.8,
                episode=years),
            Layer(id="algae", name="Green film", effect=_fit(Algae, size, amount=0.38),
                where=Algae.default_where(size), episode=years, since=5.0),
            Layer(id="lichen", name="Lichen", effect=_fit(Lichen, size, years=40.0, amount=0.6),
                where=_with(Lichen.default_where(size), term(Parts(names=["slates"]))), episode=years, since=4.0),
            Layer(id="moss", name="Moss in the joints", effect=_fit(Moss, size, amount=0.33, size_mm=20.0),
                where=Moss.default_where(size), episode=years, since=12.0),
            Layer(id="washing", name="Washed by rain", effect=_fit(Washing, size, coverage=0.16),
                where=Washing.default_where(size), episode=years),
            Layer(id="dust", name="Dust", effect=Dust(), where=_settled(), strength=0.4, episode=years),
            Layer(id="wetness", name="Wet slates", effect=_fit(Wetness, size, amount=0.78, film=0.75, dried=0.3),
                where=Wetness.default_where(size), episode=wet),
            Layer(id="frost", name="Frost", effect=_fit(Frost, size, amount=0.4), where=Frost.default_where(size),
                episode=winter),
            Layer(id="snow", name="First snow", effect=_fit(Snow, size, depth_mm=16.0, wind=0.6),
                where=Snow.default_where(size), episode=winter),
        ],
    )  # fmt: skip


def pier_cap_scene() -> Scene:
    """Cast concrete, worn to its pebbles where it is knocked, cracked, stained below its iron ring, green on the side
    of the river; with rain and with snow.
    """
    size = ObjectSize(1.35)
    worn = Recipe(
        terms=[
            term(Edges(radius_mm=14.0), low=0.02, high=0.16),
            term(Noise(size_mm=160.0, octaves=4, seed=3), low=0.15, high=0.6, amount=0.9),
            term(Noise(size_mm=420.0, octaves=5, seed=4), low=0.5, high=0.72, combine="add", amount=0.9),
        ]
    )
    cast, river, wet, winter = "cast", "river", "rain", "snow"
    cap, no_iron = term(Parts(names=["cap"])), term(Parts(names=["plate", "ring", "bolts"]), invert=True)
    return Scene(
        name="Pier cap",
        object=ObjectFile(file="pier-cap.glb"),
        setting=Setting(corrosivity="C4", years=30.0, rain_mm=1200.0, north_deg=140.0),
        seed=11,
        bases=[
            from_stock("smooth concrete"),
            from_stock("cast iron", parts=["plate", "ring"]),
            from_stock("rolled steel", parts=["bolts"]),
            from_stock("exposed aggregate", parts=["cap"], where=worn, stands_mm=-3.0, blend_mm=2.0,
                placing={"scale": 0.7}),
        ],
        episodes=[
            Episode(id=cast, name="Cast and set"),
            Episode(id=river, name="Thirty years in the river"),
            Episode(id=wet, name="After rain"),
            Episode(id=winter, name="Winter", on=False),
        ],
        snapshots=_states(wet, winter),
        layers=[
            Layer(id="shrinkage", name="Shrunk as it dried", effect=CrackLayer(size_mm=230.0, width_mm=0.36,
                depth_mm=5.0, opened=0.6, stain_mm=3.4),
                  where=_with(CrackLayer.default_where(size), cap), episode=cast),
            Layer(id="stress", name="Cracked from the slot", effect=CrackLayer(way="stress", size_mm=330.0,
                width_mm=0.9, depth_mm=9.0, opened=0.1, crumble_mm=3.0, offset_mm=0.5, stain_mm=4.0),
                  where=_on("cap"), episode=cast, since=4.0),
            Layer(id="rust", name="Ring gone to rust", effect=Rust(years=30.0, runs_mm=60.0),
                where=Rust.default_where(size), episode=river, since=0.5),
            Layer(id="stain", name="Rust below the ring", effect=_fit(Staining, size, what="rust", amount=0.62,
                length_mm=130.0), where=Recipe(), episode=river, since=2.0),
            Layer(id="lime", name="Lime from the cracks", effect=_fit(Staining, size, what="lime", amount=0.5,
                length_mm=90.0, width_mm=7.0),
                  where=_with(Staining.default_where(size), cap), episode=river, since=6.0),
            Layer(id="salt", name="Salt bloom", effect=Salt.fitted(size), where=_with(Salt.default_where(size), cap),
                strength=0.7, episode=river),
            Layer(id="dirt", name="Grime", effect=Dirt.fitted(size), where=Dirt.default_where(size), episode=river),
            Layer(id="flood", name="Flood line", effect=_fit(Mud, size, level_mm=92.0, amount=0.42, thickness_mm=0.4,
                splash_mm=26.0), where=Mud.default_where(size), episode=river, since=27.0),
            Layer(id="algae", name="Green side", effect=_fit(Algae, size, amount=0.46, foot_mm=150.0),
                where=Algae.default_where(size), episode=river, since=3.0),
            Layer(id="lichen", name="Lichen", effect=_fit(Lichen, size, years=24.0, amount=0.3),
                where=_with(Lichen.default_where(size), cap), episode=river, since=6.0),
            Layer(id="moss", name="Moss in the slot", effect=_fit(Moss, size, amount=0.24),
                where=_with(Moss.default_where(size), no_iron), episode=river, since=10.0),
            Layer(id="dust", name="Dust", effect=Dust(), where=_settled(), strength=0.4, episode=river),
            Layer(id="wetness", name="Wet band", effect=_fit(Wetness, size, amount=0.6, ground_mm=85.0),
                where=Wetness.default_where(size), episode=wet),
            Layer(id="puddle", name="Puddles on the worn top", effect=_fit(Water, size, level_mm=5.6),
                where=Recipe(), episode=wet),
            Layer(id="frost", name="Frost", effect=_fit(Frost, size, amount=0.42), where=Frost.default_where(size),
                episode=winter),
            Layer(id="snow", name="Snow", effect=_fit(Snow, size, depth_mm=32.0), where=Snow.default_where(size),
                episode=winter),
        ],
    )  # fmt: skip
