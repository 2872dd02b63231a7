"""What tells of pieces whether they are product: their light, their hue, their shape, and the steps along their border.

Each takes pieces of a picture (n, with number 0 for what is in none) and answers by number.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask, off_hue
from yardchalk.core.regions import Pieces, disc, outside_of, pieces_of

BORDER = 7  # px of what is looked at; narrower than that, an other border is no other piece
HOLE = 60  # px; what is smaller has no shape to tell it by
STRIP = 3e-4  # share of the picture; of a strip along the outside that is smaller the rules are not asked
MUCH = 2e-3  # share of the picture
DARKER, OF_A_HUE = 0.1, 0.03  # log light; what is so much darker than paper, or so far off its hue, is not like clean paper
HUE_OF_ITS_OWN = 0.1  # log light; no shadow is so far off the backdrop's hue
OF_ANOTHER_HUE = 0.5  # log light; paper seen through a hole is not as far off the backdrop's hue as that, but for between wires
SURE_OF_LABELS = 0.91  # how sure the network must be of a hole that is bent round print, like a label's paper
SHADE = np.array([[0.25, 0.5, 0.25]], np.float32)  # of a log ratio, how light it is
_IN_SHADE, _UNEVEN = 0.35, 0.2  # of a hole in shade: log light, darker than the backdrop, and its deviation
# Of a label: shares of the picture that are one, and too much for one; of its convex hull; and of it what the print is.
_LABEL, _SHEET, _BENT, _PRINTED = 5e-4, 0.03, 0.8, 0.2
# What print differs by from the paper, log light and its hue; share of an even paper that does; and share of it that what lies within may
# be in one piece: more is a thing of its own, within a ring.
_PRINT, _PRINT_HUE, _UNEVENLY, _OF_ITS_OWN = 0.3, 0.06, 0.2, 0.3
# Of a hole that is convex and clean: share of its hull; shares of it what is otherwise within the hull, and its pores, px across; share of
# the picture that a small one is, and how far off the backdrop's hue paper may be in its depth.
_CONVEX, _SCUFFED, _POROUS, _PORE, _SMALL, _IN_ITS_HUE = 0.95, 0.06, 0.01, 7, 5e-3, 0.12
# A shadow has a sharp border only to what throws it: shares of its border to that, and to the paper, along which there is a step; share
# of its border that is to the paper; and how unevenly dark it is, log light.
_FIRM_SIDE, _SOFT_SIDE, _TO_PAPER, _FALLS_OFF = 0.85, 0.08, 0.3, 0.15
_HALF_BORDERED = 0.5  # share of a border along which there is a step
_GRAIN = 3  # times as much of a border as of the paper has steps; with less it is the paper's own


def unlike_paper(ratio: NDArray[np.floating]) -> Mask:
    """Which log ratios to the backdrop (n, 3) are darker than clean paper, or of another hue: bool (n,)."""
    return (ratio @ SHADE[0] < -DARKER) | (off_hue(ratio) > OF_A_HUE)


def shaded(pieces: Pieces, ratio: Float) -> tuple[Mask, Mask]:
    """Which pieces are dark, and which are unevenly lit, as paper is under what has a hole: bool (n,); a label is neither."""
    shade = cv2.transform(ratio, SHADE)
    mean, square = pieces.means(np.dstack([shade, shade * shade])).T
    return mean < -_IN_SHADE, square - mean**2 > _UNEVEN**2


def within_hulls(pieces: Pieces, product: Mask) -> NDArray[np.float64]:
    """Share of each piece that lies within the convex hull of a piece of the product, bool (h, w): float64 (n,)."""
    hulls = np.zeros(product.shape, np.uint8)
    for outline in cv2.findContours(product.view(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)[0]:
        cv2.fillConvexPoly(hulls, cv2.convexHull(outline), 1)
    return pieces.means(hulls[..., None].astype(np.float32))[:, 0]


def told_by_shape(pieces: Pieces, ratio: Float, deep: Mask) -> tuple[Float, Mask]:
    """Which pieces are even and bent round what is plainly of another light or hue, as a label's paper is round its print, or have it lie
    within them, which nothing does in a gap; and which are of the paper's hue, convex and of one piece, as a hole is that was cut or
    punched: float32 (n,), how sure of the first one must be at least, and bool (n,).

    Down in small holes, those that are `deep` in shade (n,), paper takes on the product's hue.
    """
    least, punched = np.zeros(pieces.area.size, np.float32), np.zeros(pieces.area.size, bool)
    for i in 1 + np.flatnonzero(pieces.area[1:] > HOLE):
        box = pieces.box(int(i), _PORE)
        piece = (pieces.labels[box] == i).view(np.uint8)
        hull = cv2.fillConvexPoly(np.zeros_like(piece), cv2.convexHull(cv2.findNonZero(piece)), 1)
        area, convex = int(pieces.area[i]), cv2.countNonZero(hull)
        like_a_label = _LABEL < area / pieces.labels.size < _SHEET
        there = piece > 0
        beside = ratio[box] - np.median(ratio[box][there], axis=0).astype(np.float32)
        shade = cv2.transform(beside, SHADE)
        unlike = (np.abs(shade) > _PRINT) | (off_hue(beside) > _PRINT_HUE)
        printed = unlike & (hull > 0) & ~there
        prints = np.count_nonzero(printed)
        if like_a_label and unlike[there].mean() < _UNEVENLY and prints > _SCUFFED * area:
            within = pieces_of(printed & ~outside_of(there), diagonal=True)
            if within.area[1:].sum() > _SCUFFED * area and within.area[1:].max() < _OF_ITS_OWN * area:
                least[i] = np.inf
            elif area < _BENT * convex and prints > _PRINTED * area:
                least[i] = SURE_OF_LABELS
        elif area > _CONVEX * convex and prints < _SCUFFED * area:
            may_be_off = _IN_ITS_HUE if deep[i] and area < _SMALL * pieces.labels.size else OF_A_HUE
            pores = cv2.countNonZero(cv2.morphologyEx(piece, cv2.MORPH_CLOSE, disc(_PORE))) - area
            punched[i] = pores < _POROUS * area and off_hue(ratio[box][there].mean(0)) < may_be_off
    return least, punched


def shadows(pieces: Pieces, ratio: Float, steep: Mask, kept: Mask, outside: Mask) -> Mask:
    """Which pieces are darker, unevenly, and have a sharp border to what is kept but none to the outside, as a shadow: bool (n,)."""
    out = np.zeros(pieces.area.size, bool)
    shades = pieces.means(ratio) @ SHADE[0]
    for i in 1 + np.flatnonzero((pieces.area[1:] > _LABEL * pieces.labels.size) & (shades[1:] < -DARKER)):
        box = pieces.box(int(i), BORDER)
        piece = (pieces.labels[box] == i).view(np.uint8)
        near = cv2.dilate(piece, disc(11)) > 0
        to_paper = near & outside[box] & (cv2.dilate(piece, disc(3)) == 0)
        to_product = near & kept[box]
        count = np.count_nonzero(to_paper), np.count_nonzero(to_product)
        if not count[1] or count[0] < _TO_PAPER * sum(count):
            continue
        sides = steep[box][to_paper].mean() < _SOFT_SIDE and steep[box][to_product].mean() > _FIRM_SIDE
        out[i] = sides and (ratio[box][piece > 0] @ SHADE[0]).std() > _FALLS_OFF
    return out


def without_border(pieces: Pieces, kept: Mask, steep: Mask) -> Mask:
    """Which large pieces hardly a step parts from what is kept beside them: bool (n,); what is mirrored in metal ends softly."""
    out = np.zeros(pieces.area.size, bool)
    for i in 1 + np.flatnonzero(pieces.area[1:] > MUCH * kept.size):
        box = pieces.box(int(i), BORDER)
        piece = (pieces.labels[box] == i).view(np.uint8)
        near = cv2.dilate(kept[box].view(np.uint8), disc(5)) > 0
        rim = near & (cv2.dilate(piece, disc(9)) > 0) & (cv2.dilate(piece, disc(3)) == 0)
        out[i] = rim.any() and steep[box][rim].mean() < _HALF_BORDERED
    return out


def bordered(pieces: Pieces, steep: Mask, outside: Mask) -> Float:
    """Share of each large piece's border to the outside along which there is a step: float32 (n,); 0 if the paper has many."""
    out = np.zeros(pieces.area.size, np.float32)
    for i in 1 + np.flatnonzero(pieces.area[1:] > STRIP * outside.size):
        box = pieces.box(int(i), BORDER)
        piece = (pieces.labels[box] == i).view(np.uint8)
        rim = (cv2.dilate(piece, disc(11)) > 0) & (cv2.dilate(piece, disc(3)) == 0) & outside[box]
        if rim.any():
            out[i] = steep[box][rim].mean()
    return np.where(out > _GRAIN * (steep[outside].mean() if outside.any() else 0), out, np.float32(0))
