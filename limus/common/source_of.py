"""The source of a function, taken apart."""

from __future__ import annotations

import ast
from functools import cache
from types import FunctionType


@cache
def _functions(path: str) -> dict[int, ast.FunctionDef]:
    """The functions of a file by the line that they begin on, counting what decorates them."""
    with open(path, encoding="utf-8") as file:
        tree = ast.parse(file.read())
    return {
        min([node.lineno, *(d.lineno for d in node.decorator_list)]): node
        for node in ast.walk(tree)
        if isinstance(node, ast.FunctionDef)
    }


def parsed(function: FunctionType) -> ast.FunctionDef:
    """The function as it is written; each file is read once.

    Raises
    ------
    KeyError : it is none that was written by ``def`` in a file.
    """
    code = function.__code__
    return _functions(code.co_filename)[code.co_firstlineno]
