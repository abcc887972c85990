"""No control of a source, a line or the brush may do nothing: each of its fields, moved, must change the result."""

from __future__ import annotations

import json
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestCase

import numpy as np
from PIL import Image

from limus.bases.choice import from_stock
from limus.common.store import Store
from limus.document.scene import Layer, ObjectFile, Scene
from limus.effects.cracks import CrackLayer
from limus.effects.paint import Paint
from limus.masks.hand.painting import Canvas, footprint
from limus.masks.hand.stroke import Brush, Stroke
from limus.masks.recipe import SOURCES, Term
from limus.masks.source import Scope
from limus.masks.sources.noise import Noise
from limus.playing.chronicle import Chronicle
from limus.readings.exposure import measure_exposure
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.readings.setting import Setting
from limus.readings.surroundings import Other, Surroundings
from limus.surface.texels import Texels
from tests.core import shapes

#: What a field needs around it before it can have a say, and values where doubling is not enough.
AROUND: dict[str, dict[str, Any]] = {
    "scratches": {"directed": True, "towards": "other", "elevation_deg": 30.0, "width_mm": 4.0, "amount": 10.0},
    "picture": {"file": "a.png"},
    "proximity": {"to": "parts", "parts": ["box 2"], "side": "inside", "breakup": 0.4, "reach_cm": 35.0},
    "gradient": {"towards": "other", "elevation_deg": 20.0},
    "ramp": {"towards": "other", "elevation_deg": 20.0},
    "slope": {"towards": "other", "elevation_deg": 20.0},
    "fibres": {"towards": "other", "elevation_deg": 20.0, "size_mm": 30.0, "length": 4.0},
    "pieces": {"of": "tile"},
    "speckle": {"size_mm": 30.0},
    "height": {"to_mm": 120.0},
    "cells": {"size_mm": 60.0, "width_mm": 8.0},
    "coat": {"layer": "paint"},
    "exposed": {"what": "paint"},
    "mask": {"layer": "paint"},
    "acted": {"layer": "cracks"},
    "vertex_colour": {"channel": "R"},
    "parts": {"names": ["box 1"]},
    "noise": {"warp": 0.3},
    "strokes": {"strokes": ["a.json"]},
    "facing": {"eye": (0.5, 0.6, 0.9)},
    "picks": {"picks": []},
}
OTHER: dict[tuple[str, str], Any] = {
    ("picture", "file"): "b.png", ("proximity", "parts"): ["box 1"], ("coat", "layer"): "primer", ("exposed",
        "what"): "base",
    ("mask", "layer"): "primer", ("acted", "layer"): "primer",
    ("parts", "names"): ["box 2"], ("strokes", "strokes"): ["b.json"], ("proximity",
        "line"): ["a.json"],
    ("picks", "picks"): [{"what": "part", "at": [0, 0.1, 0], "facing": [0, 1, 0]}], ("proximity", "to"): "neighbours",
    ("picture", "at"): (0.05, 0.02, 0.1), ("picture", "facing"): (0.3, 0.2, 1.0), ("picture", "scale"): 0.5,
    ("picture", "depth_mm"): 400.0,
    ("proximity", "which"): ["box"], ("facing", "eye"): (-0.5, 0.6, 0.9),
    ("proximity", "above_cm"): 0.5, ("proximity", "below_cm"): 0.5,
}  # fmt: skip
#: Fields that speak only when another says so.
NEEDS: dict[tuple[str, str], dict[str, Any]] = {
    ("cells", "width_mm"): {"what": "edges"}, ("proximity", "line"): {"to": "line"}, ("proximity",
        "fade_cm"): {"side": "inside"},
    ("proximity", "which"): {"to": "neighbours"},
    ("proximity", "branches"): {"to": "line", "line": ["a.json"], "reach_cm": 25.0, "side": "near"},
    ("proximity", "branch"): {"to": "line", "line": ["a.json"], "branches": 4, "reach_cm": 25.0, "side": "near"},
    ("proximity", "filled"): {"to": "neighbours", "which": ["sheet-0"], "reach_cm": 1.0},
    ("proximity", "above_cm"): {"to": "neighbours", "which": ["sheet-0"], "side": "on"},
    ("proximity", "below_cm"): {"to": "neighbours", "which": ["sheet-1"], "side": "on"},
    ("picture", "towards"): {"way": "projected"}, ("picture", "azimuth_deg"): {"way": "projected", "towards": "other"},
    ("picture", "elevation_deg"): {"way": "projected", "towards": "other"},
    ("picture", "space"): {"way": "projected", "towards": "other", "azimuth_deg": 30.0, "elevation_deg": 40.0},
    ("picture", "facing_deg"): {"way": "projected", "towards": "other", "azimuth_deg": 40.0, "facing_deg": 20.0},
    ("picture", "seed"): {"broken": True}, ("picture", "stretch"): {"broken": False},
    ("picture", "turn_deg"): {"way": "frame", "size_mm": 90.0}, ("picture", "at"): {"way": "frame"},
    ("picture", "facing"): {"way": "frame", "at": (0.0, 0.0, 0.1), "size_mm": 90.0},
    ("picture", "scale"): {"way": "frame", "at": (0.05, 0.02, 0.1), "size_mm": 90.0},
    ("picture", "depth_mm"): {"way": "frame", "at": (0.05, 0.02, 0.13), "size_mm": 90.0, "depth_mm": 40.0},
    ("picture", "repeat"): {"way": "uv"}, ("picture", "channel"): {"file": "b.png"}, ("picture",
        "holds"): {"file": "b.png"},
}  # fmt: skip


def moved(name: str, field: dict[str, Any], value: Any) -> Any:
    """Another value that the field accepts."""
    if "enum" in field:
        return next(x for x in field["enum"] if x != value)
    if isinstance(value, bool):
        return not value
    if field.get("control") == "colour":
        return tuple(min(1.0, 0.5 * x + 0.2) for x in value)
    if isinstance(value, int) and field.get("type") == "integer":
        return value + 2
    if isinstance(value, (int, float)):
        low, high = field.get("minimum", -1e9), field.get("maximum", 1e9)
        soft = field.get("soft", [low, high])
        wanted = value + 0.37 * (soft[1] - soft[0]) if field.get("scale") != "log" else value * 2.3
        return wanted if wanted <= high else max(low, value - 0.37 * (soft[1] - soft[0]))
    raise AssertionError(f"{name}: say in OTHER what else it may be")


class EveryControl(TestCase):
    folder: Path

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        made = TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        cls.folder = Path(made.name)
        rng = np.random.default_rng(0)
        Image.fromarray((rng.random((32, 32)) * 255).astype(np.uint8)).save(cls.folder / "a.png")
        Image.fromarray((rng.random((24, 32, 4)) * 255).astype(np.uint8)).save(cls.folder / "b.png")
        for name, x in (("a", 0.0), ("b", 0.05)):
            drawn = Stroke(
                brush=Brush(size_mm=60), points=[(x, 0.1, 0, 0, 1, 0, 1, 0, 0), (x, 0.1, 0.05, 0, 1, 0, 1, 0, 0)]
            )
            (cls.folder / f"{name}.json").write_text(drawn.model_dump_json())
        mesh = shapes.joined(shapes.box(0.2), shapes.box(0.1, (0.4, 0.06, 0.0)))
        # A little askew, so that its own axes and those of the place differ; coloured.
        from dataclasses import replace

        from limus.surface.axes import placed

        colours = rng.random((len(mesh.positions), 4)).astype(np.float32)
        mesh = replace(placed(mesh, 1.0, "+z"), colours=colours)
        texels = Texels.of(mesh, 192)
        near = shapes.box(0.1, (0.0, 0.25, 0.0))
        top = float(mesh.bounds[1, 1])
        sheets = [
            replace(shapes.plane(0.12), positions=shapes.plane(0.12).positions + np.float32([0.0, top + by, 0.0]))
            for by in (-0.02, 0.02)
        ]
        others = (Other("box", "Box", near), *(Other(f"sheet-{k}", "", sheet, True) for k, sheet in enumerate(sheets)))
        around = Surroundings(neighbours=near, others=others)
        plan = RayPlan((4.0, 16.0, 64.0), (16.0, 64.0, 256.0), 256.0, 8)
        measured = Measured(texels, plan, measure_rays(texels, plan, around=around), around)
        exposure = measure_exposure(texels, Setting(), around, rays=4, folder=cls.folder / "cache")
        layers = [
            Layer(id=k, name=k, effect=Paint(), where={"terms": [{"source": {"kind": "slope", "towards": t}}]})  # type: ignore[arg-type]
            for k, t in (("primer", "up"), ("paint", "north"))
        ]
        layers.append(Layer(id="cracks", name="cracks", effect=CrackLayer(width_mm=6.0, size_mm=90.0)))
        scene = Scene(object=ObjectFile(file="box.glb"), bases=[from_stock("concrete")], layers=layers)
        chronicle = Chronicle(texels, measured, Store(), exposure, lambda name: cls.folder / name)
        cls.scope: Scope = chronicle.scope(scene, chronicle.play(scene)[-1].pile)

    def test_of_every_source(self) -> None:
        dead = []
        for kind, entry in SOURCES.items():
            for name, field in entry.model_json_schema()["properties"].items():
                if name == "kind":
                    continue
                base = {**AROUND.get(kind, {}), **NEEDS.get((kind, name), {})}
                when = dict(field.get("when", {}))
                base = {**when.pop("any", [{}])[0], **when, **base}
                source = entry(**base)
                value = getattr(source, name)
                other = OTHER.get((kind, name))
                other = moved(f"{kind}.{name}", field, value) if other is None else other
                changed = entry(**{**base, name: other})
                before, after = source.value(self.scope), changed.value(self.scope)
                if float(np.abs(after - before).max()) <= 1e-4:
                    dead.append(f"{kind}.{name}: {value} -> {other}")
                self.assertNotEqual(source.key(self.scope), changed.key(self.scope), f"{kind}.{name}")
        self.assertEqual(dead, [])

    def test_of_a_line(self) -> None:
        base: dict[str, Any] = {"source": Noise(size_mm=60.0), "breakup_mm": 3.0, "sharpen": 0.3}
        other = {"curve": [(0, 0), (0.3, 0.8), (1, 1)], "cover": 0.2}
        for name, field in Term.model_json_schema()["properties"].items():
            if name in ("source", "combine", "amount", "muted", "solo", "link"):
                continue
            line = Term(**base)
            value = getattr(line, name)
            changed = Term(**{**base, name: other.get(name) or moved(name, field, value)})
            difference = np.abs(changed.value(self.scope) - line.value(self.scope))
            self.assertGreater(float(difference.max()), 1e-3, name)

    def test_of_the_brush(self) -> None:
        canvas = Canvas.of(self.scope.place.texels)
        points = [(-0.05 + 0.01 * k, 0.1, 0.003 * k * k - 0.02, 0, 0, 1, 0.5, 40.0, 30.0) for k in range(9)]
        # In the axes of the file, whose z is up here.
        points = [(p[0], p[2], p[1], *p[3:]) for p in points]
        base: dict[str, Any] = {"size_mm": 40.0, "shape": "square", "turn": "stroke", "scatter": 0.3}
        needs = {"picture": {"shape": "picture"}}
        for name, field in Brush.model_json_schema()["properties"].items():
            around = {**base, **needs.get(name, {})}
            other = "a.png" if name == "picture" else moved(name, field, getattr(Brush(**around), name))
            results = []
            for settings in (around, {**around, name: other}):
                drawn = Stroke(brush=Brush(**settings), points=points, camera_up=(0.3, 0.9, 0.1))  # type: ignore[arg-type]
                alpha = np.zeros(len(canvas.position), np.float32)
                rows, strength = footprint(canvas, drawn, lambda n: self.folder / n)
                alpha[rows] = strength
                results.append(alpha)
            self.assertGreater(float(np.abs(results[1] - results[0]).max()), 0.01, name)


class RecordedPen(TestCase):
    def test_the_record_is_what_its_script_writes(self) -> None:
        from demo.record_pen import HERE, pen_stroke

        self.assertEqual(json.loads(HERE.read_text()), pen_stroke())
