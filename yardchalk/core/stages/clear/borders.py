"""The border of what was found by other means than automatic clearing: its flank, and automatic clearing's border in its place.

What automatic clearing finds has the outer flank of the border with it, which the band wants, and was looked at closely.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Mask
from yardchalk.core.regions import Pieces, disc, pieces_of

_FLANK = 3  # px; so much farther out automatic clearing has a border than others have it
_PINHOLE = 30  # px
_NEAR = 0.05  # of the longer side
_CORNER = 3  # px; what is narrower is the corner of a wider part


def with_flank(product: Mask) -> Mask:
    """A product (h, w) with the outer flank of its border, as automatic clearing finds it."""
    out: Mask = cv2.dilate(product.view(np.uint8), disc(2 * _FLANK + 1)) > 0
    return out


def within_flank(cleared: Mask) -> Mask:
    """What automatic clearing finds (h, w) without the outer flank of its border; pinholes are not made wider by that but closed."""
    holes = pieces_of(~cleared, diagonal=False)
    pinholes = holes.area < _PINHOLE
    pinholes[0] = False
    closed = cleared | holes.chosen(pinholes)
    out: Mask = cv2.erode(closed.view(np.uint8), disc(2 * _FLANK + 1)) > 0
    return out


def parts_outside(cleared: Mask, outside: Mask) -> tuple[Pieces, NDArray[np.float64]]:
    """The pieces of what automatic clearing finds within its flank (h, w), and which share of each is outside.

    The share of label 0, which is no piece, is not a number.
    """
    pieces = pieces_of(cleared, diagonal=True)
    shares = pieces.means(outside[..., None].astype(np.float32))[:, 0]
    shares[0] = np.nan
    return pieces, shares


def near(found: Mask) -> Mask:
    """What is so near to what was found (h, w) that it would have been found with it if it joined on to it, or is in its light."""
    return cv2.distanceTransform((~found).view(np.uint8), cv2.DIST_L2, 5) < _NEAR * max(found.shape)


def with_cleared_border(product: Mask, cleared: Mask, reach: int, own: Mask) -> Mask:
    """A product with automatic clearing's border wherever the two lie no farther apart than borders of one edge may.

    Parameters
    ----------
    product : bool, shape (h, w)
    cleared : bool, shape (h, w)
        What automatic clearing finds, within its flank.
    reach : px
        How far off the product's border may be; beyond that and the flank it stays.
    own : bool, shape (h, w)
        Near which it stays as well.
    """
    other = cv2.morphologyEx((product != cleared).view(np.uint8), cv2.MORPH_OPEN, _apart(reach))
    return np.where(cv2.dilate(other | own.view(np.uint8), disc(2 * reach + 1)) > 0, product, cleared)


def thin_detail(product: Mask, reach: int) -> Mask:
    """Parts and gaps of a product (h, w) that are so narrow that they would be lost between its border and another."""
    here = product.view(np.uint8)
    narrow = cv2.morphologyEx(here, cv2.MORPH_TOPHAT, _apart(reach)) | cv2.morphologyEx(here, cv2.MORPH_BLACKHAT, _apart(reach))
    out: Mask = cv2.morphologyEx(narrow, cv2.MORPH_OPEN, disc(_CORNER)) > 0
    return out


def _apart(reach: int) -> NDArray[np.uint8]:
    return disc(2 * (reach + _FLANK) - 1)
