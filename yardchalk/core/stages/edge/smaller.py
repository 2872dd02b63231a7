"""The matte at less than the analysis picture's size, where it is averaged instead of weighed anew.

Among smaller pixels a wire or a bristle is no wider than one, and how it stands out from what is beside it, which is what
pixels are weighed by, is gone. So what is known at the analysis picture's size is made smaller, as the photo is: a preview
shows what is delivered, and a small delivery is as good as a large one.
"""

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, Float, Mask, area_taps, decode, encode, even_table, linear_table, top
from yardchalk.core.compiled import compiled
from yardchalk.core.stages.edge.matte import ALL, NOTHING, Cutout


def made_smaller(cut: Cutout, pixels: Coded, width: int, height: int) -> Cutout:
    """A cut-out whose pixels' coverage is the mean over their area, and whose light is the mean of what covers it.

    Parameters
    ----------
    cut : of the whole photo.
    pixels : uint8 or uint16, shape (h, w, 3)
        Coded colour of the same.
    width, height : px, no more than the photo has.
    """
    h, w = cut.alpha.shape
    levels = top(pixels.dtype) + 1
    table, own = (even_table(levels), encode(cut.colour)) if cut.drawn else (linear_table(levels), cut.colour)
    index = np.zeros((h, w), np.int32)
    index[cut.rows, cut.columns] = np.arange(1, cut.rows.size + 1)
    alpha, front, listed = _averaged(cut.alpha, index, own, pixels, table, *area_taps(w, width, 0, width), *area_taps(h, height, 0, height))
    rows, columns = np.nonzero(listed)
    colour = front[rows, columns]
    return Cutout(alpha, rows, columns, decode(colour) if cut.drawn else colour, cut.drawn)


@compiled
def _averaged(
    alpha: Float,
    index: NDArray[np.int32],
    own: Float,
    pixels: Coded,
    table: Float,
    left: NDArray[np.intp],
    across: Float,
    above: NDArray[np.intp],
    down: Float,
) -> tuple[Float, Float, Mask]:
    """Coverage (h, w), the light of what covers (h, w, 3), and where that is not the photo's own."""
    source_h, source_w = alpha.shape
    h, w = above.size, left.size
    zero, one = np.float32(0), np.float32(1)
    out, listed = np.empty((h, w), np.float32), np.zeros((h, w), np.bool_)
    front = np.empty((h, w, 3), np.float32)
    for y in range(h):
        bottom = min(above[y] + down.shape[0], source_h)
        for x in range(w):
            right = min(left[x] + across.shape[0], source_w)
            cover, own_light = zero, False
            for v in range(above[y], bottom):
                for u in range(left[x], right):
                    share = down[v - above[y], y] * across[u - left[x], x]
                    cover += share * alpha[v, u]
                    own_light |= share > 0 and index[v, u] > 0
            if cover < NOTHING:
                out[y, x] = zero
                continue
            out[y, x] = one if cover > ALL else cover
            if out[y, x] == one and not own_light:
                continue
            listed[y, x] = True
            front[y, x] = zero
            for v in range(above[y], bottom):
                for u in range(left[x], right):
                    share = down[v - above[y], y] * across[u - left[x], x] * alpha[v, u] / cover
                    if share > 0:
                        at = index[v, u] - 1
                        for k in range(3):
                            front[y, x, k] += share * (own[at, k] if at >= 0 else table[pixels[v, u, k]])
            for k in range(3):
                front[y, x, k] = min(front[y, x, k], one)
    return out, front, listed
