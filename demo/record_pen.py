"""A recorded pen, in place of a tablet: one stroke with rising and falling pressure and a pen that leans over.

Written by a script so that it is the same everywhere: ``python -m demo.record_pen`` writes ``pen-stroke.json`` beside
it.
"""

from __future__ import annotations

import json
import math
from pathlib import Path

HERE = Path(__file__).with_name("pen-stroke.json")


def pen_stroke() -> dict[str, object]:
    """The record, as docs/formats.md describes it: places as shares of the view's width and height."""
    steps = 28
    pen = [{"x": 0.43, "y": 0.55, "pressure": 0.0, "tilt_x": 0, "tilt_y": 0, "down": False}]
    for k in range(steps + 1):
        share = k / steps
        pen.append(
            {
                "x": round(0.44 + 0.07 * share, 4),
                "y": round(0.58 + 0.12 * share + 0.02 * math.sin(6.283 * share), 4),
                "pressure": round(0.15 + 0.8 * math.sin(math.pi * share), 3),
                "tilt_x": round(35 * share),
                "tilt_y": -20,
                "down": True,
            }
        )
    pen.append({**pen[-1], "pressure": 0.0, "down": False})
    return {"version": 1, "pen": pen}


if __name__ == "__main__":
    HERE.write_text(json.dumps(pen_stroke(), indent=1) + "\n")
