"""How sharp a picture of a product is: what a soft one is told by, beside the others of its lot."""

import cv2
import numpy as np

from yardchalk.core.colour import Coded, Float, top

_SIDE = 1024  # px; the middle of the product, that far, stands for all of it
_BORDER = 9  # px left out along the outline, whose edges are the matte's
_FINE, _COARSE = 0.7, 2.0  # px
_STEEP = 90  # percentile of the coarse gradient: from there on, there is something to be sharp


def sharpness(pixels: Coded, alpha: Float, scale: float) -> float | None:
    """Gradient energy at a fine scale against that at a coarse one, where the product has detail.

    Near 2.5 for sharp detail and near 1 for blurred, whatever the product's contrast. None where there is too little of it.

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
    if cv2.countNonZero(inside) < 1000:
        return None
    fine, coarse = (_gradient(cv2.GaussianBlur(luma, (0, 0), sigma))[inside > 0] for sigma in (_FINE, _COARSE))
    steep = coarse >= max(float(np.percentile(coarse, _STEEP)), 1e-8)
    if not steep.any():
        return None
    return round(float(np.sqrt(fine[steep].sum() / coarse[steep].sum())), 3)


def _gradient(luma: Float) -> Float:
    across, down = cv2.Sobel(luma, cv2.CV_32F, 1, 0), cv2.Sobel(luma, cv2.CV_32F, 0, 1)
    out: Float = across * across + down * down
    return out
