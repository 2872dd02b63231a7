"""How far each pixel lies from the outline, and how far the lens spreads an edge."""

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from yardchalk.core.colour import Float, Mask

_FINER = 2  # times; the outline runs between pixels
_FAR = 64.0  # px; no distance is told beyond
_SPREADS = (0.3, 0.45, 0.6, 0.75, 0.85, 0.95, 1.1, 1.3, 1.6, 2.0, 2.5, 3.2, 4.0, 5.0)  # px
USUAL_SPREAD = 0.95  # px; where it cannot be measured
_LEAST_MEASURED = 200  # px of border


def signed_distance(alpha: Float) -> Float:
    """Distance from where coverage is a half, px, float32 (h, w): positive inside, within ±64."""
    out = np.full(alpha.shape, -_FAR, np.float32)
    rows, columns = np.flatnonzero((alpha > 0).any(1)), np.flatnonzero((alpha > 0).any(0))
    if not rows.size:
        return out
    m = 12
    at = np.s_[max(0, rows[0] - m) : rows[-1] + 1 + m, max(0, columns[0] - m) : columns[-1] + 1 + m]
    part = alpha[at]
    h, w = part.shape
    fine = cv2.resize(part, (w * _FINER, h * _FINER), interpolation=cv2.INTER_LINEAR)
    inside = (fine > 0.5).view(np.uint8)
    into = cv2.distanceTransform(inside, cv2.DIST_L2, 5)
    out_of = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5)
    # The nearest pixel on the other side lies half a pixel beyond the outline.
    distance = into - out_of - np.where(inside, np.float32(0.5), np.float32(-0.5))
    out[at] = np.clip(cv2.resize(distance, (w, h), interpolation=cv2.INTER_AREA) / _FINER, -_FAR, _FAR)
    return out


def coverage_at(distance: NDArray[np.floating], spread: float) -> Float:
    """Coverage at a distance from a straight outline, px, under a lens that spreads it like a normal distribution of `spread` px."""
    return ndtr(distance / spread).astype(np.float32)


def measured_spread(distance: Float, seen: Float, behind: Float, front: Float, plain: Mask) -> float:
    """How far edges are spread, as a standard deviation in px: the one under which what is seen is best explained.

    Parameters
    ----------
    distance : float32, shape (n,)
        Of pixels along the outline.
    seen, behind, front : float32, shape (n,)
        Light of the luma there, of the backdrop and of the product nearby.
    plain : bool, shape (n,)
        Which of them may be measured by: of good contrast, and not in shadow.
    """
    # Beyond this, all spreads but the widest explain the same.
    at = plain & (np.abs(distance) < 4)
    if np.count_nonzero(at) < _LEAST_MEASURED:
        return USUAL_SPREAD
    d, c, b, f = distance[at], seen[at], behind[at], front[at]
    step = f - b

    def misfit(spread: float) -> float:
        return float(np.minimum(np.abs((c - b) / step - coverage_at(d, spread)), 0.2).mean())

    return min(_SPREADS, key=misfit)
