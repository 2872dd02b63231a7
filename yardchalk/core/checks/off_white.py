"""Pixels of the written file that are meant as backdrop and are not white."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, islands, larger_than
from yardchalk.core.colour import Coded, Float, Mask, darkest, top
from yardchalk.core.compiled import compiled

# JPEG compresses by blocks of 8 px (16 with the smoothing across them), so next to an edge it moves backdrop pixels.
_BLOCKS = 16
MOVED_FLOOR = 250
TOUCHING = 3  # px; nearer than this a block cannot hold edge and white both
_LISTED = 40


def within(alpha: Float, distance: int) -> Mask:
    """Pixels nearer to the product than a distance, px (in rows and columns)."""
    size = 2 * distance + 1
    return cv2.dilate((alpha > 0).astype(np.uint8), np.ones((size, size), np.uint8)) > 0


@compiled
def _short_of(low: Coded, alpha: Float, level: int) -> Mask:
    """Where nothing covers the canvas and the darkest channel is under the level."""
    out = np.empty(low.shape, np.bool_)
    for y in range(low.shape[0]):
        for x in range(low.shape[1]):
            out[y, x] = alpha[y, x] == 0 and low[y, x] < level
    return out


def check(c: Checked) -> list[Finding]:
    """Islands of backdrop pixels with any channel under the spec's level, worst first; JPEG's own as a note."""
    if c.spec.background != "white":
        return []
    step = top(c.result.dtype) // 255
    low = darkest(c.result)
    covered = np.maximum(c.alpha, c.shadow)
    off = _short_of(low, covered, c.spec.limits.white_level * step)
    if not off.any():
        return []
    findings = []
    if c.spec.file == "jpeg":
        moved = off & within(covered, _BLOCKS) & ((low >= MOVED_FLOOR * step) | within(covered, TOUCHING))
        count = int(moved.sum())
        if count:
            least = int(low[moved].min()) // step
            findings.append(
                Finding(
                    check="off-white",
                    severity="note",
                    message=f"JPEG compression moved {count:,} px within {_BLOCKS} px of the product, the darkest to {least}",
                    figure=count,
                    limit=0,
                    unit="px",
                    stage="deliver",
                )
            )
        off &= ~moved
    pieces = islands(off)
    for i in larger_than(pieces, 0, _LISTED):
        box, area = pieces.box(i), int(pieces.area[i])
        least = int(low[box][pieces.labels[box] == i].min()) // step
        findings.append(
            Finding(
                check="off-white",
                severity="fix",
                message=f"Backdrop is not white: {area:,} px, darkest {least}",
                place=c.piece_on_result(pieces, i),
                figure=area,
                limit=0,
                unit="px",
                stage="clear",
                tool="rub",
            )
        )
    return findings
