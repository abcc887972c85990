"""Colour that breaks off where the UVs do."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

import numpy as np

from limus.common.colour import luminance, to_srgb
from limus.findings.finding import Finding, Found
from limus.looks.seen import Seen

#: How much more two texels on both sides of a seam differ than neighbours elsewhere, and by how much at least (encoded
#: 0..1), before an eye finds the line.
TIMES, LEAST = 3.0, 0.04
#: Pairs that say something.
PAIRS = 40


class Seams(Finding):
    """Neighbours over a UV seam differ far more in colour than neighbours elsewhere: a line will be seen."""

    kind: ClassVar[str] = "seams"
    order: ClassVar[int] = 18
    title: ClassVar[str] = "A seam shows"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        texels = seen.chronicle.texels
        colour = np.broadcast_to(seen.pile.visible()["base_color"], (len(texels), 3))
        tone = to_srgb(luminance(np.ascontiguousarray(colour, np.float32)))
        over, inside, part = [], [], texels.part
        for links in texels.links.T:
            there = links >= 0
            here = np.flatnonzero(there)
            other = links[there]
            off = np.abs(tone[here] - tone[other])
            apart = np.abs(texels.pixel[here].astype(np.int64) - texels.pixel[other].astype(np.int64))
            seam = (apart != 1) & (apart != texels.size)
            # Two parts that meet may well be of different things.
            seam_of_one = seam & (part[here] == part[other])
            over.append(off[seam_of_one])
            inside.append(off[~seam])
        across, within = np.concatenate(over), np.concatenate(inside)
        if len(across) < PAIRS or not len(within):
            return
        usual, found = float(within.mean()), float(across.mean())
        if found > LEAST and found > TIMES * max(usual, 1e-4):
            yield self.found(
                "warning",
                f"Colours differ {found / max(usual, 1e-4):.0f} times as much over UV seams as elsewhere",
                "A line will be seen wherever the UVs are cut, and nothing later hides it",
                how="Take pictures and patterns from three sides or through the body, not by the UVs; look at the UV "
                "view to see where they are cut",
            )
