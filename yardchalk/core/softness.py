"""How soft the detail of a product is: what a soft picture is told by, beside the others of its lot."""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, Float, Mask, top

_SIDE = 1024  # px; the middle of the product, that far, stands for all of it
_BORDER = 9  # px left out along the outline, whose edges are the matte's
_FINE, _COARSE = 0.7, 3.0  # px
_STEEP = 90  # percentile of the coarse gradient: from there on, there is something to be sharp
_FLANKS = 15  # px
_TILE, _TILES = 64, 24  # px; of a whole picture, those with the steepest edges
_NEARLY = 0.25  # of the steepest of them
_FLAT = 1e-8
_LEAST = 1000  # px of product that can be looked at
_MOST = 20.0  # px; softer is the same


def softness(pixels: Coded, alpha: Float, scale: float) -> float | None:
    """How far an edge of the product's own detail is blurred, px, as a standard deviation.

    By the gradient energy at two scales: across a step that is blurred by b, it sums up to 1 / √(b² + s²) after smoothing by s, times
    the square of its height. None where there is too little product.

    Parameters
    ----------
    pixels : coded (h, w, 3 or more), uint8 or uint16
    alpha : float32, shape (h, w)
        Coverage.
    scale : px of the picture for one px of the photo; of a photo that is enlarged, the photo's own px are looked at.
    """
    rows, columns = np.flatnonzero(alpha.max(1) > 0.98), np.flatnonzero(alpha.max(0) > 0.98)
    if not rows.size or not columns.size:
        return None
    y, x = int(rows[0] + rows[-1] + 1) // 2, int(columns[0] + columns[-1] + 1) // 2
    part = np.s_[max(y - _SIDE // 2, 0) : y + _SIDE // 2, max(x - _SIDE // 2, 0) : x + _SIDE // 2]
    luma = pixels[part][..., 1].astype(np.float32) / np.float32(top(pixels.dtype))
    inside = (alpha[part] > 0.98).view(np.uint8)
    if scale > 1:
        size = (max(1, round(luma.shape[1] / scale)), max(1, round(luma.shape[0] / scale)))
        luma, inside = cv2.resize(luma, size, interpolation=cv2.INTER_AREA), cv2.resize(inside, size, interpolation=cv2.INTER_NEAREST)
    inside = cv2.erode(inside, np.ones((2 * _BORDER + 1, 2 * _BORDER + 1), np.uint8), borderValue=0)
    if cv2.countNonZero(inside) < _LEAST:
        return None
    fine, coarse = (_gradient(cv2.GaussianBlur(luma, (0, 0), sigma)) for sigma in (_FINE, _COARSE))
    return _spread(fine, coarse, inside)


def blur_of_outline(pixels: NDArray[np.uint8], product: Mask) -> float | None:
    """The same of the outline of a product that was found roughly, bool (h, w), in coded pixels (h, w, 3)."""
    luma = pixels[..., 1].astype(np.float32) / np.float32(255)
    near = cv2.morphologyEx(product.view(np.uint8), cv2.MORPH_GRADIENT, np.ones((_FLANKS, _FLANKS), np.uint8))
    if cv2.countNonZero(near) < _LEAST:
        return None
    fine, coarse = (_gradient(cv2.GaussianBlur(luma, (0, 0), sigma)) for sigma in (_FINE, _COARSE))
    return _spread(fine, coarse, near)


def blur_of_edges(pixels: NDArray[np.uint8]) -> float | None:
    """The same of the steepest edges of a whole picture, coded (h, w, 3): of a photo that is sharp anywhere, they are sharp.

    Looked for at a quarter of the size; only the tiles that hold them are looked at closely.
    """
    green = pixels[..., 1]
    h, w = green.shape
    small = cv2.resize(green, (max(w // 4, 1), max(h // 4, 1)), interpolation=cv2.INTER_AREA)
    steep = cv2.dilate(_gradient(small.astype(np.float32)), np.ones((_TILE // 4, _TILE // 4), np.uint8))[:: _TILE // 4, :: _TILE // 4]
    fines, coarses = [], []
    for at in np.argsort(-steep, axis=None, kind="stable")[:_TILES]:
        y, x = (int(i) * _TILE for i in np.unravel_index(at, steep.shape))
        part = green[max(y - _TILE, 0) : y + _TILE, max(x - _TILE, 0) : x + _TILE].astype(np.float32) / np.float32(255)
        fine, coarse = (_gradient(cv2.GaussianBlur(part, (0, 0), sigma)) for sigma in (_FINE, _COARSE))
        fines.append(fine)
        coarses.append(coarse)
    least = max(_NEARLY * max(float(coarse.max()) for coarse in coarses), _FLAT)
    sums = np.zeros(2)
    for fine, coarse in zip(fines, coarses, strict=True):
        there = _from_flank_to_flank(coarse >= least)
        sums += fine[there].sum(), coarse[there].sum()
    return _blur_by(*sums.tolist())


def _spread(fine: Float, coarse: Float, there: NDArray[np.uint8]) -> float | None:
    steep = (coarse >= max(float(np.percentile(coarse[there > 0], _STEEP)), _FLAT)) & (there > 0)
    steep = _from_flank_to_flank(steep) & (there > 0)
    return _blur_by(float(fine[steep].sum()), float(coarse[steep].sum()))


def _from_flank_to_flank(steep: Mask) -> Mask:
    """All of the steps whose steepest places are given."""
    return cv2.dilate(steep.view(np.uint8), np.ones((_FLANKS, _FLANKS), np.uint8)) > 0


def _blur_by(fine: float, coarse: float) -> float | None:
    """By gradient energies at the two scales; None where there is none."""
    if coarse <= 0:
        return None
    ratio = (fine / coarse) ** 2
    if ratio <= 1:
        return _MOST
    return round(min(float(np.sqrt(max(_COARSE**2 - ratio * _FINE**2, 0) / (ratio - 1))), _MOST), 2)


def _gradient(luma: Float) -> Float:
    across, down = cv2.Sobel(luma, cv2.CV_32F, 1, 0), cv2.Sobel(luma, cv2.CV_32F, 0, 1)
    out: Float = across * across + down * down
    return out
