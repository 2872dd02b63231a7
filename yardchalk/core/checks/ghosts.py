"""Faint islands apart from the product: coverage too small to be part of it, and enough to be seen on another card."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, islands, larger_than
from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled

_FAINT = 0.1
_EDGE, _TAIL = 3, 4.0  # px; an edge may reach this far; and one that is spread widely, so many times its spread
_FARTHEST = 48  # px; also where a photo of a few px is enlarged a thousand times
_LISTED = 40


def check(c: Checked) -> list[Finding]:
    """Islands of faint coverage farther from the product than an edge reaches, larger than the limit."""
    if c.given:
        return []
    # Of a photo that is enlarged, edges and islands are as much larger.
    larger = max(1.0, c.placing.scale)
    size = 2 * min(round(max(_EDGE * larger, _TAIL * c.spread)), _FARTHEST) + 1
    near = cv2.dilate((c.alpha >= _FAINT).view(np.uint8), np.ones((size, size), np.uint8))
    faint = _faint(c.alpha, near)
    limit = c.spec.limits.ghosts * larger**2
    pieces = islands(faint)
    return [
        Finding(
            check="ghosts",
            severity="look",
            message=f"A faint ghost is left apart from the product: {int(pieces.area[i]):,} px",
            place=c.piece_on_result(pieces, i),
            figure=int(pieces.area[i]),
            limit=limit,
            unit="px",
            stage="clear",
            tool="rub",
        )
        for i in larger_than(pieces, limit, _LISTED)
    ]


@compiled
def _faint(alpha: Float, near: Mask) -> Mask:
    out = np.empty(alpha.shape, np.bool_)
    for y in range(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            out[y, x] = not near[y, x] and 0 < alpha[y, x] < _FAINT
    return out
