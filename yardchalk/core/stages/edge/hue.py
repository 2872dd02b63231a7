"""What hue says of coverage: in a contact shadow, where product and backdrop are as dark as each other, only hue tells.

The hue of a pixel is that of its ratio to the backdrop model, freed of its lightness: a shadow on the backdrop has none.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask, to_linear

_SMOOTH = 0.8  # px
_AROUND = 5  # px; sure pixels that a hue is the mean of
_SEEN_FROM, _SURE_AT = 0.08, 0.28  # differences in hue from which on it counts at all, and wholly


def hue_share(pixels: NDArray[np.uint8], core: Mask, backdrop: Mask, light: Float, asked: Mask) -> tuple[Float, Float]:
    """Coverage that hue speaks for, and how well it tells there, 0..1: float32 (n,) each, of the pixels that are asked for.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        Coded.
    core, backdrop : bool, shape (h, w)
        Sure product and sure backdrop to take hues from, close to the outline.
    light : float32, shape (h, w, 3)
        Linear light of the backdrop model.
    asked : bool, shape (h, w)
    """
    ratio = cv2.GaussianBlur(to_linear(pixels) / np.maximum(light, np.float32(1e-3)), (0, 0), _SMOOTH)
    mean = np.maximum(ratio.mean(2), np.float32(1e-3))
    hue = np.dstack([ratio[..., 0] / mean - 1, ratio[..., 2] / mean - 1, mean])
    front, behind = _nearest_mean(hue, core, asked), _nearest_mean(hue, backdrop, asked)
    step = front[:, :2] - behind[:, :2]
    square = (step**2).sum(1)
    share = np.clip(((hue[asked][:, :2] - behind[:, :2]) * step).sum(1) / np.maximum(square, 1e-6), 0, 1)
    # Of two lights that mix, the stronger one's hue shows more.
    weaker = share * behind[:, 2]
    alpha = weaker / np.maximum(weaker + (1 - share) * front[:, 2], 1e-6)
    told = np.clip((np.sqrt(square) - _SEEN_FROM) / (_SURE_AT - _SEEN_FROM), 0, 1) ** 2
    return alpha.astype(np.float32), told.astype(np.float32)


def _nearest_mean(values: Float, seeds: Mask, asked: Mask) -> Float:
    """At each pixel that is asked for the mean round the nearest seed, over seeds alone: (n, channels)."""
    if not seeds.any():
        return values[asked]
    weight = seeds.astype(np.float32)
    window = (_AROUND, _AROUND)
    total = cv2.boxFilter(values * weight[..., None], -1, window, normalize=False)
    mean = total / np.maximum(cv2.boxFilter(weight, -1, window, normalize=False), 1e-6)[..., None]
    _, labels = cv2.distanceTransformWithLabels((~seeds).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    where = np.zeros(int(labels.max()) + 1, np.intp)
    where[labels[seeds]] = np.flatnonzero(seeds)
    return mean.reshape(-1, values.shape[2])[where[labels[asked]]]
