"""Other surfaces in the frame, a table or a wall: told from the product by what they hold of the frame."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled
from yardchalk.core.regions import Pieces, pieces_of

_TABLE = 0.12  # share of the frame's edge
_OUTER = 0.02  # share of a piece that lies in the middle of the frame; with less it is no product
_LESS = 0.15  # likewise for each corner of the frame that it holds, and share of what the product has there; with less it is a table
_BRIDGES = 9, 17, 33, 65  # px; how wide what joins a table to a product may be, a shadow that falls on both


def border_of(shape: tuple[int, ...]) -> Mask:
    """The frame's edge, 2 px wide, bool of this shape (h, w)."""
    ring = np.zeros(shape, bool)
    ring[:2] = ring[-2:] = True
    ring[:, :2] = ring[:, -2:] = True
    return ring


def sort_pieces(rest: Mask, difference: Float, chroma_noise: float, at: tuple[slice, slice], frame: tuple[int, int]) -> tuple[Mask, Mask]:
    """Split what is not backdrop into product and surroundings; specks are neither. `at`: where this part is in the frame."""
    h, w = frame
    ring = np.ascontiguousarray(border_of(frame)[at])
    tables = _joined_tables(rest, ring, at, frame)
    pieces = pieces_of(rest & ~tables, diagonal=True)
    n = pieces.area.size
    area = pieces.area.astype(float)
    corners = np.zeros(frame, bool)
    corners[[0, 0, -1, -1], [0, -1, 0, -1]] = True
    cornered = np.bincount(pieces.labels[corners[at]], minlength=n)
    along_frame = _counts(pieces, ring) / 2
    inner = _counts(pieces, _middle(frame, at))
    around = ((cornered > 0) | (along_frame > 0.1 * min(h, w))) & (inner < _OUTER * area)
    # Where the frame was cut close, a table reaches into its middle too, but far less than the product does.
    less = _LESS * cornered
    around |= (along_frame > 2 * _TABLE * (h + w)) & (inner < less * area) & (inner < less * inner[1:].max(initial=0))
    around[0] = False
    kept = ~around
    kept[0] = False
    largest = area[kept].max(initial=0)
    kept &= area >= max(25 * h * w / 2.56e6, 1e-3 * largest)
    kept &= _count_unlike(pieces.labels, n, difference, max(0.02, 12 * chroma_noise), 0.12) > 0.1 * area
    return pieces.chosen(kept), pieces.chosen(around) | tables


def _joined_tables(rest: Mask, ring: Mask, at: tuple[slice, slice], frame: tuple[int, int]) -> Mask:
    """What of a piece that holds much of the frame's edge is a table to which only a narrow bridge joins the product; bool as `rest`."""
    tables = np.zeros_like(rest)
    least = _TABLE * np.count_nonzero(border_of(frame))
    middle = _middle(frame, at)
    whole = pieces_of(rest, diagonal=True)
    joined = (_counts(whole, ring) > least) & (_counts(whole, middle) > 0)
    joined[0] = False
    for i in np.flatnonzero(joined):
        piece = whole.labels == i
        # What holds the frame goes on beyond it: only what is no such piece makes it narrow.
        inward = cv2.distanceTransform(piece.view(np.uint8), cv2.DIST_L2, 5)
        for across in _BRIDGES:
            parts = pieces_of(inward > across / 2, diagonal=True)
            inner = _counts(parts, middle)
            apart = (_counts(parts, ring) > least) & (inner < _OUTER * parts.area)
            apart[0] = False
            if apart.any() and (inner[1:][~apart[1:]] > 0).any():
                # Each pixel goes to the part that it is nearest to.
                _, nearest = cv2.distanceTransformWithLabels((parts.labels == 0).view(np.uint8), cv2.DIST_L2, 5)
                tables |= piece & np.isin(nearest, np.unique(nearest[parts.chosen(apart)]))
                break
    return tables


def holding_the_frame(pieces: Pieces) -> Mask:
    """Which pieces hold so much of the frame's edge that they are a table or a wall: bool (n,) by label.

    Those go on to a corner of the frame; a product that the frame cuts off hardly does.
    """
    ring = border_of(pieces.labels.shape)
    held = _counts(pieces, ring) > _TABLE * np.count_nonzero(ring)
    cornered = np.zeros_like(held)
    cornered[pieces.labels[[0, 0, -1, -1], [0, -1, 0, -1]]] = True
    held &= cornered
    held[0] = False
    return held


def _counts(pieces: Pieces, where: Any) -> NDArray[np.int64]:
    """How many pixels of each piece are there, (n,) by label."""
    return np.bincount(pieces.labels[where].ravel(), minlength=pieces.area.size)


def _middle(frame: tuple[int, int], at: tuple[slice, slice]) -> tuple[slice, slice]:
    """The middle of the frame, in a part of it."""
    rows, columns = (
        slice(max(side // 4 - part.start, 0), max(side - side // 4 - part.start, 0)) for side, part in zip(frame, at, strict=True)
    )
    return rows, columns


@compiled
def _count_unlike(labels: NDArray[np.int32], n: int, difference: Float, hue: float, shade: float) -> NDArray[np.int64]:
    """How many pixels of each piece differ from the backdrop by at least so much in hue or in shade; (n,) by label."""
    out = np.zeros(n, np.int64)
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            if labels[y, x]:
                red, blue = difference[y, x, 1], difference[y, x, 2]
                out[labels[y, x]] += red * red + blue * blue >= hue * hue or abs(difference[y, x, 0]) >= shade
    return out
