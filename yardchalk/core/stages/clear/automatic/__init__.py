"""Automatic clearing: which pixels of the analysis picture are product, from the backdrop model alone.

The backdrop is what the frame's border reaches along paths that never cross a step higher than a tolerance (the
bottleneck path). The tolerance rises in rounds. Whatever is newly reached in a round is held back if its *whole*
border towards the reached area is steeper than the gap that let the flood in: then it is the product and the flood
has found a leak; a shadow's border is as low all along as where it was crossed. Gaps inside the product are places
that are not reached but look just like the backdrop round the product. What remains is sorted by piece.
"""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask
from yardchalk.core.regions import Flood
from yardchalk.core.stages.clear.automatic.flooding import FIRST_TOLERANCE, flood_from, release, spread_by_likeness
from yardchalk.core.stages.clear.automatic.nearby import from_nearby
from yardchalk.core.stages.clear.automatic.openings import find_gaps
from yardchalk.core.stages.clear.automatic.tables import border_of, sort_pieces
from yardchalk.core.stages.clear.evidence import Evidence

_MARGIN = 64  # px of backdrop kept round what the first round leaves over


@dataclass(frozen=True)
class Clearing:
    """What automatic clearing decided, on the analysis picture; all masks bool of shape (h, w).

    Attributes
    ----------
    product : the product's pixels, with the outer flank of its border.
    gaps : backdrop seen through the product.
    surroundings : other surfaces in the frame (table, paper edge), taken for backdrop.
    difference : float32, shape (h, w, 3); shade and chromas minus those of the backdrop nearby.
    tolerance : the tolerance that was reached before the product's border gave way.
    """

    product: Mask
    gaps: Mask
    surroundings: Mask
    difference: Float
    tolerance: float


def clear_automatically(evidence: Evidence) -> Clearing:
    """Find the product by the evidence alone. Deterministic."""
    h, w = evidence.steps.shape
    flood = Flood(evidence.steps, border_of((h, w)) & evidence.support & (evidence.steps < FIRST_TOLERANCE))
    flood.rise(FIRST_TOLERANCE)
    flood.settle()
    first = flood.reached
    # What the first round leaves over is where the product is; all else is looked at no more.
    at = _rest_box(first)
    whole = h * w
    part = evidence.cropped(at)
    reached, held, tolerance = flood_from(part, np.ascontiguousarray(first[at]), whole)
    difference = from_nearby(part.features, reached)
    if release(held, reached, difference, part, whole):
        difference = from_nearby(part.features, reached)
    difference, reached = spread_by_likeness(part, reached, held, difference)
    gaps = find_gaps(part, reached, difference, whole)
    product, surroundings = sort_pieces(~reached & ~gaps, difference, part.chroma_noise, at, (h, w))
    product, gaps, surroundings, difference = (_placed(mask, at, (h, w)) for mask in (product, gaps, surroundings, difference))
    return Clearing(product, gaps, surroundings, difference, tolerance)


def _placed(part: NDArray[Any], at: tuple[slice, slice], shape: tuple[int, int]) -> NDArray[Any]:
    """A part of the picture in its place, nothing (zero) around it."""
    whole = np.zeros((*shape, *part.shape[2:]), part.dtype)
    whole[at] = part
    return whole


def _rest_box(reached: Mask) -> tuple[slice, slice]:
    """Rows and columns that hold all that is not reached, but for specks, with a margin of backdrop."""
    h, w = reached.shape
    rest = cv2.erode((~reached).view(np.uint8), np.ones((3, 3), np.uint8))
    x, y, bw, bh = cv2.boundingRect(rest)
    if not bw:
        return np.s_[0:h, 0:w]
    return np.s_[max(0, y - _MARGIN) : min(h, y + bh + _MARGIN), max(0, x - _MARGIN) : min(w, x + bw + _MARGIN)]
