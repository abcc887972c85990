"""The one place in memory where results are kept: within a budget of bytes, each made once, shared by everything.

What is kept is known by a key that names all it depends on, so a result is never wrong, only missing. When the budget
asks for it, the result goes that is cheapest to make again for the bytes it frees: P. Cao and S. Irani, "Cost-aware WWW
proxy caching algorithms" (GreedyDual-Size), 1997.
"""

from __future__ import annotations

import ctypes
import heapq
import itertools
import os
import threading
import time
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, fields, is_dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from limus.common.errors import InputError

#: Results used within this many seconds go last: somebody is about to ask for them (a picture that was only just
#: announced).
YOUNG = 8.0
#: Results of a visit that no other one came for within this many seconds are the first to go.
PASSED = 1.5
#: What a result costs that says nothing of it, in seconds.
_UNSAID = 0.002
_FREED_TO_TRIM = 64 << 20


@dataclass
class _Entry:
    value: Any
    cost: float
    leaves: tuple[int, ...]
    own: int
    priority: float
    used_at: float
    growing: tuple[Any, ...] = ()
    #: The visit that made it; whether another one came for it since; until when it stays whatever the budget says.
    visit: int = 0
    proven: bool = False
    pinned: float = 0.0


@dataclass
class _Flight:
    """A result that one thread is making and others wait for."""

    landed: threading.Event = field(default_factory=threading.Event)
    value: Any = None
    failed: bool = True


def _owner(array: np.ndarray) -> np.ndarray:
    while isinstance(array.base, np.ndarray):
        array = array.base
    return array


@lru_cache(maxsize=1024)
def _looked_into(kind: Any) -> tuple[str, ...]:
    """Names of the fields of a dataclass; none of anything else."""
    return tuple(entry.name for entry in fields(kind)) if is_dataclass(kind) else ()


#: What holds nothing large, and is met by the thousand.
_SMALL = (str, int, float, bool, type(None))


def leaves_of(value: Any) -> list[tuple[int, int, Any]]:
    """(id, bytes, object that may grow or None) of everything large that ``value`` holds.

    An object says what it holds by a method ``held() -> (bytes, children)``; dataclasses, lists and dicts are looked
    into. What two results share has one id, so that it is counted once.
    """
    out: list[tuple[int, int, Any]] = []
    stack = [value]
    while stack:
        one = stack.pop()
        if isinstance(one, np.ndarray):
            owner = _owner(one)
            out.append((id(owner), owner.nbytes, None))
        elif isinstance(one, _SMALL):
            continue
        elif isinstance(one, bytes):
            out.append((id(one), len(one), None))
        elif isinstance(one, (tuple, list)):
            stack.extend(one)
        elif isinstance(one, dict):
            stack.extend(one.values())
        elif hasattr(one, "held"):
            size, children = one.held()
            out.append((id(one), size, one))
            stack.extend(children)
        elif not isinstance(one, type):
            stack.extend(getattr(one, name) for name in _looked_into(type(one)))  # type: ignore[arg-type]
    return out


def own_bytes(thing: Any, *apart: str) -> int:
    """Bytes of the arrays among the attributes of ``thing``, cached properties included; those named in ``apart``
    left out.

    Counted again only when there are more attributes than the last time: it is asked for at every use.
    """
    known: tuple[int, int] | None = thing.__dict__.get("_own_bytes")
    if known is not None and known[0] == len(thing.__dict__):
        return known[1]
    sizes = {}
    for name, value in list(vars(thing).items()):
        if name not in apart:
            for leaf, size, _ in leaves_of(value):
                sizes[leaf] = size
    total = sum(sizes.values())
    # The note itself is one attribute more, the first time.
    thing.__dict__["_own_bytes"] = (len(thing.__dict__) + (known is None), total)
    return total


class Store:
    """A keyed store of arrays and of objects that hold arrays.

    Parameters
    ----------
    budget : bytes. A result larger than the budget is returned but not kept. Safe to use from any number of threads; no
        lock is held while something is made.
    """

    def __init__(self, budget: int = 1 << 30) -> None:
        self.budget = budget
        self.used = 0
        self.hits = 0
        self.misses = 0
        self._kept: dict[str, _Entry] = {}
        #: id -> [how many results hold it, bytes]
        self._leaves: dict[int, list[int]] = {}
        self._queue: list[tuple[float, int, str]] = []
        self._flights: dict[str, _Flight] = {}
        self._count = itertools.count()
        #: Rises to the priority of whatever went last, so that what is not used grows old.
        self._age = 0.0
        self._freed = 0
        self._lock = threading.Lock()
        self._spent = threading.local()
        self._visits = itertools.count(1)
        #: Results that nobody but who made them came for, oldest first: what the steps of a drag leave behind.
        self._passing: deque[tuple[float, str]] = deque()

    @contextmanager
    def visit(self) -> Iterator[None]:
        """One piece of work of somebody's, such as a step of a drag: what it makes proves its worth when another
        visit comes for it.
        """
        before = getattr(self._spent, "visit", 0)
        self._spent.visit = next(self._visits)
        try:
            yield
        finally:
            self._spent.visit = before

    def __contains__(self, key: str) -> bool:
        return key in self._kept

    def get(self, key: str, make: Callable[[], Any]) -> Any:
        """What is kept under ``key``, else ``make()``, kept for the next time.

        When another thread is making it already, wait for that; if it fails there, it is made here. Whatever ``make``
        raises comes through, and nothing is kept.
        """
        while True:
            with self._lock:
                found = self._kept.get(key)
                if found is not None:
                    self._touch(key, found)
                    self.hits += 1
                    return found.value
                flight = self._flights.get(key)
                if flight is None:
                    mine = self._flights[key] = _Flight()
                    self.misses += 1
                    break
            flight.landed.wait()
            if not flight.failed:
                return flight.value
        # What is made on the way to this result is kept by itself: its time does not count here.
        outer = getattr(self._spent, "inner", 0.0)
        self._spent.inner = 0.0
        start = time.perf_counter()
        try:
            value = make()
            whole = time.perf_counter() - start
            self.put(key, value, max(whole - self._spent.inner, 1e-5))
            mine.value, mine.failed = value, False
            return value
        finally:
            self._spent.inner = outer + time.perf_counter() - start
            with self._lock:
                self._flights.pop(key, None)
            mine.landed.set()

    def peek(self, key: str) -> Any | None:
        """What is kept under ``key``, or None."""
        with self._lock:
            found = self._kept.get(key)
            if found is None:
                self.misses += 1
                return None
            self._touch(key, found)
            self.hits += 1
            return found.value

    def put(self, key: str, value: Any, cost: float = _UNSAID, *, pinned: float = 0.0) -> None:
        """Keep ``value``, which took ``cost`` seconds to make; others go where the budget asks for it. ``pinned``: for
        so many seconds it stays whatever the budget says, or until it is let go by ``unpin``: it was promised to
        somebody.
        """
        if isinstance(value, np.ndarray):
            # Results are shared; a write would change them all.
            value.setflags(write=False)
        now = time.monotonic()
        sizes: dict[int, int] = {}
        growing = []
        for leaf, size, grows in leaves_of(value):
            sizes[leaf] = size
            if grows is not None:
                growing.append(grows)
        with self._lock:
            self._forget(key)
            own = 256 + sum(size for leaf, size in sizes.items() if leaf not in self._leaves)
            if own > self.budget and not pinned:
                return
            for leaf, size in sizes.items():
                held = self._leaves.get(leaf)
                if held is None:
                    self._leaves[leaf] = [1, size]
                    self.used += size
                else:
                    held[0] += 1
            self.used += 256
            visit = getattr(self._spent, "visit", 0)
            entry = self._kept[key] = _Entry(value, cost, tuple(sizes), own, 0.0, now, tuple(growing), visit)
            entry.pinned = now + pinned if pinned else 0.0
            self._touch(key, entry)
            if visit:
                self._passing.append((now, key))
            self._evict(now)
        self._trim()

    def unpin(self, key: str) -> None:
        """What was pinned may go like anything else."""
        with self._lock:
            found = self._kept.get(key)
            if found is not None:
                found.pinned = 0.0

    def _touch(self, key: str, entry: _Entry) -> None:
        entry.used_at = time.monotonic()
        visit = getattr(self._spent, "visit", 0)
        if visit and visit != entry.visit:
            entry.proven = True
        for thing in entry.growing:
            held = self._leaves[id(thing)]
            size = thing.held()[0]
            self.used += size - held[1]
            held[1] = size
        entry.priority = self._age + entry.cost / (entry.own / (1 << 20))
        heapq.heappush(self._queue, (entry.priority, next(self._count), key))
        if len(self._queue) > 64 + 8 * len(self._kept):
            self._queue = [(e.priority, next(self._count), k) for k, e in self._kept.items()]
            heapq.heapify(self._queue)

    def _evict_passing(self, now: float) -> None:
        """Steps of drags that are over, before anything that somebody came back for: or what is in use would go for
        what never is again.
        """
        while self.used > self.budget and self._passing and now - self._passing[0][0] > PASSED:
            _, key = self._passing.popleft()
            entry = self._kept.get(key)
            if (
                entry is not None
                and not entry.proven
                and entry.visit
                and now - entry.used_at > PASSED
                and entry.pinned < now
            ):
                self._forget(key)

    def _evict(self, now: float) -> None:
        if self.used > self.budget:
            self._evict_passing(now)
        elif len(self._passing) > 4 * len(self._kept) + 64:
            self._passing = deque((made, key) for made, key in self._passing if key in self._kept)
        young: list[tuple[float, int, str]] = []
        pinned: list[tuple[float, int, str]] = []
        while self.used > self.budget and (self._queue or young):
            if not self._queue:
                # Only results in use are left: the cheapest of them go.
                for item in young:
                    entry = self._kept.get(item[2])
                    if entry is not None:
                        entry.used_at = now - YOUNG
                    heapq.heappush(self._queue, item)
                young.clear()
            item = heapq.heappop(self._queue)
            entry = self._kept.get(item[2])
            if entry is None or entry.priority != item[0]:
                continue
            if entry.pinned > now:
                pinned.append(item)
                continue
            if now - entry.used_at < YOUNG:
                young.append(item)
                continue
            self._age = max(self._age, item[0])
            self._forget(item[2])
        for item in (*young, *pinned):
            heapq.heappush(self._queue, item)

    def _forget(self, key: str) -> None:
        old = self._kept.pop(key, None)
        if old is None:
            return
        before = self.used
        for leaf in old.leaves:
            held = self._leaves[leaf]
            held[0] -= 1
            if held[0] == 0:
                self.used -= held[1]
                del self._leaves[leaf]
        self.used -= 256
        self._freed += before - self.used

    def _trim(self) -> None:
        """Give back to the system what was freed in small pieces; the allocator would keep it."""
        if self._freed > _FREED_TO_TRIM:
            self._freed = 0
            give_back()

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._kept.clear()
            self._leaves.clear()
            self._passing.clear()
            self._queue.clear()
            self.used = 0
        self._freed = _FREED_TO_TRIM + 1
        self._trim()


def give_back() -> None:
    """Have the allocator return what it holds of freed memory to the system; after work with large arrays that nobody
    keeps.
    """
    trim = _libc_trim()
    if trim is not None:
        trim(0)


@lru_cache(maxsize=1)
def _libc_trim() -> Any:
    try:
        return ctypes.CDLL(None).malloc_trim
    except (OSError, AttributeError):
        return None


_UNITS = {"": 1, "K": 1 << 10, "M": 1 << 20, "G": 1 << 30, "T": 1 << 40}


def memory_budget(text: str | None = None, *, name: str = "LIMUS_MEMORY") -> int:
    """Bytes that may be kept in memory: ``text`` ("1500M", "6G", plain bytes), by default LIMUS_MEMORY, else a quarter
    of the machine's. ``name``: of the setting, for the words.

    Raises
    ------
    InputError : not a size, or less than 64 MB.
    """
    given = (os.environ.get("LIMUS_MEMORY", "") if text is None else text).strip().upper().removesuffix("B")
    if not given:
        return max(256 << 20, os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE") // 4)
    number, unit = (given[:-1], given[-1]) if given[-1] in _UNITS else (given, "")
    try:
        size = int(float(number) * _UNITS[unit])
    except (ValueError, OverflowError):
        size = 0
    if size < 64 << 20:
        raise InputError(f"'{given}' is not a size of 64M or more", where=name, remedy=f"For example: {name}=4G")
    return size


@lru_cache(maxsize=1)
def shared() -> Store:
    """The store of this process."""
    return Store(memory_budget())
