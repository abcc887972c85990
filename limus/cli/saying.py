"""What layers say of themselves, on standard error."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager


class Graded(Exception):
    """What was asked was answered; ``code`` grades the answer."""

    def __init__(self, code: int) -> None:
        super().__init__(code)
        self.code = code


class Noted(Exception):
    """Layers had something to say, and that was to be an error."""


def say_notes(notes: Sequence[str], strict: bool) -> None:
    """What layers have to say of themselves, on standard error.

    Raises
    ------
    Noted : there is something, and ``strict`` was asked for.
    """
    for note in notes:
        print(note if note.endswith(".") else f"{note}.", file=sys.stderr)
    if notes and strict:
        raise Noted


@contextmanager
def shown_progress() -> Iterator[Callable[[float, str], None]]:
    """A line on standard error that says how far long work is, where somebody looks on; gone when it is done."""
    watched = sys.stderr.isatty()

    def say(share: float, word: str) -> None:
        if watched:
            print(f"\r\033[K{share:4.0%} {word}", end="", file=sys.stderr, flush=True)

    try:
        yield say
    finally:
        if watched:
            print("\r\033[K", end="", file=sys.stderr, flush=True)
