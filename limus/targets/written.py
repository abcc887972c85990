"""A file of a delivery, and names that every file system takes."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from limus.surface.mesh import distinct


@dataclass(frozen=True)
class Written:
    """One file of a delivery."""

    name: str
    data: bytes


def file_stem(name: str, otherwise: str = "object") -> str:
    """A name that every file system takes; ``otherwise`` where nothing of it is left."""
    return re.sub(r"[^A-Za-z0-9]+", "-", name).strip("-").lower()[:100].rstrip("-") or otherwise


def map_set_stems(names: Iterable[str]) -> tuple[str, ...]:
    """A file name for each map set, no two alike, the same at every export."""
    return distinct((file_stem(name, "map-set") for name in names), "-")
