"""``limus still``: a picture of the surface under the light of the view."""

from __future__ import annotations

import argparse
import re
from pathlib import Path

from limus.cli.asked import scene_asked
from limus.cli.numbers import delivered, within
from limus.cli.saying import say_notes, shown_progress
from limus.common.errors import InputError
from limus.formats.files import write_whole
from limus.formats.png import png_bytes
from limus.intake.preparation import beside_scene
from limus.playing.needed import LARGEST_WHOLE
from limus.playing.session import Session
from limus.stills.camera import Camera
from limus.stills.lights import SETUPS
from limus.stills.still import Light, lacking, still

#: Pixels along a side at most.
_LARGEST = 4096
_degrees = within(float, -360, 360, "an angle from -360 to 360 degrees")


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("scene")
    parser.add_argument("--snapshot", metavar="NAME", help="layers on and off as in this snapshot of the scene")
    parser.add_argument("--year", type=float, metavar="N", help="years after it was made")
    parser.add_argument(
        "--resolution", type=delivered, default=1024, metavar="N", help="of the maps that it is made of"
    )
    parser.add_argument("--size", default="1280x800", metavar="WxH", help=f"pixels, each to {_LARGEST}; 1280x800")
    parser.add_argument("--light", choices=SETUPS, default="north", help="; ".join(SETUPS))
    parser.add_argument("--light-azimuth", type=_degrees, metavar="DEG", help="where its key light stands")
    parser.add_argument("--light-elevation", type=_degrees, metavar="DEG")
    parser.add_argument("--strength", type=within(float, 0, 10, "a strength from 0 to 10"), default=1.0, metavar="X")
    parser.add_argument("--turn", type=_degrees, default=0.0, metavar="DEG", help="the camera goes round the object")
    parser.add_argument("--elevation", type=within(float, -90, 90, "an angle from -90 to 90 degrees"), metavar="DEG")
    parser.add_argument("--zoom", type=within(float, 0.1, 100, "a number from 0.1 to 100"), default=1.0, metavar="X")
    parser.add_argument(
        "--at", default="0,0", metavar="X,Y", help="what is in the middle, in widths and heights of the picture"
    )
    parser.add_argument("--clear", action="store_true", help="nothing behind the object and its shadow")
    parser.add_argument("--out", required=True, metavar="FILE.png")


def run(args: argparse.Namespace) -> None:
    """Do it."""
    out = Path(args.out)
    if out.suffix.lower() != ".png":
        raise InputError(f"'{out.suffix}' is no picture that is written here", where="--out", remedy="Write .png")
    if args.resolution > LARGEST_WHOLE:
        raise InputError("a still is made at once", where="--resolution", remedy=f"Take {LARGEST_WHOLE} at most")
    width, height = _two(args.size, "x", "--size", 16, _LARGEST, "1280x800")
    at = _two(args.at, ",", "--at", -2, 2, "0.1,0")
    scene = scene_asked(args)
    if args.year is not None:
        scene = scene.model_copy(update={"year": min(max(args.year, 0.0), scene.setting.years)})
    light = Light(args.light, args.light_azimuth, args.light_elevation, args.strength)
    session = Session(scene, beside_scene(Path(args.scene).parent))
    session.mesh.need_uv()
    with shown_progress() as say:
        texels, surface, notes = session.finished(args.resolution, say=lambda share, word: say(0.5 * share, word))
        camera = Camera.around(
            session.mesh.bounds, width / height, turn=args.turn, elevation=args.elevation, zoom=args.zoom, at=at
        )
        picture = still(
            texels, surface, camera, light, int(width), int(height), clear=args.clear,
            check=lambda share: say(0.5 + 0.5 * share, "Drawing"),
        )  # fmt: skip
    write_whole(out, png_bytes(picture))
    left = lacking(surface)
    say_notes(notes + ([f"a still does not show {', '.join(left)}"] if left else []), strict=False)
    print(out)


def _two(text: str, between: str, option: str, low: float, high: float, example: str) -> tuple[float, float]:
    """Two numbers with a sign between them."""
    match = re.fullmatch(rf"(-?[0-9]{{1,6}}(?:\.[0-9]{{1,6}})?){between}(-?[0-9]{{1,6}}(?:\.[0-9]{{1,6}})?)", text)
    numbers = tuple(float(one) for one in match.groups()) if match else ()
    whole = all(one == int(one) for one in numbers) if between == "x" else True
    if len(numbers) != 2 or not all(low <= one <= high for one in numbers) or not whole:
        raise InputError(
            f"'{text[:30]}' is not two numbers from {low:g} to {high:g}", where=option, remedy=f"Write {example}"
        )
    return numbers[0], numbers[1]
