"""Numbers of the command line, each with its limits."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import TypeVar

N = TypeVar("N", int, float)


def within(read: Callable[[str], N], low: float, high: float, what: str) -> Callable[[str], N]:
    """A reader of numbers from ``low`` to ``high``; ``what`` says in a refusal what was wanted."""

    def reader(text: str) -> N:
        try:
            value: N | None = read(text)
        except ValueError:
            value = None
        # Not a number compares as false.
        if value is None or not low <= value <= high:
            raise argparse.ArgumentTypeError(f"'{text}' is not {what}")
        return value

    return reader


resolution = within(int, 16, 8192, "a resolution from 16 to 8192")
delivered = within(int, 16, 16384, "a resolution from 16 to 16384")
scale = within(float, 1e-12, 1e12, "a number of metres above 0")
millimetres = within(float, 1e-12, 999_999.999, "a length in mm above 0 and below 1000000")
metres = within(float, 1e-12, 1e6, "a size in metres above 0, up to 1000000")
tile = within(float, 0.01, 100_000, "a width from 0.01 to 100000 cm")
