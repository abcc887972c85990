"""What is decided once for the whole of a surface, and only looked up where a part of it is drawn.

A level that meets a coverage, a mean, a distance along the surface: whoever needs all of the surface for it makes it
through ``decided``. Usually that only makes it. While a *ledger* is open (``playing.windows``) the whole notes what it
decided, and a window of it finds that again: by the key of the result that is being made, and by its name and how
manieth of that name it is there. Keys of a window are those of the whole, so nobody has to say which of the two he is
in.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, Protocol

import numpy as np

from limus.common.hashing import key_of


class Ledger(Protocol):
    """Notes what is decided, or finds it."""

    def decided(self, key: str, make: Callable[[], Any], read: Callable[[Any], Any] | None) -> Any: ...


class _Frame:
    """One result that is being made: its key, and how often each name was asked for in it."""

    __slots__ = ("counts", "key", "ledger")

    def __init__(self, ledger: Ledger, key: str) -> None:
        self.ledger, self.key = ledger, key
        self.counts: dict[str, int] = {}


_here = threading.local()


@contextmanager
def making(ledger: Ledger, key: str) -> Iterator[None]:
    """While the result ``key`` is made with this ledger."""
    before = getattr(_here, "frame", None)
    _here.frame = _Frame(ledger, key)
    try:
        yield
    finally:
        _here.frame = before


@contextmanager
def within(name: str) -> Iterator[None]:
    """What is decided in here has nothing to do with how much was decided before: for steps that one part of a surface
    takes and another does not.
    """
    frame: _Frame | None = getattr(_here, "frame", None)
    if frame is None:
        yield
        return
    with making(frame.ledger, key_of(frame.key, name)):
        yield


def decided(name: str, make: Callable[[], Any], read: Callable[[Any], Any] | None = None) -> Any:
    """What ``make`` gives for the whole of the surface.

    Parameters
    ----------
    read : turns what the whole noted into what is wanted here, where the two differ: a field over the texels of the
        whole into one over these.
    """
    frame: _Frame | None = getattr(_here, "frame", None)
    if frame is None:
        return make()
    count = frame.counts[name] = frame.counts.get(name, 0) + 1
    return frame.ledger.decided(key_of(frame.key, name, count), make, read)


def anywhere(where: np.ndarray) -> bool:
    """Whether something is so anywhere on the surface; ``where`` (n,) bool."""
    return decided("anywhere", lambda: bool(where.any()))  # type: ignore[no-any-return]
