"""Relief that is too steep for its size."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

import numpy as np

from limus.findings.finding import Finding, Found
from limus.looks.seen import Seen

#: Degrees from which a normal of fine relief counts as steep, and the share of the surface that may be.
STEEP_DEG, MAY = 65.0, 0.04


class SteepRelief(Finding):
    """Normals that lie flat over more than a little of the surface: in most light that is noise, not form."""

    kind: ClassVar[str] = "steep-relief"
    order: ClassVar[int] = 62
    title: ClassVar[str] = "Relief too steep for its size"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        texels = seen.chronicle.texels
        normal = seen.chronicle.finish(seen.pile).normal
        steep = (normal[:, 2] < np.cos(np.radians(STEEP_DEG))).astype(np.float32)
        share = texels.share(steep)
        if share > MAY:
            yield self.found(
                "warning",
                f"{share:.0%} of the surface leans more than {STEEP_DEG:.0f} degrees from its form",
                "Relief as steep as that over so much of it glitters as the light turns, and reads as too strong",
                how="Lower the relief of the layer or base that makes it; look through Relief and Normal",
            )
