"""Compiled loops over texels, shared out over the cores.

Kernels are compiled without Numba's own threads: those abort the process when several request threads start them at
once. Instead every kernel takes a range ``(start, end)`` and releases the GIL, and this module runs the ranges on a
small pool.
"""

from __future__ import annotations

import itertools
import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

#: Threads that compute for one caller, itself included. One per core; set LIMUS_THREADS to use fewer.
WORKERS = max(1, int(os.environ.get("LIMUS_THREADS", "0")) or (os.cpu_count() or 1))
#: Below this many items the hand-over costs more than it saves.
SMALLEST_SHARE = 32768

_pool = ThreadPoolExecutor(max_workers=max(1, WORKERS - 1), thread_name_prefix="limus")
_here = threading.local()
#: How many callers are sharing out work just now.
_callers = [0]
_callers_lock = threading.Lock()


def _anew() -> None:
    """A process that was split off has none of the threads, and may have got a lock that one of them held."""
    global _pool, _callers_lock
    _pool = ThreadPoolExecutor(max_workers=max(1, WORKERS - 1), thread_name_prefix="limus")
    _callers_lock = threading.Lock()
    _callers[0] = 0


os.register_at_fork(after_in_child=_anew)


def _nothing(item: int) -> None:
    pass


class _Share:
    """Items of work that the caller and idle helpers take one by one.

    The caller always works itself, so what it asked for goes on however busy the helpers are with somebody else's work.
    """

    def __init__(self, run: Callable[[int], None], count: int) -> None:
        self._run: Callable[[int], None] = run
        self._count = count
        self._next = itertools.count()
        self._lock = threading.Lock()
        self._helping = 0
        self._left = threading.Condition(self._lock)
        self.fault: BaseException | None = None

    def work(self) -> None:
        """Take items until there are none."""
        before = getattr(_here, "inside", False)
        _here.inside = True
        try:
            while self.fault is None and (k := next(self._next)) < self._count:
                self._run(k)
        except BaseException as fault:
            self.fault = fault
        finally:
            _here.inside = before

    def help(self) -> None:
        """The same from a helper's thread."""
        with self._lock:
            self._helping += 1
        self.work()
        with self._lock:
            self._helping -= 1
            self._left.notify_all()

    def finish(self) -> None:
        """Work along, then wait for what helpers have begun; raises what failed."""
        with _callers_lock:
            _callers[0] += 1
            # Where as many callers as cores are at it, helpers would only get into each other's way.
            helpers = min(WORKERS - _callers[0], self._count - 1)
        try:
            for _ in range(helpers):
                _pool.submit(self.help)
            self.work()
        finally:
            with _callers_lock:
                _callers[0] -= 1
        with self._lock:
            while self._helping:
                self._left.wait()
        # A helper that comes too late finds nothing to do, and must not hold on to the arrays.
        self._run = _nothing
        if self.fault is not None:
            raise self.fault


def for_ranges(function: Callable[..., Any], count: int, *args: Any, smallest: int = SMALLEST_SHARE) -> None:
    """Run ``function(start, end, *args)`` so that the ranges cover ``0 .. count`` once.

    ``smallest`` is the least number of items worth a hand-over. The ranges never overlap, so a kernel that writes
    only inside its range gives the same bytes on any number of cores.
    """
    if count <= 0:
        return
    shares = min(WORKERS * 4, max(1, count // smallest))
    if shares == 1 or WORKERS == 1 or getattr(_here, "inside", False):
        function(0, count, *args)
        return
    _Share(lambda k: function(count * k // shares, count * (k + 1) // shares, *args), shares).finish()


def for_slices(function: Callable[..., Any], arrays: tuple[Any, ...], *args: Any) -> None:
    """Run ``function(*slices, *args)`` on matching slices of arrays of one length, for kernels that look at one item
    at a time.

    A kernel that counts from 0 becomes vector instructions where one that counts from ``start`` does not: an index that
    might be below 0 would have to be looked at.
    """
    count = len(arrays[0])
    for_ranges(lambda start, end: function(*(array[start:end] for array in arrays), *args), count)


def map_blocks(function: Callable[[Any], Any], blocks: list[Any]) -> list[Any]:
    """Run ``function(block)`` for every block on all cores and return the results in order."""
    if len(blocks) < 2 or WORKERS == 1 or getattr(_here, "inside", False):
        return [function(b) for b in blocks]
    out: list[Any] = [None] * len(blocks)

    def run(k: int) -> None:
        out[k] = function(blocks[k])

    _Share(run, len(blocks)).finish()
    return out
