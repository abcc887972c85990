"""Nothing stale: what was played before with other values leaves no trace in what is played now.

Every field of every effect and of every base is moved, where it can be shown. Played through the store that holds
everything of the value before, it gives the same bytes as through an empty one; and other bytes than before, for a key
that leaves out a field gives the old result, and so does a field that nobody reads.
"""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestCase

import numpy as np
from PIL import Image

from limus.bases.catalogue import MATERIALS
from limus.bases.choice import BaseChoice, from_stock
from limus.common.object_size import ObjectSize
from limus.common.store import Store
from limus.document.scene import Layer, ObjectFile, Scene
from limus.effects.catalogue import EFFECTS
from limus.masks.recipe import Recipe, term
from limus.masks.sources.height import HeightSource
from limus.playing.chronicle import Chronicle
from limus.readings.exposure import measure_exposure
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.readings.reading import READS
from limus.readings.setting import Setting
from limus.strata.pile import Pile
from limus.surface.texels import Texels
from tests.core import shapes
from tests.core.test_every_control import moved
from tests.core.test_keys import WatchedPlace

SIZE = ObjectSize(0.11)
SETTING = Setting(years=20.0)


def bytes_of(pile: Pile) -> bytes:
    """Everything that a pile holds."""
    fields = [pile.skin, pile.substance]
    for coat in pile.coats:
        fields.append(coat.thickness)
        fields += [np.asarray(values) for _, values in sorted(coat.sheet.items())]
    fields += [np.asarray(values) for _, values in sorted(pile.visible().items())]
    return b"".join(np.ascontiguousarray(one).tobytes() for one in fields)


class Warm(TestCase):
    folder: Path

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        made = TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        cls.folder = Path(made.name)
        # A box with a smaller one on it, on the ground: hollows, an overhang, two parts.
        mesh = shapes.joined(shapes.box(0.06), shapes.box(0.03, (0.018, 0.045, 0.006)))
        cls.texels = Texels.of(mesh, 128)
        plan = RayPlan((2.0, 8.0), (8.0, 32.0), 32.0, 8)
        cls.measured = Measured(cls.texels, plan, measure_rays(cls.texels, plan))
        cls.exposure = measure_exposure(cls.texels, SETTING, rays=8, folder=cls.folder)
        rng = np.random.default_rng(3)
        for name in ("a", "b"):
            Image.fromarray((rng.random((16, 16, 4)) * 255).astype(np.uint8)).save(cls.folder / f"{name}.png")

    def chronicle(self, store: Store) -> Chronicle:
        return Chronicle(self.texels, self.measured, store, self.exposure, lambda name: self.folder / name)

    def test_every_field_of_every_effect(self) -> None:
        for kind in EFFECTS:
            with self.subTest(effect=kind):
                self._effect(kind)

    def _effect(self, kind: str) -> None:
        warm, looked = Store(512 << 20), set[str]()

        def story(fields: dict[str, Any], name: str) -> Scene:
            base, before = GROUNDS.get((kind, name), EFFECTS[kind].shown_on)
            layers = [
                Layer(id=one, name=one, effect=EFFECTS[one].fitted(SIZE), where=EFFECTS[one].default_where(SIZE))  # type: ignore[arg-type]
                for one in before
            ]
            effect = EFFECTS[kind].model_validate(fields)
            layers.append(
                Layer(
                    id="tried",
                    name="Tried",
                    effect=effect,
                    where=FIELD_PLACES.get((kind, name), PLACES.get(kind, Recipe())),
                )
            )  # type: ignore[arg-type]
            return Scene(object=ObjectFile(file="a.glb"), layers=layers, bases=[from_stock(base)], setting=SETTING)

        def played(fields: dict[str, Any], name: str) -> bytes:
            return bytes_of(self.chronicle(warm).play(story(fields, name))[-1].pile)

        def cold(fields: dict[str, Any], name: str) -> bytes:
            chronicle = self.chronicle(Store(512 << 20))
            scene, places = story(fields, name), list[WatchedPlace]()
            own = chronicle.place

            def place(of: Any) -> WatchedPlace:
                real = own(of)
                places.append(WatchedPlace(real.texels, real.measured, real.setting, real.exposure))
                return places[-1]

            chronicle.place = place  # type: ignore[method-assign]
            out = bytes_of(chronicle.play(scene)[-1].pile)
            looked.update(*(one.__dict__.get("seen", set()) for one in places))
            return out

        usual = {**EFFECTS[kind].fitted(SIZE).model_dump(), **USUAL.get(kind, {})}
        dead, stale = [], []
        for name, field in SIZE.schema(EFFECTS[kind])["properties"].items():
            if name == "kind":
                continue
            around = {**usual, **conditions(field, usual), **NEEDS.get((kind, name), {})}
            value = around[name]
            other = OTHER.get((kind, name))
            changed = {**around, name: moved(f"{kind}.{name}", field, value) if other is None else other}
            was, now, anew = played(around, name), played(changed, name), cold(changed, name)
            if now != anew:
                stale.append(name)
            if now == was:
                dead.append(f"{name}: {value} -> {changed[name]}")
        self.assertEqual((dead, stale), ([], []), kind)
        declared = set(EFFECTS[kind].reads)
        self.assertEqual(declared - (looked & set(READS)), set(), f"{kind} declares what it never reads")

    def test_every_field_of_every_base(self) -> None:
        warm = self.chronicle(Store(512 << 20))
        for kind, material in MATERIALS.items():
            if kind == "map_set":
                continue
            usual = material().model_dump()
            for name, field in material.model_json_schema()["properties"].items():
                if name == "kind":
                    continue
                around = {**usual, **conditions(field, usual)}
                changed = {
                    **around,
                    name: moved(f"{kind}.{name}", field, around[name])
                    if "color" not in str(field.get("control")) and field.get("control") != "colour"
                    else (0.3, 0.2, 0.5),
                }
                scenes = [
                    Scene(object=ObjectFile(file="a.glb"), bases=[BaseChoice.model_validate({"material": fields})])
                    for fields in (around, changed)
                ]
                warm.as_made(scenes[0])
                now = bytes_of(warm.as_made(scenes[1]))
                self.assertEqual(
                    now, bytes_of(self.chronicle(Store(512 << 20)).as_made(scenes[1])), f"{kind}.{name} is stale"
                )


def conditions(field: dict[str, Any], usual: dict[str, Any]) -> dict[str, Any]:
    """What other fields have to be so that this one is shown."""
    when = dict(field.get("when", {}))
    out = {**when.pop("any", [{}])[0], **when}
    for other, value in field.get("unless", {}).items():
        if usual[other] == value and other in NOT:
            out[other] = NOT[other]
        elif usual[other] == value:
            out[other] = 0.5
    return out


#: Fields that another one must not be nothing for.
NOT: dict[str, Any] = {"each": "part", "arris_mm": 8.0, "way": "along", "count": 3}
#: Where an effect lies, where everywhere is no place for it.
PLACES = {kind: EFFECTS[kind].default_where(SIZE) for kind in ("carving", "water", "wetness")}
#: Settings that let all others be seen on an object of six centimetres, at a texel of a millimetre.
USUAL: dict[str, dict[str, Any]] = {
    "decal": {"at": (0.0, 0.0, 0.03), "facing": (0.0, 0.0, 1.0), "width_mm": 40.0},
    "chipping": {"size_mm": 12.0, "coverage": 0.3},
    "soot": {"lick_mm": 60.0},
    "lichen": {"years": 60.0},
    "mud": {"level_mm": 60.0, "thickness_mm": 6.0, "plates_mm": 12.0, "dry": 0.9},
}
#: What else a field asks for.
NEEDS: dict[tuple[str, str], dict[str, Any]] = {
    ("carving", "curve"): {"profile": "own"},
    ("decal", "maps"): {"what": "maps"},
    ("decal", "tint"): {"what": "picture", "file": "a.png"},
    ("decal", "depth_mm"): {"at": (0.0, 0.0, 0.02), "depth_mm": 4.0},
    ("decal", "facing_deg"): {"facing": (0.0, 0.6, 0.8), "facing_deg": 70.0},
    ("lichen", "dark_color"): {"kinds": "dark"},
    ("water", "level_mm"): {"by": "hollows", "uneven_mm": 4.0, "uneven_size_mm": 25.0},
}
#: On what a field can be shown, where it is not what the effect is shown on.
GROUNDS: dict[tuple[str, str], tuple[str, tuple[str, ...]]] = {
    ("dirt", "joints"): ("brick in mortar", ()),
    ("cracks", "within"): ("brick in mortar", ()),
    ("carving", "bares"): ("cast iron", ("paint",)),
    ("wetness", "cracks"): ("smooth concrete", ("cracks",)),
    ("wetness", "beads"): ("cast iron", ("paint",)),
    ("wetness", "bead_mm"): ("cast iron", ("paint",)),
}
#: Where a field lies, where it asks for an edge.
FIELD_PLACES: dict[tuple[str, str], Recipe] = {
    ("paint", "overspray"): Recipe(terms=[term(HeightSource(to_mm=30.0), low=0.4, high=0.6)]),
    ("dirt", "joints"): EFFECTS["dirt"].default_where(SIZE),
    ("substance", "covers"): EFFECTS["dirt"].default_where(SIZE),
    ("substance", "raised_black_mm"): EFFECTS["dirt"].default_where(SIZE),
    ("dirt", "runs_mm"): Recipe(terms=[term(HeightSource(from_mm=40.0, to_mm=60.0), low=0.4, high=0.6)]),
}
#: Other values, of what has no next one.
OTHER: dict[tuple[str, str], Any] = {
    ("decal", "text"): "B", ("decal", "at"): (0.01, 0.005, 0.03), ("decal", "facing"): (0.2, 0.1, 1.0),
    ("decal", "scale"): 0.5, ("decal", "facing_deg"): 20.0, ("decal", "file"): "a.png",
    ("decal", "maps"): {"maps": [{"role": "base_color", "file": "a.png"}]},
    ("carving", "curve"): [(0, 0), (0.5, 0.2), (1, 1)], ("cracks", "curve"): [(0, 0), (0.5, 0.2), (1, 1)],
    ("cracks", "generations"): 3, ("cracks", "grain_along"): "y",
    ("substance", "substance"): {"material": {"kind": "granite"}},
    ("substance", "values"): {"roughness": {"white": 0.9, "black": 0.1}},
}  # fmt: skip
