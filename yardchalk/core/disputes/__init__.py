"""Where the second look and the rules do not agree on whole pieces of a picture: who is believed.

A border that they draw a pixel or two apart is no dispute. Of a piece, it tells how sure the network is of it, what is seen there,
and its shape: print floats in no gap, no shadow has a sharp border to the paper, nothing seen through a hole is lighter than what
is behind it, a wide one lets in light that the paper shows somewhere in it, and a rim's shadow has a border.
"""

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask, off_hue
from yardchalk.core.disputes.openings import close_doubts, close_narrow, close_pits, close_print, close_unlike_paper, close_without_border
from yardchalk.core.disputes.telling import (
    BORDER,
    HUE_OF_ITS_OWN,
    MUCH,
    OF_A_HUE,
    OF_ANOTHER_HUE,
    SHADE,
    STRIP,
    bordered,
    shaded,
    shadows,
    told_by_shape,
    unlike_paper,
    within_hulls,
    without_border,
)
from yardchalk.core.regions import Pieces, disc, outside_of, pieces_of

Numbers = NDArray[np.float64]  # of pieces

BURNT = 250  # coded level of a channel
_STEEP = 121  # as `second_look.coded_steps` has it, 20 times the noise
_DEEP = 31  # px of what is looked at; wider than the rules' product reaches beyond its border, on both sides
_BROAD = 11  # px of what is looked at; what is as broad and like clean paper is no strip, however small
# How sure the network is of a piece is the mean distance of its coverage from a half, of a half. From so much on it is had as the network
# has it: what it drops, what it adds, a gap, and a gap of the rules that it takes for product.
_SURE_TO_DROP, _SURE_TO_ADD, _SURE_OF_GAPS, _SURE_TO_CLOSE = 0.86, 0.8, 0.6, 0.5
_SURE_OF_MUCH = 0.91  # to add so much: paper with a grain looks like felt
_SURE_OF_BURNT, _PARTLY = 0.75, 0.3  # instead, of a piece that is burnt by that share
_SURE_OF_SHADOW = 0.72  # to drop along the outside what is not like clean paper
_SURE_OF_DEPTH, _SURE_OF_PUNCHED = 0.75, 0.55  # of a hole in shade; of one that is convex and clean
_SURE_OF_HOLES, _SIEVE = 0.3, 8  # of each dark hole, where it is fairly sure of so many
_SURE_OF_RING = 0.95  # of the inside of a ring, and of what has no border
_SURE_IN_SOFT = 0.87  # to drop anything of a photo that is out of focus
_LIKELY = 0.8  # from which on a place that the rules keep is more often a gap than not
_LATTICE = 6  # holes that it is sure of, from which on it is one with many
_MOST = 0.5  # of the product that the rules found; so much at once is not dropped, unless it is the inside of a ring
_LIGHTER = 0.022  # log light beyond the backdrop's, from which on a hole is none: what is seen through one is not lighter
_NO_SHADOWS, _WIDE_SHADOW = 0.4, 0.01  # log light; share of the picture
# What it would add and is partly burnt out: share within hulls of the product, below which it lies beside it; and of the product's area,
# beyond which the rules see too little of that to tell.
_WITHIN, _MORE_THAN_HALF = 0.3, 0.5
# What it would add has a border to the paper, as no paper with a grain has, and no reflection: shares of that border along which there is
# a step, mostly and at all. It is no shadow either, if as light as the paper, log light, or of a hue of its own; how sure it must be then.
_BORDERED, _SOMEWHAT_BORDERED, _AS_LIGHT, _SURE_OF_BORDERED = 0.35, 0.2, -0.1, 0.78
# What it would drop has one: share as before, of the piece that is near a step at most, of the picture, and px of that, if small.
_MOSTLY_BORDERED, _NOT_ALL_BORDER, _VERY_MUCH, _TINY = 0.45, 0.87, 0.05, 500


class Seen(NamedTuple):
    """What is seen at the size that is looked at, each (h, w): log ratio to the backdrop (3), near a step, burnt out."""

    ratio: Float
    steep: Mask
    burnt: Mask

    @classmethod
    def of(cls, pixels: NDArray[np.uint8], coded_steps: NDArray[np.uint8], ratio: Float) -> "Seen":
        """Of coded pixels (h, w, 3), of steps as the network is shown them, and of log ratios to the backdrop."""
        return cls(ratio, cv2.dilate(coded_steps, disc(BORDER)) > _STEEP, pixels.max(2) >= BURNT)


class Settled(NamedTuple):
    """What was settled about the pieces in dispute: each bool, shape (h, w).

    Attributes
    ----------
    stand : where the rules stand.
    may_be_product : where of that what was dropped may be product, since it has a border.
    may_be_open : where of that, or of what is made whole although the network is sure of it, a gap may be.
    may_be_print : gaps that may be print, or a patch.
    """

    stand: Mask
    may_be_product: Mask
    may_be_open: Mask
    may_be_print: Mask


def drop_loose_specks(found: Float, product: Mask) -> None:
    """Take from `found` what is joined to nothing of the rules' product and that the network is not sure of: mostly grain of the paper."""
    pieces = pieces_of(found > 0.5, diagonal=True)
    loose = pieces.means(np.abs(2 * found - 1)[..., None])[:, 0] < _SURE_TO_ADD
    loose[np.unique(pieces.labels[product])] = False
    loose[0] = False
    found[pieces.chosen(loose)] = 0


@dataclass(frozen=True)
class _Sides:
    """What the network and the rules take for product, and what lies outside of it for each: bool (h, w)."""

    looked: Mask
    product: Mask
    outside: Mask
    rules_outside: Mask
    deep: Mask

    @classmethod
    def of(cls, found: Float, product: Mask) -> "_Sides":
        looked = found > 0.5
        outside = outside_of(looked)
        deep = (cv2.erode(product.view(np.uint8), disc(_DEEP)) > 0) & ~outside
        return cls(looked, product, outside, outside_of(product), deep)


@dataclass(frozen=True)
class _Disputed:
    """Pieces that one side has and the other has not, by number: how sure the network is of each, its mean log ratio to the backdrop, and
    whether it is a strip along the outside: (n,), (n, 3), (n,).
    """

    where: Mask
    pieces: Pieces
    sure: Numbers
    ratios: Numbers
    strips: Mask

    @classmethod
    def of(cls, other: Mask, found: Float, sides: _Sides, ratio: Float) -> "_Disputed":
        # However small a hole deep in the product is, it is a piece; elsewhere only what is wider than a border.
        where = (cv2.morphologyEx(other.view(np.uint8), cv2.MORPH_OPEN, disc(BORDER)) > 0) | (other & sides.deep)
        pieces = pieces_of(where, diagonal=True)
        sure = pieces.means(np.abs(2 * found - 1)[..., None])[:, 0]
        return cls(where, pieces, sure, pieces.means(ratio), pieces.means(sides.outside[..., None].astype(np.float32))[:, 0] > 0.5)

    def share(self, mask: Mask) -> Numbers:
        """Of each piece that lies in a mask (h, w)."""
        return self.pieces.means(mask[..., None].astype(np.float32))[:, 0]

    @property
    def minor(self) -> Mask:
        """Narrow strips along the outside: a finer border, whatever the rules say; a small hole or a small patch is neither."""
        return self.strips & (self.pieces.area <= STRIP * self.where.size)

    def not_enough(self, enough: Numbers, minor: Mask) -> Mask:
        """Which pieces the network is not sure enough of."""
        unsure = (self.sure < enough) & ~minor
        unsure[0] = False
        return unsure


def left_to_the_rules(found: Float, product: Mask, seen: Seen, wires: bool, soft: bool = False) -> Settled:
    """Where the network would have whole pieces otherwise than the rules and is not sure of them, the rules stand.

    Parameters
    ----------
    found : float32, shape (h, w)
        Coverage as the network has it, 0..1; changed in place where the rules stand.
    product : bool, shape (h, w)
        As the rules have it.
    seen : what is seen there.
    wires : bool
        Whether the product is of thin parts.
    soft : bool
        Whether the photo is out of focus: of such the network was taught none, and doubts much.
    """
    sides = _Sides.of(found, product)
    by_the_outside = cv2.dilate(sides.outside.view(np.uint8), disc(BORDER)) > 0

    def stands(other: Mask, pieces: Mask) -> Mask:
        # With the rim that opening took off, and with what is soft round a hole.
        near = cv2.dilate(pieces.view(np.uint8), disc(2 * BORDER + 1)) > 0
        left: Mask = near & (other | (product & ~by_the_outside))
        found[left] = product[left]
        return left

    other = product & ~sides.looked
    dropped = _Disputed.of(other, found, sides, seen.ratio)
    if _drops_the_product(dropped, product):
        found[:] = product
        nowhere = np.zeros(found.shape, bool)
        return Settled(np.ones(found.shape, bool), nowhere, nowhere, nowhere)
    unsure = dropped.not_enough(*_enough_to_drop(dropped, sides, seen, wires, soft))
    stand = stands(other, dropped.pieces.chosen(unsure))
    may_be_open = dropped.pieces.chosen(unsure & ~dropped.strips & (dropped.sure > _LIKELY))

    other = sides.looked & ~product
    adds = _Disputed.of(other, found, sides, seen.ratio)
    border = bordered(adds.pieces, seen.steep, sides.outside)
    enough, no_shadow = _enough_to_add(adds, border, sides, seen)
    unsure = adds.not_enough(enough, adds.minor)
    stand |= stands(other, adds.pieces.chosen(unsure))
    # What reaches the frame is rather a part of a table, whose own border to the paper is sharp.
    bounded = border > np.where(adds.pieces.at_the_frame, _BORDERED, _SOMEWHAT_BORDERED)
    may_be_product = adds.pieces.chosen(unsure & bounded & (adds.sure > _SURE_OF_SHADOW))
    added = adds.pieces.chosen(no_shadow & (adds.sure >= _SURE_OF_BORDERED))

    if not wires:
        close_pits(found, product, dropped.where)
    stand &= ~(close_without_border(found, seen.steep) | close_unlike_paper(found, added, seen.ratio))
    may_be_print = np.zeros(found.shape, bool)
    if not wires:
        closed, may_be_print = close_print(found, cv2.transform(seen.ratio, SHADE), product)
        stand &= ~closed
        may_be_open |= closed
        close_doubts(found, sides.deep, seen.ratio)
        if soft:
            close_narrow(found, product)
    return Settled(stand, may_be_product, may_be_open, may_be_print)


def _drops_the_product(dropped: _Disputed, product: Mask) -> bool:
    """Whether all but everything would be dropped at once, and not as the inside of a ring."""
    much = dropped.pieces.area > _MOST * cv2.countNonZero(product.view(np.uint8))
    much[0] = False
    return bool((much & (dropped.strips | (dropped.sure < _SURE_OF_RING) | (off_hue(dropped.ratios) > OF_A_HUE))).any())


def _enough_to_drop(dropped: _Disputed, sides: _Sides, seen: Seen, wires: bool, soft: bool) -> tuple[Numbers, Mask]:
    """How sure the network must be of what it drops: float64 (n,); and of which it need not be: bool (n,)."""
    pieces, sure, strips, ratios = dropped.pieces, dropped.sure, dropped.strips, dropped.ratios
    size = dropped.where.size
    # Of wires the rules know least; each gap is a piece by itself, and a little of a shadow's border lies in each.
    lattice = wires or np.count_nonzero(~strips[1:] & (sure[1:] > _SURE_TO_DROP)) >= _LATTICE
    dark, uneven = shaded(pieces, seen.ratio)
    enough = np.where(lattice, _SURE_OF_GAPS, np.where(dark & uneven, _SURE_OF_DEPTH, _SURE_TO_DROP))
    if not lattice:
        labels, punched = told_by_shape(pieces, seen.ratio, dark & uneven)
        enough = np.where(punched, np.minimum(enough, _SURE_OF_PUNCHED), np.maximum(enough, labels))
    # Between wires; or a sieve seen from above: paper in the shade of each hole.
    holes = ~strips if wires else dark & ~strips
    holes[0] = False
    if wires or np.count_nonzero(sure[holes] > _SURE_OF_GAPS) >= _SIEVE:
        enough[holes] = _SURE_OF_HOLES
    # What is dark or tinted along the outside is mostly shadow; what is like clean paper there may be a label up to the rim.
    unlike = unlike_paper(ratios)
    enough[strips & unlike] = _SURE_OF_GAPS if lattice else _SURE_OF_SHADOW
    enough[without_border(pieces, sides.looked, seen.steep) & (unlike | ~strips)] = _SURE_OF_RING
    # A wide place with a border to the paper and a hue is hardly a shadow, if it is much, or all is small.
    wide = dropped.share(seen.steep) < _NOT_ALL_BORDER
    sharp = bordered(pieces, seen.steep, sides.rules_outside) > _MOSTLY_BORDERED
    least = MUCH if max(dropped.where.shape) < _TINY else _VERY_MUCH
    enough[strips & wide & sharp & (off_hue(ratios) > OF_A_HUE) & (pieces.area > least * size)] = _SURE_OF_RING
    enough[(ratios @ SHADE[0] > _LIGHTER) & ~strips] = np.inf
    if not wires:
        enough[(off_hue(ratios) > OF_ANOTHER_HUE) & ~strips] = np.inf
        if soft:
            enough = np.maximum(enough, _SURE_IN_SOFT)
            # Nor is a wide place of another hue a shadow, unless it is light through glass, or burnt out.
            enough[(off_hue(ratios) > _NO_SHADOWS) & (pieces.area > _WIDE_SHADOW * size)] = np.inf
    narrow = dropped.share(cv2.erode(dropped.where.view(np.uint8), disc(_BROAD)) > 0) == 0
    return enough, dropped.minor & (unlike | narrow)


def _enough_to_add(adds: _Disputed, border: Float, sides: _Sides, seen: Seen) -> tuple[Numbers, Mask]:
    """How sure the network must be of what it adds: float64 (n,); and what is no shadow, by its `border` (n,) and its light: bool (n,)."""
    much, burnt = adds.pieces.area > MUCH * adds.where.size, adds.share(seen.burnt) > _PARTLY
    coloured = (border > _BORDERED) & (off_hue(adds.ratios) > HUE_OF_ITS_OWN)
    light = (border > _SOMEWHAT_BORDERED) & (adds.ratios @ SHADE[0] > _AS_LIGHT)
    no_shadow = much & ~burnt & (coloured | light)
    # Where product and paper are burnt out the rules find no border, and no grain looks like felt.
    enough = np.where(much, np.where(burnt, _SURE_OF_BURNT, _SURE_OF_MUCH), _SURE_TO_ADD)
    enough[no_shadow] = _SURE_OF_BORDERED
    # A shadow is told by its borders; where the outer one is burnt out, by where it lies: a side as white as the paper lies between what
    # the rules see of a product, unless they see little of it.
    little = adds.pieces.area > _MORE_THAN_HALF * cv2.countNonZero(sides.product.view(np.uint8))
    beside = much & ~little & (within_hulls(adds.pieces, sides.product) < _WITHIN)
    borders = shadows(adds.pieces, seen.ratio, seen.steep, sides.looked & sides.product, sides.outside)
    enough[np.where(burnt, beside, borders)] = np.inf
    # A gap that the rules saw, and it does not, is a label or a highlight.
    enough[adds.share(sides.rules_outside) < 0.5] = _SURE_TO_CLOSE
    return enough, no_shadow
