"""``limus compile``: what Limus computes with is compiled ahead, so that nobody waits for it later."""

from __future__ import annotations

import argparse
import sys


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options: none."""


def run(args: argparse.Namespace) -> int:
    """Compile all that is not compiled yet, with a line of progress where somebody looks on."""
    from limus.common.compiling import compile_all

    def say(done: int, of: int) -> None:
        if sys.stderr.isatty():
            print(f"\rCompiling {done} of {of} ...", end="\n" if done == of else "", file=sys.stderr, flush=True)

    count = compile_all(say)
    print(f"{count} compiled.")
    return 0
