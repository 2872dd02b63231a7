"""Telling a drawing from a photo: flat colours, or smooth ones with a sharp border all round, on one exact colour, as no camera
gives them. What is not that colour is product.

Light and shade tell nothing here, and the second look was taught none; but JPEG leaves rings round every edge, of hues that are
in no palette.
"""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask
from yardchalk.core.regions import outside_of, pieces_of

_RING, _EXACT = 4, 0.95  # px along the frame, and share of them of the very same code
_FLAT = 0.4  # share of what is drawn that is of the very code all round: a photo has noise
_EVEN, _SMOOTH = 2, 0.6  # levels within 3 x 3 px, and share that varies by no more
_STEEP, _BESIDE, _SHARP = 14, 9, 0.98  # levels, px, share of a border beside which something differs by that: a shadow fades
_GAP = 0.5  # the same of a gap, whose border a ring may touch; a highlight fades all round
_FRAMED = 0.97  # share of a rectangle that is filled: a photo with a frame round it
_INSIDE = 13  # px that what is drawn is made narrower by, past the rings within it
_OTHER = 4  # levels from which on an even colour is not the backdrop's
_LINE, _PEAK = 24, 7  # levels, and px: what differs most of so many, and so much, is the middle of a thin line
_REACH = 16.0  # px; as far as JPEG's blocks, two by two, carry a ring
_CLEAR = 3  # levels; of what is backdrop something differs by no more
_SOFT = 5  # px of a border
_SPECK = 12  # px²
_DEEP = 1.0  # times its own width; an opening that lies farther within than that is no handle's


@dataclass(frozen=True)
class Drawing:
    """A picture that was drawn.

    Attributes
    ----------
    coverage : float32, shape (h, w)
        By what is drawn, 0..1, as programs mix codes: good to a pixel.
    border : bool, shape (h, w)
        Where it may be partly; elsewhere it is all or nothing.
    """

    coverage: Float
    border: Mask

    @cached_property
    def may_be_print(self) -> Mask:
        """Openings that may be white print as well, bool (h, w): they lie deep within what is drawn, or something floats in them."""
        drawn = self.coverage > 0.5
        outside = outside_of(drawn)
        pieces = pieces_of(~drawn & ~outside, diagonal=False)
        away = cv2.distanceTransform((~outside).view(np.uint8), cv2.DIST_L2, 5)
        within = cv2.distanceTransform((~drawn).view(np.uint8), cv2.DIST_L2, 5)
        doubted = np.zeros(pieces.area.size, bool)
        for i in 1 + np.flatnonzero(pieces.area[1:] >= _SPECK):
            box = pieces.box(int(i), 1)
            piece = pieces.labels[box] == i
            deep = away[box][piece].min() > _DEEP * 2 * within[box][piece].max()
            doubted[i] = deep or bool((~outside_of(piece) & ~piece & drawn[box]).any())
        return pieces.chosen(doubted)


def find_drawing(pixels: NDArray[np.uint8]) -> Drawing | None:
    """What is drawn on one exact colour; None if the picture (h, w, 3), coded, is no such drawing."""
    backdrop = _exact_colour(pixels)
    if backdrop is None:
        return None
    window = np.ones((3, 3), np.uint8)
    varies = _most(cv2.subtract(cv2.dilate(pixels, window), cv2.erode(pixels, window)))
    off = pixels.astype(np.float32) - backdrop
    differs = _most(np.abs(off))
    inside = cv2.erode((differs > 0).view(np.uint8), np.ones((_INSIDE, _INSIDE), np.uint8)) > 0
    if not inside.any() or _is_framed(differs > 0):
        return None
    flat, smooth = (varies[inside] == 0).mean() >= _FLAT, (varies[inside] <= _EVEN).mean() >= _SMOOTH
    if not flat and not smooth:
        return None
    body = cv2.morphologyEx(((varies <= _EVEN) & (differs >= _OTHER)).view(np.uint8), cv2.MORPH_OPEN, window) > 0
    line = (differs >= _LINE) & (differs >= cv2.dilate(differs, np.ones((_PEAK, _PEAK), np.uint8)))
    seeds = body | line
    # How far each pixel is on the way from the backdrop to the nearest colour that is sure.
    away, labels = cv2.distanceTransformWithLabels((~seeds).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    of_seed = np.zeros((int(labels.max()) + 1, 3), np.float32)
    of_seed[labels[seeds]] = off[seeds]
    sure = of_seed[labels]
    share = np.einsum("hwc,hwc->hw", off, sure) / np.maximum(np.einsum("hwc,hwc->hw", sure, sure), 1)
    share[away > _REACH] = 0
    share[body] = 1
    steep = cv2.dilate(differs, np.ones((_BESIDE, _BESIDE), np.uint8)) >= _STEEP
    drawn = _tidied(share > 0.5, differs, steep)
    border = cv2.morphologyEx(drawn.view(np.uint8), cv2.MORPH_GRADIENT, np.ones((_SOFT, _SOFT), np.uint8)) > 0
    if not flat and steep[border].mean() < _SHARP:
        return None
    coverage = np.where(border, np.clip(share, 0, 1), drawn).astype(np.float32)
    return Drawing(coverage, border)


def _exact_colour(pixels: NDArray[np.uint8]) -> Float | None:
    """The one code all along the frame, (3,); None if there is none."""
    r = _RING
    ring = np.concatenate([part.reshape(-1, 3) for part in (pixels[:r], pixels[-r:], pixels[:, :r], pixels[:, -r:])])
    middle = np.median(ring, axis=0)
    return middle.astype(np.float32) if (ring == middle).all(1).mean() >= _EXACT else None


def _is_framed(there: Mask) -> bool:
    left, top, width, height = cv2.boundingRect(there.view(np.uint8))
    return bool(there[top : top + height, left : left + width].mean() > _FRAMED)


def _tidied(drawn: Mask, differs: Float, steep: Mask) -> Mask:
    """Without specks, and without pits that show no backdrop or have no sharp border, as highlights have none."""
    pits = pieces_of(~drawn, diagonal=False)
    rim = ~drawn & (cv2.dilate(drawn.view(np.uint8), np.ones((3, 3), np.uint8)) > 0)
    clear = pits.means((differs <= _CLEAR)[..., None].astype(np.float32))[:, 0] > 0
    sharp, all_round = (np.bincount(pits.labels[where], minlength=clear.size) for where in (rim & steep, rim))
    gaps = clear & (sharp >= _GAP * all_round)
    for side in (pits.labels[[0, -1]], pits.labels[:, [0, -1]]):
        gaps[np.unique(side)] = True
    gaps[0] = False
    drawn = ~pits.chosen(gaps)
    specks = pieces_of(drawn, diagonal=True)
    kept = specks.area >= _SPECK
    kept[0] = False
    return specks.chosen(kept)


def _most(values: NDArray[np.uint8] | Float) -> Float:
    """The greatest of three channels: (h, w) of (h, w, 3)."""
    red, green, blue = cv2.split(values)
    return np.maximum(np.maximum(red, green), blue).astype(np.float32, copy=False)
