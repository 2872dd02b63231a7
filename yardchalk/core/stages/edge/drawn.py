"""Pictures that were drawn, not photographed: programs mix codes at an edge, where a lens mixes light."""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float

_INSIDE, _OUTSIDE = 6.0, 12.0  # px from the outline, past its edge and past the ring that JPEG leaves round it
_FLAT_PRODUCT, _FLAT_BACKDROP = 0.4, 0.95  # shares of pixels of the very code of all eight round them; noise leaves hardly any


def is_drawn(pixels: NDArray[np.uint8], distance: Float) -> bool:
    """Whether product and backdrop are of flat colours.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
    distance : float32, shape (h, w)
        To the outline, px, positive inside.
    """
    window = np.ones((3, 3), np.uint8)
    flat = (cv2.dilate(pixels, window) == cv2.erode(pixels, window)).all(2)
    inside, outside = flat[distance > _INSIDE], flat[distance < -_OUTSIDE]
    return bool(inside.size and outside.size and inside.mean() > _FLAT_PRODUCT and outside.mean() > _FLAT_BACKDROP)
