"""Functions over arrays, compiled by Numba and kept on disk."""

from __future__ import annotations

import ast
from collections.abc import Callable
from functools import cache, cached_property
from typing import Any

import numba
import numpy as np

from limus.common.source_of import parsed

#: Methods that change the array they belong to.
CHANGING = {"fill", "sort", "partition", "put", "itemset"}


class Kernel:
    """A compiled function that releases the GIL; called like the function, also from another kernel.

    What a kernel does not write it is given read-only. Numba compiles arrays that may be written and those that may not
    as different types: without this, a mask that a store has frozen would make a kernel compile a second time in the
    middle of a drag. What is written is read off the source; where that misses a place, compiling says so.
    """

    def __init__(self, function: Callable[..., Any]) -> None:
        self.compiled: Any = numba.njit(
            cache=True, nogil=True, error_model="numpy", fastmath={"contract", "arcp", "nsz"}
        )(function)
        self.function = function
        self.__doc__ = function.__doc__
        self.__name__ = function.__name__
        self.__module__ = function.__module__

    @property
    def _numba_type_(self) -> Any:
        """What Numba takes it for where another kernel calls it."""
        return self.compiled._numba_type_

    @property
    def signatures(self) -> list[tuple[Any, ...]]:
        """Types of arguments it is compiled for in this process."""
        return list(self.compiled.signatures)

    @cached_property
    def written(self) -> frozenset[int]:
        """Places of the arguments that it writes into."""
        return written_by(self.function)

    def compile(self, types: tuple[Any, ...]) -> None:
        """Compile for these types of Numba, or load it where that was done."""
        self.compiled.compile(types)

    def __call__(self, *args: Any) -> Any:
        written = self.written
        return self.compiled(
            *[
                _frozen(a) if isinstance(a, np.ndarray) and k not in written and a.flags.writeable else a
                for k, a in enumerate(args)
            ]
        )


def kernel(function: Callable[..., Any]) -> Kernel:
    """Compile ``function`` when it is first called."""
    return Kernel(function)


#: A small function that becomes part of the loops that call it when machine code is made, so that these can be turned
#: into vector instructions. (Pasted in before types are inferred, as Numba can as well, it takes up to seven times as
#: long to compile and is no faster.)
inlined = numba.njit(forceinline=True, error_model="numpy", fastmath={"contract", "arcp", "nsz"})


@inlined
def fading(x):  # type: ignore[no-untyped-def]
    """exp(-x) for a float32 x from 0, to about 2e-7: no call, so that loops over it become vector instructions.

    The nearest whole number to x / ln 2 goes into the bits of the exponent, the rest through the Taylor series; 0
    gives exactly 1.
    """
    z = min(x * np.float32(1.4426950408889634), np.float32(126.0))
    k = np.int32(z + np.float32(0.5))
    y = (z - np.float32(k)) * np.float32(0.6931471805599453)
    p = np.float32(1.0) - y * (
        np.float32(1.0)
        - y
        * (
            np.float32(0.5)
            - y * (np.float32(1 / 6) - y * (np.float32(1 / 24) - y * (np.float32(1 / 120) - y * np.float32(1 / 720))))
        )
    )
    return p * np.int32((127 - k) << 23).view(np.float32)


def _frozen(array: np.ndarray) -> np.ndarray:
    """The same values behind a view that may not be written."""
    view = array.view(np.ndarray)
    view.flags.writeable = False
    return view


@cache
def written_by(function: Callable[..., Any]) -> frozenset[int]:
    """Places of the parameters whose elements ``function`` sets: itself, through a name for a part of one, or by a
    kernel that it calls.
    """
    node = parsed(function)  # type: ignore[arg-type]
    names = [a.arg for a in node.args.args]
    #: Name in the function -> the parameter it is a part of.
    part_of = {name: name for name in names}
    found: set[str] = set()

    def root(at: ast.AST) -> str | None:
        while isinstance(at, ast.Subscript | ast.Attribute | ast.Starred):
            at = at.value
        return part_of.get(at.id) if isinstance(at, ast.Name) else None

    def set_(target: ast.AST) -> None:
        if isinstance(target, ast.Tuple):
            for one in target.elts:
                set_(one)
        elif isinstance(target, ast.Subscript) and (name := root(target)):
            found.add(name)

    # From top to bottom, so that a name for a part is known before it is written.
    for at in sorted(
        (n for n in ast.walk(node) if isinstance(n, ast.stmt | ast.expr)), key=lambda n: (n.lineno, n.col_offset)
    ):
        if isinstance(at, ast.Assign):
            pairs = [(target, at.value) for target in at.targets]
            for target, value in list(pairs):
                if isinstance(target, ast.Tuple) and isinstance(value, ast.Tuple):
                    pairs += zip(target.elts, value.elts, strict=True)
            for target, value in pairs:
                set_(target)
                if isinstance(target, ast.Name) and (name := root(value)):
                    part_of[target.id] = name
        elif isinstance(at, ast.AugAssign):
            set_(at.target)
        elif isinstance(at, ast.Call):
            if isinstance(at.func, ast.Attribute) and at.func.attr in CHANGING and (name := root(at.func.value)):
                found.add(name)
            called = function.__globals__.get(at.func.id) if isinstance(at.func, ast.Name) else None  # type: ignore[attr-defined]
            inner = called.function if isinstance(called, Kernel) else getattr(called, "py_func", None)
            # One that calls itself writes what the rest of it writes.
            if inner is not None and inner is not function:
                writes = written_by(inner)
                found.update(name for k, arg in enumerate(at.args) if k in writes and (name := root(arg)))
    return frozenset(k for k, name in enumerate(names) if name in found)
