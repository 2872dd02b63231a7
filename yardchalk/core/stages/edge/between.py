"""Paper between fibres that a first matte took for solid product: there the close look must see farther in than elsewhere.

What is looked for is of the backdrop's hue, at most in shade, and is joined to what was cleared. It is only shown to the close
look, which decides. Of a product that is like the backdrop as a whole nothing is shown.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask, to_log
from yardchalk.core.regions import pieces_of

_IN_REACH, _FARTHEST = 6.0, 45.0  # px from the border: nearer the close look sees anyway; farther in there are no fibres
_DEEP, _LESS_DEEP = 30.0, 8.0  # px from the border: where the product's own hue is taken from, or if it is nowhere so wide
_ENOUGH = 500  # px
_OWN_ROUND = 100  # px; over so much its own hue is averaged
_HUE, _LIGHTER, _SHADED = 0.03, 0.05, -1.0  # log light: of the backdrop's hue, and as light
_NEARER = 0.4  # or so much nearer to the backdrop's hue than to the product's own
_SOLID = 0.2  # share of the product that is deeper inside than that
_TOO_ALIKE = 0.15  # share of the product's inside
_LEAST = 50  # px
_WITH = 9  # px across; what is looked at along with it
_KNOWN = 0.01  # share of them that are deep inside
_FLOOR = np.float32(3e-3)  # linear light, as `to_log` has it


def paper_between(pixels: NDArray[np.uint8], light: Float, first: Float) -> Mask:
    """Where paper may show between fibres, and what is near it.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        Coded.
    light : float32, shape (h, w, 3)
        Linear light of the backdrop model.
    first : float32, shape (h, w)
        A first matte.

    Returns
    -------
    bool, shape (h, w)
    """
    nowhere = np.zeros(first.shape, bool)
    inside = first > 0.5
    into = cv2.distanceTransform(inside.view(np.uint8), cv2.DIST_L2, 5)
    within = into > _LESS_DEEP
    # What is thin itself, as wires are, the close look sees all through.
    if np.count_nonzero(within) < _SOLID * np.count_nonzero(inside):
        return nowhere
    ratio = to_log(cv2.blur(pixels, (3, 3))) - np.log(np.maximum(light, _FLOOR))
    shade = cv2.transform(ratio, np.array([[0.25, 0.5, 0.25]], np.float32))
    hue = cv2.transform(ratio, np.array([[1, -1, 0], [0, -1, 1]], np.float32))
    off = cv2.magnitude(hue[..., 0], hue[..., 1])
    core = into > _DEEP
    own, known = _own_hue(hue, core if np.count_nonzero(core) > _ENOUGH else within)
    hue -= own
    of_paper = (off < _HUE) | (known & (off < _NEARER * cv2.magnitude(hue[..., 0], hue[..., 1])))
    like = of_paper & (shade < _LIGHTER) & (shade > _SHADED)
    if np.count_nonzero(like & within) > _TOO_ALIKE * np.count_nonzero(within):
        return nowhere
    pieces = pieces_of(~inside | (like & (into < _FARTHEST)), diagonal=False)
    joined = np.zeros(pieces.area.size, bool)
    joined[np.unique(pieces.labels[~inside])] = True
    found = pieces.chosen(joined) & (into > _IN_REACH)
    opened = cv2.morphologyEx(found.view(np.uint8), cv2.MORPH_OPEN, np.ones((2, 2), np.uint8))
    if cv2.countNonZero(opened) < _LEAST:
        return nowhere
    return cv2.dilate(opened, np.ones((_WITH, _WITH), np.uint8)) > 0


def _own_hue(hue: Float, core: Mask) -> tuple[Float, Mask]:
    """The product's own hue (h, w, 2), as it is deep inside nearby, and where there is any."""
    # At a quarter of the size, since it is smooth.
    weight = core[::4, ::4].astype(np.float32)
    window = (_OWN_ROUND // 4, _OWN_ROUND // 4)
    near = cv2.blur(weight, window)
    own = cv2.blur(hue[::4, ::4] * weight[..., None], window) / np.maximum(near, 1e-6)[..., None]
    size = hue.shape[1::-1]
    return cv2.resize(own, size), cv2.resize(near, size) > _KNOWN
