"""A solved matte, brought up to date where the product has changed: what is farther off than the solving reaches is kept.

It is what a person looks at while clearing, not what is delivered: the whole is solved anew for that. The two differ by what
a solver that stops after so many rounds hands on along the border, and by what is measured over the whole of it.
"""

from dataclasses import replace

import cv2
import numpy as np

from yardchalk.core.colour import Mask
from yardchalk.core.regions import pieces_of
from yardchalk.core.stages.edge.matte import WIDE, Part, Solution, around

_SLIVER = 5  # px; what is as wide is none
_REACH = 40  # px; how far from a change of the product its border is another
_ROUND_IT = 72  # px; how much more is solved, so that what is kept of it does not know where that ends
_MOST = 0.5  # of what would be solved else; more is not worth it
_THIN = 0.4  # share of the band, from which on how it is solved hangs on the whole of it


def places_of_change(before: Mask, product: Mask, solution: Solution, painted: Mask | None = None) -> list[tuple[Part, Part]] | None:
    """Where a matte has to be solved anew since the product, bool (h, w), is another than the one before; `painted` is what was by hand.

    Returns pairs of rows and columns: of what is to be laid into the matte that was solved before, and of what has to be solved for
    that. None if all of it is better solved anew: too much has changed, edges are so wide that each reaches far, or most is thin detail.
    """
    whole = around(product)
    if whole is None or before.shape != product.shape or solution.spread > WIDE / 2 or solution.thin_share > _THIN:
        return None
    changed = _changed(before, product)
    if painted is not None:
        changed |= (before != product) & painted
    side = 2 * _REACH + 1
    _, _, boxes, _ = cv2.connectedComponentsWithStats(cv2.dilate(changed.view(np.uint8), np.ones((side, side), np.uint8)))
    places = []
    for x, y, w, h in boxes[1:, :4].tolist():
        inner = slice(y, y + h), slice(x, x + w)
        places.append((inner, (_wider(inner[0]), _wider(inner[1]))))
    solved = sum(_length(rows) * _length(columns) for _, (rows, columns) in places)
    return places if solved < _MOST * _length(whole[0]) * _length(whole[1]) else None


def patched(solution: Solution, part: Solution, at: Part) -> Solution:
    """The solution with another laid into it at rows and columns."""
    inside = np.zeros(solution.index.shape, bool)
    inside[at] = True
    index, shift = solution.index.copy(), solution.front.shape[0]
    index[at] = np.where(part.index[at] > 0, part.index[at] + shift, 0)
    in_band = np.where(inside, (part.index > 0) & (part.index <= part.own), (solution.index > 0) & (solution.index <= solution.own))
    band, ring = np.flatnonzero(in_band), np.flatnonzero((index > 0) & ~in_band)
    order = np.concatenate([band, ring])
    taken = index.ravel()[order] - 1
    index[:] = 0
    index.ravel()[order] = np.arange(1, order.size + 1)
    front, behind, doubt = (np.concatenate([getattr(solution, name), getattr(part, name)])[taken] for name in ("front", "behind", "doubt"))
    alpha, distance = solution.alpha.copy(), solution.distance.copy()
    alpha[at], distance[at] = part.alpha[at], part.distance[at]
    listed = {"own": band.size, "front": front, "behind": behind, "doubt": doubt}
    return replace(solution, alpha=alpha, distance=distance, index=index, whole=False, **listed)


def _changed(before: Mask, product: Mask) -> Mask:
    """Where another product is another matte. Slivers along the border are not: they are its outer flank, found anew."""
    off = before != product
    border = cv2.morphologyEx(before.view(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0
    pieces = pieces_of(off, diagonal=True)
    apart = np.ones(len(pieces.area), bool)
    apart[np.unique(pieces.labels[border])] = apart[0] = False
    wide = cv2.morphologyEx(off.view(np.uint8), cv2.MORPH_OPEN, np.ones((_SLIVER, _SLIVER), np.uint8)) > 0
    return wide | pieces.chosen(apart)


def _wider(along: slice) -> slice:
    return slice(max(0, along.start - _ROUND_IT), along.stop + _ROUND_IT)


def _length(along: slice) -> int:
    return int(along.stop - along.start)
