"""A close look at the product's border: coverage, pixel by pixel.

C = alpha F + (1 - alpha) B leaves alpha open where F changes towards the rim, as glaze and metal do, where the border lies in
a shadow that the backdrop model does not know, and where wires and bristles are thinner than a pixel. So a small network that
was taught on rendered pictures, whose coverage is known, goes over the border in tiles. It is a U-Net (Ronneberger, Fischer
and Brox, MICCAI 2015); `teaching/` holds how it was taught.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask
from yardchalk.core.networks import told_by
from yardchalk.core.regions import disc, pieces_of
from yardchalk.core.second_look import beside_backdrop

TILE, LAP = 64, 8  # px; a tile's side, and how far it is looked at beyond what is asked of it
CHANNELS = 7  # of what is shown
REACH = 8  # px; how far from the first matte's border coverage is open
_BESIDE = 3  # px; and how far from what is soft in it
_TOGETHER = 16  # tiles at a time
_SOFT, _FIRM = 0.1, 0.8  # of the first matte; what lies between is soft
_FAINT, _SURE = 0.03, 0.85  # of coverage: what makes a piece, and what the first matte had where it was sure of one
_SMALL = 0.003  # of what is covered; a piece that is smaller must have been sure
_OFF, _BORDER = 0.6, 15  # of coverage, and px: what differs so much, and is so wide, is no border
_EMPTY = 0.1  # of coverage: what a hole has somewhere
_LEVELS = 1.0, 0.98, 0.9, 0.75, 0.5  # of coverage
_STEPS = np.float32(1023)  # that coverage is told in


def look_closely(pixels: NDArray[np.uint8], light: Float, first: Float, where: Mask | None = None, wider: Mask | None = None) -> Float:
    """Coverage 0..1, float32 (h, w); farther from the border than is looked, it is nothing or all.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        Coded.
    light : float32, shape (h, w, 3)
        Linear light of the backdrop model.
    first : float32, shape (h, w)
        A first matte, good to a pixel or two.
    where : bool, shape (h, w), optional
        What is looked at, if not all of the border.
    wider : bool, shape (h, w), optional
        What is looked at however far from the border.
    """
    h, w = first.shape
    border = open_of(first)
    asked = border = border if wider is None else border | wider
    if where is not None:
        asked = border & where
    inner = TILE - 2 * LAP
    tall, wide = -(-h // inner), -(-w // inner)
    grid = np.zeros((tall * inner, wide * inner), np.uint8)
    grid[:h, :w] = asked
    places = np.argwhere(grid.reshape(tall, inner, wide, inner).any((1, 3))) * inner
    edges = (LAP, tall * inner - h + LAP), (LAP, wide * inner - w + LAP)
    padded = [np.pad(values, (*edges, (0, 0))[: values.ndim], mode="edge") for values in (pixels, light, first)]
    window = _window()
    total = np.zeros((2, *padded[2].shape), np.float32)
    for start in range(0, len(places), _TOGETHER):
        now = [np.s_[y : y + TILE, x : x + TILE] for y, x in places[start : start + _TOGETHER]]
        shown = what_is_shown(*(np.stack([values[at] for at in now]) for values in padded))
        # In a mirror it errs otherwise: the mean is off by less.
        mirrored = told_by("close_look", np.ascontiguousarray(shown[..., ::-1]))[..., ::-1]
        for at, logits in zip(now, (told_by("close_look", shown) + mirrored) / 2, strict=True):
            here = total[:, *at]
            here[0] += window / (1 + np.exp(-logits[0]))
            here[1] += window
    told, weight = total[:, LAP : LAP + h, LAP : LAP + w][:, asked]
    alpha = (first > 0.5).astype(np.float32)
    # In steps, so that the last bits of the arithmetic, which differ between processors, decide nothing.
    alpha[asked] = np.rint(_STEPS * told / weight) / _STEPS
    left = _otherwise(alpha, first)
    alpha[left] = first[left] > 0.5
    _fill_pockets(alpha, first, asked, border & ~asked)
    # Of small pieces that the first matte was not sure of, there are none.
    pieces = pieces_of(alpha > _FAINT, diagonal=True)
    known = pieces.area > _SMALL * pieces.area[1:].sum()
    known[np.unique(pieces.labels[(first > _SURE) | ~asked])] = True
    known[0] = True
    alpha[pieces.chosen(~known)] = 0
    return alpha


def _fill_pockets(alpha: Float, first: Float, asked: Mask, unasked: Mask) -> None:
    """Raise what is faint within the product without a way out of it, where the first matte was sure of the product; in place.

    What of the border was not asked for may be a way out.

    A grey reconstruction (Vincent, IEEE Transactions on Image Processing 2(2), 1993) in a few levels.
    """
    beside = cv2.dilate(unasked.view(np.uint8), np.ones((3, 3), np.uint8)) > 0
    ways_out = asked & ((alpha < _EMPTY) | (first < _FIRM) | beside)
    for level in _LEVELS:
        below = asked & (alpha < level)
        count, labels = cv2.connectedComponents(below.view(np.uint8))
        shut = np.ones(count, bool)
        shut[labels[ways_out]] = shut[0] = False
        alpha[shut[labels]] = level


def open_of(first: Float) -> Mask:
    """Where coverage is open: near a border, and at what is soft; bool (h, w)."""
    there = (first > 0.5).view(np.uint8)
    border = cv2.morphologyEx(there, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))
    soft = ((first > _SOFT) & (first < _FIRM)).view(np.uint8)
    return (cv2.dilate(border, disc(2 * REACH + 1)) | cv2.dilate(soft, disc(2 * _BESIDE + 1))) > 0


def _otherwise(alpha: Float, first: Float) -> Mask:
    """Whole places, not borders, that the close look would have otherwise than the first matte, which saw more of the photo."""
    off = (np.abs(alpha - first) > _OFF).view(np.uint8)
    whole = cv2.morphologyEx(off, cv2.MORPH_OPEN, disc(_BORDER))
    return cv2.dilate(whole, disc(_BORDER)) > 0


def what_is_shown(pixels: NDArray[np.uint8], light: Float, first: Float) -> Float:
    """What the network is shown: codes, log ratio of light to the backdrop's, first matte; float32 (..., CHANNELS, h, w)."""
    shown = np.concatenate([beside_backdrop(pixels, light), first[..., None] - np.float32(0.5)], axis=-1)
    return np.ascontiguousarray(np.moveaxis(shown, -1, -3), dtype=np.float32)


def _window() -> Float:
    """Weights of a tile's pixels, (TILE, TILE): they fall off over the lap, so that no seam is seen."""
    ramp = np.minimum(np.arange(TILE) + 0.5, TILE - np.arange(TILE) - 0.5).astype(np.float32)
    ramp = np.clip(ramp / (2 * LAP), 1e-3, 1)
    return ramp[:, None] * ramp[None]
