"""The scene document: what is accepted, and how the rest is refused."""

from __future__ import annotations

import copy
import json
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase

from limus.common.errors import InputError
from limus.document.scene import load_scene, scene_from, scene_schema
from tests.core.stories import short_story


class SceneDocument(TestCase):
    def setUp(self) -> None:
        self.good: dict[str, Any] = short_story().model_dump(mode="json")

    def refused(self, change: Any) -> str:
        document = copy.deepcopy(self.good)
        change(document)
        with self.assertRaises(InputError) as caught:
            scene_from(document, "hoist.json")
        line = caught.exception.line
        self.assertNotIn("\n", line)
        self.assertTrue(line.startswith("hoist.json: "), line)
        self.assertTrue(caught.exception.remedy, line)
        return line

    def test_round_trip(self) -> None:
        self.assertEqual(scene_from(self.good).model_dump(mode="json"), self.good)

    def test_unknown_version(self) -> None:
        self.assertIn("version 7", self.refused(lambda d: d.update(version=7)))
        self.assertIn("version null", self.refused(lambda d: d.pop("version")))

    def test_unknown_effect(self) -> None:
        line = self.refused(lambda d: d["layers"][1]["effect"].update(kind="magic"))
        self.assertIn("layers[1].effect.kind", line)
        self.assertIn("'magic'", line)
        self.assertIn("chipping", line)

    def test_value_out_of_its_limits(self) -> None:
        line = self.refused(lambda d: d["layers"][1]["effect"].update(size_mm=9000))
        self.assertIn("layers[1].effect.size_mm: 9000 is above the limit 200", line)
        line = self.refused(lambda d: d["layers"][2]["where"]["terms"][0]["source"].update(size_mm=-1))
        self.assertIn("layers[2].where.terms[0].source.size_mm", line)
        self.assertIn("strength", self.refused(lambda d: d["layers"][0].update(strength=1.5)))

    def test_not_a_number(self) -> None:
        line = self.refused(lambda d: d["layers"][0].update(strength=float("nan")))
        self.assertIn("layers[0].strength", line)
        self.assertIn(
            "layers[1].effect.size_mm", self.refused(lambda d: d["layers"][1]["effect"].update(size_mm="large"))
        )

    def test_dangling_reference(self) -> None:
        line = self.refused(
            lambda d: d["layers"][3]["where"]["terms"].append({"source": {"kind": "exposed", "what": "ghost"}})
        )
        self.assertIn("layers[3].where.terms[5].source.what", line)
        self.assertIn("'ghost', which does not exist", line)
        later = self.refused(
            lambda d: d["layers"][1]["where"]["terms"].append({"source": {"kind": "exposed", "what": "dust"}})
        )
        self.assertIn("leaves no coat before", later)
        loss = self.refused(
            lambda d: d["layers"][3]["where"]["terms"].append({"source": {"kind": "exposed", "what": "chipping"}})
        )
        self.assertIn("leaves no coat", loss)

    def test_good_references(self) -> None:
        for what in ("paint", "rust", "base", "iron", "coating"):
            document = copy.deepcopy(self.good)
            document["layers"][3]["where"]["terms"].append({"source": {"kind": "exposed", "what": what}})
            self.assertEqual(len(scene_from(document).layers), 5)

    def test_other_refusals(self) -> None:
        self.assertIn("two layers have the id", self.refused(lambda d: d["layers"][1].update(id="paint")))
        self.assertIn(
            "layers[0].colour: is not a known field", self.refused(lambda d: d["layers"][0].update(colour="red"))
        )
        self.assertIn("object: is missing", self.refused(lambda d: d.pop("object")))
        self.assertIn("kind: is missing", self.refused(lambda d: d["layers"][0]["effect"].pop("kind")))
        self.assertIn("corrosivity", self.refused(lambda d: d["setting"].update(corrosivity="C9")))
        with self.assertRaises(InputError):
            scene_from(["not", "a", "scene"])

    def test_masks_that_need_each_other(self) -> None:
        def reads(layer: int, other: str) -> Any:
            return lambda d: d["layers"][layer]["where"]["terms"].append({"source": {"kind": "mask", "layer": other}})

        def both(*changes: Any) -> Any:
            return lambda d: [change(d) for change in changes]

        names = [one["id"] for one in self.good["layers"]]
        line = self.refused(both(reads(1, names[2]), reads(2, names[1])))
        self.assertIn("run in a loop: Chipping → Rust → Chipping", line)
        # Three in a ring, found from whichever they begin.
        self.refused(both(reads(1, names[2]), reads(2, names[3]), reads(3, names[1])))
        # One after the other is no ring, nor is one that two read.
        straight = copy.deepcopy(self.good)
        both(reads(1, names[2]), reads(2, names[3]), reads(1, names[3]))(straight)
        scene_from(straight)

        def looks_back(layer: int) -> Any:
            source = {"kind": "exposed", "what": "base"}
            return lambda d: d["layers"][layer]["where"]["terms"].append({"source": source})

        # What looks back needs every earlier layer that plays, and none that does not.
        ring = both(looks_back(3), reads(1, names[3]))
        self.refused(ring)
        self.good["layers"][1]["on"] = False
        off = copy.deepcopy(self.good)
        ring(off)
        scene_from(off)

    def test_files_that_layers_name(self) -> None:
        self.good["layers"][0]["where"]["terms"].append({"source": {"kind": "picture", "file": "grain.png"}})
        self.good["layers"].append(
            {"id": "sign", "name": "Sign", "effect": {"kind": "decal", "what": "picture", "file": "sign.png"}}
        )
        found = scene_from(self.good).files
        self.assertEqual(set(found.values()) & {"grain.png", "sign.png"}, {"grain.png", "sign.png"})
        self.assertEqual([path for path, name in found.items() if name == "sign.png"], ["layers[5].effect.file"])

    def test_files(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.json"
            path.write_text("{ broken")
            with self.assertRaises(InputError) as caught:
                load_scene(path)
            self.assertIn("a.json", caught.exception.line)
            with self.assertRaises(InputError):
                load_scene(Path(folder) / "missing.json")

    def test_schema_says_units_and_soft_ranges(self) -> None:
        schema = scene_schema()
        json.dumps(schema)
        size = schema["$defs"]["Chipping"]["properties"]["size_mm"]
        self.assertEqual(
            (size["unit"], size["soft"], size["minimum"], size["maximum"], size["default"]),
            ("mm", [1.0, 40.0], 0.2, 200.0, 6.0),
        )
        for name, definition in schema["$defs"].items():
            for field, entry in definition.get("properties", {}).items():
                if entry.get("control") == "slider":
                    low, high = entry["soft"]
                    self.assertTrue(
                        entry.get("minimum", low) <= low < high <= entry.get("maximum", high), f"{name}.{field}"
                    )
                    self.assertTrue(entry["title"], f"{name}.{field}")
                    if entry.get("scale") == "log":
                        self.assertGreater(low, 0, f"{name}.{field}")
