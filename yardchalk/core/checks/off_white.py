"""Pixels of the written file that are meant as backdrop and are not white."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, islands, larger_than
from yardchalk.core.colour import Coded, Float, Mask, darkest, top
from yardchalk.core.compiled import compiled
from yardchalk.core.listing import WITH_QUALITY
from yardchalk.core.regions import disc

# JPEG compresses by blocks of 8 px (16 with the smoothing across them), so next to an edge it moves backdrop pixels.
BLOCKS = 16
MOVED_FLOOR = 250
TOUCHING = 3  # px; nearer than this a block cannot hold edge and white both
_LISTED = 40
COLOUR_STEPS = 3  # levels that a plain colour may be off in a lossy file


def within(alpha: Float, distance: int) -> Mask:
    """Pixels nearer to the product than a distance, px (in rows and columns)."""
    size = 2 * distance + 1
    return cv2.dilate((alpha > 0).astype(np.uint8), np.ones((size, size), np.uint8)) > 0


def touching(alpha: Float) -> Mask:
    """Pixels so near to the product, all round, that compression may move them as it has to."""
    return cv2.dilate((alpha > 0).astype(np.uint8), disc(2 * TOUCHING + 1)) > 0


@compiled
def _short_of(low: Coded, alpha: Float, level: int) -> Mask:
    """Where nothing covers the canvas and the darkest channel is under the level."""
    out = np.empty(low.shape, np.bool_)
    for y in range(low.shape[0]):
        for x in range(low.shape[1]):
            out[y, x] = alpha[y, x] == 0 and low[y, x] < level
    return out


def nearness(result: Coded, behind: tuple[int, int, int]) -> Coded:
    """How near each pixel's worst channel is to what lies behind: full level is exactly that, in the depth of the result."""
    if behind == (255, 255, 255):
        return darkest(result)
    step = top(result.dtype) // 255
    away = np.abs(result.astype(np.int32) - np.array(behind) * step).max(2)
    return (255 * step - away).astype(result.dtype)


def check(c: Checked) -> list[Finding]:
    """Islands of backdrop pixels with any channel under the spec's level, worst first; what compression moved as a note.

    Before a colour instead of white, levels are those that a pixel's worst channel is short of it.
    """
    behind = c.spec.behind
    if behind is None or c.spec.file == "matte":
        return []
    white, lossy = c.spec.background == "white", c.spec.file in WITH_QUALITY and not c.spec.lossless
    step = top(c.result.dtype) // 255
    low = nearness(c.result, behind)
    covered = c.laid_over
    # A lossy file keeps luminance and chroma in whole steps, so a plain colour comes back a step off at most.
    level = c.spec.limits.white_level if white or not lossy else min(c.spec.limits.white_level, 255 - COLOUR_STEPS)
    off = _short_of(low, covered, level * step)
    if not off.any():
        return []
    findings = []
    if lossy:
        moved = off & within(covered, BLOCKS) & ((low >= MOVED_FLOOR * step) | touching(covered))
        count = int(moved.sum())
        if count:
            least = int(low[moved].min()) // step
            findings.append(
                Finding(
                    check="off-white",
                    severity="note",
                    message=f"Compression moved {count:,} px within {BLOCKS} px of the product, the darkest to {least}",
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
                message=f"Backdrop is not white: {area:,} px, darkest {least}"
                if white
                else f"Backdrop is not {c.spec.colour}: {area:,} px, up to {255 - least} levels off",
                place=c.piece_on_result(pieces, i),
                figure=area,
                limit=0,
                unit="px",
                stage="clear",
                tool="rub",
            )
        )
    return findings
