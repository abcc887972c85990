"""What every effect does to a box, in figures: an effect that comes out looking different says so by its edition.

The figures stand in looks.json, with the edition that they were measured of. They say that something changed, not that
it was right: other tests do. Where a change is meant, raise the effect's ``edition`` and write the figures anew with
``LIMUS_LOOKS=write python -m unittest tests.core.test_kept_looks``.
"""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any, ClassVar
from unittest import TestCase

import numpy as np

from limus.bases.choice import from_stock
from limus.common.object_size import ObjectSize
from limus.document.scene import Layer, ObjectFile, Scene
from limus.effects.catalogue import EFFECTS
from limus.effects.effect import Effect
from limus.masks.recipe import Recipe
from limus.materials.channels import CHANNELS, spread
from limus.playing.chronicle import Chapter, Chronicle
from limus.readings.setting import Setting
from tests.core import shapes
from tests.core.test_effects import bench_for

FIGURES = Path(__file__).with_name("looks.json")
SIZE = ObjectSize(0.4)
#: What an effect is tried on, the first that it does anything to: a base of the store room, and earlier layers.
GROUNDS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("cast iron", ()), ("cast iron", ("paint",)), ("copper", ()), ("rough concrete", ()), ("oak", ()),
    ("cast iron", ("paint", "dust")), ("rough concrete", ("cracks",)),
)  # fmt: skip
#: Figures may be off by this share of how much a field varies, and by this much anyway: another processor rounds
#: otherwise, and a texel at a threshold goes to the other side.
SHARE, LEAST = 0.01, 2e-4


def fields_of(effect: type[Effect], way: str) -> dict[str, Any]:
    """Settings: as they come, or each number a third of the way along its slider and each choice the last one."""
    fresh = effect.fitted(SIZE)
    if way == "usual":
        return fresh.model_dump()
    out = fresh.model_dump()
    for name, field in SIZE.schema(effect)["properties"].items():
        value = out.get(name)
        if name == "kind" or isinstance(value, bool) or "soft" not in field or not isinstance(value, (int, float)):
            continue
        low, high = field["soft"]
        log = field.get("scale") == "log" and low > 0
        wanted = low * (high / low) ** 0.37 if log else low + 0.37 * (high - low)
        out[name] = round(wanted) if field.get("type") == "integer" else wanted
    return out


def figures(chapter: Chapter) -> dict[str, list[float]]:
    """(mean, deviation, mean along a fixed pattern) of everything that the layer left."""
    pile = chapter.pile
    rows = np.arange(len(pile.skin))
    # Notices what is the same on average and lies elsewhere.
    pattern = np.sin(rows * 0.37) + np.sin(rows * 0.011)
    fields: dict[str, np.ndarray] = {"shown": chapter.shown, "skin": pile.skin}
    for k, coat in enumerate(pile.coats):
        fields[f"coat {k} {coat.piece or coat.substance.family}"] = coat.thickness
    for name, values in pile.visible().items():
        flat = spread(np.asarray(values, np.float32), CHANNELS[name], len(rows)).reshape(len(rows), -1)
        fields |= {f"{name} {c}": one for c, one in enumerate(flat.T)}
    out = {}
    for name, values in fields.items():
        v = np.asarray(values, np.float64)
        out[name] = [float(f"{x:.6g}") for x in (v.mean(), v.std(), ((v - v.mean()) * pattern).mean())]
    return out


class Looks(TestCase):
    bench: ClassVar[Chronicle]

    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.box(0.2), 96)

    def played(self, kind: str, fields: dict[str, Any], ground: tuple[str, tuple[str, ...]]) -> Chapter:
        base, before = ground
        layers = [
            Layer(id=name, name=name, effect=EFFECTS[name].fitted(SIZE), where=Recipe())  # type: ignore[arg-type]
            for name in before
        ]
        effect = EFFECTS[kind].model_validate(fields)
        layers.append(Layer(id="tried", name="Tried", effect=effect, where=EFFECTS[kind].default_where(SIZE)))  # type: ignore[arg-type]
        setting = Setting(years=20.0)
        scene = Scene(object=ObjectFile(file="a.glb"), layers=layers, bases=[from_stock(base)], setting=setting)
        return self.bench.play(scene)[-1]

    def measured(self, kind: str) -> dict[str, Any]:
        out: dict[str, Any] = {"edition": EFFECTS[kind].edition}
        for way in ("usual", "moved"):
            fields = fields_of(EFFECTS[kind], way)
            for ground in GROUNDS:
                chapter = self.played(kind, fields, ground)
                if chapter.coverage > 2e-4:
                    out[way] = {"on": [ground[0], *ground[1]], "figures": figures(chapter)}
                    break
        # With the other settings it may miss, as it comes never.
        self.assertIn("usual", out, f"{kind}: it does nothing to anything that it is tried on")
        return out

    def test_every_effect_looks_as_it_did(self) -> None:
        if os.environ.get("LIMUS_LOOKS") == "write":
            found = {kind: self.measured(kind) for kind in EFFECTS}
            FIGURES.write_text(json.dumps(found, indent=None, separators=(",", ":")).replace('},"', '},\n"') + "\n")
        kept = json.loads(FIGURES.read_text())
        self.assertEqual(set(kept), set(EFFECTS))
        for kind in EFFECTS:
            with self.subTest(effect=kind):
                now, then = self.measured(kind), kept[kind]
                self.assertEqual(now["edition"], then["edition"], "write the figures of the new edition")
                self.assertEqual(set(now), set(then))
                for way in sorted(set(now) - {"edition"}):
                    self.assertEqual(now[way]["on"], then[way]["on"])
                    self.assertEqual(set(now[way]["figures"]), set(then[way]["figures"]))
                    for name, was in then[way]["figures"].items():
                        may = LEAST + SHARE * (was[1] + 0.02 * abs(was[0]))
                        off = np.abs(np.array(now[way]["figures"][name]) - was)
                        self.assertLess(float(off.max()), may, f"{way}, {name}: {now[way]['figures'][name]}, was {was}")
