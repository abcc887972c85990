"""Who evaluates next: what was asked by a tab that has moved on is dropped, small answers go before large ones, and what has to be
prepared first has a lane of its own, so that one object's cold start does not stop another one's slider.
"""

from __future__ import annotations

import heapq
import itertools
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from limus.errors import Cancelled
from limus.parallel import WORKERS

#: Seconds by which an answer of this many texels along a side waits behind a small one that comes later. Not for ever: who waits
#: longer than that goes first.
PATIENCE = ((512, 0.0), (1024, 0.5), (2048, 2.0), (1 << 30, 6.0))
#: From this resolution on an answer takes seconds whatever is in memory.
LARGE = 2048


def _patience(resolution: int) -> float:
    return next(seconds for size, seconds in PATIENCE if resolution <= size)


class Lane:
    """At most ``slots`` at once, the rest in order of ``due``."""

    def __init__(self, slots: int) -> None:
        self._free = slots
        self._waiting: list[tuple[float, int, threading.Event, Callable[[], bool]]] = []
        self._count = itertools.count()
        self._lock = threading.Lock()

    @contextmanager
    def turn(self, due: float, gone: Callable[[], bool]) -> Iterator[None]:
        """Wait for a slot and hold it.

        Raises
        ------
        Cancelled : ``gone`` said so while waiting; it never started.
        """
        called = threading.Event()
        with self._lock:
            if self._free > 0:
                self._free -= 1
                called.set()
            else:
                heapq.heappush(self._waiting, (due, next(self._count), called, gone))
        called.wait()
        if gone():
            self._release()
            raise Cancelled
        try:
            yield
        finally:
            self._release()

    def _release(self) -> None:
        with self._lock:
            if self._waiting:
                # The slot goes on to the next one; who has gone meanwhile passes it on at once.
                heapq.heappop(self._waiting)[2].set()
            else:
                self._free += 1


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
    def turn(self, resolution: int, warm: Callable[[], bool], gone: Callable[[], bool] = lambda: False) -> Iterator[None]:
        """Wait for a turn to work at ``resolution``; ``warm``: whether everything is in memory that the layers stand on."""
        due = time.monotonic() + _patience(resolution)
        lane = self._warm if resolution < LARGE and warm() else self._cold
        with lane.turn(due, gone):
            yield


gate = Gate()
