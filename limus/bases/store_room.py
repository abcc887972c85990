"""The store room: bases made by the program, each a material with its settings, by name."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any

from limus.bases.catalogue import MATERIALS
from limus.materials.substance import FAMILIES, Family, Substance


@dataclass(frozen=True)
class Stock:
    """One base of the store room.

    Attributes
    ----------
    kind, fields : the material and its settings. words : what else people call it, for the search and for guessing
        from names of
    parts. shown_mm : width of the sample on its card. flags : where its substance is not that of its kind.
    """

    name: str
    about: str
    kind: str
    fields: dict[str, Any] = field(default_factory=dict)
    words: tuple[str, ...] = ()
    shown_mm: float = 240.0
    flags: dict[str, Any] = field(default_factory=dict)
    placing: dict[str, Any] = field(default_factory=dict)

    @property
    def material(self) -> dict[str, Any]:
        """As it stands in a scene document."""
        return {"kind": self.kind, **self.fields}

    @property
    def substance(self) -> Substance:
        """Its physical flags."""
        base = MATERIALS[self.kind].substance
        return Substance(**{**{k: getattr(base, k) for k in Substance.__dataclass_fields__}, **self.flags})

    @property
    def family(self) -> Family:
        """Of its substance."""
        return self.substance.family


_COPPER, _ZINC, _ALU = {"family": "copper alloy"}, {"family": "zinc"}, {"family": "aluminium"}
_METAL = {"family": "other metal"}
STOCK: dict[str, Stock] = {
    s.name: s
    for s in (
        Stock("cast iron", "Sand-cast skin, grey, a little pitted", "cast_metal", words=("iron", "casting",
            "housing", "gear", "flange", "pedestal"), shown_mm=160),
        Stock("rolled steel", "Hot-rolled plate with its mill skin", "sheet_metal", {"skin": 0.45}, ("steel",
            "plate", "sheet", "shaft", "bolt", "rod", "beam", "handle", "screw", "nut"), 300),
        Stock("galvanised steel", "Hot-dip zinc with spangle", "zinc_coated", words=("zinc", "galvanized", "spangle",
            "bucket", "gutter", "duct"), shown_mm=200),
        Stock("brass", "Drawn, half bright", "sheet_metal", {"color": (0.72, 0.50, 0.205), "roughness": 0.30,
            "streaks": 0.4, "skin": 0.15, "skin_color": (0.42, 0.24, 0.09)},
              ("brass", "plate", "fitting", "tap", "valve"), 160, _COPPER),
        Stock("bronze", "Cast, brown", "cast_metal", {"color": (0.50, 0.295, 0.14), "roughness": 0.42,
            "grain_mm": 0.8, "grain_relief_mm": 0.03, "pits": 0.12},
              ("bronze", "bell", "statue", "bush", "bearing"), 160, _COPPER),
        Stock("copper", "Rolled sheet", "sheet_metal", {"color": (0.84, 0.43, 0.25), "roughness": 0.28,
            "streaks": 0.35, "skin": 0.3, "skin_color": (0.40, 0.16, 0.085)},
              ("copper", "pipe", "kettle", "wire"), 220, _COPPER),
        Stock("aluminium", "Mill finish", "sheet_metal", {"color": (0.80, 0.81, 0.815), "roughness": 0.34,
            "streaks": 0.6, "skin": 0.0},
              ("aluminum", "alloy", "profile", "foil"), 260, _ALU),
        Stock("gold", "Polished, a little worn", "sheet_metal", {"color": (1.0, 0.766, 0.336), "roughness": 0.18,
            "streaks": 0.12, "skin": 0.0, "uneven": 0.7}, ("gold", "gilt"), 120, _METAL),
        Stock("silver", "Polished, a little worn", "sheet_metal", {"color": (0.95, 0.93, 0.885), "roughness": 0.16,
            "streaks": 0.15, "skin": 0.0, "uneven": 0.7}, ("silver", "cutlery"), 120, _METAL),
        Stock("lead", "Rolled sheet, dull", "sheet_metal", {"color": (0.40, 0.405, 0.42), "roughness": 0.52,
            "streaks": 0.25, "skin": 0.35, "skin_color": (0.22, 0.225, 0.235)},
              ("lead", "flashing"), 240, _METAL),
        Stock("smooth concrete", "Cast against panels", "concrete", {"sand": 0.15, "holes": 0.45}, ("concrete",
            "cement", "pier", "cap", "block", "slab"), 700),
        Stock("rough concrete", "Cast against boards, sand showing", "concrete", {"sand": 0.75, "holes": 0.8,
            "boards_mm": 130.0, "color": (0.25, 0.24, 0.215)},
              ("concrete", "boardmarked", "wall", "bunker", "retaining"), 900),
        Stock("exposed aggregate", "Washed pebbles in cement", "aggregate", words=("pebble", "gravel", "washed",
            "kerb"), shown_mm=190),
        Stock("granite", "Sawn, grey", "granite", words=("stone", "plinth", "sill", "step", "curb"), shown_mm=170),
        Stock("polished granite", "Red, with a mirror", "granite", {"color": (0.36, 0.175, 0.12), "polish": 0.95,
            "dark": 0.2, "grain_mm": 6.0}, ("stone", "worktop", "slab"), 170),
        Stock("granite setts", "Paving, rounded by wheels", "setts", words=("sett", "cobble", "paving", "road",
            "street"), shown_mm=800),
        Stock("asphalt", "Rolled, worn to the stone", "asphalt", words=("asphalt", "tarmac", "pavement", "carriageway"),
            shown_mm=260),
        Stock("limestone", "Rubbed, with shells", "limestone", words=("stone", "ashlar"), shown_mm=220),
        Stock("terracotta", "Unglazed, from the kiln", "terracotta", words=("clay", "pot", "flowerpot", "earthenware",
            "tile"), shown_mm=170),
        Stock("slate", "Split face", "slate", words=("stone", "tablet"), shown_mm=320),
        Stock("roof slates", "Lapped, each its own", "roof_slates", words=("slates", "shingle", "roof"),
            shown_mm=1100, flags={}),
        Stock("brick in mortar", "Red stocks in running bond", "brickwork", words=("brick", "bricks", "wall",
            "masonry", "chimney"), shown_mm=800),
        Stock("oak", "Planed", "timber", words=("timber", "wood", "beam", "frame", "door", "plank"), shown_mm=240),
        Stock("weathered pine", "Grey and ridged", "timber", {"early": (0.46, 0.30, 0.155), "late": (0.30, 0.15,
            0.06), "ring_mm": 4.0, "pores": 0.0, "knots": 0.5, "weathered": 0.75},
              ("timber", "wood", "softwood", "batten", "post", "fence", "pine"), 240),
        Stock("pine boards", "Sawn, nailed, half grey", "boards", words=("board", "wood", "planks", "floor", "deck",
            "cladding", "crate", "boarding"), shown_mm=800),
        Stock("plaster", "Lime render, floated", "plaster", words=("render", "stucco", "lime", "gypsum", "wall",
            "ceiling"), shown_mm=500),
        Stock("roof felt", "Granules on bitumen", "roof_felt", words=("felt", "bitumen", "tar", "roofing", "shed"),
            shown_mm=150),
        Stock("enamel", "White stove enamel", "enamel", words=("porcelain", "glaze", "sink", "sign", "bath"),
            shown_mm=200),
        Stock("glass", "Old pane, a little green", "glass", words=("pane", "window", "lens", "bottle"), shown_mm=200),
        Stock("rubber", "Black, bloomed", "rubber", words=("tyre", "tire", "gasket", "seal", "hose", "grip", "mat"),
            shown_mm=150),
        Stock("canvas", "Plain weave, undyed", "canvas", words=("cloth", "fabric", "linen", "tarpaulin", "sail",
            "tent", "awning"), shown_mm=90),
        Stock("moulded plastic", "Black, with the grain of its mould", "plastic", words=("plastic", "bumper"),
            shown_mm=110),
        Stock("painted plastic", "Sprayed, an orange peel", "plastic", {"color": (0.30, 0.035, 0.028),
            "roughness": 0.16, "painted": 1.0, "flow": 0.0}, ("plastic", "toy", "fairing"), 130),
        Stock("wax", "Cast, light runs in it", "plain", {"color": (0.66, 0.53, 0.30), "roughness": 0.38, "ior": 1.44,
            "depth_mm": 4.0, "uneven": 0.8}, ("candle", "soap"), 110, {"brittleness": 0.1}),
        Stock("oil film on dark enamel", "Black, with the colours of a thin film", "plain", {"color": (0.024, 0.024,
            0.026), "roughness": 0.12, "ior": 1.33, "film_nm": 420.0, "uneven": 0.9}, ("iridescent",),
              200, {"family": "glass", "brittleness": 0.9}),
        Stock("weathered tarpaulin", "Green, coated, gone pale on its folds", "canvas", {"color": (0.085, 0.115, 0.075),
            "yarn_mm": 0.7, "slubs": 0.25, "folds_mm": 3.0, "fuzz": 0.06, "uneven": 1.8},
              ("tarp",), 160, {"porosity": 0.15}),
        Stock("packed snow", "Pressed by hand", "snow_body", words=("snow", "snowball", "snowman"), shown_mm=140),
        Stock("plain grey", "Nothing but its numbers", "plain", words=("plain", "blank"), shown_mm=200),
    )
}  # fmt: skip
#: Names that older documents use.
RENAMED = {"concrete": "smooth concrete", "timber": "oak"}


def stock(name: str) -> Stock | None:
    """The base of this name, also by an older name of it."""
    return STOCK.get(RENAMED.get(name, name))


def searched(text: str = "", family: str = "") -> list[Stock]:
    """Bases whose name, words, kind or family hold every word of ``text``, those that begin with it first."""
    asked = [w for w in re.split(r"\W+", text.lower()) if w]

    def holds(s: Stock) -> bool:
        whole = " ".join((s.name, s.about, *s.words, MATERIALS[s.kind].title, FAMILIES[s.family])).lower()
        return all(w in whole for w in asked) and (not family or s.family == family)

    found = [s for s in STOCK.values() if holds(s)]
    return sorted(found, key=lambda s: not s.name.startswith(text.lower().strip())) if asked else found


def guessed(part: str) -> str:
    """The base that the name of a part speaks of, or "". What it is made of counts before what it is."""
    words = [w for w in re.split(r"[^a-z]+", re.sub(r"([a-z])([A-Z])", r"\1 \2", part).lower()) if w]
    alike = set(words) | {w.removesuffix("s") for w in words}
    for s in STOCK.values():
        if all(w in alike for w in s.name.split()):
            return s.name
    best = ("", 0)
    for s in STOCK.values():
        # The first words of an entry are materials, the later ones things made of it.
        for k, word in enumerate(s.words):
            score = 100 - k
            if (word in alike or word.removesuffix("s") in alike) and score > best[1]:
                best = (s.name, score)
    return best[0]
