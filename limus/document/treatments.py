"""The treatments that ship with the program."""

from __future__ import annotations

from functools import lru_cache

from limus.document.treatment import Treatment, made
from limus.masks.recipe import Recipe, term
from limus.masks.sources.acted import ActedSource
from limus.masks.sources.hollows import Hollows
from limus.masks.sources.low import LowDown
from limus.masks.sources.noise import Noise
from limus.masks.sources.proximity import ProximitySource
from limus.masks.sources.sheltered import Sheltered
from limus.masks.sources.slope import SlopeSource

_GREEN = {"color": (0.032, 0.128, 0.094)}
_GREY = {"color": (0.115, 0.125, 0.130), "roughness": 0.38, "way": "spray"}
_RED = {"color": (0.235, 0.028, 0.018), "roughness": 0.35, "varnish": 0.3}
_BLUE = {"color": (0.045, 0.105, 0.190), "roughness": 0.5, "undercoat": True}
_CREAM = {
    "color": (0.58, 0.53, 0.41),
    "roughness": 0.55,
    "way": "brush",
    "texture_um": 30.0,
    "undercoat": True,
    "undercoat_color": (0.16, 0.22, 0.20),
}


def _low() -> Recipe:
    return Recipe(
        terms=[
            term(LowDown(top_mm=320.0), gamma=1.4),
            term(Noise(size_mm=120.0, octaves=4, seed=5), low=0.15, high=0.7, amount=0.8),
        ]
    )


def _hollow() -> Recipe:
    return Recipe(
        terms=[
            term(Hollows(radius_mm=14.0), low=0.03, high=0.22),
            term(Sheltered(reach_mm=30.0), low=0.25, high=0.8, combine="screen", amount=0.7),
            term(Noise(size_mm=60.0, octaves=5, seed=6), low=0.15, high=0.6, amount=0.6),
        ]
    )


def _level() -> Recipe:
    return Recipe(
        terms=[
            term(SlopeSource(towards="up", span="180"), low=0.55, high=0.95),
            term(Sheltered(reach_mm=80.0), low=0.0, high=0.5, out_low=0.4),
        ]
    )


def _drawn(half_cm: float, branches: int) -> Recipe:
    """Along a line that is still to be drawn."""
    source = ProximitySource(to="line", side="inside", reach_cm=half_cm, fade_cm=0.05, branches=branches)
    return Recipe(terms=[term(source, link="drawn")])


@lru_cache(maxsize=1)
def shipped() -> dict[str, Treatment]:
    """All of them by a short key, in the order in which they are offered."""
    return {
        "river-iron": made(
            "Ten years by the river",
            "Green works paint on iron, knocked about and rusted where it broke, with runs and a foot of dirt",
            ("paint", "Works green", {"effect": _GREEN}), ("chipping", "Knocked", {"effect": {"coverage": 0.08}}),
            ("rust", "Rusted by the water", {"effect": {"years": 10.0}}), ("dirt", "Grime", {}), ("splash",
                "Splashed foot", {"effect": {"amount": 0.45}}),
            episode="By the river",
        ),
        "workshop": made(
            "Workshop machine", "Grey machine paint, rubbed bright where hands go, oily at the bearings, dusty on top",
            ("paint", "Machine grey", {"effect": _GREY}), ("rubbing", "Handled", {"effect": {"coverage": 0.07}}),
            ("scratching", "Tools and chips", {"effect": {"deep": 0.4}}),
            ("grease", "Oil at the joints", {"effect": {"amount": 0.45}}), ("dust", "Shop dust",
                {"effect": {"thickness_um": 10.0}}), episode="In the workshop",
        ),
        "harbour": made(
            "Harbour steel", "Red lead and grey gone to degree of rusting Ri4, peeling, with salt",
            ("paint", "Ship's grey", {"effect": {**_GREY, "primer_color": (0.33, 0.055, 0.02)}}), ("peeling",
                "Lost its hold", {"effect": {"coverage": 0.14}}),
            ("rust", "Rusted through", {"effect": {"by": "iso", "iso": "Ri4", "years": 14.0, "climate": "C5",
                "runs_mm": 160.0}}),
            ("salt", "Salt", {"effect": {"amount": 0.25, "crust_um": 120.0}}), episode="By the sea",
        ),
        "sunny-door": made(
            "Sun-baked paint", "Brushed cream over an older green, cracked and come off in sheets on the sunny side",
            ("paint", "Cream by brush", {"effect": _CREAM}), ("peeling", "Baked off", {"effect": {"coverage": 0.2,
                "through": 0.2, "curl_mm": 1.1}}),
            ("dirt", "In the corners", {"effect": {"thickness_um": 22.0}}), ("dust", "Dust",
                {"effect": {"thickness_um": 8.0}}), episode="Facing south",
        ),
        "field-gate": made(
            "Field gate", "Red paint on steel, badly chipped, rusted, splashed with earth",
            ("paint", "Red", {"effect": _RED}), ("chipping", "Cattle and carts", {"effect": {"coverage": 0.14,
                "size_mm": 9.0, "depth": 0.75}}),
            ("rust", "Rusted", {"effect": {"years": 16.0}}), ("splash", "Earth", {"effect": {"height_mm": 260.0}}),
            episode="In the field",
        ),
        "kept-well": made(
            "Kept well", "Hardly anything happened: uneven gloss, hairlines, finger marks, a breath of dust",
            ("variation", "Never quite even", {"effect": {"tone": 0.2, "relief_um": 25.0}}), ("scratching",
                "Hairlines", {"effect": {"deep": 0.05, "amount": 0.4}}),
            ("smears", "Finger marks", {}), ("dust", "A breath of dust", {"effect": {"thickness_um": 5.0}}),
            episode="Kept well",
        ),
        "old-brass": made(
            "Old brass fitting", "Lacquered once, worn off where it is held, tarnished there",
            ("lacquer", "Lacquer", {"effect": {"worn": 0.6, "yellowing": 0.3}}), ("patina", "Tarnish",
                {"effect": {"years": 6.0, "green": 0.15}}),
            ("scratching", "Hairlines", {"effect": {"deep": 0.1}}), ("smears", "Handled", {}), episode="In use",
        ),
        "copper-roof": made(
            "Copper roof", "Eighty years of rain on copper: green where it washes, brown in the lee",
            ("patina", "Verdigris", {"effect": {"years": 80.0, "green": 0.6, "streaks_mm": 200.0}}), ("leaks",
                "Runs", {"effect": {"color": (0.03, 0.03, 0.025), "amount": 0.4}}),
            ("dirt", "In the seams", {}), episode="Eighty years",
        ),
        "zinc-shed": made(
            "Zinc shed", "Galvanised steel gone dull, white rust where it stays wet, streaks below",
            ("patina", "Gone dull", {"effect": {"years": 18.0, "green": 0.45}}), ("leaks", "Streaks",
                {"effect": {"amount": 0.5}}), ("dirt", "Grime", {}), episode="Behind the house",
        ),
        "damp-wall": made(
            "Damp wall", "Salts along the rising damp, earth at the foot, runs from above",
            ("variation", "Uneven", {"effect": {"tone": 0.35, "each": "piece", "relief_um": 0.0}}), ("salt",
                "Salt bloom", {"effect": {"amount": 0.55}}),
            ("leaks", "Runs from above", {}), ("splash", "Earth at the foot", {}), episode="Rising damp",
        ),
        "town-stone": made(
            "Town stone", "Black crusts where rain does not reach, washed runs between",
            ("soot", "Black crust", {"effect": {"amount": 0.6, "washed": 0.6}}), ("leaks", "Washed down",
                {"effect": {"amount": 0.45}}), ("dirt", "In the joints", {"effect": {"joints": 0.8}}),
            episode="A century of chimneys",
        ),
        "attic": made(
            "Attic find", "Thick dust with the trails of fingers, over smears and scratches",
            ("scratching", "Old scratches", {}), ("smears", "Old touch", {}), ("dust", "Years of dust",
                {"effect": {"thickness_um": 34.0, "trails": 0.6, "cling": 0.12}}), episode="In the attic",
        ),
        "wheel-arch": made(
            "Low and wet", "Blue paint rusting from below, oily, thrown full of earth",
            ("paint", "Blue", {"effect": _BLUE}), ("chipping", "Stone chips", {"effect": {"coverage": 0.07,
                "size_mm": 3.0, "vary": 0.9}, "where": _low()}),
            ("rust", "Rusting from below", {"effect": {"years": 8.0, "blisters": 0.6}}), ("grease", "Oil",
                {"effect": {"amount": 0.35}}),
            ("splash", "Earth", {"effect": {"height_mm": 300.0, "amount": 0.8}}),
            episode="On the road",
        ),
        "ledges": made(
            "Left outside", "Litter on the ledges, runs below them, dirt in the hollows",
            ("leaks", "Runs", {}), ("dirt", "Dirt", {}), ("debris", "Litter on ledges", {"where": _level()}),
            ("dust", "Dust", {"effect": {"thickness_um": 8.0}}), episode="Left outside",
        ),
        "after-rain": made(
            "After rain", "Damp by wind and shelter, run-off below edges, puddles where they can stand",
            ("wetness", "Wet", {}), ("water", "Puddles", {}), episode="After rain",
        ),
        "first-snow": made(
            "First snow", "A morning's frost and a thin cover of fresh snow, blown off the edges",
            ("frost", "Frost", {"effect": {"amount": 0.35}}), ("snow", "Fresh snow", {"effect": {"depth_mm": 14.0}}),
            episode="First snow",
        ),
        "thaw": made(
            "Thaw", "What is left of old snow, and its water over everything below",
            ("snow", "Old snow", {"effect": {"state": "old", "depth_mm": 18.0, "melt": 0.9, "uneven": 0.8}}),
            ("wetness", "Meltwater", {"effect": {"amount": 0.6, "rain": 0.2}}), episode="Thaw",
        ),
        "river-pier": made(
            "Old concrete by the water",
            "Cracked, stained with lime, green at the foot, lichen and moss where they hold",
            ("cracks", "Cracks", {}), ("staining", "Lime", {"effect": {"what": "lime", "amount": 0.45}}), ("algae",
                "Green foot", {"effect": {"foot_mm": 220.0}}),
            ("lichen", "Lichen", {"effect": {"years": 25.0}}), ("moss", "Moss", {"effect": {"amount": 0.25}}),
            episode="Thirty years by the water",
        ),
        "wet-paving": made(
            "Wet paving", "Dark and shining after rain, with water standing in joints and dips",
            ("wetness", "Damp", {"effect": {"amount": 0.75, "film": 0.5}}), ("water", "In joints and dips",
                {"effect": {"level_mm": 2.0}}), episode="Just after the rain",
        ),
        "distressed": made(
            "Distressed paint", "Cream over green, rubbed through on edges and handles, with a little dirt worked in",
            ("paint", "Green below", {"effect": {**_BLUE, "color": _GREEN["color"]}}), ("paint", "Cream on top",
                {"effect": {**_CREAM, "undercoat": False, "primer": False}}),
            ("rubbing", "Rubbed through", {"effect": {"coverage": 0.12}}), ("dirt", "Worked in",
                {"effect": {"thickness_um": 16.0}}), episode="Made to look old",
        ),
        "oxide-in-hollows": made(
            "Oxide in hollows", "A dark oxide without metal's shine where nobody polishes: gold, silver, brass",
            ("substance", "Oxide", {"effect": {"substance": None, "values": {"metalness": {"white": 0.0},
                "base_color": {"white": (0.020, 0.016, 0.012)}, "roughness": {"black": 0.3, "white": 0.75}}},
                "where": _hollow()}), episode="Never polished",
        ),
        "gilding": made(
            "Worn gilding", "Leaf on red ground, rubbed away on what stands out",
            ("paint", "Red ground", {"effect": {"color": (0.20, 0.030, 0.016), "roughness": 0.6, "primer": False}}),
            ("substance", "Gold leaf", {"effect": {"substance": {"material": "gold"}, "thickness_um": 2.0},
                "where": Recipe()}),
            ("rubbing", "Rubbed off", {"effect": {"coverage": 0.09}}), episode="Gilded",
        ),
        "snow-on-ledges": made(
            "Snow on the ledges", "Fresh snow that lies only where it is level, with its meltwater below",
            ("snow", "On the ledges", {"effect": {"depth_mm": 20.0, "melt": 0.6}, "where": _level()}),
            episode="A winter's day",
        ),
        "oil-on-water": made(
            "Oil film", "Colours of a thin film that run with its thickness, over whatever is dark and smooth",
            ("substance", "Film", {"effect": {"substance": None, "values": {
                "thin_film_weight": {"white": 0.9}, "thin_film_thickness": {"black": 180.0, "white": 620.0},
                "thin_film_ior": {"white": 1.45}, "roughness": {"white": 0.08}}}}), episode="Spilt",
        ),
        "drawn-crack": made(
            "A crack where you draw it",
            "One crack with branches along a line that you draw on the surface, dark inside",
            ("carving", "Crack", {"effect": {"height_mm": -5.0, "profile": "v", "bevel_mm": 1.6, "lips": 0.5,
                "bares": 1.0}, "where": _drawn(0.18, 4)}),
            ("dirt", "Dirt in it", {"where": Recipe(terms=[term(ActedSource(layer="carving"))])}), episode="Cracked",
        ),
        "drawn-groove": made(
            "A groove where you draw it", "Cut along a line that you draw on the surface, with broken lips",
            ("carving", "Groove", {"effect": {"height_mm": -6.0, "profile": "u", "bevel_mm": 5.0, "lips": 0.25},
                "where": _drawn(0.6, 0)}), episode="Cut",
        ),
        "after-the-flood": made(
            "After the flood", "Silt up to a line, cracked where it lies thick, washed again by rain",
            ("mud", "Flood mud", {}), ("washing", "Washed again", {"effect": {"coverage": 0.2}}),
            episode="After the flood",
        ),
    }  # fmt: skip
