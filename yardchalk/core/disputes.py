"""Where the second look and the rules do not agree on whole pieces of a picture: who is believed.

A border that they draw a pixel or two apart is no dispute. Of a piece, it tells how sure the network is of it, what is seen there,
and its shape: print floats in no gap, no shadow has a sharp border to the paper, nothing seen through a hole is lighter than what
is behind it, a wide one lets in light that the paper shows somewhere in it, and a rim's shadow has a border.
"""

from typing import Literal, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask, off_hue
from yardchalk.core.regions import Pieces, disc, outside_of, pieces_of

_DEEP = 31  # px of what is looked at; wider than the rules' product reaches beyond its border, on both sides
_STRIP = 3e-4  # share of the picture; of a strip along the outside that is smaller the rules are not asked
_WHOLE = 0.9  # coverage; what has more is open to no doubt
_DOUBTED = 0.05  # share of what is deep in the product
_BROAD = 11  # px of what is looked at; what is as broad and like clean paper is no strip, however small
_BORDER = 7  # px of what is looked at; narrower than that, an other border is no other piece
# Mean distance from a half, of a half, from which on a piece is had as the network has it: one that it drops, that it adds, a gap.
_SURE_TO_DROP, _SURE_TO_ADD, _SURE_OF_GAPS = 0.86, 0.8, 0.6
_SURE_TO_CLOSE = 0.5  # and a gap of the rules that it takes for product
_SURE_OF_SHADOW = 0.72  # and one that it drops along the outside, that is not like clean paper: darker by so much, or of such a hue
_DARKER, _OF_A_HUE = 0.1, 0.03  # log light
_OF_ANOTHER_HUE = 0.5  # log light; paper seen through a hole is not as far off the backdrop's hue as that, but for between wires
_SOFT_EDGE, _SURE_IN_SOFT = 7, 0.87  # px of what is looked at; and how sure it must be to drop anything of a photo that is out of focus
_NO_SHADOWS, _WIDE_SHADOW = 0.4, 0.01  # log light; share of the picture
_LIKELY = 0.8  # the same, from which on a place that the rules keep is more often a gap than not
_MUCH, _SURE_OF_MUCH = 2e-3, 0.91  # share of the picture; and how sure it must be to add so much: paper with a grain looks like felt
# What it would add has a border to the paper, as no paper with a grain has, and no reflection: shares of that border along which there is
# a step, mostly and at all. It is no shadow either, if of another hue, or as light as the paper, log light. How sure it must be of that.
_BORDERED, _SOMEWHAT_BORDERED, _HUE_OF_ITS_OWN, _AS_LIGHT, _SURE_OF_BORDERED = 0.35, 0.2, 0.1, -0.1, 0.78
# What it would drop has one: share as before, of the piece that is near a step at most, of the picture, and px of that, if small.
_MOSTLY_BORDERED, _NOT_ALL_BORDER, _VERY_MUCH, _TINY = 0.45, 0.87, 0.05, 500
_GRAIN = 3  # times as much of a border as of the paper has steps; with less it is the paper's own
BURNT = 250  # coded level of a channel
_PARTLY, _SURE_OF_BURNT = 0.3, 0.75  # share of a piece that is burnt; how sure of that it must be instead
_LATTICE = 6  # holes that it is sure of, from which on it is one with many
_SURE_OF_DEPTH, _IN_SHADE, _UNEVEN = 0.75, 0.35, 0.2  # of a hole in shade; and log light, darker than the backdrop, and its deviation
_SIEVE, _SURE_OF_HOLES = 8, 0.3  # dark holes that it is fairly sure of, from which on it is a sieve; and how sure it must be of each
_LIGHTER = 0.022  # log light beyond the backdrop's, from which on a hole is none: what is seen through one is not lighter
# How sure it must be of a hole like a label's paper: bent round what is printed on it. Shares of the picture that are one, and too much
# for one, of its convex hull, and of it what the print is.
_SURE_OF_LABELS, _LABEL, _SHEET, _BENT, _PRINTED = 0.91, 5e-4, 0.03, 0.8, 0.2
# What print differs by from the paper, log light and its hue; share of an even paper that does; and share of it that what lies within may
# be in one piece: more is a thing of its own, within a ring.
_PRINT, _PRINT_HUE, _UNEVENLY, _OF_ITS_OWN = 0.3, 0.06, 0.2, 0.3
# And of one that is convex and clean: px, share of its hull; shares of it what is otherwise within the hull, and its pores, px across;
# share of the picture that a small one is, and how far off the backdrop's hue paper may be in its depth.
_SURE_OF_PUNCHED, _HOLE, _CONVEX, _SCUFFED, _POROUS, _PORE, _SMALL, _IN_ITS_HUE = 0.55, 60, 0.95, 0.06, 0.01, 7, 5e-3, 0.12
# A shadow has a sharp border only to what throws it: shares of its border to that, and to the paper, along which there is a step; share
# of its border that is to the paper; how much darker it is, log light, and how uneven.
_FIRM_SIDE, _SOFT_SIDE, _TO_PAPER, _FALLS_OFF = 0.85, 0.08, 0.3, 0.15
_MOST = 0.5  # of the product that the rules found; so much at once is not dropped, unless it is the inside of a ring
_SURE_OF_RING = 0.95  # and how sure it must be of that, and of what has no border
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
_MOSTLY, _BESIDE = 0.95, 0.5  # quantiles: of the shades in an opening, and of those just outside, which may lie in shadow too
# As `second_look.coded_steps` has it, 20 times the noise; and shares of a border along which there is such a step.
_STEEP, _HALF_BORDERED, _HARDLY_BORDERED = 121, 0.5, 0.3
_SHADE = np.array([[0.25, 0.5, 0.25]], np.float32)  # of a log ratio, how light it is


class Seen(NamedTuple):
    """What is seen at the size that is looked at, each (h, w): log ratio to the backdrop (3), near a step, burnt out."""

    ratio: Float
    steep: Mask
    burnt: Mask

    @classmethod
    def of(cls, pixels: NDArray[np.uint8], coded_steps: NDArray[np.uint8], ratio: Float) -> "Seen":
        """Of coded pixels (h, w, 3), of steps as the network is shown them, and of log ratios to the backdrop."""
        return cls(ratio, cv2.dilate(coded_steps, disc(_BORDER)) > _STEEP, pixels.max(2) >= BURNT)


def _unlike_paper(ratio: NDArray[np.floating]) -> Mask:
    """Which log ratios to the backdrop (n, 3) are darker than clean paper, or of another hue: bool (n,)."""
    return (ratio @ _SHADE[0] < -_DARKER) | (off_hue(ratio) > _OF_A_HUE)


def _shaded(pieces: Pieces, ratio: Float) -> tuple[Mask, Mask]:
    """Which pieces are dark, and which are unevenly lit, as paper is under what has a hole: bool (n,); a label is neither."""
    shade = cv2.transform(ratio, _SHADE)
    mean, square = pieces.means(np.dstack([shade, shade * shade])).T
    return mean < -_IN_SHADE, square - mean**2 > _UNEVEN**2


def _told_by_shape(pieces: Pieces, ratio: Float, deep: Mask) -> tuple[Float, Mask]:
    """Which pieces are even and bent round what is plainly of another light or hue, as a label's paper is round its print, or have it lie
    within them, which nothing does in a gap; and which are of the paper's hue, convex and of one piece, as a hole is that was cut or
    punched: float32 (n,), how sure of the first one must be at least, and bool (n,).

    Down in small holes, those that are `deep` in shade (n,), paper takes on the product's hue.
    """
    least, punched = np.zeros(pieces.area.size, np.float32), np.zeros(pieces.area.size, bool)
    for i in 1 + np.flatnonzero(pieces.area[1:] > _HOLE):
        box = pieces.box(int(i), _PORE)
        piece = (pieces.labels[box] == i).view(np.uint8)
        hull = cv2.fillConvexPoly(np.zeros_like(piece), cv2.convexHull(cv2.findNonZero(piece)), 1)
        area, convex = int(pieces.area[i]), cv2.countNonZero(hull)
        like_a_label = _LABEL < area / pieces.labels.size < _SHEET
        there = piece > 0
        beside = ratio[box] - np.median(ratio[box][there], axis=0).astype(np.float32)
        shade = cv2.transform(beside, _SHADE)
        unlike = (np.abs(shade) > _PRINT) | (off_hue(beside) > _PRINT_HUE)
        printed = unlike & (hull > 0) & ~there
        prints = np.count_nonzero(printed)
        if like_a_label and unlike[there].mean() < _UNEVENLY and prints > _SCUFFED * area:
            within = pieces_of(printed & ~outside_of(there), diagonal=True)
            if within.area[1:].sum() > _SCUFFED * area and within.area[1:].max() < _OF_ITS_OWN * area:
                least[i] = np.inf
            elif area < _BENT * convex and prints > _PRINTED * area:
                least[i] = _SURE_OF_LABELS
        elif area > _CONVEX * convex and prints < _SCUFFED * area:
            may_be_off = _IN_ITS_HUE if deep[i] and area < _SMALL * pieces.labels.size else _OF_A_HUE
            pores = cv2.countNonZero(cv2.morphologyEx(piece, cv2.MORPH_CLOSE, disc(_PORE))) - area
            punched[i] = pores < _POROUS * area and off_hue(ratio[box][there].mean(0)) < may_be_off
    return least, punched


def _shadows(pieces: Pieces, ratio: Float, steep: Mask, kept: Mask, outside: Mask) -> Mask:
    """Which pieces are darker, unevenly, and have a sharp border to what is kept but none to the outside, as a shadow: bool (n,)."""
    out = np.zeros(pieces.area.size, bool)
    shades = pieces.means(ratio) @ _SHADE[0]
    for i in 1 + np.flatnonzero((pieces.area[1:] > _LABEL * pieces.labels.size) & (shades[1:] < -_DARKER)):
        box = pieces.box(int(i), _BORDER)
        piece = (pieces.labels[box] == i).view(np.uint8)
        near = cv2.dilate(piece, disc(11)) > 0
        to_paper = near & outside[box] & (cv2.dilate(piece, disc(3)) == 0)
        to_product = near & kept[box]
        count = np.count_nonzero(to_paper), np.count_nonzero(to_product)
        if not count[1] or count[0] < _TO_PAPER * sum(count):
            continue
        sides = steep[box][to_paper].mean() < _SOFT_SIDE and steep[box][to_product].mean() > _FIRM_SIDE
        out[i] = sides and (ratio[box][piece > 0] @ _SHADE[0]).std() > _FALLS_OFF
    return out


def drop_loose_specks(found: Float, product: Mask) -> None:
    """Take from `found` what is joined to nothing of the rules' product and that the network is not sure of: mostly grain of the paper."""
    pieces = pieces_of(found > 0.5, diagonal=True)
    loose = pieces.means(np.abs(2 * found - 1)[..., None])[:, 0] < _SURE_TO_ADD
    loose[np.unique(pieces.labels[product])] = False
    loose[0] = False
    found[pieces.chosen(loose)] = 0


def _without_border(pieces: Pieces, kept: Mask, steep: Mask) -> Mask:
    """Which large pieces hardly a step parts from what is kept beside them: bool (n,); what is mirrored in metal ends softly."""
    out = np.zeros(pieces.area.size, bool)
    for i in 1 + np.flatnonzero(pieces.area[1:] > _MUCH * kept.size):
        box = pieces.box(int(i), _BORDER)
        piece = (pieces.labels[box] == i).view(np.uint8)
        near = cv2.dilate(kept[box].view(np.uint8), disc(5)) > 0
        rim = near & (cv2.dilate(piece, disc(9)) > 0) & (cv2.dilate(piece, disc(3)) == 0)
        out[i] = rim.any() and steep[box][rim].mean() < _HALF_BORDERED
    return out


def _bordered(pieces: Pieces, steep: Mask, outside: Mask) -> Float:
    """Share of each large piece's border to the outside along which there is a step: float32 (n,); 0 if the paper has many."""
    out = np.zeros(pieces.area.size, np.float32)
    for i in 1 + np.flatnonzero(pieces.area[1:] > _STRIP * outside.size):
        box = pieces.box(int(i), _BORDER)
        piece = (pieces.labels[box] == i).view(np.uint8)
        rim = (cv2.dilate(piece, disc(11)) > 0) & (cv2.dilate(piece, disc(3)) == 0) & outside[box]
        if rim.any():
            out[i] = steep[box][rim].mean()
    return np.where(out > _GRAIN * (steep[outside].mean() if outside.any() else 0), out, np.float32(0))


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
    stand, may_be_product, may_be_open, may_be_print, added = (np.zeros(found.shape, bool) for _ in range(5))
    looked = found > 0.5
    outside = outside_of(looked)
    deep = (cv2.erode(product.view(np.uint8), disc(_DEEP)) > 0) & ~outside
    rules_outside = outside_of(product)
    by_the_outside = cv2.dilate(outside.view(np.uint8), disc(_BORDER)) > 0
    for other, adds in ((product & ~looked, False), (looked & ~product, True)):
        # However small a hole deep in the product is, it is a piece; elsewhere only what is wider than a border.
        whole = (cv2.morphologyEx(other.view(np.uint8), cv2.MORPH_OPEN, disc(_BORDER)) > 0) | (other & deep)
        pieces = pieces_of(whole, diagonal=True)
        sure = pieces.means(np.abs(2 * found - 1)[..., None])[:, 0]
        # A narrow strip along the outside is a finer border, whatever the rules say; a small hole or a small patch is neither.
        strips = pieces.means(outside[..., None].astype(np.float32))[:, 0] > 0.5
        ratios = pieces.means(seen.ratio)
        minor = strips & (pieces.area <= _STRIP * whole.size)
        if adds:
            enough = np.where(pieces.area > _MUCH * other.size, _SURE_OF_MUCH, _SURE_TO_ADD)
            # Where product and paper are burnt out the rules find no border, and no grain looks like felt.
            burnt = pieces.means(seen.burnt[..., None].astype(np.float32))[:, 0] > _PARTLY
            enough[(enough == _SURE_OF_MUCH) & burnt] = _SURE_OF_BURNT
            bordered = _bordered(pieces, seen.steep, outside)
            no_shadow = (bordered > _BORDERED) & (off_hue(ratios) > _HUE_OF_ITS_OWN)
            no_shadow |= (bordered > _SOMEWHAT_BORDERED) & (ratios @ _SHADE[0] > _AS_LIGHT)
            no_shadow &= enough == _SURE_OF_MUCH
            enough[no_shadow] = _SURE_OF_BORDERED
            added = pieces.chosen(no_shadow & (sure >= _SURE_OF_BORDERED))
            enough[~burnt & _shadows(pieces, seen.ratio, seen.steep, looked & product, outside)] = np.inf
            # A gap that the rules saw, and it does not, is a label or a highlight.
            enough[pieces.means(rules_outside[..., None].astype(np.float32))[:, 0] < 0.5] = _SURE_TO_CLOSE
        else:
            much = pieces.area > _MOST * cv2.countNonZero(product.view(np.uint8))
            much[0] = False
            if (much & (strips | (sure < _SURE_OF_RING) | (off_hue(ratios) > _OF_A_HUE))).any():
                found[:] = product
                return Settled(np.ones(found.shape, bool), may_be_product, may_be_open, may_be_print)
            # Of wires the rules know least; each gap is a piece by itself, and a little of a shadow's border lies in each.
            lattice = wires or np.count_nonzero(~strips[1:] & (sure[1:] > _SURE_TO_DROP)) >= _LATTICE
            dark, uneven = _shaded(pieces, seen.ratio)
            enough = np.where(lattice, _SURE_OF_GAPS, np.where(dark & uneven, _SURE_OF_DEPTH, _SURE_TO_DROP))
            if not lattice:
                labels, punched = _told_by_shape(pieces, seen.ratio, dark & uneven)
                enough = np.where(punched, np.minimum(enough, _SURE_OF_PUNCHED), np.maximum(enough, labels))
            # Between wires; or a sieve seen from above: paper in the shade of each hole.
            holes = ~strips if wires else dark & ~strips
            holes[0] = False
            if wires or np.count_nonzero(sure[holes] > _SURE_OF_GAPS) >= _SIEVE:
                enough[holes] = _SURE_OF_HOLES
            # What is dark or tinted along the outside is mostly shadow; what is like clean paper there may be a label up to the rim.
            unlike = _unlike_paper(ratios)
            enough[strips & unlike] = _SURE_OF_GAPS if lattice else _SURE_OF_SHADOW
            enough[_without_border(pieces, looked, seen.steep) & (unlike | ~strips)] = _SURE_OF_RING
            # A wide place with a border to the paper and a hue is hardly a shadow, if it is much, or all is small.
            wide = pieces.means(seen.steep[..., None].astype(np.float32))[:, 0] < _NOT_ALL_BORDER
            sharp = _bordered(pieces, seen.steep, rules_outside) > _MOSTLY_BORDERED
            least = _MUCH if max(whole.shape) < _TINY else _VERY_MUCH
            enough[strips & wide & sharp & (off_hue(ratios) > _OF_A_HUE) & (pieces.area > least * whole.size)] = _SURE_OF_RING
            enough[(ratios @ _SHADE[0] > _LIGHTER) & ~strips] = np.inf
            if not wires:
                enough[(off_hue(ratios) > _OF_ANOTHER_HUE) & ~strips] = np.inf
                if soft:
                    enough = np.maximum(enough, _SURE_IN_SOFT)
                    # Nor is a wide place of another hue a shadow, unless it is light through glass, or burnt out.
                    enough[(off_hue(ratios) > _NO_SHADOWS) & (pieces.area > _WIDE_SHADOW * whole.size)] = np.inf
            narrow = pieces.means(cv2.erode(whole.view(np.uint8), disc(_BROAD))[..., None].astype(np.float32))[:, 0] == 0
            minor &= unlike | narrow
        unsure = (sure < enough) & ~minor
        unsure[0] = False
        # With the rim that opening took off, and with what is soft round a hole.
        near = cv2.dilate(pieces.chosen(unsure).view(np.uint8), disc(2 * _BORDER + 1)) > 0
        left = near & (other | (product & ~by_the_outside))
        found[left] = product[left]
        stand |= left
        if adds:
            may_be_product = pieces.chosen(unsure & (bordered > _SOMEWHAT_BORDERED) & (sure > _SURE_OF_SHADOW))
        else:
            may_be_open = pieces.chosen(unsure & ~strips & (sure > _LIKELY))
    stand &= ~(_close_without_border(found, seen.steep) | _close_unlike_paper(found, added, seen.ratio))
    if not wires:
        closed, may_be_print = _close_print(found, cv2.transform(seen.ratio, _SHADE), product)
        stand &= ~closed
        may_be_open |= closed
        _close_doubts(found, deep, seen.ratio)
        if soft:
            _close_narrow(found, product)
    return Settled(stand, may_be_product, may_be_open, may_be_print)


def _close_without_border(found: Float, steep: Mask) -> Mask:
    """Make whole the openings that hardly a step parts from what is round them, as one does a gap; and where they were, bool (h, w)."""
    outside = outside_of(found > 0.5)
    pieces = pieces_of((found <= 0.5) & ~outside, diagonal=True)
    without: list[int] = []
    for i in 1 + np.flatnonzero(pieces.area[1:] > _HOLE):
        box = pieces.box(int(i), _BORDER)
        piece = (pieces.labels[box] == i).view(np.uint8)
        rim = cv2.morphologyEx(piece, cv2.MORPH_GRADIENT, disc(5)) > 0
        if steep[box][rim].mean() < _HARDLY_BORDERED:
            without.append(int(i))
    return _closed(found, np.isin(pieces.labels, without), outside)


def _close_unlike_paper(found: Float, added: Mask, ratio: Float) -> Mask:
    """Make whole the openings in what was `added` that have a hue of their own; and where they were, bool (h, w).

    There the rules lost the product, so that what it doubts for their sake is no gap.
    """
    outside = outside_of(found > 0.5)
    pieces = pieces_of((found <= 0.5) & ~outside, diagonal=True)
    within = np.zeros(pieces.area.size, bool)
    within[np.unique(pieces.labels[cv2.dilate(added.view(np.uint8), disc(_BORDER)) > 0])] = True
    within[0] = False
    return _closed(found, pieces.chosen(within & (off_hue(pieces.means(ratio)) > _HUE_OF_ITS_OWN)), outside)


def _closed(found: Float, openings: Mask, outside: Mask) -> Mask:
    """Make openings whole, with what is soft round them; in place."""
    if openings.any():
        by_the_outside = cv2.dilate(outside.view(np.uint8), disc(_BORDER)) > 0
        rim = (cv2.dilate(openings.view(np.uint8), disc(2 * _BORDER + 1)) > 0) & (found > 0.5) & ~by_the_outside
        found[openings | rim] = 1
    return openings


def _close_print(found: Float, shade: Float, product: Mask) -> tuple[Mask, Mask]:
    """Make whole the openings that are wide but let in no light as the paper has, and those dim but evenly lit.

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
    numbers: list[int] = (1 + np.flatnonzero(pieces.area[1:] > _HOLE)).tolist()
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
    if nowhere_as_light and width >= (_WIDE if few else _WIDE_IN_ANY):
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


def _close_doubts(found: Float, deep: Mask, ratio: Float) -> None:
    """Make whole what the network only doubts, `deep` in what both take for product; unless that is much, as between a feather's barbs,
    and of the backdrop's hue.
    """
    pieces = pieces_of(deep & (found < _WHOLE), diagonal=True)
    doubted = pieces.means((found <= 0.5)[..., None].astype(np.float32))[:, 0] == 0
    doubted[0] = False
    coloured = doubted & (off_hue(pieces.means(ratio)) > _OF_ANOTHER_HUE)
    much = pieces.area[doubted & ~coloured].sum() >= _DOUBTED * cv2.countNonZero(deep.view(np.uint8))
    found[pieces.chosen(coloured if much else doubted)] = 1


def _close_narrow(found: Float, product: Mask) -> None:
    """Make whole what lies within the rules' product, but for holes that are wider than an edge that is out of focus."""
    outside = outside_of(found > 0.5)
    kept = cv2.morphologyEx(product.view(np.uint8), cv2.MORPH_CLOSE, disc(_SOFT_EDGE)) > 0
    holes = cv2.morphologyEx(((found <= 0.5) & ~outside).view(np.uint8), cv2.MORPH_OPEN, disc(_SOFT_EDGE))
    open_ = cv2.dilate(outside.view(np.uint8), disc(_BORDER)) | cv2.dilate(holes, disc(2 * _BORDER + 1))
    found[kept & (open_ == 0)] = 1
