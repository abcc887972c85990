"""Mutated files, scenes and strokes: they are refused in one line or they work, within bounds of time and memory.

``make test`` tries a few dozen of each kind, always the same; ``make fuzz`` thousands, others each time (LIMUS_FUZZ
is how many of each).
"""

from __future__ import annotations

import faulthandler
import io
import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from limus.common.errors import InputError
from limus.common.store import shared
from limus.document.base_file import read_base
from limus.document.scene import scene_from
from limus.document.treatment import treatment_from
from limus.formats.picture_read import read_picture
from limus.formats.read import read_object
from limus.intake.inspection import inspection
from limus.masks.hand.stroke import stroke_from
from tests.core.test_formats import pack
from tests.hostile import samples
from tests.hostile.mutations import as_json, broken, documents

CASES = int(os.environ.get("LIMUS_FUZZ", "0"))
TRY = settings(
    max_examples=CASES or 25,
    deadline=None,
    derandomize=not CASES,
    database=None,
    suppress_health_check=list(HealthCheck),
    phases=[Phase.explicit, Phase.generate] if CASES else [Phase.explicit, Phase.generate, Phase.shrink],
)
#: What a file under 1 MB may take.
SECONDS, BYTES = 30.0, 1 << 30


class Bounds:
    """Counts cases, and the most time and memory that one took."""

    cases = 0
    slowest = 0.0
    largest = 0


def _peak() -> int:
    with open("/proc/self/status") as status:
        return next(int(line.split()[1]) << 10 for line in status if line.startswith("VmHWM"))


class Hostile(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    @classmethod
    def tearDownClass(cls) -> None:
        if CASES:
            print(
                f"\n{cls.__name__}: {Bounds.cases} cases so far, the slowest {Bounds.slowest:.1f} s, "
                f"the largest {Bounds.largest >> 20} MB more than before it"
            )

    def bounded(self, what: Callable[[], Any]) -> None:
        """Run it: an ``InputError`` of one short line, or a result; in bounds."""
        held = _peak()
        # What the largest took so far is let go, so that each case is measured by itself.
        with open("/proc/self/clear_refs", "w") as clear:
            clear.write("5")
        before, start = _peak(), time.monotonic()
        faulthandler.dump_traceback_later(4 * SECONDS, exit=True)
        try:
            what()
        except InputError as error:
            self.assertLessEqual(len(error.line), 300)
            self.assertTrue(error.line.isprintable(), error.line)
            error.line.encode("utf-8")
        finally:
            faulthandler.cancel_dump_traceback_later()
        spent, grown = time.monotonic() - start, max(_peak() - before, 0)
        Bounds.cases += 1
        Bounds.slowest, Bounds.largest = max(Bounds.slowest, spent), max(Bounds.largest, grown)
        self.assertLess(spent, SECONDS)
        self.assertLess(grown, BYTES, f"{held >> 20} MB before")

    def looked_at(self, name: str, data: bytes) -> None:
        path = self.folder / name
        path.write_bytes(data)

        def look() -> None:
            mesh = read_object(path)
            assert np.isfinite(mesh.positions).all() and np.isfinite(mesh.normals).all()
            assert (np.abs(np.linalg.norm(mesh.normals, axis=1) - 1) < 1e-2).all()
            facts = inspection(mesh)
            as_json(facts).decode("utf-8")
            for part in mesh.parts:
                part.name.encode("utf-8")

        self.bounded(look)


class Objects(Hostile):
    @TRY
    @given(
        st.sampled_from(sorted(samples.objects())).flatmap(
            lambda n: st.tuples(st.just(n), broken(samples.objects()[n]))
        )
    )
    def test_bytes(self, case: tuple[str, bytes]) -> None:
        self.looked_at(*case)

    @TRY
    @given(documents(samples.rich_document()[0]))
    def test_gltf(self, document: Any) -> None:
        if isinstance(document, dict):
            self.looked_at("a.glb", pack(document, samples.rich_document()[1]))

    @TRY
    @given(documents({"box.obj": 0, "box.mtl": 1, "paint.png": 2}), st.data())
    def test_zips(self, names: dict[str, Any], data: st.DataObject) -> None:
        pieces = [samples.objects()["box.obj"], b"newmtl paint\nmap_Kd paint.png\n", samples.pictures()["a.png"]]
        files = {
            str(n).encode("utf-8", "replace").decode(): pieces[v % 3 if isinstance(v, int) else 0]
            for n, v in names.items()
        }
        self.looked_at(
            "a.zip", data.draw(broken(samples.zipped(files))) if data.draw(st.booleans()) else samples.zipped(files)
        )


class Pictures(Hostile):
    @TRY
    @given(
        st.sampled_from(sorted(samples.pictures())).flatmap(
            lambda n: st.tuples(st.just(n), broken(samples.pictures()[n]))
        )
    )
    def test_bytes(self, case: tuple[str, bytes]) -> None:
        path = self.folder / case[0]
        path.write_bytes(case[1])
        shared().clear()
        self.bounded(lambda: read_picture(path))


class Documents(Hostile):
    @TRY
    @given(documents(samples.scene_document()))
    def test_scenes(self, document: Any) -> None:
        def check() -> None:
            scene = scene_from(document)
            scene.model_dump_json()

        self.bounded(check)

    @TRY
    @given(documents(samples.STROKE))
    def test_strokes(self, document: Any) -> None:
        self.bounded(lambda: stroke_from(document).model_dump_json())

    @TRY
    @given(documents({"treatment": 1, "name": "a", "about": "b", "layers": samples.scene_document()["layers"]}))
    def test_treatments(self, document: Any) -> None:
        self.bounded(lambda: treatment_from(as_json(document), "a.json"))

    @TRY
    @given(documents(samples.scene_document()["bases"][0]))
    def test_bases(self, document: Any) -> None:
        path = self.folder / "a.json"
        path.write_bytes(as_json(document))
        self.bounded(lambda: read_base(path, self.folder))


class Lines(Hostile):
    @TRY
    @given(
        st.sampled_from(sorted(samples.objects())).flatmap(
            lambda n: st.tuples(st.just(n), broken(samples.objects()[n]))
        ),
        st.data(),
    )
    def test_the_command_line(self, case: tuple[str, bytes], data: st.DataObject) -> None:
        from contextlib import redirect_stderr, redirect_stdout

        from limus.cli.main import main

        path = self.folder / case[0]
        path.write_bytes(case[1])
        name = data.draw(st.sampled_from([str(path), f"{path}\0", str(self.folder), "", str(path) + "x"]))
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            code = main(["inspect", name, "--resolution", "64"])
        self.assertIn(code, (0, 2))
        if code == 2:
            self.assertEqual(err.getvalue().count("\n"), 1)
            self.assertLessEqual(len(err.getvalue()), 301)
            self.assertNotIn("a fault of Limus", err.getvalue())
