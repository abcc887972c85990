"""``limus schema``: JSON Schema of the scene document."""

from __future__ import annotations

import argparse
import json

from limus.document.scene import scene_schema


def arguments(parser: argparse.ArgumentParser) -> None:
    """None."""
    del parser


def run(args: argparse.Namespace) -> None:
    """Do it."""
    del args
    print(json.dumps(scene_schema(), indent=2, allow_nan=False))
