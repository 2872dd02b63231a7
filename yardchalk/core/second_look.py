"""A second look at what the rules found: a small network goes over it with the whole photo before its eyes.

Rules on steps and hues see one border at a time. That a white place is a label and not paper, a dark one a gap or a shadow,
only what is round it tells. So the network is shown the photo, its ratio to the backdrop model, the steps, and what the rules
took for product. It is a U-Net (Ronneberger, Fischer and Brox, MICCAI 2015) taught on pictures of made-up products that were
rendered for it, so that their coverage is known; `teaching/` holds how. Photos that are burnt out are shown to one of the same make
that was taught on such photos alone; where a small lamp's shadow may lie, one that was taught those is asked as well.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.backdrop import BackdropModel
from yardchalk.core.colour import Float, Mask, linear_table
from yardchalk.core.disputes import BURNT, Seen, drop_loose_specks, left_to_the_rules
from yardchalk.core.networks import told_by
from yardchalk.core.regions import disc, pieces_of
from yardchalk.core.softness import blur_of_outline

SIDE = 800  # px; long side of what is looked at
CHANNELS = 8  # of what it is shown
BLOCK = 32  # px; the network halves its picture five times
_LEAST = np.float32(2e-3)  # linear light
_DARKEST, _LIGHTEST, _PER_UNIT = -3.0, 0.7, 1.5  # of the log ratio to the backdrop
_SPECK, _CRUMB = 1e-5, 1e-3  # shares of the picture and of the largest piece; what is smaller is no product
_ROUND, _SMALL = 0.4, 0.75  # of the product's longer side; and of the frame's, that it takes up less of with that round it
FLANK = 5  # px; so much farther out than its border a look has its product
_MOSTLY_BURNT, _AT_THE_TOP = 0.5, 0.25  # shares of what the rules left
_THIN = 13  # px of what is looked at
_MOSTLY_SOLID = 0.5  # share that is not thin; below, it is a product of thin parts
_TOO_SOFT = 2.0  # px of what is looked at; of photos that are more blurred the network was taught none


@dataclass(frozen=True)
class Look:
    """What the second look found.

    Attributes
    ----------
    coverage : float32, shape (h, w)
        By the product, 0..1: good to a pixel or two, not an edge to cut by.
    rules_stand : bool, shape (h, w)
        Where the network would have whole pieces otherwise than the rules but is not sure of them, so that coverage is the rules'.
    may_be_product : bool, shape (h, w)
        Places of these that it would rather keep, with a border of their own towards the paper.
    may_be_open : bool, shape (h, w)
        Places within the product, of these or closed for want of the paper's light, that it would rather take for backdrop seen through
        a gap.
    may_be_print : bool, shape (h, w)
        Gaps that may be print, or a patch: evenly lit, and only somewhere as light as the paper; or drawn deep within.
    """

    coverage: Float
    rules_stand: Mask
    may_be_product: Mask
    may_be_open: Mask
    may_be_print: Mask

    @property
    def _masks(self) -> tuple[Mask, ...]:
        return self.rules_stand, self.may_be_product, self.may_be_open, self.may_be_print

    def enlarged(self, shape: tuple[int, ...]) -> "Look":
        """The same on a picture of another shape (h, w)."""
        if self.coverage.shape == shape[:2]:
            return self
        size = shape[1], shape[0]
        coverage = np.clip(cv2.resize(self.coverage, size, interpolation=cv2.INTER_CUBIC), 0, 1)
        return Look(coverage, *(cv2.resize(mask.view(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0 for mask in self._masks))

    def placed(self, at: tuple[slice, slice], shape: tuple[int, int]) -> "Look":
        """The same of a part, in its place in a picture of that shape (h, w), with nothing round it."""
        coverage = np.zeros(shape, np.float32)
        coverage[at] = self.coverage
        masks = []
        for mask in self._masks:
            masks.append(np.zeros(shape, bool))
            masks[-1][at] = mask
        return Look(coverage, *masks)

    @cached_property
    def product(self) -> Mask:
        """The product with the outer flank of its border, bool (h, w); specks are left out."""
        there = self.coverage > 0.5
        pieces = pieces_of(there, diagonal=True)
        kept = pieces.area >= max(_SPECK * there.size, _CRUMB * pieces.area[1:].max(initial=0))
        kept[0] = False
        return cv2.dilate(pieces.chosen(kept).view(np.uint8), disc(2 * FLANK + 1)) > 0


def look_again(pixels: NDArray[np.uint8], backdrop: BackdropModel, steps: Float, product: Mask, soft: bool = False) -> Look:
    """Have the network look at a picture and at what the rules found in it; at the size that it looks at.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        The analysis picture, coded.
    backdrop : its backdrop model.
    steps : float32, shape (h, w)
        Steepness in units of the backdrop's noise.
    product : bool, shape (h, w)
        What the rules took for product.
    soft : bool
        Whether the photo is out of focus, so that its analysis picture was made small.
    """
    h, w = product.shape
    at = _closer(product)
    parts = pixels[at], coded_steps(steps[at]), 255 * product[at].view(np.uint8)
    if parts[0].shape == pixels.shape:
        return look_once(parts, backdrop.light, SIDE, soft)
    light = backdrop.light(w, h)[at]
    closer = look_once(parts, lambda width, height: cv2.resize(light, (width, height), interpolation=cv2.INTER_AREA), SIDE, soft)
    return closer.enlarged(parts[0].shape).placed(at, (h, w))


def _closer(product: Mask) -> tuple[slice, slice]:
    """Rows and columns to look at: round what is small in the frame, as much as is round others; else all."""
    h, w = product.shape
    pieces = pieces_of(product, diagonal=True)
    counted = pieces.area >= _CRUMB * pieces.area[1:].max(initial=0)
    counted[0] = False
    if not counted.any():
        return np.s_[0:h, 0:w]
    x, y, bw, bh = cv2.boundingRect(pieces.chosen(counted).view(np.uint8))
    margin = round(_ROUND * max(bw, bh))
    at = np.s_[max(0, y - margin) : min(h, y + bh + margin), max(0, x - margin) : min(w, x + bw + margin)]
    longest = max(at[0].stop - at[0].start, at[1].stop - at[1].start)
    return at if longest < _SMALL * max(h, w) else np.s_[0:h, 0:w]


def look_once(parts: tuple[NDArray[np.uint8], ...], light: Callable[[int, int], Float], side: int, soft: bool = False) -> Look:
    """The same with this long side at most, px.

    `parts` are the pixels and, as `what_is_shown` takes them, steps and product; `light` gives the backdrop's at a width and height.
    """
    h, w = parts[0].shape[:2]
    scale = min(1.0, side / max(h, w))
    size = max(1, round(w * scale)), max(1, round(h * scale))
    small = [cv2.resize(values, size, interpolation=cv2.INTER_AREA) for values in parts]
    found_before = small[2] > 127
    if (blur_of_outline(small[0], found_before) or 0) > _TOO_SOFT:
        nowhere = np.zeros(found_before.shape, bool)
        return Look(found_before.astype(np.float32), np.ones(found_before.shape, bool), nowhere, nowhere, nowhere)
    shown = what_is_shown(small[0], light(*size), small[1], small[2])
    whole = np.zeros((1, CHANNELS, -(-size[1] // BLOCK) * BLOCK, -(-size[0] // BLOCK) * BLOCK), np.float32)
    whole[0, :, : size[1], : size[0]] = shown
    # Out of focus, what was taught hard shadows takes soft print for one.
    network = "burnt_out_look" if _is_burnt_out(small[0], found_before) else "soft_look" if soft else "second_look"

    logits = told_by(network, whole)[0, 0, : size[1], : size[0]]
    # In steps, so that the last bits of the arithmetic, which differ between processors, decide nothing.
    found = (np.rint(255 / (1 + np.exp(-logits))) / 255).astype(np.float32)
    there = (found > 0.5).view(np.uint8)
    area = max(cv2.countNonZero(there), 1)
    solid = cv2.countNonZero(cv2.morphologyEx(there, cv2.MORPH_OPEN, disc(_THIN))) / area
    drop_loose_specks(found, found_before)
    ratio = np.ascontiguousarray(np.moveaxis(shown[3:6], 0, -1)) * np.float32(_PER_UNIT)
    seen = Seen.of(small[0], small[1], ratio)
    return Look(found, *left_to_the_rules(found, found_before, seen, solid < _MOSTLY_SOLID, soft))


def _is_burnt_out(pixels: NDArray[np.uint8], product: Mask) -> bool:
    """Whether most of what the rules did not take for product is burnt out: such photos a network of their own was taught."""
    left = pixels.min(2)[~product]
    # Paper that is evenly light, just below the top, is not.
    return bool(left.size and (left >= BURNT).mean() > _MOSTLY_BURNT and (left == 255).mean() > _AT_THE_TOP)


def coded_steps(steps: Float) -> NDArray[np.uint8]:
    """Steps as the network is shown them: 28 levels for each doubling beyond the noise."""
    return np.clip(np.log2(np.maximum(steps, np.float32(1))) * 28, 0, 255).astype(np.uint8)


def what_is_shown(pixels: NDArray[np.uint8], light: Float, steps: NDArray[np.uint8], product: NDArray[np.uint8]) -> Float:
    """What the network is shown: codes, log ratio of light to the backdrop's, product and steps; float32 (CHANNELS, h, w).

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        Coded.
    light : float32, shape (h, w, 3)
        Linear light of the backdrop model.
    steps : uint8, shape (h, w)
        See `coded_steps`.
    product : uint8, shape (h, w)
        Coverage by what the rules took for product, 0..255.
    """
    found = product[..., None].astype(np.float32) / 255 - np.float32(0.5)
    steep = steps[..., None].astype(np.float32) / 255
    shown = np.concatenate([beside_backdrop(pixels, light), found, steep], axis=2)
    return np.ascontiguousarray(shown.transpose(2, 0, 1))


def beside_backdrop(pixels: NDArray[np.uint8], light: Float) -> Float:
    """Codes, and log ratio of light to the backdrop's, both near 0: float32 (..., 6) of (..., 3)."""
    ratio = np.log(np.maximum(linear_table(256)[pixels], _LEAST) / np.maximum(light, _LEAST))
    codes = pixels.astype(np.float32) / 255 - np.float32(0.5)
    return np.concatenate([codes, np.clip(ratio, _DARKEST, _LIGHTEST) / np.float32(_PER_UNIT)], axis=-1)
