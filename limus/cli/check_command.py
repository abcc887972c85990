"""``limus check``: what may be wrong with a weathered surface."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from limus.cli.asked import scene_asked
from limus.cli.numbers import resolution
from limus.cli.saying import Graded
from limus.findings.finding import Found
from limus.findings.looking import findings_on
from limus.intake.preparation import beside_scene
from limus.playing.session import Session

#: Exit code by the gravest finding; notes alone are none.
CODES = {"problem": 4, "warning": 3, "note": 0}


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("scene")
    parser.add_argument("--resolution", type=resolution, default=1024, metavar="N")
    parser.add_argument("--snapshot", metavar="NAME", help="layers on and off as in this snapshot of the scene")
    parser.add_argument("--json", action="store_true")


def run(args: argparse.Namespace) -> None:
    """Do it; ends with 4 where there is a problem, 3 where there is a warning."""
    session = Session(scene_asked(args), beside_scene(Path(args.scene).parent))
    accepted = set(session.scene.accepted)
    found = [one for one in findings_on(session, session.exact(args.resolution)) if one.key not in accepted]
    if args.json:
        print(json.dumps([one.model_dump(mode="json") for one in found], indent=2))
    else:
        for one in found:
            print(line_of(one))
        if not found:
            print("Nothing was found.")
    code = max((CODES[one.severity] for one in found), default=0)
    if code:
        raise Graded(code)


def line_of(one: Found) -> str:
    """One finding in one line."""
    rest = ". ".join(text.rstrip(".") for text in (one.why, one.how) if text)
    return f"{one.severity.capitalize()}: {one.what}. {rest}."
