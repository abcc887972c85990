"""How a parameter is declared: title, unit, description, hard limits and soft range, in one line.

The API publishes these as JSON Schema and the interface draws its controls from them.
"""

from __future__ import annotations

import re
from functools import cache
from typing import Annotated, Any, get_args

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from limus.common.refusal import refusal

#: Line breaks, and marks that turn the direction of what follows: on a screen a name with them reads as another one.
_NO_NAME = re.compile("[\x00-\x1f\x7f\x85\u2028\u2029\u202a-\u202e\u2066-\u2069]")


def _takes_numbers(annotation: Any) -> bool:
    inner = get_args(annotation)
    return annotation in (int, float) or (bool not in inner and any(_takes_numbers(one) for one in inner))


@cache
def _numbers_of(model: type[BaseModel]) -> frozenset[str]:
    """Fields that hold numbers, or several of them."""
    return frozenset(name for name, field in model.model_fields.items() if _takes_numbers(field.annotation))


class Document(BaseModel):
    """Base of everything in a scene document: unknown fields, NaN, and true or false for a number are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, validate_default=False)

    @model_validator(mode="before")
    @classmethod
    def _no_truth_for_a_number(cls, given: Any) -> Any:
        # Python takes true for 1.
        if isinstance(given, dict):
            for name, value in given.items():
                if (
                    value is True
                    or value is False
                    or (type(value) in (list, tuple) and (True in value or False in value))
                ):
                    _refuse_truth(cls, name, value)
        return given


def _refuse_truth(model: type[BaseModel], name: Any, value: Any) -> None:
    """Looked at only where there is a true or false, or a 0 or 1 that equals one."""
    if name not in _numbers_of(model):
        return
    for k, one in enumerate(value if isinstance(value, (list, tuple)) else [value]):
        if isinstance(one, bool):
            place = f"{name}[{k}]" if isinstance(value, (list, tuple)) else str(name)
            raise refusal(place, f"{str(one).lower()} is not a number", "Use a number", accepted="a number")


def _one_line(text: str) -> str:
    if _NO_NAME.search(text):
        raise refusal(
            "", "a name holds a line break or a mark that turns the direction of writing", "Type it again, on one line"
        )
    return text


#: The name of something, as it is shown in lists.
Name = Annotated[str, AfterValidator(_one_line)]


class _NamesFile:
    """Marks a text that is the name of a file."""


NAMES_FILE = _NamesFile()
#: The name of a file, relative to the document. Whoever keeps documents for others checks these and nothing else: see
#: ``named_files``.
FileName = Annotated[str, NAMES_FILE]


def number(
    default: float,
    title: str,
    unit: str,
    low: float,
    high: float,
    soft: tuple[float, float] | None = None,
    about: str = "",
    *,
    log: bool = False,
    **hints: Any,
) -> Any:
    """A number with hard limits ``low`` .. ``high`` and a ``soft`` range for sliders; ``log`` spaces the slider by
    ratio.

    Hints: ``when`` {field: value} shows the control only then; ``place`` "amount" puts it under "How much?"; ``step``
    is what the slider moves by;
    ``says`` is what follows the layer's coverage below the control. Every length says how its default ``grows`` with
    the object, see ``object_size``.
    """
    return Field(
        default,
        ge=low,
        le=high,
        title=title,
        description=about,
        json_schema_extra={
            "unit": unit,
            "soft": list(soft or (low, high)),
            "control": "slider",
            "scale": "log" if log else "linear",
            **hints,
        },
    )


def colour(default: tuple[float, float, float], title: str, about: str = "", **hints: Any) -> Any:
    """A colour: three linear Rec. 709 components 0..1."""
    return Field(
        default, title=title, description=about, json_schema_extra={"control": "colour", "unit": "linear", **hints}
    )


def choice(default: str, title: str, about: str = "", *, hints: Any = None, **names: Any) -> Any:
    """One of the words of a Literal type; ``names`` gives the text shown for each."""
    return Field(
        default,
        title=title,
        description=about,
        json_schema_extra={"control": "choice", "names": dict(names), **(hints or {})},
    )


def switch(default: bool, title: str, about: str = "", **hints: Any) -> Any:
    """On or off; ``hints`` go to the interface."""
    return Field(default, title=title, description=about, json_schema_extra={"control": "switch", **hints})
