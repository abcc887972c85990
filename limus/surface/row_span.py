"""Where a row of pixels lies in a triangle."""

from __future__ import annotations

from limus.common.kernel import kernel


@kernel
def row_span(ax, ay, bx, by, cx, cy, y, flip, slack):  # type: ignore[no-untyped-def]
    """First and last place of row ``y`` within a triangle, in pixels; the first is larger where none is.

    ``flip``: 1 where the corners go round one way, -1 the other; ``slack``: how far outside still counts.
    """
    left, right = min(ax, bx, cx) - 1e-6, max(ax, bx, cx) + 1e-6
    for e in range(3):
        if e == 0:
            px, py, qx, qy = ax, ay, bx, by
        elif e == 1:
            px, py, qx, qy = bx, by, cx, cy
        else:
            px, py, qx, qy = cx, cy, ax, ay
        # inside: flip * ((qx-px)*(y-py) - (qy-py)*(x-px)) >= -slack
        constant = flip * ((qx - px) * (y - py) + (qy - py) * px) + slack
        slope = -flip * (qy - py)
        if slope > 1e-15:
            left = max(left, -constant / slope)
        elif slope < -1e-15:
            right = min(right, -constant / slope)
        elif constant < 0.0:
            return 1.0, 0.0
    return left, right
