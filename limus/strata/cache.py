"""Results kept within a memory budget, least recently used out first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

import numpy as np


class Cache:
    """A keyed store of arrays and of objects that hold arrays.

    Parameters
    ----------
    budget : bytes. A single result larger than the budget is returned but not kept.
    """

    def __init__(self, budget: int = 1 << 30) -> None:
        self.budget = budget
        self.used = 0
        self.hits = 0
        self.misses = 0
        self._kept: OrderedDict[str, tuple[Any, int]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: str, make: Callable[[], Any], size: int | None = None) -> Any:
        """What is kept under ``key``, else ``make()``, kept for the next time. ``size`` in bytes for things that are not arrays."""
        found = self.peek(key)
        if found is not None:
            return found
        value = make()
        self.put(key, value, size)
        return value

    def peek(self, key: str) -> Any | None:
        """What is kept under ``key``, or None."""
        with self._lock:
            found = self._kept.get(key)
            if found is None:
                self.misses += 1
                return None
            self._kept.move_to_end(key)
            self.hits += 1
            return found[0]

    def put(self, key: str, value: Any, size: int | None = None) -> None:
        """Keep ``value``; older results go where the budget asks for it."""
        weight = size if size is not None else (value.nbytes if isinstance(value, np.ndarray) else 256)
        if isinstance(value, np.ndarray):
            # Results are shared between piles; a write would change them all.
            value.setflags(write=False)
        if weight > self.budget:
            return
        with self._lock:
            old = self._kept.pop(key, None)
            if old is not None:
                self.used -= old[1]
            self._kept[key] = (value, weight)
            self.used += weight
            while self.used > self.budget:
                _, (_, freed) = self._kept.popitem(last=False)
                self.used -= freed

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._kept.clear()
            self.used = 0
