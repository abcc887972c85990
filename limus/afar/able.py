"""Which workers can begin something.

Dask lets a worker whose process holds four fifths of its limit begin nothing until it holds less, which may never be:
what waits for it would wait for ever.
"""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import Any


class Able:
    """Told now and then what a scheduler says of its workers.

    Parameters
    ----------
    patience : seconds that one may be paused before it no longer counts.
    """

    def __init__(self, patience: float) -> None:
        self._patience = patience
        #: Address -> since when it is paused and does nothing.
        self._idle: dict[str, float] = {}

    def threads(self, found: Mapping[str, Any]) -> dict[str, int]:
        """Address -> threads, of those that can begin something, or may again soon; ``found`` as ``workers_of`` has
        it.
        """
        now = time.monotonic()
        self._idle = {one: self._idle.get(one, now) for one, said in found.items() if _waits(said)}
        return {one: said["nthreads"] for one, said in found.items() if now - self._idle.get(one, now) < self._patience}


def workers_of(client: Any) -> dict[str, Any]:
    """Address -> what the scheduler says of each worker now.

    Raises
    ------
    OSError : it does not answer. (What the client itself says of it may be old then.)
    """
    found: dict[str, Any] = client.sync(client.scheduler.identity, n_workers=-1)["workers"]
    return found


def _waits(said: Mapping[str, Any]) -> bool:
    """Whether a worker is paused, and nothing is under way there whose end could free its memory."""
    return said["status"] == "paused" and not said["metrics"].get("task_counts", {}).get("executing", 0)
