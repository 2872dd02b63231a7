"""Openings in what was found that are none: made whole, each for a reason of its own.

A small pit that the rules see nothing of; what hardly a step parts from the product round it; what has the product's hue where the
rules had lost it; print, which lets in no light as the paper has, or is lit as the surface that bears it; what the network only doubts;
what an edge out of focus leaves open.
"""

from typing import Literal

import cv2
import numpy as np

from yardchalk.core.colour import Float, Mask, off_hue
from yardchalk.core.disputes.telling import BORDER, HOLE, HUE_OF_ITS_OWN, OF_ANOTHER_HUE
from yardchalk.core.regions import disc, outside_of, pieces_of

# Of a pit, px of what is looked at: how large at most; and how far from what is open, from which on what is soft is no border.
_PIT, _WITHIN = 400, 5
_HARDLY_BORDERED = 0.3  # share of a rim along which there is a step
_WHOLE, _FIRM = 0.9, 0.95  # coverage; what has more is open to no doubt, or not even soft
_DOUBTED = 0.05  # share of what is deep in the product
_SOFT_EDGE = 7  # px of what is looked at
# Of an opening: px of what is looked at across, from which on some of the paper in it is as light as beside the product, in a product with
# few openings, and in any; how much darker than that even the lightest of it is in print, log light; and px of its border left out of it.
_WIDE, _WIDE_IN_ANY, _NEVER_AS_LIGHT, _RIM = 30, 50, 0.08, 3
_FEW, _MOST_OF_MANY = 16, 0.8  # openings; and share of more than that
# px across, from which on what is dim but evenly lit is print; log light that most of it is off a smooth surface at most; px of a patch
# that has one, and of it that are enough to fit one to.
_NARROW, _EVENLY, _PATCH, _ENOUGH_TO_FIT = 8, 0.02, 48, 24
# Log light that half of what is evenly lit, and no wider (px), is darker than the backdrop: then it is print if the rules take it for
# product; or else may be print.
_HALF_DARK, _MAY_BE, _STROKE = 0.25, 0.06, 60
# Log light that half of a wide opening, and nearly all of it, is darker than the backdrop: then it is a patch if the rules take it for
# product, however dark the paper is beside it. So deep a shadow on paper within would leave some of it in the light.
_HALF_SHADED, _ALL_SHADED = 0.35, 0.04
_MOSTLY, _BESIDE = 0.95, 0.5  # quantiles: of the shades in an opening, and of those just outside, which may lie in shadow too


def close_pits(found: Float, product: Mask, gaps: Mask) -> None:
    """Make whole the small pits in what the rules take for product: what is open without a way out and none of the `gaps` (h, w), which
    are judged by themselves, and what is soft deep within.

    The network has them where shade runs along a border, as a thrown shadow's does.
    """
    pieces = pieces_of(found <= 0.5, diagonal=False)
    small = pieces.area <= _PIT
    small[np.unique(pieces.labels[(found <= 0.5) & (gaps | ~product)])] = False
    small[0] = False
    shut = pieces.chosen(small)
    deep = cv2.distanceTransform(((found > 0.5) | shut).view(np.uint8), cv2.DIST_L2, 3) > _WITHIN
    pieces = pieces_of(deep & product & (found < _FIRM), diagonal=False)
    small = pieces.area <= _PIT
    small[0] = False
    found[shut | pieces.chosen(small)] = 1


def close_without_border(found: Float, steep: Mask) -> Mask:
    """Make whole the openings that hardly a step parts from what is round them, as one does a gap; and where they were, bool (h, w)."""
    outside = outside_of(found > 0.5)
    pieces = pieces_of((found <= 0.5) & ~outside, diagonal=True)
    without: list[int] = []
    for i in 1 + np.flatnonzero(pieces.area[1:] > HOLE):
        box = pieces.box(int(i), BORDER)
        piece = (pieces.labels[box] == i).view(np.uint8)
        rim = cv2.morphologyEx(piece, cv2.MORPH_GRADIENT, disc(5)) > 0
        if steep[box][rim].mean() < _HARDLY_BORDERED:
            without.append(int(i))
    return _closed(found, np.isin(pieces.labels, without), outside)


def close_unlike_paper(found: Float, added: Mask, ratio: Float) -> Mask:
    """Make whole the openings in what was `added` that have a hue of their own; and where they were, bool (h, w).

    There the rules lost the product, so that what it doubts for their sake is no gap.
    """
    outside = outside_of(found > 0.5)
    pieces = pieces_of((found <= 0.5) & ~outside, diagonal=True)
    within = np.zeros(pieces.area.size, bool)
    within[np.unique(pieces.labels[cv2.dilate(added.view(np.uint8), disc(BORDER)) > 0])] = True
    within[0] = False
    return _closed(found, pieces.chosen(within & (off_hue(pieces.means(ratio)) > HUE_OF_ITS_OWN)), outside)


def _closed(found: Float, openings: Mask, outside: Mask) -> Mask:
    """Make openings whole, with what is soft round them; in place."""
    if openings.any():
        by_the_outside = cv2.dilate(outside.view(np.uint8), disc(BORDER)) > 0
        rim = (cv2.dilate(openings.view(np.uint8), disc(2 * BORDER + 1)) > 0) & (found > 0.5) & ~by_the_outside
        found[openings | rim] = 1
    return openings


def close_print(found: Float, shade: Float, product: Mask) -> tuple[Mask, Mask]:
    """Make whole the openings that are wide but let in no light as the paper has, or are mostly much darker, and those dim but evenly lit.

    Which, and which of the others may be such, since only some of it is as light: bool (h, w).

    White print, and a patch, mostly give back less light than the paper beside the product, and are lit as the product's surface is: from
    patch to patch a smooth surface tells their light. What shades the paper in a hole is the hole's rim, with a border across it; but among
    many holes or wires one throws its shadow over another.
    """
    outside = outside_of(found > 0.5)
    openings = (found <= 0.5) & ~outside
    pieces = pieces_of(openings, diagonal=True)
    depth = cv2.distanceTransform(openings.view(np.uint8), cv2.DIST_L2, 5)
    without_grain = cv2.blur(shade, (3, 3))
    numbers: list[int] = (1 + np.flatnonzero(pieces.area[1:] > HOLE)).tolist()
    few = len(numbers) < _FEW
    seen: dict[str | None, list[int]] = {"wide": [], "even": [], "doubted": [], None: []}
    for i in numbers:
        own = pieces.box(i)
        piece = pieces.labels[own] == i
        width = 2 * float(depth[own][piece].max())
        around = pieces.box(i, round(width))
        beside = shade[around][outside[around]]
        within = piece & (depth[own] > min(_RIM, 0.3 * width))
        by_the_rules = float(product[own][piece].mean()) > 0.5
        seen[_told_by_light(shade[own][within], beside, without_grain[own], within, width, few, by_the_rules)].append(i)
    even = seen["even"] if few or len(seen["even"]) > _MOST_OF_MANY * len(numbers) else []
    closed = _closed(found, np.isin(pieces.labels, seen["wide"] + even), outside)
    return closed, np.isin(pieces.labels, seen["doubted"])


def _told_by_light(
    light: Float, beside: Float, shade: Float, within: Mask, width: float, few: bool, by_the_rules: bool
) -> Literal["wide", "even", "doubted"] | None:
    """How the light in an opening tells it for print, if it does: log light of its pixels and of those beside the product.

    `shade` (h, w) is without grain, the opening `within`; it is one of `few`, and the rules may have it for product.
    """
    middle, lightest = np.quantile(light, (0.5, _MOSTLY))
    paper = min(0.0, float(np.quantile(beside, _BESIDE))) if beside.size else 0.0
    nowhere_as_light = lightest < paper - _NEVER_AS_LIGHT
    shaded = few and by_the_rules and middle < -_HALF_SHADED and lightest < -_ALL_SHADED
    if (nowhere_as_light or shaded) and width >= (_WIDE if few else _WIDE_IN_ANY):
        return "wide"
    dim = lightest < -_NEVER_AS_LIGHT if few else nowhere_as_light
    # A soft shadow in a handle is as even.
    stroke = few and width < _STROKE
    dim |= stroke and by_the_rules and middle < -_HALF_DARK
    may_be = stroke and middle < -_MAY_BE
    if (dim or may_be) and width >= _NARROW and _off_smooth(shade, within) < _EVENLY:
        return "even" if dim else "doubted"
    return None


def _off_smooth(shade: Float, within: Mask) -> float:
    """How far, log light, most of the shade (h, w) is off surfaces of second order, fitted patch by patch; infinite if it is too small."""
    y, x = np.nonzero(within)
    patch = y // _PATCH * (within.shape[1] // _PATCH + 1) + x // _PATCH
    off = [np.zeros(0)]
    for number in np.unique(patch):
        there = patch == number
        if np.count_nonzero(there) >= _ENOUGH_TO_FIT:
            up, along = (v[there] / _PATCH - v[there].mean() / _PATCH for v in (y, x))
            terms = np.stack([np.ones_like(up), up, along, up * up, up * along, along * along], axis=1)
            seen = shade[y[there], x[there]]
            off.append(np.abs(seen - terms @ np.linalg.lstsq(terms, seen)[0]))
    offs = np.concatenate(off)
    return float(np.quantile(offs, _MOSTLY)) if offs.size else np.inf


def close_doubts(found: Float, deep: Mask, ratio: Float) -> None:
    """Make whole what the network only doubts, `deep` in what both take for product; unless that is much, as between a feather's barbs,
    and of the backdrop's hue.
    """
    pieces = pieces_of(deep & (found < _WHOLE), diagonal=True)
    doubted = pieces.means((found <= 0.5)[..., None].astype(np.float32))[:, 0] == 0
    doubted[0] = False
    coloured = doubted & (off_hue(pieces.means(ratio)) > OF_ANOTHER_HUE)
    much = pieces.area[doubted & ~coloured].sum() >= _DOUBTED * cv2.countNonZero(deep.view(np.uint8))
    found[pieces.chosen(coloured if much else doubted)] = 1


def close_narrow(found: Float, product: Mask) -> None:
    """Make whole what lies within the rules' product, but for holes that are wider than an edge that is out of focus."""
    outside = outside_of(found > 0.5)
    kept = cv2.morphologyEx(product.view(np.uint8), cv2.MORPH_CLOSE, disc(_SOFT_EDGE)) > 0
    holes = cv2.morphologyEx(((found <= 0.5) & ~outside).view(np.uint8), cv2.MORPH_OPEN, disc(_SOFT_EDGE))
    open_ = cv2.dilate(outside.view(np.uint8), disc(BORDER)) | cv2.dilate(holes, disc(2 * BORDER + 1))
    found[kept & (open_ == 0)] = 1
