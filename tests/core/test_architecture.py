"""Rules that keep the house straight."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from unittest import TestCase

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

CORE = Path(__file__).resolve().parents[2] / "limus"
#: Each folder may import the ones before it. "review" looks at finished things; the files at the top tie the folders
#: together.
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
    "photographs",
    "review",
    "stills",
    "report",
    "looks",
    "findings",
    "targets",
    "afar",
    "batch",
    "catalogue",
    "guide",
    "cli",
]


@cache
def tree_of(path: Path) -> ast.Module:
    """A file, parsed once for all rules."""
    return ast.parse(path.read_text())


@cache
def imports(path: Path) -> frozenset[str]:
    found: set[str] = set()
    for node in ast.walk(tree_of(path)):
        if isinstance(node, ast.Import):
            found |= {a.name for a in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
            if node.module == "limus":
                found |= {f"limus.{a.name}" for a in node.names}
    return frozenset(found)


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
                self.assertLessEqual(
                    ORDER.index(there), ORDER.index(here), f"{relative} imports {name}, which comes after it"
                )

    def test_only_formats_open_files(self) -> None:
        opening = {"open", "read_bytes", "write_bytes", "read_text", "write_text"}
        excused = {
            "scene.py": "reads its own document",
            "source_of.py": "reads the source of functions: what kernels write, what steps look at",
            "compiling.py": "reads its own list",
            "measured.py": "loads its own cache through numpy",
        }
        for path in CORE.rglob("*.py"):
            if path.parent.name == "formats" or path.name in excused:
                continue
            for node in ast.walk(tree_of(path)):
                if isinstance(node, ast.Call):
                    name = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
                    self.assertNotIn(name, opening, f"{path.name}:{node.lineno}")


class Server(TestCase):
    """Who may import whom among the server's rooms and the page's."""

    ROOT = CORE.parent
    #: Each room may import those before it.
    ROOMS = ["jobs", "projects", "work", "api", "config"]
    #: What ties everything together, and what brings the server up for a command.
    EXCUSED = {("projects", "config"): {"bench_drag.py"}}

    def test_rooms_of_the_server_import_one_way(self) -> None:
        for path in (self.ROOT / "server").rglob("*.py"):
            relative = path.relative_to(self.ROOT / "server")
            here = relative.parts[0]
            if "migrations" in relative.parts or len(relative.parts) < 2:
                continue
            self.assertIn(here, self.ROOMS, f"{relative}: give its folder a place in the order")
            for name in imports(path):
                pieces = name.split(".")
                if pieces[0] != "server" or len(pieces) < 2 or path.name in self.EXCUSED.get((here, pieces[1]), ()):
                    continue
                self.assertIn(pieces[1], self.ROOMS, f"{relative} imports {name}")
                self.assertLessEqual(
                    self.ROOMS.index(pieces[1]),
                    self.ROOMS.index(here),
                    f"{relative} imports {name}, which comes after it",
                )

    def test_nothing_but_tests_imports_tests(self) -> None:
        for folder in ("limus", "server", "demo", "bench"):
            for path in (self.ROOT / folder).rglob("*.py"):
                for name in imports(path):
                    self.assertNotEqual(name.split(".")[0], "tests", f"{path} imports {name}")

    #: Folders of the page; each may import those before it. ``stages`` are put together by what stands at its root.
    PAGE = [
        "styles",
        "env",
        "rest",
        "keys",
        "api",
        "figures",
        "stores",
        "controls",
        "view3d",
        "recipe",
        "brackets",
        "photographs",
        "moments",
        "stills",
        "frame",
        "batch",
        "stages",
        "router",
        "theme",
        "App",
        "main",
    ]

    def test_folders_of_the_page_import_one_way(self) -> None:
        source = self.ROOT / "web" / "src"
        for path in [*source.rglob("*.ts"), *source.rglob("*.vue")]:
            relative = path.relative_to(source)
            here = relative.parts[0].split(".")[0]
            self.assertIn(here, self.PAGE, f"{relative}: give it a place in the order")
            for found in re.findall(r"from '(\.[^']*)'|import\('(\.[^']*)'\)", path.read_text()):
                there = (
                    (path.parent / (found[0] or found[1]))
                    .resolve()
                    .relative_to(source.resolve())
                    .parts[0]
                    .split(".")[0]
                )
                self.assertLessEqual(
                    self.PAGE.index(there), self.PAGE.index(here), f"{relative} imports {found[0] or found[1]}"
                )

    def test_a_stage_knows_no_other(self) -> None:
        stages = self.ROOT / "web" / "src" / "stages"
        for path in stages.rglob("*.vue"):
            here = path.relative_to(stages).parts
            for found in re.findall(r"from '\.\./([a-z]+)/", path.read_text()):
                self.assertTrue(len(here) < 2 or found == here[0], f"{'/'.join(here)} imports the stage '{found}'")


def runs_at_import(tree: ast.Module) -> Iterator[ast.stmt | ast.expr]:
    """What importing a file runs: not what stands in functions, nor what only a type checker reads."""
    waiting: list[ast.AST] = [tree]
    while waiting:
        node = waiting.pop()
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda):
            continue
        if isinstance(node, ast.If) and "TYPE_CHECKING" in ast.unparse(node.test):
            continue
        if isinstance(node, ast.stmt | ast.expr):
            yield node
        waiting += ast.iter_child_nodes(node)


def loads(path: Path, modules: set[str]) -> set[str]:
    """Modules that importing a file imports, those of a folder that it discovers among them."""
    tree = tree_of(path)
    found: set[str] = set()
    packages: dict[str, str] = {}
    # What is discovered was imported by name before.
    for node in sorted(runs_at_import(tree), key=lambda node: node.lineno):
        if isinstance(node, ast.Import):
            found |= {a.name for a in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            for a in node.names:
                inner = f"{node.module}.{a.name}"
                packages[a.asname or a.name] = inner
                # From a folder, its file of that name; the folder itself holds nothing.
                found.add(inner if inner in modules else node.module)
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "discover":
            first = node.args[0]
            assert isinstance(first, ast.Name), path
            of = packages[first.id]
            found |= {m for m in modules if m.rpartition(".")[0] == of}
    return found & modules


class First(TestCase):
    def test_every_file_can_be_the_first_that_is_imported(self) -> None:
        """No circle between files: one shows only where a command happens to begin with the wrong file."""
        files = {
            ".".join(path.relative_to(CORE.parent).with_suffix("").parts).removesuffix(".__init__"): path
            for path in CORE.rglob("*.py")
        }
        names = sorted(files)
        number = {name: k for k, name in enumerate(names)}
        edges = [(number[name], number[to]) for name in names for to in loads(files[name], set(names)) if to != name]
        self.assertGreater(len(edges), 500)
        graph = coo_array((np.ones(len(edges)), tuple(zip(*edges, strict=True))), shape=(len(names), len(names)))
        count, circle = connected_components(graph, connection="strong")
        circles = [[n for n in names if circle[number[n]] == c] for c in range(count) if (circle == c).sum() > 1]
        self.assertEqual(circles, [])
