"""``limus batch``: many deliveries from one sheet."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from limus.batch.row import COLUMNS
from limus.batch.run import REPORT, Doing
from limus.batch.run import run as run_rows
from limus.cli.saying import Graded
from limus.common.errors import InputError
from limus.formats.sheet_read import read_sheet


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("sheet", help=f".csv or .xlsx; columns: {', '.join(COLUMNS)}")
    parser.add_argument("--out", required=True, metavar="DIR", help="a folder for each row, and report.html")
    parser.add_argument("--scheduler", metavar="tcp://HOST:PORT", help="do the rows on the workers of a Dask scheduler")
    parser.add_argument("--processes", type=int, metavar="N", help="do N rows at a time on this machine")


def run(args: argparse.Namespace) -> None:
    """Do it.

    Raises
    ------
    InputError : the sheet, or the scheduler. Graded : 1 where a row failed.
    """
    sheet = Path(args.sheet)
    rows = read_sheet(sheet)
    if args.scheduler and args.processes:
        raise InputError(
            "rows go to a scheduler or to processes of this machine", where="--processes", remedy="Leave one out"
        )
    if args.processes is not None and not 1 <= args.processes <= 64:
        raise InputError("not a number of processes from 1 to 64", where="--processes", remedy="Take one for each core")
    doing: Doing | None = None
    if args.scheduler or (args.processes or 1) > 1:
        from limus.batch.far import far, on_this_machine

        doing = far(args.scheduler) if args.scheduler else on_this_machine(args.processes)
    watched = sys.stderr.isatty()

    def told(through: float, count: int, line: str) -> None:
        if watched:
            print("\r\033[K", end="", file=sys.stderr)
        if line:
            print(f"{through:.0f} of {count}: {line}", file=sys.stderr, flush=True)
        elif watched:
            print(f"{int(through)} of {count}, {through / max(count, 1):.0%} ...", end="", file=sys.stderr, flush=True)

    out = Path(args.out)
    found = run_rows(rows, sheet.parent, out, told, doing, title=sheet.stem)
    print(
        f"{out / REPORT}: {len(found.done)} done, {len(found.fresh)} of them now"
        + (f"; {len(found.failed)} failed" if found.failed else "")
    )
    if found.failed:
        raise Graded(1)
