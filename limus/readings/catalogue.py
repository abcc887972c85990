"""All readings, by name."""

from __future__ import annotations

from limus import readings
from limus.readings.reading import Reading
from limus.registry import discover

READINGS: dict[str, type[Reading]] = discover(readings, Reading)
