"""What a step of an effect looks at, so that nobody lists by hand what its result hangs on.

A step is a method of an effect, or a function of an event, whose result is kept. What it looks at is read off its
source, and off the source of whatever it hands its effect or its event to: fields of the effect, and the mask, the
strength, the pile or the marks of the base before it. Every branch counts, so a result may be made again without need
but is never stale; where it cannot be told, the first use says so.
"""

from __future__ import annotations

import ast
import inspect
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from types import FunctionType
from typing import Any, NoReturn

from pydantic import BaseModel

from limus.common.source_of import parsed

#: What may be looked at of an event and changes what comes out -> what its value is known by. All else of an event is
#: in every key (the object, the place, the layer, its seed), or is no business of a step.
KNOWN_BY: Mapping[str, Callable[[Any], Any]] = {
    "mask": lambda event: event.mask_key,
    "strength": lambda event: event.strength,
    "pile": lambda event: event.pile.key,
    "marks": lambda event: event.marks.key,
}
#: What is in every key.
ALWAYS = frozenset({"layer", "scope", "texels", "reads"})


@dataclass(frozen=True)
class LooksAt:
    """``fields`` of the effect; of the ``event`` what is among ``KNOWN_BY``."""

    fields: frozenset[str] = frozenset()
    event: frozenset[str] = frozenset()

    def __or__(self, other: LooksAt) -> LooksAt:
        return LooksAt(self.fields | other.fields, self.event | other.event)


def looks_at(function: FunctionType, effect: type | None, event: type) -> LooksAt:
    """What a step looks at.

    Parameters
    ----------
    function : its first parameter is the effect where ``effect`` is given, else the event. effect : the class that the
        step belongs to, or None. event : the class of events.

    Raises
    ------
    TypeError : the effect or the event goes where it cannot be followed, or something of the event is looked at that no
        key holds.
    """
    roles = ("effect", "event") if effect is not None else ("event",)
    with _alone:
        return _read(function, roles, effect, event)


#: One thread reads at a time: ``_under_way`` is the path that it is on.
_alone = threading.RLock()
_under_way: list[tuple[FunctionType, tuple[str, ...]]] = []


@cache
def _read(function: FunctionType, roles: tuple[str, ...], effect: type | None, event: type) -> LooksAt:
    reader = _Reader(function, roles, effect, event)
    _under_way.append((function, roles))
    try:
        reader.visit(reader.body)
    finally:
        _under_way.pop()
    return reader.found


class _Reader(ast.NodeVisitor):
    """Goes through one function; ``roles`` says of each parameter whether it is the effect, the event or neither."""

    def __init__(self, function: FunctionType, roles: tuple[str, ...], effect: type | None, event: type) -> None:
        self.function, self.effect, self.event = function, effect, event
        self.body = parsed(function)
        names = [a.arg for a in self.body.args.args]
        if any(roles[len(names) :]):
            self._lost("more than it names")
        self.roles = {name: role for name, role in zip(names, roles, strict=False) if role}
        self.found = LooksAt()

    def visit_FunctionDef(self, node: ast.FunctionDef) -> None:
        """Annotations look at nothing; defaults of a function within a function do."""
        for one in (*node.args.defaults, *node.args.kw_defaults, *node.body):
            if one is not None:
                self.visit(one)

    def visit_Name(self, node: ast.Name) -> None:
        """The effect or the event by itself, where it is neither looked into nor handed on."""
        if node.id in self.roles:
            self._lost(f"'{node.id}'")

    def visit_Attribute(self, node: ast.Attribute) -> None:
        """A field, a property, a method that is handed on."""
        role = self._role(node.value)
        if role is None:
            self.visit(node.value)
        elif role == "effect":
            self._of_effect(node.attr)
        else:
            self._of_event(node.attr)

    def visit_Call(self, node: ast.Call) -> None:
        """What is handed to a function is looked at by that function."""
        roles = tuple(self._role(one) or "" for one in node.args)
        of = self._role(node.func.value) if isinstance(node.func, ast.Attribute) else None
        name = node.func.attr if isinstance(node.func, ast.Attribute) else ""
        if (of, name) == ("event", "step") and isinstance(self._named(node.args[0]), FunctionType):
            self._into(self._named(node.args[0]), ("event",))
        for one, role in zip(node.args, roles, strict=True):
            if not role:
                self.visit(one)
        for keyword in node.keywords:
            self.visit(keyword.value)
        if of is not None:
            self._method(of, name, roles)
        elif any(roles):
            callee = self._named(node.func)
            if not isinstance(callee, FunctionType):
                self._lost(ast.unparse(node.func))
            else:
                self._into(callee, roles)
        else:
            self.visit(node.func)

    def _role(self, node: ast.expr) -> str | None:
        return self.roles.get(node.id) if isinstance(node, ast.Name) else None

    def _of_effect(self, name: str) -> None:
        assert self.effect is not None
        if issubclass(self.effect, BaseModel) and name in self.effect.model_fields:
            self.found |= LooksAt(frozenset({name}))
            return
        self._attribute("effect", self.effect, name)

    def _of_event(self, name: str) -> None:
        if name in KNOWN_BY:
            self.found |= LooksAt(event=frozenset({name}))
        elif name not in ALWAYS:
            self._attribute("event", self.event, name)

    def _attribute(self, role: str, of: type, name: str) -> None:
        static = inspect.getattr_static(of, name, None)
        if static is None or (issubclass(of, BaseModel) and hasattr(BaseModel, name)):
            self._lost(f"'{name}'")
        if isinstance(static, property):
            self._into(static.fget, (role,))
        elif isinstance(static, staticmethod):
            # Handed on as a step of its own: whoever calls it gives it the event.
            self._into(static.__func__, ("event",))
        elif isinstance(static, FunctionType):
            self._into(static, (role, "event") if role == "effect" else (role,))

    def _method(self, role: str, name: str, roles: tuple[str, ...]) -> None:
        of = self.effect if role == "effect" else self.event
        assert of is not None
        static = inspect.getattr_static(of, name, None)
        if issubclass(of, BaseModel) and hasattr(BaseModel, name):
            self._lost(f"'{name}'")
        if role == "event" and name == "step":
            # What it looks at was found where it is named.
            return
        if isinstance(static, staticmethod):
            self._into(static.__func__, roles)
        elif isinstance(static, FunctionType):
            self._into(static, (role, *roles))
        elif not isinstance(static, classmethod):
            self._lost(f"'{name}'")

    def _named(self, node: ast.expr) -> Any:
        """What a name stands for in the module of the function; None for one of its own."""
        code = self.function.__code__
        if isinstance(node, ast.Name) and node.id not in (*code.co_varnames, *code.co_cellvars):
            return self.function.__globals__.get(node.id)
        return None

    def _into(self, callee: Any, roles: tuple[str, ...]) -> None:
        if (callee, roles) == _under_way[-1]:
            # It calls itself, and looks at what it looks at.
            return
        if (callee, roles) in _under_way:
            # Whichever of a circle is read first would be kept with a part of what it looks at.
            self._lost(f"what comes back to it from {callee.__qualname__}")
        self.found |= _read(callee, roles, self.effect, self.event)

    def _lost(self, what: str) -> NoReturn:
        name = f"{self.function.__module__}.{self.function.__qualname__}"
        raise TypeError(f"{name} hands on {what}, and what that looks at cannot be told")
