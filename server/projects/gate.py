"""Who evaluates next. Turns go round by person, then by that person's tabs, so that nobody waits longer than once
round; who begins after a rest goes first. What was asked by a tab that has moved on is dropped, and what has to be
prepared first has a lane of its own, so that one object's cold start does not stop another one's slider.
"""

from __future__ import annotations

import itertools
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

from limus.common.errors import Cancelled
from limus.common.parallel import WORKERS
from limus.common.store import shared

#: Seconds by which an answer of this many texels along a side waits behind a small one of the same tab, or of nobody's,
#: that comes later. Not for ever: who waits longer than that goes first.
PATIENCE = ((512, 0.0), (1024, 0.5), (2048, 2.0), (1 << 30, 6.0))
#: From this resolution on an answer takes seconds whatever is in memory.
LARGE = 2048
#: Who asked for nothing for so many seconds begins anew, and is not made to wait for those who never pause.
REST = 1.0
#: Seconds after which what nobody waits for (pictures of lists, work ahead) goes before people all the same.
BEHIND = 8.0


def _patience(resolution: int) -> float:
    return next(seconds for size, seconds in PATIENCE if resolution <= size)


@dataclass
class _Waiting:
    """``person``: number of an account, or None for what nobody waits for; ``due``: when it is to be done at the
    latest among its like.
    """

    person: int | None
    tab: str
    due: float
    number: int
    came: float
    rested: bool
    gone: Callable[[], bool]
    called: threading.Event = field(default_factory=threading.Event)
    dropped: bool = False


class Lane:
    """At most ``slots`` at once; who is next is decided whenever a slot comes free. What nobody waits for (tiles near
    by, pictures of lists) leaves one of several for people: none of them waits until it is done.
    """

    def __init__(self, slots: int) -> None:
        self._free = slots
        #: Turns that what nobody waits for may begin just now.
        self._behind = max(1, slots - 1)
        self._waiting: list[_Waiting] = []
        self._count = itertools.count()
        self._lock = threading.Lock()
        #: When a turn of a person, and of a tab, began last; when a person had the last answer.
        self._begun: dict[object, float] = {}
        self._ended: dict[int, float] = {}

    @contextmanager
    def turn(self, due: float, gone: Callable[[], bool], person: int | None = None, tab: str = "") -> Iterator[None]:
        """Wait for a slot and hold it.

        Raises
        ------
        Cancelled : ``gone`` said so while waiting; it never started.
        """
        now = time.monotonic()
        with self._lock:
            rested = person is not None and now - self._ended.get(person, -1e9) >= REST and not self._asks(person)
            me = _Waiting(person, tab, due, next(self._count), now, rested, gone)
            if self._free > 0 and self._may(me):
                self._free -= 1
                self._call(me)
            else:
                self._waiting.append(me)
        me.called.wait()
        if me.dropped:
            raise Cancelled
        if gone():
            self._release(me)
            raise Cancelled
        if person is not None:
            with self._lock:
                self._begun[person] = self._begun[(person, tab)] = time.monotonic()
                self._forget_old()
        try:
            yield
        finally:
            if person is not None:
                with self._lock:
                    self._ended[person] = time.monotonic()
            self._release(me)

    def _may(self, one: _Waiting) -> bool:
        return one.person is not None or self._behind > 0

    def _call(self, one: _Waiting) -> None:
        self._behind -= one.person is None
        one.called.set()

    def _asks(self, person: int) -> bool:
        return any(one.person == person for one in self._waiting)

    def _next(self, now: float) -> _Waiting | None:
        def order(one: _Waiting) -> tuple[object, ...]:
            if one.person is None:
                # Behind everybody; but what waited long enough goes first.
                return (0 if now - one.came > BEHIND else 3, one.due, 0.0, 0.0, one.number)
            if one.rested:
                return (1, one.came, 0.0, 0.0, one.number)
            # Whoever had a turn longest ago; of their tabs the same; of a tab what is due first.
            return (
                2,
                self._begun.get(one.person, 0.0),
                self._begun.get((one.person, one.tab), 0.0),
                one.due,
                one.number,
            )

        return min((one for one in self._waiting if self._may(one)), key=order, default=None)

    def _release(self, done: _Waiting) -> None:
        with self._lock:
            self._behind += done.person is None
            # What has been moved on from is told so, and takes no turn.
            for one in [w for w in self._waiting if w.gone()]:
                self._waiting.remove(one)
                one.dropped = True
                one.called.set()
            self._free += 1
            while self._free > 0 and (found := self._next(time.monotonic())) is not None:
                self._free -= 1
                self._waiting.remove(found)
                self._call(found)

    def _forget_old(self) -> None:
        for table in (self._begun, self._ended):
            while len(table) > 2000:
                del table[min(table, key=table.__getitem__)]  # type: ignore[arg-type, type-var]


class Gate:
    """One per process."""

    def __init__(self, slots: int = WORKERS) -> None:
        self._warm, self._cold = Lane(slots), Lane(slots)
        self._newest: dict[tuple[int, str], int] = {}
        self._lock = threading.Lock()

    def newest(self, owner: int, tab: str, ticket: int) -> None:
        """Note the newest request of a browser tab."""
        with self._lock:
            self._newest[(owner, tab)] = max(ticket, self._newest.pop((owner, tab), 0))
            while len(self._newest) > 500:
                self._newest.pop(next(iter(self._newest)))

    def moved_on(self, owner: int, tab: str, ticket: int) -> bool:
        """Whether the tab has asked for something newer."""
        return self._newest.get((owner, tab), 0) > ticket

    @contextmanager
    def turn(
        self,
        resolution: int,
        warm: Callable[[], bool],
        gone: Callable[[], bool] = lambda: False,
        *,
        person: int | None = None,
        tab: str = "",
    ) -> Iterator[None]:
        """Wait for a turn to work at ``resolution``.

        Parameters
        ----------
        warm : whether everything is in memory that the layers stand on. person, tab : who waits for it; None: nobody,
            it may wait for all.
        """
        due = time.monotonic() + _patience(resolution)
        lane = self._warm if resolution < LARGE and warm() else self._cold
        with lane.turn(due, gone, person, tab), shared().visit():
            yield


gate = Gate()
