"""Processes that do not outlive who started them."""

from __future__ import annotations

import ctypes
import os
import signal
from contextlib import suppress

_PR_SET_PDEATHSIG = 1


def die_with_parent(parent: int) -> None:
    """Have the system end this process when its ``parent``, by its number, ends, however that comes about (Linux;
    elsewhere nothing happens).

    Whoever starts it gives the number: the parent may be gone before this process comes to ask who it was.
    """
    with suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, int(signal.SIGKILL))
    if os.getppid() != parent:
        os._exit(1)
