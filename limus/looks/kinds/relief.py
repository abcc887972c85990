"""The relief of the finished surface."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen


class ReliefLook(LookThrough):
    """Millimetres above the base mesh, without the last hundredths at both ends."""

    kind: ClassVar[str] = "relief"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        relief = seen.chronicle.finish(seen.pile).relief
        low, high = (float(np.quantile(relief[:: max(1, len(relief) // 20000)], q)) for q in (0.005, 0.995))
        return Shown("Relief", relief, low=low, high=max(high, low + 1e-4), unit="mm", words=("low", "high"))
