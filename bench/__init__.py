"""The benchmark; ``LIMUS_BENCH=quick`` runs all of it at an eighth of the resolution, to see that it still runs: its
figures mean nothing then.
"""

import os

#: Whether figures are wanted, or only that everything runs.
QUICK = os.environ.get("LIMUS_BENCH") == "quick"

if QUICK:
    # Before any part of it takes the function in.
    from limus.surface import pyramid

    _whole = pyramid.texels_of
    pyramid.texels_of = lambda mesh, size: _whole(mesh, max(48, size // 8))  # type: ignore[assignment]
