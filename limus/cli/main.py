"""The core on the command line: one file a command, and only the one that is asked for is loaded.

Exit code 0 when done, 2 for bad input with one clear line on standard error, 3 with ``--strict`` when a layer says that
it did nothing or less than was asked. What layers say of themselves goes to standard error either way.
"""

from __future__ import annotations

import argparse
import contextlib
import errno
import importlib
import os
import sys
import warnings
from collections.abc import Sequence

from limus import __version__
from limus.cli.saying import Graded, Noted
from limus.common.errors import InputError
from limus.common.wording import LONGEST, plain
from limus.formats.files import nowhere

#: Name -> what it gives. Each is ``<name>_command.py``, with ``arguments(parser)`` and ``run(args)``.
COMMANDS = {
    "inspect": "parts, size, mesh and UV health of an object",
    "unwrap": "a .glb of the object with new UVs",
    "measure": "one reading as .npy, .exr or .png",
    "mask": "any source or recipe as .npy, .exr or .png",
    "weather": "the finished maps of a scene, or the mask of one layer",
    "check": "what may be wrong with the surface of a scene: where, why, what mends it",
    "report": "the condition of the surface: coats, thicknesses, grades, as .pdf, .csv or .json",
    "still": "a picture of the surface under the light of the view, without a browser",
    "export": "a delivery: the object with its maps, or maps alone",
    "batch": "many deliveries from one sheet, on this machine or on many",
    "base": "texture files recognised as a base, or the bases of the store room",
    "watch": "models of a folder offered to a server whenever they change",
    "start": "a scene document that works, with sizes that fit the object",
    "edit": "one edit of a scene document: add, remove, move, set ...",
    "catalogue": "effects, sources, readings, channels and bases with their fields, as JSON",
    "guide": "what everything is for, as pages with pictures",
    "schema": "JSON Schema of the scene document",
    "compile": "make ready: what Limus computes with is compiled ahead",
}


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> None:  # type: ignore[override]
        raise InputError(message, where=self.prog, remedy=f"See '{self.prog} --help'")


def _build(asked: str | None) -> _Parser:
    """The parser, with the options of the command that is asked for."""
    parser = _Parser(prog="limus", description="Weather 3D surfaces: rust, chips, dirt and dust from real geometry.")
    parser.add_argument("--version", action="version", version=f"limus {__version__}")
    commands = parser.add_subparsers(required=True, dest="command", parser_class=_Parser)
    for name, about in COMMANDS.items():
        one = commands.add_parser(name, help=about, description=f"{about[0].upper()}{about[1:]}.")
        if name == asked:
            module = importlib.import_module(f"limus.cli.{name}_command")
            module.arguments(one)
            one.set_defaults(run=module.run)
    return parser


def _quietly_closed() -> None:
    """Whoever read our output has gone: what is still in the buffer goes nowhere, without a complaint at exit."""
    with contextlib.suppress(OSError):
        nowhere(sys.stdout)


def _refused(line: str) -> int:
    print(plain(line, LONGEST), file=sys.stderr)
    return 2


def _as_refused(error: Exception) -> str | None:
    """The line for a value that a model of a document refused; None for anything else."""
    # Loaded here: ``limus --help`` needs none of it.
    from pydantic import ValidationError

    from limus.common.refusal import first_refusal

    return first_refusal(error).error("command line").line if isinstance(error, ValidationError) else None


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code. Never ends in a traceback, unless LIMUS_TRACE=1 asks for one."""
    try:
        given = list(sys.argv[1:] if argv is None else argv)
        args = _build(next((word for word in given if not word.startswith("-")), None)).parse_args(given)
        with warnings.catch_warnings():
            # What libraries warn of names lines of theirs and of ours; whoever looks for a fault asks for them.
            warnings.simplefilter("default" if os.environ.get("LIMUS_TRACE") == "1" else "ignore")
            args.run(args)
        sys.stdout.flush()
    except InputError as error:
        return _refused(error.line)
    except Noted:
        return 3
    except Graded as graded:
        sys.stdout.flush()
        return graded.code
    except BrokenPipeError:
        _quietly_closed()
        return 0
    except KeyboardInterrupt:
        print("Stopped.", file=sys.stderr)
        return 130
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            return _refused("The disk is full. Make room, or write to another place.")
        reason = error.strerror or error
        return _refused(
            f"{error.filename or 'file'}: cannot be written or read ({reason}). Check the path and the space left."
        )
    except MemoryError:
        return _refused("There is not enough memory for this. Use a smaller resolution, or a smaller object.")
    except Exception as error:
        refused = _as_refused(error)
        if refused is not None:
            return _refused(refused)
        if os.environ.get("LIMUS_TRACE") == "1":
            raise
        return _refused(
            f"This could not be done, and it is a fault of Limus ({type(error).__name__}: {plain(error, 120)}). "
            "Run it again with LIMUS_TRACE=1 and report what it prints."
        )
    return 0


if __name__ == "__main__":
    sys.exit(main())
