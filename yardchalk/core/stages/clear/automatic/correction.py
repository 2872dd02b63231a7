"""What automatic clearing found, put right by the second look, and by what no border parts from the backdrop."""

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.backdrop import BackdropModel
from yardchalk.core.colour import Float, Mask
from yardchalk.core.regions import Flood, disc, outside_of, pieces_of
from yardchalk.core.second_look import Look
from yardchalk.core.stages.clear.automatic import Clearing
from yardchalk.core.stages.clear.automatic.flooding import cost_of_likeness
from yardchalk.core.stages.clear.automatic.nearby import from_nearby
from yardchalk.core.stages.clear.automatic.tables import holding_the_frame
from yardchalk.core.stages.clear.evidence import Evidence

_NO_BORDER = 11.0  # a step lower than this borders no product where both sides are alike: so high are those of a file's blocks in shadow
_ALIKE, _AS_LIGHT = 0.045, 0.2  # likewise; the hue of a block in shadow is that far off
_BLOCK = 8  # px
_WIDE = 63  # px; wider than handles
_HARDLY, _SLIVER = 0.15, 0.1  # share of it that the rules found; share of the largest piece
_WIDER_THAN_FLANKS = 13  # px
_BURNT_OUT, _NOT_BURNT, _MOSTLY_BURNT = 254, 0.98, 0.7  # coded level; linear light of the backdrop; share of a gap
_IN_SHADOW, _LITTLE = -0.15, 0.005  # log light against the backdrop model; share of the product
# Of an island like the backdrop round it: share of the largest piece, share of it without a border, how sure the second look may be of
# it, and how far off in log light and in hue it may be.
_ISLAND, _MOSTLY, _UNSURE, _SAME_LIGHT, _SAME_HUE = 0.05, 0.5, 0.9, 0.04, 0.025


def corrected(cleared: Clearing, evidence: Evidence, look: Look) -> Clearing:
    """What was cleared, as the second look at it has it; unless that saw no product at all."""
    if not look.product.any():
        return cleared
    product = np.where(look.rules_stand, cleared.product, look.product)
    beyond = _beyond_the_paper(product, cleared)
    cleared = replace(cleared, product=cleared.product & ~beyond, surroundings=cleared.surroundings | beyond)
    product = _without_tables(product & ~beyond, cleared)
    difference = from_nearby(evidence.features, ~product)
    if _drop_unbordered(product, evidence, difference, look):
        difference = from_nearby(evidence.features, ~product)
    gaps = ~product & ~outside_of(product)
    return replace(cleared, product=product, gaps=gaps, surroundings=cleared.surroundings & ~product, difference=difference)


def without_highlights(cleared: Clearing, pixels: NDArray[np.uint8], backdrop: BackdropModel) -> Clearing:
    """What was cleared, but for gaps that are burnt out where the backdrop is not: a lamp mirrored in metal or glaze is no gap.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        The analysis picture, coded.
    """
    if not cleared.gaps.any():
        return cleared
    gaps = cleared.gaps
    h, w = gaps.shape
    burnt = np.zeros((h, w), bool)
    burnt[gaps] = (pixels[gaps].min(1) >= _BURNT_OUT) & (backdrop.light(w, h)[gaps].min(1) < _NOT_BURNT)
    pieces = pieces_of(gaps, diagonal=True)
    highlights = pieces.means(burnt[..., None].astype(np.float32))[:, 0] > _MOSTLY_BURNT
    if not highlights.any():
        return cleared
    lit = pieces.chosen(highlights)
    return replace(cleared, product=cleared.product | lit, gaps=gaps & ~lit)


def _drop_unbordered(product: Mask, evidence: Evidence, difference: Float, look: Look) -> bool:
    """Take from the product what no border parts from the backdrop beside it; whether there is any.

    Islands that are like the backdrop and that the second look is not sure of; and small patches, but only in shadow, where a file's
    blocks of colour look like steps, and only little: in a noisy or blurred photo a pale product has no border either, and there the
    second look is right.
    """
    flood = Flood(cost_of_likeness(evidence.steps, difference, np.zeros_like(product), _ALIKE, _AS_LIGHT), ~product)
    flood.rise(_NO_BORDER)
    flood.settle()
    unbordered = flood.reached & product
    if not unbordered.any():
        return False
    islands = pieces_of(product, diagonal=True)
    bare, sure = islands.means(np.dstack([unbordered, look.coverage]).astype(np.float32)).T
    off = islands.means(difference)
    like = (np.abs(off[:, 0]) < _SAME_LIGHT) & (np.hypot(off[:, 1], off[:, 2]) < _SAME_HUE) & (bare > _MOSTLY) & (sure < _UNSURE)
    like &= islands.area < _ISLAND * islands.area[1:].max(initial=0)
    like[0] = False
    # Along every border the product has a flank on which there is no step yet.
    wide = cv2.morphologyEx(unbordered.view(np.uint8), cv2.MORPH_OPEN, disc(_WIDER_THAN_FLANKS)) > 0
    pieces = pieces_of(wide, diagonal=True)
    dropped = pieces.means(evidence.features)[:, 0] < _IN_SHADOW
    dropped[0] = False
    patches = 0 < pieces.area[dropped].sum() < _LITTLE * cv2.countNonZero(product.view(np.uint8))
    product &= ~islands.chosen(like)
    if patches:
        product &= ~(unbordered & (cv2.dilate(pieces.chosen(dropped).view(np.uint8), disc(_WIDER_THAN_FLANKS)) > 0))
    return bool(patches or like.any())


def _beyond_the_paper(product: Mask, cleared: Clearing) -> Mask:
    """What of the product is wide, holds much of the frame's edge and is hardly any of the rules': where the paper ends, out of focus.

    A product that the frame cuts off has a border that holds the rules' flood back; what is out of focus has none.
    """
    if not holding_the_frame(pieces_of(product, diagonal=True)).any():
        return np.zeros_like(product)
    wide = cv2.morphologyEx(product.view(np.uint8), cv2.MORPH_OPEN, disc(_WIDE))
    pieces = pieces_of(wide > 0, diagonal=True)
    by_rules = pieces.means(cleared.product[..., None].astype(np.float32))[:, 0]
    beyond = pieces.chosen(holding_the_frame(pieces) & (by_rules < _HARDLY))
    beyond = product & (cv2.dilate(beyond.view(np.uint8), disc(5)) > 0)
    # With the slivers of it along its border.
    left = pieces_of(product & ~beyond, diagonal=True)
    slivers = np.zeros(left.area.size, bool)
    slivers[np.unique(left.labels[cv2.dilate(beyond.view(np.uint8), disc(_WIDER_THAN_FLANKS)) > 0])] = True
    slivers[left.area > _SLIVER * left.area[1:].max(initial=0)] = False
    slivers[0] = False
    return beyond | left.chosen(slivers)


def _without_tables(product: Mask, cleared: Clearing) -> Mask:
    """The product without other surfaces that hold so much of the frame's edge that they are a table or a wall, whatever they look like."""
    others = pieces_of(cleared.surroundings, diagonal=True)
    held = holding_the_frame(others)
    if not held.any():
        return product
    tables = others.chosen(held)
    pieces = pieces_of(product & ~tables, diagonal=True)
    # With what is left of them along their border.
    kept = np.ones(pieces.area.size, bool)
    kept[np.unique(pieces.labels[cv2.dilate(tables.view(np.uint8), disc(2 * _BLOCK + 1)) > 0])] = False
    kept[np.unique(pieces.labels[cleared.product])] = True
    kept[0] = False
    return pieces.chosen(kept)
