"""Rules that keep the house straight."""

from __future__ import annotations

import ast
from pathlib import Path
from unittest import TestCase

CORE = Path(__file__).resolve().parents[2] / "limus"
#: Each folder may import the ones before it. "review" looks at finished things; the files at the top tie the folders together.
ORDER = [
    "common",
    "surface",
    "formats",
    "readings",
    "patterns",
    "materials",
    "map_sets",
    "masks",
    "bases",
    "strata",
    "effects",
    "intake",
    "document",
    "commands",
    "playing",
    "review",
    "looks",
    "targets",
    "cli",
]


def imports(path: Path) -> set[str]:
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {a.name for a in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
            if node.module == "limus":
                found |= {f"limus.{a.name}" for a in node.names}
    return found


class Imports(TestCase):
    def test_the_core_knows_no_web(self) -> None:
        for path in CORE.rglob("*.py"):
            for name in imports(path):
                self.assertFalse(
                    name.split(".")[0] in {"django", "ninja", "server", "demo", "tests"}, f"{path.name} imports {name}"
                )

    def test_imports_run_one_way(self) -> None:
        for path in CORE.rglob("*.py"):
            relative = path.relative_to(CORE)
            here = relative.parts[0].removesuffix(".py")
            if here in ("__init__", "__main__"):
                continue
            self.assertIn(here, ORDER, f"{relative}: give its folder a place in the order")
            for name in imports(path):
                pieces = name.split(".")
                if pieces[0] != "limus" or len(pieces) < 2 or pieces[1] == "__version__":
                    continue
                there = pieces[1]
                self.assertLessEqual(ORDER.index(there), ORDER.index(here), f"{relative} imports {name}, which comes after it")

    def test_only_formats_open_files(self) -> None:
        opening = {"open", "read_bytes", "write_bytes", "read_text", "write_text"}
        excused = {
            "scene.py": "reads its own document",
            "measured.py": "loads its own cache through numpy",
        }
        for path in CORE.rglob("*.py"):
            if path.parent.name == "formats" or path.name in excused:
                continue
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.Call):
                    name = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
                    self.assertNotIn(name, opening, f"{path.name}:{node.lineno}")
