"""The benchmark; ``LIMUS_BENCH=quick`` runs all of it at an eighth of the resolution, to see that it still runs: its
figures mean nothing then.
"""

import os

from limus.surface import pyramid

#: Whether figures are wanted, or only that everything runs.
QUICK = os.environ.get("LIMUS_BENCH") == "quick"

#: Texels of the very size that is asked for.
texels_at = pyramid.texels_of
if QUICK:
    # Before any part of it takes the function in.
    pyramid.texels_of = lambda mesh, size: texels_at(mesh, max(48, size // 8))  # type: ignore[assignment]
