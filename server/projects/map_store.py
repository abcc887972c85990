"""Finished pictures by the hash of their content, kept in memory for the browser to fetch."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict


class MapStore:
    """Bytes by (owner, hash); the oldest go when ``budget`` bytes are passed."""

    def __init__(self, budget: int) -> None:
        self.budget = budget
        self._used = 0
        self._kept: OrderedDict[tuple[int, str], tuple[bytes, str]] = OrderedDict()
        self._lock = threading.Lock()

    def put(self, owner: int, data: bytes, media: str) -> str:
        """Keep ``data`` and return its hash."""
        name = hashlib.blake2b(data, digest_size=16).hexdigest()
        with self._lock:
            key = (owner, name)
            if key not in self._kept:
                self._kept[key] = (data, media)
                self._used += len(data)
            self._kept.move_to_end(key)
            while self._used > self.budget and len(self._kept) > 1:
                _, (old, _) = self._kept.popitem(last=False)
                self._used -= len(old)
        return name

    def get(self, owner: int, name: str) -> tuple[bytes, str] | None:
        """(data, media type), or None when it was let go."""
        with self._lock:
            found = self._kept.get((owner, name))
            if found is not None:
                self._kept.move_to_end((owner, name))
            return found

    def holds(self, owner: int, names: list[str]) -> bool:
        """Whether all are still there; they count as used."""
        return all(self.get(owner, name) is not None for name in names)
