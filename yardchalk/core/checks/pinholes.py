"""Holes within the product that nobody asked for: thin places whose light is not the backdrop's."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, by_size
from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled
from yardchalk.core.regions import Pieces, pieces_of

_SOLID = 0.9
_THROUGH = 0.05  # where coverage is less, it is a gap, and the backdrop is seen
_LISTED = 40
_ROUND = (3, 11)  # px; what lies between these widths round a hole must be solid
_FIRM = 0.97  # share of it


def check(c: Checked) -> list[Finding]:
    """Pieces of thin coverage with product all round and no clear gap in them, larger than the limit; notes among bristles."""
    if c.given:
        return []
    # Of a photo that is enlarged, holes are as much larger.
    limit = c.spec.limits.pinholes * max(1.0, c.placing.scale) ** 2
    pieces = pieces_of(_thin(c.alpha), diagonal=True)
    beside_gap = cv2.dilate((c.alpha < _THROUGH).view(np.uint8), np.ones((3, 3), np.uint8)) > 0
    edges = np.zeros(pieces.area.size, bool)
    edges[pieces.labels[beside_gap & (pieces.labels > 0)]] = True
    h, w = c.alpha.shape
    found: list[Finding] = []
    for i in by_size(pieces):
        if pieces.area[i] <= limit or len(found) == _LISTED:
            break
        x, y, width, height = pieces.rect(i)
        if edges[i] or x == 0 or y == 0 or x + width == w or y + height == h:
            continue
        if not _in_solid(pieces, i, c.alpha):
            continue  # among bristles or in ink, thin is how the product is
        box = pieces.box(i)
        least = float(c.alpha[box][pieces.labels[box] == i].min())
        found.append(
            Finding(
                check="pinholes",
                severity="note" if c.thin_share > c.spec.limits.fine_detail else "look",
                message=f"The product is thin in one place: {int(pieces.area[i]):,} px, down to {100 * least:.0f} %",
                place=c.piece_on_result(pieces, i),
                figure=int(pieces.area[i]),
                limit=limit,
                unit="px",
                stage="clear",
                tool="outline",
            )
        )
    return found


def _in_solid(pieces: Pieces, label: int, alpha: Float) -> bool:
    """Whether a piece is a hole in something solid."""
    around = pieces.box(label, margin=_ROUND[1])
    hole = (pieces.labels[around] == label).view(np.uint8)
    near, far = (cv2.dilate(hole, np.ones((size, size), np.uint8)) > 0 for size in _ROUND)
    return float((alpha[around][far & ~near] >= 0.97).mean()) >= _FIRM


@compiled
def _thin(alpha: Float) -> Mask:
    out = np.empty(alpha.shape, np.bool_)
    for y in range(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            out[y, x] = _THROUGH <= alpha[y, x] < _SOLID
    return out
