"""Questions of views answered by the workers of a Dask scheduler, each object's by one of them as long as it lives.

Nothing is kept only there: a worker says which file it lacks and gets it from here, so another one can go on where one
was lost. While no scheduler or no worker of this edition can be reached, whoever asks answers by itself.
"""

from __future__ import annotations

import hashlib
import logging
import threading
import uuid
from collections import OrderedDict
from collections.abc import Callable, Collection, Mapping
from contextlib import suppress
from typing import Any

from limus import __version__
from limus.afar.able import Able, workers_of
from limus.afar.machines import edition, editions, reach
from limus.afar.question import KEPT, Asked, Kind, Reply, asked_here, drop_here, put_here
from limus.common.errors import Cancelled, InputError
from limus.document.scene import Scene
from limus.formats.files import bytes_of
from limus.intake.preparation import Finder
from limus.playing.session import object_key
from limus.readings.kept import cache_folder

log = logging.getLogger(__name__)
#: Seconds between looks at who is there; until a scheduler that did not answer is tried again; between looks at
#: whether somebody still waits; that an answer may take to come over.
LOOK, AGAIN, STEP, OVER = 0.5, 15.0, 0.05, 120.0
#: Seconds that a worker may have no memory for anything before another one is asked.
PAUSED = 3.0
#: How often one question is asked at most: each file that a worker lacks is one more.
MOST_ASKED = 400
#: Objects whose missing readings are remembered.
MOST_OBJECTS = 500


class Away(Exception):
    """Nobody is there who could answer."""


class _Gone(Exception):
    """The worker that was asked is not there any more."""


class Far:
    """The workers of the scheduler at ``address``. Who is there is found out beside whoever asks, so nobody waits for a
    scheduler that does not answer.

    Parameters
    ----------
    find : where the files lie that scenes name. good : see ``Session``.
    """

    def __init__(self, address: str, find: Finder, good: int) -> None:
        self._address, self._find, self._good = address, find, good
        self._client: Any = None
        self._lock = threading.Lock()
        self._watching: threading.Thread | None = None
        self._over = threading.Event()
        #: Address -> threads, of those with this edition; replaced as a whole.
        self._workers: dict[str, int] = {}
        #: Address -> edition of every worker that was asked for it.
        self._known: dict[str, str] = {}
        self._able = Able(PAUSED)
        self._said = ""
        self._missing: OrderedDict[str, set[str]] = OrderedDict()

    def close(self) -> None:
        """Let the scheduler go."""
        self._over.set()
        if self._watching is not None:
            self._watching.join(10)
        self._drop()

    def workers(self) -> dict[str, int]:
        """Who can be asked now, and how many questions each answers at once.

        Raises
        ------
        Away : nobody, or it is not known yet.
        """
        with self._lock:
            if self._watching is None:
                self._watching = threading.Thread(target=self._watch, daemon=True)
                self._watching.start()
        found = self._workers
        if not found:
            raise Away
        return found

    def _watch(self) -> None:
        while not self._over.is_set():
            try:
                if self._client is None:
                    self._client = reach(self._address, "LIMUS_SCHEDULER")
                self._workers = self._there()
                self._said = ""
            except Exception as error:
                # However a client says it; who looks has to go on looking.
                self._drop()
                line = error.line if isinstance(error, InputError) else f"The scheduler is gone ({error})."
                if line != self._said:
                    log.warning("%s Views are answered here meanwhile.", line)
                self._said = line
            self._over.wait(LOOK if self._client is not None else AGAIN)

    def _drop(self) -> None:
        """Let a client go; what one has to say whose scheduler does not answer is of no use to anybody."""
        client, self._client, self._workers, self._known = self._client, None, {}, {}
        if client is not None:
            with suppress(Exception):
                client.close(timeout=1)

    def _there(self) -> dict[str, int]:
        client = self._client
        if client.status != "running":
            raise ConnectionError(client.status)
        threads, mine = self._able.threads(workers_of(client)), edition()
        # Each is asked once who it is.
        fresh = [worker for worker in threads if worker not in self._known]
        if fresh:
            for worker, theirs in editions(client, "LIMUS_SCHEDULER", fresh).items():
                self._known[worker] = theirs
                if theirs != mine:
                    log.warning("%s is not asked: it has %s, and this is %s", worker, theirs, mine)
        return {worker: count for worker, count in threads.items() if self._known.get(worker) == mine}

    def place(self, scene: Scene) -> str:
        """The worker that answers for this object: the same while it is there, and no other object moves when one
        comes or goes (D. Thaler and C. Ravishankar, "Using name-based mappings to increase hit rates", 1998).

        Raises
        ------
        Away : nobody is there.
        """
        key = self._key(scene)
        return max(self.workers(), key=lambda one: hashlib.blake2b(f"{key} {one}".encode(), digest_size=8).digest())

    @staticmethod
    def _key(scene: Scene) -> str:
        return object_key(scene.object, scene.setting.up)

    def ask(
        self,
        kind: Kind,
        scene: Scene,
        question: Mapping[str, Any],
        check: Callable[[], None] = lambda: None,
        has: Collection[str] = (),
    ) -> Any:
        """What ``looks.answering`` or ``looks.close`` would say here.

        Parameters
        ----------
        question : as JSON has it. check : called now and then; what it raises ends the question there too. has : names
            of pictures that need not come back.

        Raises
        ------
        Away : nobody is there, or none could do it. InputError, Cancelled : as at home.
        """
        key, sent = self._key(scene), scene.model_dump_json()
        given = set[tuple[str, str]]()
        for _ in range(MOST_ASKED):
            # One of its own each time: what is dropped is dropped everywhere.
            token = uuid.uuid4().hex
            asked = Asked(
                __version__, kind, sent, dict(question), self._good, token, self._nowhere(key), frozenset(has)
            )
            try:
                reply: Reply = self._done(asked_here, asked, self.place(scene), token, check)
                if not reply.wants:
                    return reply.answer
                if (reply.worker, reply.wants) not in given:
                    given.add((reply.worker, reply.wants))
                    self._give(key, reply.worker, reply.wants, token, check)
                    continue
            except _Gone:
                # Another one answers for the object from now on.
                continue
            log.warning("%s asks for %s again and again", reply.worker, reply.wants)
            break
        raise Away

    def _nowhere(self, key: str) -> frozenset[str]:
        """Kept files of an object that were not made yet, of those that were ever asked for."""
        with self._lock:
            known = list(self._missing.get(key, ()))
        gone = {name for name in known if not (cache_folder() / name).is_file()}
        with self._lock:
            if key in self._missing:
                self._missing[key] &= gone | (self._missing[key] - set(known))
        return frozenset(gone)

    def _give(self, key: str, worker: str, name: str, token: str, check: Callable[[], None]) -> None:
        if name.startswith(KEPT):
            path = cache_folder() / name.removeprefix(KEPT)
            if path.is_file():
                files = {name: bytes_of(path)}
            else:
                with self._lock:
                    self._missing.setdefault(key, set()).add(path.name)
                    self._missing.move_to_end(key)
                    while len(self._missing) > MOST_OBJECTS:
                        self._missing.popitem(last=False)
                return
        else:
            files = self._beside(name)
        self._done(put_here, files, worker, token, check)

    def _beside(self, name: str) -> dict[str, bytes]:
        """A file that a scene names, and what lies beside or below it: a model names its textures."""
        path, folder = self._find(name), name.rpartition("/")[0]
        out = {name: bytes_of(path)}
        if folder.count("/") == 1:
            for other in sorted(path.parent.rglob("*")):
                if other.is_file() and not other.is_symlink():
                    out[f"{folder}/{other.relative_to(path.parent).as_posix()}"] = bytes_of(other)
        return out

    def _done(self, act: Callable[..., Any], given: Any, worker: str, token: str, check: Callable[[], None]) -> Any:
        """Have a worker do something.

        Raises
        ------
        _Gone : it is not there any more.
        """
        client = self._client
        if client is None:
            raise Away
        over = threading.Event()
        try:
            future = client.submit(
                act, given, key=f"view-{uuid.uuid4().hex}", workers=[worker], allow_other_workers=False, pure=False
            )
        except Exception as error:
            # Let go just now, since the scheduler does not answer.
            if client is self._client and client.status == "running":
                raise
            raise Away from error
        future.add_done_callback(lambda _: over.set())
        try:
            while not over.wait(STEP):
                check()
                if client is not self._client:
                    raise Away
                if worker not in self._workers:
                    raise _Gone
            check()
            return future.result(timeout=OVER)
        except (Away, Cancelled, InputError, _Gone):
            raise
        except Exception as error:
            if not _lost(error):
                raise
            log.warning("a worker could not answer: %s", type(error).__name__)
            raise Away from error
        finally:
            # Where the scheduler is gone, so is the work.
            if not future.done() and client.status == "running":
                future.cancel()
                # Nobody waits for a worker that is slow to hear of it.
                threading.Thread(target=_tell, args=(client, token), daemon=True).start()


def _tell(client: Any, token: str) -> None:
    with suppress(Exception):
        client.run(drop_here, token, on_error="ignore")


def _lost(error: Exception) -> bool:
    """Whether it says that a worker or the scheduler went, and nothing of the question."""
    from distributed import CancelledError
    from distributed.comm.core import CommClosedError
    from distributed.scheduler import KilledWorker

    return isinstance(error, KilledWorker | CancelledError | CommClosedError | OSError | TimeoutError | MemoryError)
