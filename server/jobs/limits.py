"""What a job may take: seconds, bytes of memory, attempts."""

from __future__ import annotations

from dataclasses import dataclass

from django.conf import settings

#: How often a step of a job is begun before it is given up.
ATTEMPTS = 3
#: An export at 16384 draws for an hour, and says all the while how far it is; a batch has many of them.
_SECONDS = {"inspect": 180.0, "measure": 1800.0, "unwrap": 1800.0, "export": 12 * 3600.0, "batch": 48 * 3600.0}
#: Looking at a file needs little; a file that needs more is not one we want.
_INSPECT_BYTES = 4 << 30


@dataclass(frozen=True)
class Limits:
    """``seconds`` of one attempt, and ``memory`` in bytes beyond what a process has at its start."""

    seconds: float
    memory: int


def limits_of(kind: str) -> Limits:
    """Those of a kind of job; ``settings.JOB_MEMORY`` is the most for any."""
    memory: int = settings.JOB_MEMORY
    return Limits(
        _SECONDS.get(kind, 1800.0) * settings.JOB_PATIENCE, min(memory, _INSPECT_BYTES) if kind == "inspect" else memory
    )
