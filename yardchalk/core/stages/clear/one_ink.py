"""Telling a print from a photographed thing: one ink in many densities on paper, and no shadow.

What ink lets through of the paper's light mixes it with its own: every pixel's light, relative to the paper's, lies on one
line from the paper to the ink. A thing that is lit is shaded, towards black, and its highlights are the lamp's; both leave
that line unless the thing is grey, and then its shadow on the backdrop tells it from a print.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.backdrop import BackdropModel
from yardchalk.core.colour import Float, Mask, linear_table

_STEP = 4  # px; one stands for those beside it where shadows are looked for
_BESIDE = (5.0, 25.0)  # px; how far outside the product's flank a shadow is looked for
_SHADED, _DARKEST = 0.04, 0.1  # log light: what nine tenths, and nearly all, of that may be darker than the paper by
_BURNT = 0.96  # linear light; paper that is as bright shows neither shadow nor texture
_ELSEWHERE = 0.02  # share of the frame that may be other surfaces
_FLANK = 9  # px that the product is made narrower by
_ENOUGH = 500  # px of it
_FULL, _SOLID = 0.9, 0.97  # quantile of density, and from which share of that on it is the ink itself
_COVERED = 0.3  # of the ink; what is covered less says little of its colour
_OFF = 0.15  # of the ink's density: how far off the line nearly all may lie
_PALE, _MOSTLY_PALE = 0.7, 0.5  # of the ink's density; share of the product that may be paler
_LIT, _FEW = 0.06, 0.02  # of the ink's density: ink makes nothing lighter than paper, but for so few pixels
_GRAIN, _ROUGH = 6.0, 0.12  # px, and deviation in coverage over so much: ink that covers evenly is cut like any product

# What a person may take for ink, though it is not taken for that by itself.
_INK_DENSITY = 1.6  # log light that the densest takes at least; wires are paler than that
_ASTRAY = 0.1  # log light by which half of the pixels may differ in hue from paper and ink mixed
_OVER_PAPER = 0.02  # log light over the backdrop, which ink never is

Ink = tuple[float, float, float]


def one_ink(pixels: NDArray[np.uint8], backdrop: BackdropModel, shade: Float, product: Mask, elsewhere: Mask) -> Ink | None:
    """What the one ink takes of the paper's linear R, G and B, relative to what it takes most of; None if it is no such print.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        The analysis picture, coded.
    backdrop : its backdrop model, the paper.
    shade : float32, shape (h, w)
        Log light relative to it, lightly smoothed.
    product : bool, shape (h, w)
        What was found to be product, with the outer flank of its border.
    elsewhere : bool, shape (h, w)
        Other surfaces in the frame.
    """
    inside = cv2.erode(product.view(np.uint8), np.ones((_FLANK, _FLANK), np.uint8)) > 0
    if np.count_nonzero(inside) < _ENOUGH or max(backdrop.mean_light) > _BURNT:
        return None
    if elsewhere.mean() > _ELSEWHERE or _has_shadow(shade, product | elsewhere):
        return None
    h, w = product.shape
    missing = 1 - linear_table(256)[pixels] / np.maximum(backdrop.light(w, h), np.float32(2e-3))
    # JPEG halves colour, so that grain of a pixel has light and hue of its own.
    half = w // 2, h // 2
    seen = cv2.resize(missing, half, interpolation=cv2.INTER_AREA)
    seen = seen[cv2.resize(inside.view(np.uint8), half, interpolation=cv2.INTER_NEAREST) > 0]
    length = np.linalg.norm(seen, axis=1)
    ink = np.median(seen[length > _SOLID * np.quantile(length, _FULL)], axis=0)
    share = seen @ (ink / (ink @ ink))
    off = np.linalg.norm(seen - share[:, None] * ink, axis=1)[share > _COVERED] / np.linalg.norm(ink)
    if not off.size or np.quantile(off, 0.95) > _OFF or np.mean(share < _PALE) > _MOSTLY_PALE or np.quantile(share, _FEW) < -_LIT:
        return None
    covered = missing @ (ink / (ink @ ink))
    if (covered - cv2.GaussianBlur(covered, (0, 0), _GRAIN))[inside].std() < _ROUGH:
        return None
    red, green, blue = np.clip(ink / ink.max(), 0, 1).tolist()
    return red, green, blue


def _has_shadow(shade: Float, product: Mask) -> bool:
    """Whether the backdrop beside the product is darker than elsewhere."""
    small, there = cv2.blur(shade[::_STEP, ::_STEP], (3, 3)), np.ascontiguousarray(product[::_STEP, ::_STEP])
    away = _STEP * cv2.distanceTransform((~there).view(np.uint8), cv2.DIST_L2, 5)
    beside = -small[(away > _BESIDE[0]) & (away < _BESIDE[1])]
    if not beside.size:
        return True
    most, nearly_all = np.quantile(beside, [0.9, 0.97])
    return bool(most > _SHADED or nearly_all > _DARKEST)


def may_be_ink(features: Float) -> bool:
    """Whether all of a product can be one ink on the paper behind it: darker than that, and of the hues that both make when mixed.

    Less is asked than of what is taken for a print by itself: neither that it casts no shadow nor that it covers unevenly.

    Parameters
    ----------
    features : float32, shape (n, 3)
        Shade and both chromas of the product's pixels, see `Evidence`.
    """
    if not features.size:
        return False
    shade, *chroma = features.T
    if np.quantile(shade, 0.98) > _OVER_PAPER:
        return False
    dense = float(np.quantile(shade, 0.1))
    if dense > -_INK_DENSITY:
        return False
    # Of full cover: how much of the backdrop's green, red and blue comes through.
    solid = shade <= dense
    green = np.exp(float(shade[solid].mean()))
    share = np.clip((1 - np.exp(shade)) / (1 - np.exp(dense)), 0, 1)
    astray = np.zeros_like(shade)
    for hue in chroma:
        other = green * np.exp(float(hue[solid].mean()))
        astray = np.hypot(astray, hue - np.log((1 - share * (1 - other)) / (1 - share * (1 - green))))
    return float(np.median(astray)) < _ASTRAY
