"""Edges that come out right where a page blends coded values, while a camera mixes light."""

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, code_table
from yardchalk.core.compiled import compiled

_OF_BLACK = 0.85  # share of the difference between channels that a black page gets


def page_true(alpha: Float, colour: Float) -> tuple[Float, Float]:
    """Alpha and coded colour for which a browser's blend comes out as light would mix.

    Browsers blend coded values. With W the coded linear mix on white and K that on black, alpha' = 1 - mean(W - K)
    and F' = K / alpha' give both cards, up to the difference between channels. Of that a black page gets the larger share:
    most pages are white.

    Parameters
    ----------
    alpha : float32, shape (n,)
        Coverage.
    colour : float32, shape (n, 3)
        Linear light of the product, 0..1.

    Returns
    -------
    alpha : float32, shape (n,)
    colour : float32, shape (n, 3)
        sRGB-coded, 0..1, straight.
    """
    return _page_true(alpha, colour, code_table())


@compiled
def _page_true(alpha: Float, colour: Float, codes: NDArray[np.uint16]) -> tuple[Float, Float]:
    fit, coded = np.empty_like(alpha), np.empty_like(colour)
    one, scale = np.float32(1), np.float32(1 / 65535)
    of_black = np.float32(_OF_BLACK)
    gap = np.empty(3, np.float32)
    for i in range(alpha.size):
        a = alpha[i]
        for k in range(3):
            black = scale * codes[int(a * colour[i, k] * 65535 + 0.5)]
            gap[k] = scale * codes[min(int((a * colour[i, k] + one - a) * 65535 + 0.5), 65535)] - black
            coded[i, k] = black
        fit[i] = one - (gap[0] + gap[1] + gap[2]) / np.float32(3)
        for k in range(3):
            shared = max(coded[i, k] + of_black * (gap[k] - one + fit[i]), np.float32(0))
            coded[i, k] = min(shared / max(fit[i], np.float32(1e-4)), one)
    return fit, coded
