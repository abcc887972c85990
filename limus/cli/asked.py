"""The scene that a command asks for."""

from __future__ import annotations

import argparse
from pathlib import Path

from limus.document.scene import Scene, load_scene


def scene_asked(args: argparse.Namespace) -> Scene:
    """The scene asked for, at a snapshot of its own where one is named."""
    scene = load_scene(Path(args.scene))
    return scene.at_snapshot(args.snapshot) if args.snapshot else scene
