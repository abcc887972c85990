"""Compiled loops over texels, shared out over the cores.

Kernels are compiled without Numba's own threads: those abort the process when several request threads start them at once.
Instead every kernel takes a range ``(start, end)`` and releases the GIL, and this module runs the ranges on a small pool.
"""

from __future__ import annotations

import itertools
import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numba

#: Threads that compute. One per core; set LIMUS_THREADS to use fewer.
WORKERS = max(1, int(os.environ.get("LIMUS_THREADS", "0")) or (os.cpu_count() or 1))
#: Below this many items the hand-over costs more than it saves.
SMALLEST_SHARE = 8192

_pool = ThreadPoolExecutor(max_workers=WORKERS, thread_name_prefix="limus")
_here = threading.local()


def kernel(function: Callable[..., Any]) -> Callable[..., Any]:
    """Compile ``function`` to a GIL-free kernel, cached on disk."""
    compiled: Callable[..., Any] = numba.njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract", "arcp", "nsz"})(
        function
    )
    return compiled


#: A small function that is pasted into the loops that call it, so that these can be turned into vector instructions.
inlined = numba.njit(inline="always", error_model="numpy", fastmath={"contract", "arcp", "nsz"})


def _run(function: Callable[..., Any], args: tuple[Any, ...]) -> Any:
    _here.inside = True
    try:
        return function(*args)
    finally:
        _here.inside = False


def for_ranges(function: Callable[..., Any], count: int, *args: Any, smallest: int = SMALLEST_SHARE) -> None:
    """Run ``function(start, end, *args)`` so that the ranges cover ``0 .. count`` once.

    ``smallest`` is the least number of items worth a hand-over. The ranges never overlap, so a kernel that writes only inside its range gives the same bytes on any number of cores.
    """
    if count <= 0:
        return
    shares = min(WORKERS * 4, max(1, count // smallest))
    if shares == 1 or WORKERS == 1 or getattr(_here, "inside", False):
        function(0, count, *args)
        return
    edges = [count * k // shares for k in range(shares + 1)]
    jobs = [_pool.submit(_run, function, (a, b, *args)) for a, b in itertools.pairwise(edges)]
    for job in jobs:
        job.result()


def map_blocks(function: Callable[..., Any], blocks: list[Any]) -> list[Any]:
    """Run ``function(block)`` for every block on the pool and return the results in order."""
    if len(blocks) < 2 or WORKERS == 1 or getattr(_here, "inside", False):
        return [function(b) for b in blocks]
    return list(_pool.map(lambda b: _run(function, (b,)), blocks))
