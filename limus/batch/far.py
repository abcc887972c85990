"""Rows done by the workers of a Dask scheduler, or by processes of this machine.

Each file travels once for each worker, by its content; what a lost worker had is done again by another. Nothing is kept
on a worker that is needed later.
"""

from __future__ import annotations

import contextlib
import io
import itertools
import os
import tempfile
import time
import zipfile
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from pathlib import Path
from typing import Any

from limus import __version__
from limus.afar.able import Able, workers_of
from limus.afar.machines import edition, editions, give_back, own_folder, own_memory, reach
from limus.batch.one import made
from limus.batch.row import Work
from limus.batch.run import Doing, Made
from limus.common.errors import InputError
from limus.common.store import shared
from limus.document.scene import scene_from
from limus.formats.files import bytes_of, write_whole
from limus.playing.measuring import Say
from limus.targets.order import order_from
from limus.targets.written import Written

#: Seconds that a first worker is waited for.
WORKERS_PATIENCE = 60.0
#: Seconds that none may be able to do anything before the rows that wait fail; between looks at it.
IDLE_PATIENCE, LOOK = 60.0, 2.0
#: Rows at a time for each thread of a worker: one that is done and one that waits.
AHEAD = 2


def far(address: str) -> Doing:
    """By the scheduler at ``address``.

    Raises
    ------
    InputError : when it is called: no address, nobody there, no workers, other versions.
    """

    @contextlib.contextmanager
    def reached() -> Iterator[Any]:
        client = reach(address)
        try:
            yield client
        finally:
            client.close(timeout=2)

    return partial(_done, reached)


def on_this_machine(processes: int) -> Doing:
    """By ``processes`` of this machine, each on one core."""

    @contextlib.contextmanager
    def reached() -> Iterator[Any]:
        from distributed import Client, LocalCluster

        one = {"LIMUS_THREADS": "1"}
        before = {name: os.environ.get(name) for name in one}
        os.environ.update(one)
        try:
            with (
                LocalCluster(
                    n_workers=processes, threads_per_worker=1, dashboard_address=None, silence_logs=50
                ) as cluster,
                Client(cluster, set_as_default=False) as client,
            ):
                yield client
        finally:
            for name, value in before.items():
                os.environ.pop(name, None) if value is None else os.environ.__setitem__(name, value)

    return partial(_done, reached)


def _done(
    reached: Callable[[], contextlib.AbstractContextManager[Any]], works: Mapping[int, Work], _room: Path,
    over: Callable[[int, Made | InputError], None], say: Say,
) -> None:  # fmt: skip
    from distributed import as_completed

    with reached() as client:
        threads = _workers(client)
        held: dict[str, Any] = {}
        waiting, running, keys = list(works), {}, {}
        done = as_completed(loop=client.loop, raise_errors=False)

        def begin() -> None:
            k = waiting.pop(0)
            work = works[k]
            for name, path in work.files.items():
                total = work.sums[name]
                if total not in held:
                    # By its content, and from what the scheduler holds: a worker that is lost takes nothing with it.
                    held[total] = client.submit(_same, bytes_of(path), key=f"file-{total[:32]}", priority=10)
            files = {name: (total, held[total]) for name, total in work.sums.items()}
            future = client.submit(
                _row, __version__, work.scene.model_dump_json(), work.order.model_dump_json(), list(files),
                [total for total, _ in files.values()], [one for _, one in files.values()],
                key=f"row-{work.key}-{k}", pure=False,
            )  # fmt: skip
            running[future.key] = future
            keys[future.key] = (k, time.monotonic())
            done.add(future)

        for _ in range(min(len(waiting), AHEAD * threads)):
            begin()
        try:
            watch = _Watch(client)
            while running:
                say(0.0, "")
                if not done.has_ready():
                    watch.look()
                    time.sleep(0.1)
                    continue
                future = next(done)
                k, began = keys[future.key]
                found = _result(future, began)
                del running[future.key]
                if waiting:
                    begin()
                over(k, found)
        except BaseException:
            client.cancel(list(running.values()), force=True)
            raise


class _Watch:
    """Sees to it that nobody waits for workers that will never do anything."""

    def __init__(self, client: Any) -> None:
        self._client, self._able = client, Able(IDLE_PATIENCE)
        self._next = self._last = time.monotonic()

    def look(self) -> None:
        """Now and then.

        Raises
        ------
        InputError : all workers are gone for long, or have had no memory left to begin anything.
        """
        now = time.monotonic()
        if now < self._next:
            return
        self._next = now + LOOK
        try:
            found = workers_of(self._client)
        except Exception:
            # However a client says that its scheduler does not answer: nobody is there.
            found = {}
        if self._able.threads(found):
            self._last = now
            return
        if found:
            raise _no_memory()
        if now - self._last > IDLE_PATIENCE:
            raise InputError(
                "all workers are gone, or their scheduler", where="--scheduler",
                remedy="Start some with 'dask worker' and its address, and run the batch again: it goes on from here",
            )  # fmt: skip


def _no_memory() -> InputError:
    return InputError(
        "no worker has the memory to begin anything", where="--scheduler",
        remedy="Start them with more (--memory-limit), and run the batch again: it goes on from here",
    )  # fmt: skip


def _workers(client: Any) -> int:
    """Threads of all workers; every one of them has this edition of Limus.

    Raises
    ------
    InputError : none comes, or one has another edition, or none at all.
    """
    try:
        client.wait_for_workers(1, timeout=WORKERS_PATIENCE)
    except TimeoutError as error:
        if workers_of(client):
            raise _no_memory() from error
        raise InputError(
            "the scheduler has no workers", where="--scheduler", remedy="Start some with 'dask worker' and its address"
        ) from error
    mine = edition()
    for worker, theirs in editions(client).items():
        if theirs != mine:
            raise InputError(
                f"the worker {worker} has {theirs}, and this is {mine}", where="--scheduler",
                remedy="Install the same edition of Limus on all of them",
            )  # fmt: skip
    return sum(client.nthreads().values())


def _same(data: bytes) -> bytes:
    return data


def _row(
    theirs: str, scene: str, order: str, names: list[str], sums: list[str], data: list[bytes]
) -> tuple[bytes, list[str], bytes, list[tuple[str, int]]]:
    """On a worker: the files of a row in one zip, what there is to say, the picture, and names with sizes.

    Raises
    ------
    InputError : as ``made``; another edition, or less memory than it takes.
    """
    import json

    if theirs != __version__:
        raise InputError(f"this worker has Limus {__version__}", remedy=f"Install {theirs} on it")
    own = own_folder()
    folder = own / "limus-files"
    place: dict[str, Path] = {}
    for name, total, content in zip(names, sums, data, strict=True):
        path = folder / total
        if not path.is_file() or path.stat().st_size != len(content):
            write_whole(path, content)
        place[name] = path
    limit = own_memory()
    if limit is not None:
        # A third for what is kept; the rest for what is under way.
        shared().budget = min(shared().budget, limit // 3)
    with tempfile.TemporaryDirectory(prefix="limus-row-", dir=own) as room:
        beside = _beside(names, place, Path(room) / "files")
        work = Work("", scene_from(json.loads(scene), "scene"), order_from(json.loads(order)), beside, {})
        inside = Path(room) / "made"
        inside.mkdir()
        files, notes, picture = made(work, beside, inside, lambda share, word: None, limit=limit)
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as pack:
            for file in files:
                pack.writestr(file.name, file.data)
        shared().clear()
        give_back()
        return out.getvalue(), notes, picture, [(file.name, file.size) for file in files]


def _beside(names: list[str], place: Mapping[str, Path], folder: Path) -> dict[str, Path]:
    """The files under their own names in one folder, so that those which name others find them. A name that leads out
    of the folder becomes one within it, that no other name has.
    """
    steps = {step for name in names for step in Path(name).parts}
    up = next(word for k in itertools.count() if (word := f"up{k or ''}") not in steps)
    out = {}
    for name in names:
        inside = Path(*(up if step in ("/", "..") else step for step in Path(name).parts))
        path = folder / inside
        path.parent.mkdir(parents=True, exist_ok=True)
        if not path.exists():
            os.link(place[name], path)
        out[name] = path
    return out


def _result(future: Any, began: float) -> Made | InputError:
    from distributed.scheduler import KilledWorker

    try:
        data, notes, picture, _ = future.result()
    except InputError as error:
        return error
    except KilledWorker:
        return InputError(
            "every worker that took it was lost, which mostly means too little memory",
            remedy="Take a smaller resolution, or give workers more memory",
        )
    except MemoryError:
        return InputError("the worker has not enough memory for it", remedy="Take a smaller resolution")
    except ModuleNotFoundError as error:
        return InputError(f"the worker lacks {error.name}", remedy="Install Limus on it")
    except Exception as error:
        return InputError(f"the worker could not do it ({type(error).__name__}: {error})", remedy="Try it here")
    with zipfile.ZipFile(io.BytesIO(data)) as pack:
        if any(".." in name.split("/") or name.startswith("/") for name in pack.namelist()):
            return InputError("the worker sent files that leave the folder", remedy="Look at who runs it")
        return Made([Written(name, pack.read(name)) for name in pack.namelist()], notes, picture, began)
