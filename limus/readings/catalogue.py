"""All readings, by name."""

from __future__ import annotations

from limus import readings
from limus.common.registry import discover
from limus.readings.reading import Reading

READINGS: dict[str, type[Reading]] = discover(readings, Reading)
