"""Settings that are numbers, from the environment; what is none is said by its name."""

from __future__ import annotations

import math
import os

from limus.common.errors import InputError


def number(name: str, usual: float, *, least: float = 0.0) -> float:
    """A number of the environment.

    Raises
    ------
    InputError : not a finite number, or less than ``least``.
    """
    text = os.environ.get(name, "").strip()
    try:
        value = float(text) if text else float(usual)
    except ValueError:
        value = math.nan
    if not math.isfinite(value) or value < least:
        raise InputError(
            f"'{text}' is not a number from {least:g}", where=name, remedy=f"For example: {name}={usual:g}"
        )
    return value


def whole_number(name: str, usual: int, *, least: int = 0) -> int:
    """A whole number of the environment.

    Raises
    ------
    InputError : not a whole number, or less than ``least``.
    """
    value = number(name, usual, least=least)
    if value != int(value):
        raise InputError(
            f"'{os.environ[name]}' is not a whole number", where=name, remedy=f"For example: {name}={usual}"
        )
    return int(value)
