"""Kept places that the backdrop explains: gaps in handles, between wires, sheets of paper between two products."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, islands, larger_than
from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled
from yardchalk.core.regions import Pieces
from yardchalk.core.stages.clear.evidence import Evidence

_CHECK = "left-behind"
_LEFT = "Backdrop may be left inside the product: {share:.2f} % of the photo looks like backdrop"
_GAP = "This may be a gap: a second look would rather take {share:.2f} % of the photo for backdrop here"
_LISTED = 40
_AROUND = 121  # px of the analysis picture
_EVEN = 16.0  # steepness, in units of the backdrop's noise
_PIXELS_HUE = 0.008  # on light paper; log light
# Of a place as a whole: its mean hue (on light paper) and shade in log light, and its median steepness.
_MEAN_HUE, _SHADED, _PLAIN = 0.0025, -0.3, 9.5
_LIT = 0.08  # log light; what is lighter than the backdrop is no backdrop seen through a gap
_DIM, _UNEVEN = -0.15, 0.04  # log light: mean and deviation of shade, over both of which a pale place is a label
_BELIEVED, _ALL_OF_IT = 0.95, 0.98  # of coverage by the second look, and share of a place that it must be so sure of
_TINTED = 0.012  # from this mean hue on it is no white paint, but a gap that the product round it tints


def check(c: Checked) -> list[Finding]:
    """Places of the product that have the backdrop's own colour, at most shaded, and no structure of their own."""
    if not c.evidence.support.any() or c.given:
        return []
    d = c.clearing.difference
    core = cv2.erode(c.kept.view(np.uint8), np.ones((5, 5), np.uint8)) > 0
    # Smooth over a wide window, so every fourth pixel will do.
    there = np.ascontiguousarray(core[::4, ::4])
    chroma = np.where(there, np.hypot(d[::4, ::4, 1], d[::4, ::4, 2]), np.float32(0))
    around = (_AROUND // 4, _AROUND // 4)
    local = cv2.blur(chroma, around) / np.maximum(cv2.blur(there.astype(np.float32), around), 0.05)
    alike = _alike(core, d, cv2.resize(local, core.shape[::-1]), c.evidence.steps, _PIXELS_HUE * c.evidence.coarse)
    alike = cv2.morphologyEx(alike.view(np.uint8), cv2.MORPH_OPEN, np.ones((5, 5), np.uint8)) > 0
    if c.by_hand is not None:
        alike &= ~c.by_hand
        core &= ~c.by_hand
    limit = c.spec.limits.left_behind
    whole = alike.size
    pieces = islands(_of_the_backdrop(islands(alike), d, c.evidence, limit / 100 * whole))
    if c.looked is not None:
        # White paint and labels that are the paper's own colour: what is round them tells.
        believed = pieces.means(((c.looked.coverage >= _BELIEVED) & ~c.looked.rules_stand)[..., None].astype(np.float32))[:, 0]
        doubted = believed < _ALL_OF_IT
        doubted[0] = False
        pieces = islands(pieces.chosen(doubted))
    listed = larger_than(pieces, limit / 100 * whole, _LISTED)
    found = [c.share_of_photo(_CHECK, limit, pieces, i, _LEFT, "rub") for i in listed]
    if c.looked is not None:
        seen = pieces.chosen(np.isin(np.arange(pieces.area.size), listed))
        open_ = islands(c.looked.may_be_open & core & ~seen)
        found += [
            c.share_of_photo(_CHECK, limit, open_, i, _GAP, "rub")
            for i in larger_than(open_, limit / 100 * whole, _LISTED)
            if not _is_printed(open_, i, d)
        ]
    return found


def _is_printed(pieces: Pieces, label: int, difference: Float) -> bool:
    """Whether a piece is as light as clean paper, but uneven: a label. A gap is dark from edge to edge, or else as even as the paper."""
    box = pieces.box(label)
    mine = pieces.labels[box] == label
    inner = cv2.erode(mine.view(np.uint8), np.ones((5, 5), np.uint8)) > 0
    shade = difference[box][inner if inner.any() else mine, 0]
    return bool(shade.mean() > _DIM and shade.std() > _UNEVEN)


@compiled
def _alike(core: Mask, difference: Float, local: Float, steps: Float, own_hue: float) -> Mask:
    """Product pixels that look like backdrop, by themselves or beside the hue that is round them.

    A hole in a coloured product is dimmed and tinted by it, but has far less hue than what is round it, and is even.
    """
    out = np.zeros(core.shape, np.bool_)
    for y in range(core.shape[0]):
        for x in range(core.shape[1]):
            if core[y, x]:
                shade, red, blue = difference[y, x, 0], difference[y, x, 1], difference[y, x, 2]
                hue = np.sqrt(red * red + blue * blue)
                tinted = local[y, x] > 0.25 and hue < 0.2 * local[y, x] and shade > -1.3 and steps[y, x] < _EVEN
                out[y, x] = tinted or (hue < own_hue and -0.5 < shade < 0.1)
    return out


def _of_the_backdrop(pieces: Pieces, difference: Float, evidence: Evidence, least: float) -> Mask:
    """The pieces that are as a whole what the backdrop is; what is only white like it, as a label or enamel, mostly is not.

    A pixel's hue is lost in noise; the mean of a piece tells a white paint from the paper. And paint on something round is
    shaded, the paper behind a gap is even.
    """
    chosen = np.zeros(pieces.area.size, bool)
    for i in larger_than(pieces, least, _LISTED):
        box = pieces.box(i)
        mine = pieces.labels[box] == i
        shade, red, blue = difference[box][mine].mean(0)
        hue = float(np.hypot(red, blue))
        plain = hue < _MEAN_HUE * evidence.coarse and shade > _SHADED and np.median(evidence.steps[box][mine]) < _PLAIN
        chosen[i] = shade < _LIT and (plain or hue > _TINTED)
    return pieces.chosen(chosen)
