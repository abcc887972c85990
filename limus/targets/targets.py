"""The targets that there are, by name."""

from __future__ import annotations

from limus.common.registry import discover
from limus.targets import kinds
from limus.targets.target import Target

TARGETS: dict[str, type[Target]] = discover(kinds, Target)
