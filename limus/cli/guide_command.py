"""``limus guide``: the guide as pages with pictures that open in any browser, or as JSON."""

from __future__ import annotations

import argparse
from pathlib import Path

from limus.cli.numbers import metres
from limus.common.object_size import ObjectSize
from limus.guide.guide import guide_for
from limus.guide.pages import write_pages


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("folder", nargs="?", type=Path, help="where pages and pictures go; without one JSON is printed")
    parser.add_argument("--only", default="", metavar="KIND", help="one effect, source or base: rust, hollows, brass")
    parser.add_argument(
        "--size", type=metres, default=1.0, metavar="M", help="diagonal of the object in metres: defaults suit it"
    )


def run(args: argparse.Namespace) -> int:
    """Write it."""
    entries = guide_for(ObjectSize(args.size).rounded)
    if args.only:
        entries = [entry for entry in entries if entry.kind == args.only]
    if args.folder is None:
        print("[" + ",\n".join(entry.model_dump_json() for entry in entries) + "]")
        return 0
    count = write_pages(entries, args.folder, lambda word: print(word, flush=True))
    print(f"{count} pictures. Open {args.folder / 'index.html'}")
    return 0
