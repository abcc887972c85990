"""Machines that work for this one: a Dask scheduler and its workers, all with the same edition of Limus."""

from __future__ import annotations

import contextlib
import ctypes
import platform
from collections.abc import Callable
from importlib.metadata import version
from pathlib import Path
from typing import Any

from limus import __version__
from limus.common.errors import InputError

#: Seconds that a scheduler is waited for.
PATIENCE = 10.0


def reach(address: str, where: str = "--scheduler") -> Any:
    """A client of the scheduler at ``address``; whoever asked closes it.

    Raises
    ------
    InputError : no address, or nobody answers there.
    """
    if not address.startswith(("tcp://", "tls://")):
        raise InputError(f"'{address[:60]}' is no address", where=where, remedy="Write tcp://host:8786")
    from distributed import Client

    try:
        made: Callable[..., Any] = Client
        return made(address, timeout=PATIENCE, set_as_default=False)
    except (OSError, TimeoutError, ValueError) as error:
        raise InputError(
            f"no scheduler answers at {address[:60]}", where=where,
            remedy="Start one with 'dask scheduler', and check host and port",
        ) from error  # fmt: skip


def edition() -> str:
    """What has to be the same everywhere."""
    fonts = len(list((Path(__file__).parent.parent / "fonts").glob("*.ttf")))
    return (
        f"Limus {__version__} with {fonts} fonts, Python {'.'.join(platform.python_version_tuple()[:2])}, "
        f"Dask {version('distributed')}, NumPy {version('numpy')}"
    )


def editions(client: Any, where: str = "--scheduler", workers: list[str] | None = None) -> dict[str, str]:
    """Address of each worker, or of those named -> its edition, or why it has none.

    Raises
    ------
    InputError : they cannot be asked.
    """
    try:
        found = client.run(edition, workers=workers, on_error="return")
    except Exception as error:
        raise InputError(
            "the workers do not understand this machine", where=where,
            remedy="Install the same edition of Limus on all of them",
        ) from error  # fmt: skip
    return {worker: one if isinstance(one, str) else "no Limus that can be used" for worker, one in found.items()}


def own_folder() -> Path:
    """On a worker: a folder that goes with it."""
    from distributed import get_worker

    return Path(get_worker().local_directory)


def give_back() -> None:
    """On a worker: memory that was let go goes back to the system, where it is glibc's, which keeps it for later. Dask
    would take it for used and let the worker begin nothing more.
    """
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").malloc_trim(0)


def own_memory() -> int | None:
    """On a worker: bytes that it may hold, where it has a limit."""
    from distributed import get_worker

    with contextlib.suppress(ValueError, AttributeError):
        limit = get_worker().memory_manager.memory_limit
        return int(limit) if limit else None
    return None
