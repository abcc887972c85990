"""Compiling ahead: every kernel for the arguments it is called with, on all cores, before anybody waits for it.

``kernels.txt`` beside this file lists them, one a line: ``module.function(types)`` as Numba writes types, a read-only
array with an ``r`` behind it. One that is missing is compiled when it is first called; ``tools/kernels.py`` writes the
list anew.
"""

from __future__ import annotations

import importlib
import multiprocessing
import re
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

from numba import types
from numba.core.errors import NumbaError

from limus.common.kernel import Kernel
from limus.common.parallel import WORKERS

LIST = Path(__file__).with_name("kernels.txt")
_ARRAY = re.compile(r"(\w+)(?:\[([:,1 ]+)\])?(r?)")


def text_of(of: Any) -> str:
    """A type of an argument as the list has it.

    Raises
    ------
    ValueError : neither a number nor an array of numbers.
    """
    of = types.unliteral(of)  # type: ignore[no-untyped-call]
    if isinstance(of, types.Array) and of.aligned:
        axes = [":"] * of.ndim
        if of.layout == "C":
            axes[-1] = "::1"
        elif of.layout == "F":
            axes[0] = "::1"
        return f"{of.dtype}[{','.join(axes)}]{'' if of.mutable else 'r'}"
    if isinstance(of, types.Number | types.Boolean):
        return str(of)
    raise ValueError(f"{of} has no place in the list of kernels")


def type_of(text: str) -> Any:
    """The other way round.

    Raises
    ------
    ValueError : not a type.
    """
    match = _ARRAY.fullmatch(text)
    number: Any = getattr(types, match[1], None) if match else None
    if match is None or not isinstance(number, types.Number | types.Boolean):
        raise ValueError(f"'{text}' is no type of an argument")
    if match[2] is None:
        return number
    axes = match[2].split(",")
    layout: Any = "C" if axes[-1] == "::1" else "F" if axes[0] == "::1" else "A"
    return types.Array(number, len(axes), layout, readonly=bool(match[3]))


def line_of(kernel: Kernel, signature: tuple[types.Type, ...]) -> str:
    """A line of the list."""
    return f"{kernel.__module__}.{kernel.__name__}({'; '.join(text_of(t) for t in signature)})"


def listed() -> dict[str, list[str]]:
    """The list by module."""
    out: dict[str, list[str]] = {}
    for line in LIST.read_text(encoding="utf-8").splitlines():
        out.setdefault(line.partition("(")[0].rpartition(".")[0], []).append(line)
    return out


def compile_lines(lines: list[str]) -> int:
    """Compile lines of the list, or load what was compiled; how many there were. One that is out of date is left: it
    is compiled as it is called, when it is.
    """
    done = 0
    for line in lines:
        name, _, arguments = line.removesuffix(")").partition("(")
        module, _, function = name.rpartition(".")
        found: Any = getattr(importlib.import_module(module), function, None)
        if isinstance(found, Kernel):
            with suppress(NumbaError, TypeError):
                found.compile(tuple(type_of(text) for text in arguments.split("; ") if text))
                done += 1
    return done


def compile_all(say: Callable[[int, int], None] = lambda done, of: None) -> int:
    """Compile the whole list, a module at a time in as many processes as there are cores: two at one module would
    overwrite each other's index. Calls ``say(done, of)``; returns how many kernels there are.
    """
    jobs = sorted(listed().values(), key=len, reverse=True)
    count = sum(len(job) for job in jobs)
    done = 0
    context = multiprocessing.get_context("spawn")
    with context.Pool(WORKERS) as pool:
        for one in pool.imap_unordered(compile_lines, jobs):
            done += one
            say(done, count)
    return done
