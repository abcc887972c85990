"""Numbers of the command line, each with its limits."""

from __future__ import annotations

import argparse


def resolution(text: str) -> int:
    try:
        value = int(text)
    except ValueError:
        value = 0
    if not 16 <= value <= 8192:
        raise argparse.ArgumentTypeError(f"'{text}' is not a resolution from 16 to 8192")
    return value


def scale(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 1e-12 <= value <= 1e12:
        raise argparse.ArgumentTypeError(f"'{text}' is not a number of metres above 0")
    return value


def millimetres(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 < value < 1e6:
        raise argparse.ArgumentTypeError(f"'{text}' is not a length in mm above 0 and below 1000000")
    return value


def tile(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0.01 <= value <= 100000:
        raise argparse.ArgumentTypeError(f"'{text}' is not a width from 0.01 to 100000 cm")
    return value
