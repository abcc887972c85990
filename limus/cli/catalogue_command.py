"""``limus catalogue``: everything there is to choose from, as JSON."""

from __future__ import annotations

import argparse

from limus.catalogue.catalogue import catalogue_for
from limus.cli.numbers import metres
from limus.common.object_size import ObjectSize


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument(
        "--size", type=metres, default=1.0, metavar="M", help="diagonal of the object in metres: defaults suit it"
    )


def run(args: argparse.Namespace) -> int:
    """Print it."""
    print(catalogue_for(ObjectSize(args.size).rounded).model_dump_json(by_alias=True, indent=1))
    return 0
