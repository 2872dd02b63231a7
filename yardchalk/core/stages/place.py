"""Place: trim to the product, and set it on the canvas that the listing asks for. All sizes in px."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.cards import filling
from yardchalk.core.colour import Float
from yardchalk.core.errors import YardError
from yardchalk.core.listing import MOST_PIXELS, Added, ListingSpec, held_picture
from yardchalk.core.pixels import Region
from yardchalk.core.stages.frame import Framing

VISIBLE = 0.02  # coverage; what has less is nothing to the eye
_LEAST = 1.0  # px; no product is delivered smaller


@dataclass(frozen=True)
class Placing:
    """Where a photo goes.

    Attributes
    ----------
    scale : delivered px for one px of the original.
    left, top : place of the photo's upper left corner on the canvas, px (mostly negative: the margin is cropped).
    width, height : of the canvas.
    """

    scale: float
    left: int
    top: int
    width: int
    height: int


def product_box(alpha: Float) -> tuple[float, float, float, float]:
    """Left, top, right, bottom of what is visible, as shares 0..1 of the frame.

    The whole frame if nothing is visible.
    """
    h, w = alpha.shape
    rows = np.flatnonzero((alpha > VISIBLE).any(1))
    columns = np.flatnonzero((alpha > VISIBLE).any(0))
    if not rows.size:
        return 0.0, 0.0, 1.0, 1.0
    return float(columns[0] / w), float(rows[0] / h), float((columns[-1] + 1) / w), float((rows[-1] + 1) / h)


def place(spec: ListingSpec, width: int, height: int, box: tuple[float, float, float, float]) -> Placing:
    """Place a photo of width x height px, whose product lies in `box` (shares of the frame), for a listing spec.

    Raises
    ------
    YardError
        The result would be too large, or the product too small to be seen.
    """
    left, top, right, bottom = box[0] * width, box[1] * height, box[2] * width, box[3] * height
    pw, ph = max(right - left, 1), max(bottom - top, 1)
    if spec.canvas is None:
        margin = round(spec.margin / 100 * max(pw, ph))
        x, y = int(np.floor(left)), int(np.floor(top))
        w, h = int(np.ceil(right)) - x + 2 * margin, int(np.ceil(bottom)) - y + 2 * margin
        wide, high = _widened(w, h, spec.aspect)
        if wide * high > MOST_PIXELS:
            raise YardError(
                f"would be delivered at {wide:,} x {high:,} px, more than {MOST_PIXELS // 1_000_000} megapixels",
                where=spec.title or spec.name,
                remedy="Give the listing spec a canvas, a smaller margin or an aspect nearer the product's",
            )
        return Placing(1.0, margin - x + (wide - w) // 2, margin - y + (high - h) // 2, wide, high)
    cw, ch = spec.canvas.width, spec.canvas.height
    # What is left of the canvas on the nearer side bounds a product that stands aside, so that none is ever cut.
    beside, above = 2 * min(spec.across, 100 - spec.across) / 100, 1.0
    if spec.stand == "base-line":
        above = spec.base_line / 100
    scale = min(cw * spec.fill / 100 / pw, ch * spec.fill / 100 / ph, cw * beside / pw, ch * above / ph)
    if not spec.enlarge:
        scale = min(scale, 1.0)
    if max(pw, ph) * scale < _LEAST:
        raise YardError(
            f"would be {max(pw, ph) * scale:.1f} px large on the canvas",
            where=spec.title or spec.name,
            remedy="Let the product fill more of it, or stand nearer to its middle",
        )
    foot = ch * spec.base_line / 100 - bottom * scale if spec.stand == "base-line" else ch / 2 - (top + bottom) / 2 * scale
    return Placing(scale, round(cw * spec.across / 100 - (left + right) / 2 * scale), round(foot), cw, ch)


def _widened(width: int, height: int, aspect: tuple[int, int] | None) -> tuple[int, int]:
    """The least size of that aspect that holds width x height."""
    if aspect is None:
        return width, height
    across, down = aspect
    return max(width, round(height * across / down)), max(height, round(width * down / across))


def card_behind(spec: ListingSpec, placing: Placing) -> NDArray[np.uint8]:
    """What lies behind the product, sRGB-coded: (1, 1, 3) for a colour, (h, w, 3) for a picture, which fills the canvas, cropped evenly."""
    if spec.background == "picture" and spec.picture is not None:
        canvas = Region(0, placing.height, 0, placing.width)
        return filling(held_picture(spec.picture), placing.width, placing.height, canvas)
    return np.array(spec.behind or (255, 255, 255), np.uint8)[None, None]


@dataclass(frozen=True)
class Laid:
    """An added picture at its size and place on the canvas: uint8 pixels (h, w, 3), coverage float32 (h, w), rows and columns."""

    pixels: NDArray[np.uint8]
    alpha: Float
    at: tuple[slice, slice]


def added_at(added: Added, width: int, height: int) -> Laid:
    """An added picture for a canvas of width x height px."""
    picture = held_picture(added.picture)
    w = max(1, round(width * added.width / 100))
    h = max(1, round(picture.height * w / picture.width))
    if h > height:
        w, h = max(1, round(w * height / h)), height
    small = picture.resized(w, h)
    cover = np.ones((h, w), np.float32) if small.alpha is None else small.alpha.astype(np.float32) / np.float32(255)
    x, y = round(added.across * (width - w)), round(added.down * (height - h))
    return Laid(small.pixels.astype(np.uint8, copy=False), cover * np.float32(added.strength), np.s_[y : y + h, x : x + w])


def full_frame(framing: Framing, *, cropped: bool = False) -> Placing:
    """The photo at its own size and place, untrimmed; what a crop leaves out is background, or left out with `cropped`."""
    if cropped:
        return Placing(1.0, 0, 0, framing.width, framing.height)
    return Placing(1.0, framing.left, framing.top, framing.whole_width, framing.whole_height)
