"""The product's shadow as a grey layer under the cut-out: kept as the photo has it, or drawn where the product stands.

A shadow layer is its opacity, float32 (h, w) on the analysis picture: what lies behind is multiplied by one less it.
"""

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, to_linear
from yardchalk.core.stages.edge.matte import Cutout

_SMOOTH = 2.0  # px; a shadow is smoother than paper's grain
_FAINT = 0.03  # opacity that is taken for none, beyond the noise
_HUE = 0.12  # a shadow darkens the channels alike
_REACH = 9  # px; how far from the product a shadow may begin
_FLAT = 0.3  # height of a drawn shadow, of its width
_STANDING = 0.06  # of the product's height: what ends lower than this over its lowest point stands on the ground
_THICK = 0.02  # of its height: how far above and below its lowest line the product casts it
_WIDE = 8.0  # px of standard deviation from which a blur is made of a smaller picture
_DENSEST = 0.75  # opacity of a drawn shadow where it is darkest


def kept_shadow(pixels: NDArray[np.uint8], alpha: Float, light: Float, noise: float, strength: float) -> Float:
    """The shadow that is seen.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        The analysis picture, coded.
    alpha : float32, shape (h, w)
        Coverage by the product.
    light : float32, shape (h, w, 3)
        Linear light of the backdrop model.
    noise : standard deviation of log light on the backdrop.
    strength : 0..1.
    """
    bare = (alpha < 0.02).astype(np.float32)
    # Means over what is bare, so that the product's own colour does not run into its shadow.
    there = np.maximum(cv2.GaussianBlur(bare, (0, 0), _SMOOTH), np.float32(1e-3))
    ratio = cv2.GaussianBlur(to_linear(pixels) / np.maximum(light, np.float32(1e-3)) * bare[..., None], (0, 0), _SMOOTH) / there[..., None]
    mean = ratio.mean(2)
    alike = (np.abs(ratio - mean[..., None]) < _HUE * np.maximum(mean, 0.2)[..., None]).all(2)
    floor = _FAINT + 2 * noise
    dark = np.where(alike, np.clip((1 - mean - floor) / (1 - floor), 0, 1), 0).astype(np.float32)
    _, labels = cv2.connectedComponents(((dark > 0) | (bare == 0)).view(np.uint8), connectivity=8)
    near = cv2.dilate((bare == 0).view(np.uint8), np.ones((_REACH, _REACH), np.uint8)) > 0
    joined = np.zeros(int(labels.max()) + 1, bool)
    joined[labels[near & (labels > 0)]] = True
    dark[~joined[labels]] = 0
    return (strength * cv2.GaussianBlur(dark, (0, 0), 1.0)).astype(np.float32)


def drawn_shadow(alpha: Float, strength: float, softness: float) -> Float:
    """A soft contact shadow under what stands on the ground: densest where it touches; softness in px."""
    solid = alpha > 0.5
    columns = np.flatnonzero(solid.any(0))
    if not columns.size:
        return np.zeros(alpha.shape, np.float32)
    h = alpha.shape[0]
    lowest = h - 1 - np.argmax(solid[::-1], axis=0)
    top_row, ground = int(np.flatnonzero(solid.any(1))[0]), int(lowest[columns].max())
    height = max(ground - top_row, 1)
    foot = np.zeros(alpha.shape, np.float32)
    for x in columns[lowest[columns] >= ground - _STANDING * height]:
        # Half under the product and half before it, so that some of it is seen.
        foot[max(int(lowest[x] - _THICK * height), 0) : lowest[x] + 1 + round(_THICK * height), x] = 1
    out = np.zeros(alpha.shape, np.float32)
    # Close by dark and narrow, farther off pale and wide.
    for share, wide in ((0.55, 0.3), (0.45, 1.2)):
        sigma = max(softness * wide, 0.5)
        soft = _blurred(foot, sigma, max(sigma * _FLAT, 0.5))
        out += np.float32(share) * soft / max(float(soft.max()), 1e-6)
    out *= np.float32(_DENSEST * strength)
    out[out < 0.004] = 0
    return out


def _blurred(values: Float, across: float, down: float) -> Float:
    """Gaussian blur by standard deviations in px; by wide ones of a picture made smaller, where it takes no longer than by narrow ones."""
    h, w = values.shape
    width, height = (max(round(side * min(1.0, _WIDE / sigma)), 1) for side, sigma in ((w, across), (h, down)))
    small = cv2.resize(values, (width, height), interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(small, (0, 0), sigmaX=across * width / w, sigmaY=down * height / h)
    return cv2.resize(soft, (w, h), interpolation=cv2.INTER_LINEAR).astype(np.float32, copy=False)


def shaded(cut: Cutout, opacity: Float) -> Cutout:
    """The cut-out with a shadow layer (h, w) under it: together as covering as both, in the product's light and the shadow's none."""
    alpha = cut.alpha + (1 - cut.alpha) * opacity
    listed = np.zeros(alpha.shape, np.int32)
    listed[cut.rows, cut.columns] = np.arange(1, cut.rows.size + 1)
    rows, columns = np.nonzero((alpha > 0) & ((alpha < 1) | (listed > 0)) & ((cut.alpha < 1) | (listed > 0)))
    colour = np.zeros((rows.size, 3), np.float32)
    place = listed[rows, columns]
    known = place > 0
    share = cut.alpha[rows, columns][known] / np.maximum(alpha[rows, columns][known], 1e-6)
    colour[known] = share[:, None] * cut.colour[place[known] - 1]
    return replace(cut, alpha=alpha.astype(np.float32), rows=rows, columns=columns, colour=colour)
