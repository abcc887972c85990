"""Many deliveries from one sheet: what a row may say, going on where it stopped, and many machines."""

from __future__ import annotations

import errno
import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import zipfile
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

import openpyxl

from limus.afar.able import workers_of
from limus.afar.machines import reach
from limus.batch.far import far
from limus.batch.kept import Kept
from limus.batch.row import COLUMNS
from limus.batch.run import Outcome, planned, run
from limus.cli.main import main
from limus.common.errors import Cancelled, InputError
from limus.formats.gltf_write import write_glb
from limus.formats.sheet_read import MOST_ROWS, read_sheet
from limus.targets.written import OnDisk
from tests.core import shapes
from tests.core.machines import Machines
from tests.core.test_effects import STORY, scene

SIZE = "32"


class InAFolder(TestCase):
    def setUp(self) -> None:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)
        self.out = self.folder / "out"
        for name, size in (("pier.glb", 0.2), ("cap.glb", 0.05), ("wall.glb", 4.0)):
            write_glb(self.folder / name, shapes.box(size))
        document = scene(*STORY[:2], name="Kept").model_copy(deep=True)
        document.object.file = "pier.glb"
        (self.folder / "kept.json").write_text(document.model_dump_json())
        self.told: list[str] = []

    def tell(self, through: float, count: int, line: str) -> None:
        if line:
            self.told.append(line)

    def row(self, **cells: str) -> dict[str, str]:
        return {"resolution": SIZE, **cells}

    def do(self, *rows: dict[str, str], **more: Any) -> Outcome:
        return run(rows, self.folder, self.out, self.tell, **more)

    def bytes_below(self, folder: Path) -> dict[str, bytes]:
        """Every file of the rows; what says how long they took is left out."""
        return {
            p.relative_to(folder).as_posix(): p.read_bytes()
            for p in sorted(folder.rglob("*")) if p.is_file() and p.parent != folder
        }  # fmt: skip


class Rows(InAFolder):
    def test_a_model_with_a_treatment_and_a_scene_as_it_is(self) -> None:
        found = self.do(
            self.row(object="pier.glb", treatment="river-iron", seed="7", year="4"),
            self.row(scene="kept.json", target="gltf"),
            {},
            self.row(object="cap.glb", target="packed",
                     recipe="Metalness with smoothness", out="caps/first", treatment="workshop+Kept well"),
        )  # fmt: skip
        self.assertEqual((sorted(found.done), found.failed), ([2, 3, 5], {}))
        self.assertTrue((self.out / "pier/pier_object_base-color.png").is_file())
        self.assertTrue((self.out / "kept/kept.glb").is_file())
        self.assertTrue((self.out / "caps/first/cap_object_metalness-smoothness.png").is_file())
        document = json.loads((self.out / "pier/scene.json").read_text())
        self.assertEqual((document["seed"], document["year"], document["object"]["file"]), (7, 4.0, "pier.glb"))
        self.assertEqual(document["layers"][0]["name"], "Works green")
        two = json.loads((self.out / "caps/first/scene.json").read_text())["layers"]
        self.assertGreater(len(two), 4)
        self.assertNotEqual([one["effect"] for one in document["layers"]], [one["effect"] for one in two])
        page = (self.out / "report.html").read_text()
        for where in ("pier", "kept", "caps/first"):
            self.assertIn(f'src="{where}/thumbnail.png"', page)
            self.assertEqual((self.out / where / "thumbnail.png").read_bytes()[:4], b"\x89PNG")
        # As one delivery makes it.
        main(["export", str(self.folder / "kept.json"), "--to", "gltf", "--resolution", SIZE,
              "--out", str(self.folder / "one")])  # fmt: skip
        self.assertEqual((self.folder / "one/kept.glb").read_bytes(), (self.out / "kept/kept.glb").read_bytes())

    def test_what_is_wrong_is_said_by_row_and_the_others_go_on(self) -> None:
        rows: list[tuple[dict[str, str], str]] = [
            ({"object": "gone.glb"}, "row 2: gone.glb: the file is not there"),
            ({}, ""),
            ({"resolution": "64"}, "a row names a model or a scene"),
            ({"object": "pier.glb", "scene": "kept.json"}, "a row names a model or a scene"),
            ({"scene": "kept.json", "base": "oak"}, "row 6: base"),
            ({"object": "pier.glb", "treatment": "moss-and-more"}, "there is no treatment 'moss-and-more'"),
            ({"object": "pier.glb", "target": "gif"}, "'gif' is not a target"),
            ({"object": "pier.glb", "names": "../{map}"}, "would leave the folder"),
            ({"object": "pier.glb", "names": "all", "target": "maps"}, "the same name"),
            ({"object": "pier.glb", "out": "../up"}, "no name of a folder within this one"),
            ({"object": "pier.glb", "out": "/abs"}, "no name of a folder within this one"),
            ({"scene": "kept.json", "snapshot": "spring"}, "there is no snapshot 'spring'"),
            ({"object": "pier.glb", "seed": "many"}, "row 14: seed"),
            ({"object": "pier.glb", "colour": "red"}, "there is no column 'colour'"),
            ({"object": "pier.glb", "masks": "moss", "out": "masked"}, "'moss' is no mask of this scene"),
            ({"object": "pier.glb", "out": "pier"}, ""),
            ({"object": "cap.glb", "out": "PIER"}, "it would be delivered to PIER, as row 17 is"),
            ({"object": "cap.glb", "out": "pier/inner"}, "it would be delivered to pier/inner, as row 17 is"),
            ({"object": "pier.glb", "base": "no-such-wood"}, "there is no base 'no-such-wood'"),
            ({"object": "pier.glb", "order": "kept.json"}, "row 21"),
            ({"object": "pier.glb", "year": "-1"}, "row 22: year"),
            ({"object": "pier\u0007.glb"}, "characters that are no text"),
        ]
        found = self.do(*(self.row(**cells) if cells else {} for cells, _ in rows))
        self.assertEqual(list(found.done), [17], found.failed)
        for k, (_, problem) in enumerate(rows, 2):
            if problem:
                self.assertIn(problem, found.failed[k])
                self.assertTrue(found.failed[k].startswith(f"row {k}"), found.failed[k])
        self.assertEqual(len(found.failed), sum(1 for _, problem in rows if problem))
        self.assertEqual({p.name for p in self.out.iterdir()}, {"pier", "batch.json", "report.html"})
        page = (self.out / "report.html").read_text()
        self.assertIn("1 done, 20 failed", page)
        self.assertIn("gone.glb: the file is not there", page)

    def test_a_sheet_is_told_by_exit_code(self) -> None:
        sheet = self.folder / "all.csv"
        sheet.write_text("object;resolution;target\npier.glb;32;gltf\n")
        self.assertEqual(main(["batch", str(sheet), "--out", str(self.out)]), 0)
        sheet.write_text("object\tresolution\npier.glb\t32\nnone.glb\t32\n")
        self.assertEqual(main(["batch", str(sheet), "--out", str(self.out)]), 1)
        self.assertEqual(main(["batch", str(self.folder / "no.csv"), "--out", str(self.out)]), 2)
        self.assertEqual(main(["batch", str(sheet), "--out", str(self.out), "--processes", "0"]), 2)

    def test_every_column_means_something(self) -> None:
        """Each changes what a row comes of, or where it goes."""
        (self.folder / "order.json").write_text('{"target": "tiff", "resolution": 32}')
        (self.folder / "lime.json").write_text((self.folder / "kept.json").read_text())
        document = json.loads((self.folder / "kept.json").read_text())
        document["setting"]["years"] = 33.0
        document["snapshots"] = [{"id": "new", "name": "As new", "layers_off": ["paint"]}]
        (self.folder / "old.json").write_text(json.dumps(document))
        model = {"object": "pier.glb", "treatment": "river-iron"}
        dirty = {**model, "target": "maps"}
        cases: dict[str, tuple[dict[str, str], dict[str, str]]] = {
            "object": (model, {**model, "object": "cap.glb"}),
            "scene": ({"scene": "kept.json"}, {"scene": "old.json"}),
            "scale": (model, {**model, "scale": "0.001"}),
            "base": (model, {**model, "base": "oak"}),
            "treatment": (model, {**model, "treatment": "workshop"}),
            "setting": (model, {**model, "setting": "old.json"}),
            "seed": (model, {**model, "seed": "5"}),
            "snapshot": ({"scene": "old.json"}, {"scene": "old.json", "snapshot": "As new"}),
            "year": (model, {**model, "year": "2"}),
            "out": (model, {**model, "out": "elsewhere"}),
            "order": (model, {**model, "order": "order.json"}),
            "target": (model, {**model, "target": "exr"}),
            "resolution": (model, {**model, "resolution": "64"}),
            "bits": (dirty, {**dirty, "bits": "16"}),
            "names": (dirty, {**dirty, "names": "{map}"}),
            "masks": (dirty, {**dirty, "masks": "paint"}),
            "packed": (dirty, {**dirty, "packed": "yes"}),
            "gutter": (dirty, {**dirty, "gutter": "4"}),
            "gutter_mm": (dirty, {**dirty, "gutter_mm": "2.5"}),
            "snapshots": (
                {"scene": "old.json", "target": "usd"}, {"scene": "old.json", "target": "usd", "snapshots": "As new"}
            ),
            "moved": ({**model, "target": "vertices"}, {**model, "target": "vertices", "moved": "yes"}),
            "edge_mm": ({**model, "target": "vertices"}, {**model, "target": "vertices", "edge_mm": "50"}),
            "dither": (dirty, {**dirty, "dither": "yes"}),
            "recipe": (
                {**model, "target": "packed", "recipe": "a=roughness"},
                {**model, "target": "packed", "recipe": "a=metalness"},
            ),
        }  # fmt: skip
        self.assertEqual(set(cases), set(COLUMNS))
        for column, pair in cases.items():
            works, failed = zip(*(planned([one], self.folder) for one in pair), strict=True)
            self.assertEqual(failed, ({}, {}), column)
            one, other = (work[2] for work in works)
            self.assertNotEqual((one.key, one.out), (other.key, other.out), column)


class Sheets(InAFolder):
    def sheet(self, name: str, data: bytes) -> Path:
        path = self.folder / name
        path.write_bytes(data)
        return path

    def test_the_same_rows_however_they_are_kept(self) -> None:
        book = openpyxl.Workbook()
        page = book.active
        assert page is not None
        for row in (["Object", "Seed", "Out"], ["pier.glb", 7, "größe"], ["cap.glb", 3.0, None]):
            page.append(row)
        book.save(self.folder / "a.xlsx")
        wanted = [{"object": "pier.glb", "seed": "7", "out": "größe"}, {"object": "cap.glb", "seed": "3"}]
        self.assertEqual(read_sheet(self.folder / "a.xlsx"), wanted)
        for between in (",", ";", "\t"):
            text = (
                f"Object{between}Seed{between}Out\r\npier.glb{between}7{between}größe\r\ncap.glb{between}3{between}\r\n"
            )
            self.assertEqual(read_sheet(self.sheet("a.csv", b"\xef\xbb\xbf" + text.encode())), wanted)
        quoted = read_sheet(self.sheet("q.csv", b'object,recipe\n"a, b.glb","x=roughness,metalness;y=height"\n'))
        self.assertEqual(quoted, [{"object": "a, b.glb", "recipe": "x=roughness,metalness;y=height"}])

    def test_what_is_no_sheet(self) -> None:
        bomb = self.folder / "bomb.xlsx"
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as pack:
            pack.writestr("xl/worksheets/sheet1.xml", b" " * (300 << 20))
        cases = {
            "no kind of sheet": self.sheet("a.txt", b"object\nx\n"),
            "no row": self.sheet("b.csv", b"object\n\n\n"),
            "not UTF-8": self.sheet("c.csv", b"object\n\xff\xfe\n"),
            "two columns": self.sheet("d.csv", b"object,object\na,b\n"),
            "no named column": self.sheet("e.csv", b"object,\na,b\n"),
            "no workbook": self.sheet("f.xlsx", b"not a workbook"),
            "unpacks to more": bomb,
            f"more than {MOST_ROWS} rows": self.sheet("g.csv", b"object\n" + b"a\n" * (MOST_ROWS + 1)),
            "more than 64 columns": self.sheet("h.csv", ",".join(f"c{k}" for k in range(65)).encode() + b"\n1\n"),
            "more than 4000 signs": self.sheet("i.csv", b"object\n" + b"a" * 4001 + b"\n"),
            "it is no CSV": self.sheet("j.csv", b'object\n"a" b\n'),
        }
        for problem, path in cases.items():
            with self.subTest(problem), self.assertRaises(InputError) as caught:
                read_sheet(path)
            self.assertIn(problem, caught.exception.line)


class GoingOn(InAFolder):
    ROWS = ("pier.glb", "cap.glb", "wall.glb")

    def rows(self) -> list[dict[str, str]]:
        return [self.row(object=name, treatment="river-iron") for name in self.ROWS]

    def test_done_rows_stay_until_something_of_them_changes(self) -> None:
        self.assertEqual(self.do(*self.rows()).fresh, {2, 3, 4})
        before = self.bytes_below(self.out)
        stamps = {p: p.stat().st_mtime_ns for p in self.out.rglob("*.png")}
        self.assertEqual(self.do(*self.rows()).fresh, set())
        self.assertEqual({p: p.stat().st_mtime_ns for p in self.out.rglob("*.png")}, stamps)
        # Another model under the same name, a lost file, another order: each its own row and no other.
        write_glb(self.folder / "pier.glb", shapes.box(0.3))
        self.assertEqual(self.do(*self.rows()).fresh, {2})
        (self.out / "cap/cap_object_height.png").unlink()
        self.assertEqual(self.do(*self.rows()).fresh, {3})
        changed = self.rows()
        changed[2]["target"] = "gltf"
        (self.out / "wall/notes of mine.txt").write_text("stays")
        self.assertEqual(self.do(*changed).fresh, {4})
        self.assertEqual(
            {p.name for p in (self.out / "wall").iterdir()},
            {"wall.glb", "scene.json", "thumbnail.png", "notes of mine.txt"},
        )
        # And back: the same bytes as the first time.
        write_glb(self.folder / "pier.glb", shapes.box(0.2))
        (self.out / "wall/notes of mine.txt").unlink()
        self.assertEqual(self.do(*self.rows()).fresh, {2, 4})
        self.assertEqual(self.bytes_below(self.out), before)

    def test_a_list_that_cannot_be_read_is_written_anew(self) -> None:
        self.out.mkdir()
        for text in ("{", '{"rows": 3}', '{"rows": {"a": {"what": 1}}}', "[]"):
            (self.out / "batch.json").write_text(text)
            self.assertEqual(Kept(self.out).rows, {})
        self.assertEqual(self.do(self.rows()[0]).fresh, {2})

    def test_a_list_takes_nothing_away_outside_of_its_folder(self) -> None:
        mine = self.folder / "mine.txt"
        mine.write_text("stays")
        self.out.mkdir()
        for name in ("../../mine.txt", str(mine)):
            row = {"key": "", "out": "pier", "files": {name: 5}}
            (self.out / "batch.json").write_text(json.dumps({"rows": {"pier": row}}))
            self.assertEqual(Kept(self.out).rows, {})
            self.do(self.rows()[0])
            self.assertEqual(mine.read_text(), "stays")

    def test_a_row_says_how_far_it_is(self) -> None:
        seen: list[float] = []
        run(self.rows()[:2], self.folder, self.out, lambda through, count, line: seen.append(through))
        self.assertEqual(seen, sorted(seen))
        self.assertGreater(len([x for x in seen if 0 < x < 1]), 3)
        self.assertGreater(len([x for x in seen if 1 < x < 2]), 3)

    def test_stopped_in_the_middle(self) -> None:
        def stop(through: float, count: int, line: str) -> None:
            if through == 2:
                raise Cancelled

        with self.assertRaises(Cancelled):
            run(self.rows(), self.folder, self.out, stop)
        self.assertEqual(self.do(*self.rows()).fresh, {4})

    def test_a_full_disk_in_the_middle(self) -> None:
        whole = OnDisk.to

        def full(file: OnDisk, path: Path) -> None:
            if path.parent.name == "cap" and file.name.endswith("height.png"):
                raise OSError(errno.ENOSPC, "No space left on device")
            whole(file, path)

        with mock.patch.object(OnDisk, "to", full), self.assertRaises(OSError):
            self.do(*self.rows())
        self.assertEqual([p.name for p in self.out.iterdir() if p.name.startswith(".")], [])
        self.assertEqual(self.do(*self.rows()).fresh, {3, 4})

    def test_killed(self) -> None:
        sheet = self.folder / "all.csv"
        sheet.write_text("object,treatment,resolution\n" + "".join(f"{n},river-iron,{SIZE}\n" for n in self.ROWS))
        command = [sys.executable, "-m", "limus.cli.main", "batch", str(sheet), "--out", str(self.out)]
        work = subprocess.Popen(command, stderr=subprocess.PIPE, stdout=subprocess.DEVNULL, text=True)
        assert work.stderr is not None
        first = work.stderr.readline()
        work.send_signal(signal.SIGKILL)
        work.wait()
        work.stderr.close()
        self.assertIn("row 2: pier", first)
        again = self.do(*self.rows())
        self.assertNotIn(2, again.fresh)
        self.assertIn(4, again.fresh)
        self.assertEqual([p.name for p in self.out.iterdir() if p.name.startswith(".")], [])
        cut = self.bytes_below(self.out)
        shutil.rmtree(self.out)
        self.do(*self.rows())
        self.assertEqual(self.bytes_below(self.out), cut)


class ManyMachines(Machines, InAFolder):
    """A real Dask scheduler and workers that are processes of their own."""

    def test_a_worker_is_lost_and_nothing_with_it(self) -> None:
        address = self.scheduler()
        workers = [self.worker(address) for _ in range(3)]
        rows = [
            self.row(object=name, treatment="river-iron", seed=str(seed), out=f"{name[:-4]}-{seed}")
            for name in ("pier.glb", "wall.glb") for seed in (1, 2)
        ]  # fmt: skip
        rows.insert(3, self.row(object="gone.glb"))
        seen: list[str] = []

        def tell(through: float, count: int, line: str) -> None:
            if ": " in line and " in " in line:
                seen.append(line)
                if len(seen) == 1:
                    os.killpg(workers[0].pid, signal.SIGKILL)

        away = self.folder / "away"
        found = run(rows, self.folder, away, tell, far(address))
        self.assertEqual((len(found.done), list(found.failed)), (4, [5]))
        self.assertIsNotNone(workers[0].poll())
        self.assertEqual([w.poll() for w in workers[1:]], [None, None])
        self.do(*rows)
        self.assertEqual(self.bytes_below(away), self.bytes_below(self.out))
        # A worker that may hold less than a row takes says so, and a later row that fits is done.
        for worker in workers[1:]:
            os.killpg(worker.pid, signal.SIGKILL)
            worker.wait()
        self.worker(address, **{"memory-limit": "600MB"})
        small = run(
            [self.row(object="pier.glb"), self.row(object="cap.glb", resolution="8192")], self.folder,
            self.folder / "small", self.tell, far(address),
        )  # fmt: skip
        self.assertEqual(list(small.done), [2])
        self.assertIn("of memory, and the worker has", small.failed[3])

    def test_processes_of_this_machine(self) -> None:
        # In a process of its own: one of the test runner's may have no children.
        sheet, two = self.folder / "two.csv", self.folder / "two"
        sheet.write_text(f"object,treatment,resolution\npier.glb,river-iron,{SIZE}\ncap.glb,river-iron,{SIZE}\n")
        command = [sys.executable, "-m", "limus.cli.main", "batch", str(sheet), "--out", str(two), "--processes", "2"]
        done = subprocess.run(command, capture_output=True, text=True, timeout=240, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("2 done, 2 of them now", done.stdout)
        self.do(*(self.row(object=name, treatment="river-iron") for name in ("pier.glb", "cap.glb")))
        self.assertEqual(self.bytes_below(two), self.bytes_below(self.out))

    def test_nobody_there(self) -> None:
        rows = [self.row(object="pier.glb")]
        for address, problem in (("127.0.0.1:8786", "is no address"), ("tcp://127.0.0.1:9", "no scheduler answers")):
            with mock.patch("limus.afar.machines.PATIENCE", 1.0), self.assertRaises(InputError) as caught:
                run(rows, self.folder, self.out, self.tell, far(address))
            self.assertIn(problem, caught.exception.line)
        with mock.patch("limus.batch.far.WORKERS_PATIENCE", 0.5), self.assertRaises(InputError) as caught:
            run(rows, self.folder, self.out, self.tell, far(self.scheduler()))
        self.assertIn("has no workers", caught.exception.line)

    def test_workers_that_will_never_do_anything_are_not_waited_for(self) -> None:
        address, rows = self.scheduler(), [self.row(object="pier.glb"), self.row(object="cap.glb")]
        # Python alone takes more than four fifths of this: Dask lets it begin nothing.
        full = self.worker(address, **{"memory-limit": "60MB"})
        with reach(address) as client:
            limit = time.monotonic() + 60
            while [said["status"] for said in workers_of(client).values()] != ["paused"]:
                self.assertLess(time.monotonic(), limit, "the worker was never paused")
                time.sleep(0.05)
        with mock.patch("limus.batch.far.WORKERS_PATIENCE", 0.5), self.assertRaises(InputError) as caught:
            run(rows, self.folder, self.out, self.tell, far(address))
        self.assertIn("no worker has the memory", caught.exception.line)
        os.killpg(full.pid, signal.SIGKILL)
        full.wait()
        last = self.worker(address)

        def lose(through: float, count: int, line: str) -> None:
            if " in " in line:
                os.killpg(last.pid, signal.SIGKILL)

        with mock.patch("limus.batch.far.IDLE_PATIENCE", 1.0), self.assertRaises(InputError) as caught:
            run(rows, self.folder, self.out, lose, far(address))
        self.assertIn("all workers are gone", caught.exception.line)
        # What was done is not done again.
        self.assertEqual(self.do(*rows).fresh, {3})

    def test_another_edition_is_refused(self) -> None:
        address = self.scheduler()
        self.worker(address)
        with mock.patch("limus.afar.machines.__version__", "0.0"), self.assertRaises(InputError) as c:
            run([self.row(object="pier.glb")], self.folder, self.out, self.tell, far(address))
        self.assertIn("and this is Limus 0.0", c.exception.line)
