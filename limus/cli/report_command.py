"""``limus report``: the condition of a weathered surface."""

from __future__ import annotations

import argparse
from pathlib import Path

from limus.cli.asked import scene_asked
from limus.cli.numbers import resolution
from limus.common.errors import InputError
from limus.formats.files import write_whole
from limus.intake.preparation import beside_scene
from limus.playing.session import Session
from limus.report.as_pdf import as_pdf, words
from limus.report.as_table import as_csv
from limus.report.condition import condition
from limus.review.portrait import portrait_on

ENDINGS = (".pdf", ".csv", ".json")


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("scene")
    parser.add_argument(
        "--year", type=float, metavar="N", help="years after it was made (default: as the scene stands)"
    )
    parser.add_argument("--resolution", type=resolution, default=1024, metavar="N")
    parser.add_argument("--snapshot", metavar="NAME", help="layers on and off as in this snapshot of the scene")
    parser.add_argument("--out", metavar="FILE", help=f"{', '.join(ENDINGS)} (default: a few lines)")


def run(args: argparse.Namespace) -> None:
    """Do it."""
    out = Path(args.out) if args.out else None
    if out is not None and out.suffix.lower() not in ENDINGS:
        raise InputError(f"'{out.suffix}' is no kind of report", where="--out", remedy=f"One of {', '.join(ENDINGS)}")
    if args.year is not None and not 0 <= args.year <= 100000:
        raise InputError("not a number of years from 0", where="--year", remedy="Give years after it was made")
    scene = scene_asked(args)
    if args.year is not None:
        scene = scene.model_copy(update={"year": min(args.year, scene.setting.years)})
    session = Session(scene, beside_scene(Path(args.scene).parent))
    chronicle = session.exact(args.resolution)
    found = condition(chronicle, scene)
    if out is None:
        print(f"{found.object}, year {found.year:g}: {words(found.whole)}")
        for coat in found.whole.coats:
            print(f"  {coat.name}: {coat.shows:.1%}, {coat.area_m2:.3g} m²")
        return
    kind = out.suffix.lower()
    if kind == ".pdf":
        write_whole(out, as_pdf(found, portrait_on(chronicle, scene)))
    else:
        write_whole(out, (as_csv(found) if kind == ".csv" else found.model_dump_json(indent=2)).encode())
    print(out)
