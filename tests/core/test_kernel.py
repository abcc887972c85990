"""Compiled functions: what is frozen before they see it, and the list of what is compiled ahead."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from numba import types

from limus.common.compiling import compile_lines, line_of, listed, text_of, type_of
from limus.common.kernel import Kernel, kernel, written_by
from tools.kernels import kernels


@kernel
def _doubled(values, out):  # type: ignore[no-untyped-def]
    for i in range(len(values)):
        out[i] = values[i] * 2


@kernel
def _through(values, table, rows, out, more):  # type: ignore[no-untyped-def]
    row = rows[0]
    row[0] = table[1]
    out[0], other = values[0], values[1]
    more[0] += other
    _doubled(values, rows[1])


@kernel
def _asked(values):  # type: ignore[no-untyped-def]
    total = 0.0
    for i in range(len(values)):
        total += values[i]
    return total


class Frozen(TestCase):
    def test_what_is_written_is_found(self) -> None:
        names = ("values", "table", "rows", "out", "more")
        self.assertEqual({names[k] for k in _through.written}, {"rows", "out", "more"})
        self.assertEqual(_asked.written, frozenset())
        self.assertEqual(written_by(_doubled.function), {1})

    def test_one_compilation_whether_an_argument_may_be_written_or_not(self) -> None:
        values = np.arange(4, dtype=np.float32)
        frozen = values.copy()
        frozen.flags.writeable = False
        for given in (values, frozen):
            out = np.zeros(4, np.float32)
            _doubled(given, out)
            np.testing.assert_array_equal(out, [0, 2, 4, 6])
        of_floats = [s for s in _doubled.signatures if s[0].dtype == types.float32]
        self.assertEqual(len(of_floats), 1)
        self.assertTrue(values.flags.writeable, "the caller's own array stays as it was")

    def test_a_kernel_called_by_another_writes_for_it(self) -> None:
        rows, out, more = np.zeros((2, 3)), np.zeros(1), np.zeros(1)
        _through(np.array([1.0, 2.0, 3.0]), np.array([5.0, 7.0]), rows, out, more)
        np.testing.assert_array_equal(rows, [[7, 0, 0], [2, 4, 6]])
        self.assertEqual((out[0], more[0]), (1, 2))

    def test_what_must_not_be_written_is_not(self) -> None:
        frozen = np.zeros(4, np.float32)
        frozen.flags.writeable = False
        with self.assertRaisesRegex(Exception, "readonly|read-only"):
            _doubled(np.ones(4, np.float32), frozen)
        np.testing.assert_array_equal(frozen, 0)


class Ahead(TestCase):
    def test_types_are_written_and_read(self) -> None:
        for of, text in (
            (types.float32, "float32"),
            (types.boolean, "bool"),
            (types.Array(types.float32, 1, "C", readonly=True), "float32[::1]r"),
            (types.Array(types.int64, 2, "C"), "int64[:,::1]"),
            (types.Array(types.float64, 2, "F"), "float64[::1,:]"),
            (types.Array(types.uint16, 3, "A"), "uint16[:,:,:]"),
        ):
            self.assertEqual(text_of(of), text)
            self.assertEqual(type_of(text), of)
        for wrong in ("", "float32[", "Array", "float32[x]", "nothing[::1]"):
            with self.assertRaises(ValueError):
                type_of(wrong)

    def test_the_list_is_of_the_kernels_there_are(self) -> None:
        there = {f"{one.__module__}.{one.__name__}": one for one in kernels()}
        named = {line.partition("(")[0] for lines in listed().values() for line in lines}
        self.assertEqual(named - set(there), set(), "gone: run tools/kernels.py")
        self.assertEqual(set(there) - named, set(), "not compiled ahead: run tools/kernels.py")
        for lines in listed().values():
            for line in lines:
                name, _, arguments = line.removesuffix(")").partition("(")
                given = [type_of(text) for text in arguments.split("; ")]
                self.assertEqual(len(given), there[name].function.__code__.co_argcount, line)  # type: ignore[attr-defined]
                for k, one in enumerate(given):
                    if isinstance(one, types.Array):
                        # What a kernel writes it is given as it is; everything else frozen.
                        self.assertFalse(k in there[name].written and not one.mutable, line)

    def test_what_is_listed_is_what_is_called(self) -> None:
        signature = (types.Array(types.float32, 1, "C", readonly=True), types.Array(types.float32, 1, "C"))
        line = line_of(_doubled, signature)
        fresh = Kernel(_doubled.function)
        fresh.__name__ = "_doubled"
        globals()["_doubled"], before = fresh, _doubled
        try:
            gone, changed = line.replace("_doubled", "_gone"), line.replace(")", "; int64)")
            self.assertEqual(compile_lines([line, gone, changed]), 1)
            self.assertEqual(fresh.signatures, [signature])
            fresh(np.ones(3, np.float32), np.zeros(3, np.float32))
            self.assertEqual(fresh.signatures, [signature])
        finally:
            globals()["_doubled"] = before
