"""How a parameter is declared: title, unit, description, hard limits and soft range, in one line.

The API publishes these as JSON Schema and the interface draws its controls from them.
"""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field


class Document(BaseModel):
    """Base of everything in a scene document: unknown fields and NaN are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, validate_default=False)


class _NamesFile:
    """Marks a text that is the name of a file."""


NAMES_FILE = _NamesFile()
#: The name of a file, relative to the document. Whoever keeps documents for others checks these and nothing else: see ``named_files``.
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
    """A number with hard limits ``low`` .. ``high`` and a ``soft`` range for sliders; ``log`` spaces the slider by ratio.

    Hints: ``when`` {field: value} shows the control only then; ``place`` "amount" puts it under "How much?"; ``step`` is what the slider moves by;
    ``says`` is what follows the layer's coverage below the control. Every length says how its default ``grows`` with the object, see ``object_size``.
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
    return Field(default, title=title, description=about, json_schema_extra={"control": "colour", "unit": "linear", **hints})


def choice(default: str, title: str, about: str = "", *, hints: Any = None, **names: Any) -> Any:
    """One of the words of a Literal type; ``names`` gives the text shown for each."""
    return Field(
        default, title=title, description=about, json_schema_extra={"control": "choice", "names": dict(names), **(hints or {})}
    )


def switch(default: bool, title: str, about: str = "", **hints: Any) -> Any:
    """On or off; ``hints`` go to the interface."""
    return Field(default, title=title, description=about, json_schema_extra={"control": "switch", **hints})
