"""How large the object is, and what sizes suit it.

A chip on a teaspoon is not the scaled-down chip of a sluice gate, but it is smaller. So every length of a default is
declared for an object of one metre together with the exponent by which it grows with the object's diagonal: 0 for what
has a size of its own (film thickness, grain of dust), about 0.5 for what depends on both (chips, flecks, rounded
edges), 1 for what is a share of the whole. Only defaults are fitted; what somebody typed is never rescaled.
"""

from __future__ import annotations

import math
from copy import deepcopy
from dataclasses import dataclass
from functools import cache
from typing import Any

from pydantic import BaseModel

#: Diagonals in metres beyond which defaults follow no more.
SMALLEST, LARGEST = 1e-3, 500.0


@dataclass(frozen=True)
class ObjectSize:
    """``diagonal_m``: of the object's bounding box, metres."""

    diagonal_m: float = 1.0

    def factor(self, grows: float) -> float:
        """By how much a length with this exponent is larger than on an object of one metre."""
        return float(min(max(self.diagonal_m, SMALLEST), LARGEST) ** grows)

    def mm(self, on_one_metre: float, grows: float) -> float:
        """A length in mm on this object, two digits of it."""
        length = on_one_metre * self.factor(grows)
        return length if self == ONE_METRE else float(f"{length:.2g}")

    @property
    def rounded(self) -> ObjectSize:
        """Two digits: objects of about one size share their defaults."""
        return ObjectSize(float(f"{min(max(self.diagonal_m, SMALLEST), LARGEST):.2g}"))

    def fields(self, model: type[BaseModel]) -> dict[str, float]:
        """The fitted defaults of all fields of ``model`` that grow with the object."""
        out: dict[str, float] = {}
        for name, field in model.model_fields.items():
            hints = field.json_schema_extra
            grows = hints.get("grows") if isinstance(hints, dict) else None
            if isinstance(grows, (int, float)) and grows and isinstance(field.default, (int, float)) and field.default:
                out[name] = within(model, name, self.mm(float(field.default), float(grows)))
        return out

    def schema(self, model: type[BaseModel]) -> dict[str, Any]:
        """The JSON schema of ``model`` with defaults and soft ranges that suit this object."""
        out = deepcopy(_schema(model))
        for name, value in self.fields(model).items():
            entry = out["properties"][name]
            factor = value / float(entry["default"])
            entry["default"] = value
            low, high = entry.get("minimum", -math.inf), entry.get("maximum", math.inf)
            entry["soft"] = [min(max(float(f"{x * factor:.2g}"), low), high) for x in entry["soft"]]
        return out


@cache
def _schema(model: type[BaseModel]) -> dict[str, Any]:
    return model.model_json_schema()


def within(model: type[BaseModel], name: str, value: float) -> float:
    """``value`` inside the hard limits of a field."""
    for limit in model.model_fields[name].metadata:
        value = max(value, getattr(limit, "ge", value))
        value = min(value, getattr(limit, "le", value))
    return value


ONE_METRE = ObjectSize()
