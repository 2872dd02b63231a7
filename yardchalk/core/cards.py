"""Test cards: what lies behind a cut-out while it is looked at. What one card hides, another shows."""

from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import StringConstraints

from yardchalk.core.pixels import Picture, Region

_LEVELS: dict[str, tuple[int, int, int]] = {
    "white": (255, 255, 255),
    "black": (0, 0, 0),
    "grey": (128, 128, 128),
    "vivid": (214, 32, 140),
}
_CHECK = 12  # px
_DIGEST = 64  # letters

# One that ships, by its name; a colour of one's own, by its levels in hexadecimals; or a picture, by the digest of its file.
Card = Annotated[str, StringConstraints(pattern=r"^(white|black|grey|vivid|checks|[0-9a-f]{6}|[0-9a-f]{64})$")]


def is_picture(card: Card) -> bool:
    """Whether it is a picture of one's own."""
    return len(card) == _DIGEST


def card_at(card: Card, region: Region) -> NDArray[np.uint8]:
    """A card that is no picture, behind a region: sRGB-coded, uint8 (h, w, 3), or (1, 1, 3) for one colour."""
    if card == "checks":
        y = (np.arange(region.top, region.bottom) // _CHECK)[:, None]
        x = (np.arange(region.left, region.right) // _CHECK)[None]
        grey = np.where((x + y) % 2 == 0, 255, 214).astype(np.uint8)
        return np.repeat(grey[..., None], 3, axis=2)
    return np.array(_LEVELS.get(card) or tuple(bytes.fromhex(card)), np.uint8)[None, None]


def filling(picture: Picture, width: int, height: int, region: Region) -> NDArray[np.uint8]:
    """A region of a picture of 8 bits that fills width x height px, cropped evenly: sRGB-coded, uint8 (h, w, 3)."""
    grown = max(width / picture.width, height / picture.height)
    size = max(width, round(picture.width * grown)), max(height, round(picture.height * grown))
    x, y = (size[0] - width) // 2, (size[1] - height) // 2
    part = np.s_[y + region.top : y + region.bottom, x + region.left : x + region.right]
    return picture.resized(*size, part).pixels.astype(np.uint8, copy=False)
