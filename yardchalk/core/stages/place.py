"""Place: trim to the product, and set it on the canvas that the listing asks for. All sizes in px."""

from dataclasses import dataclass

import numpy as np

from yardchalk.core.colour import Float
from yardchalk.core.settings import ListingSpec


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
    """Left, top, right, bottom of what is visible (alpha over 2 %), as shares 0..1 of the frame.

    The whole frame if nothing is visible.
    """
    h, w = alpha.shape
    rows = np.flatnonzero((alpha > 0.02).any(1))
    columns = np.flatnonzero((alpha > 0.02).any(0))
    if not rows.size:
        return 0.0, 0.0, 1.0, 1.0
    return float(columns[0] / w), float(rows[0] / h), float((columns[-1] + 1) / w), float((rows[-1] + 1) / h)


def place(spec: ListingSpec, width: int, height: int, box: tuple[float, float, float, float]) -> Placing:
    """Place a photo of width x height px, whose product lies in `box` (shares of the frame), for a listing spec."""
    left, top, right, bottom = box[0] * width, box[1] * height, box[2] * width, box[3] * height
    pw, ph = max(right - left, 1), max(bottom - top, 1)
    if spec.canvas is None:
        margin = round(spec.margin / 100 * max(pw, ph))
        x, y = int(np.floor(left)), int(np.floor(top))
        return Placing(1.0, margin - x, margin - y, int(np.ceil(right)) - x + 2 * margin, int(np.ceil(bottom)) - y + 2 * margin)
    cw, ch = spec.canvas.width, spec.canvas.height
    scale = min(cw * spec.fill / 100 / pw, ch * spec.fill / 100 / ph)
    if not spec.enlarge:
        scale = min(scale, 1.0)
    return Placing(
        scale,
        round(cw / 2 - (left + right) / 2 * scale),
        round(ch / 2 - (top + bottom) / 2 * scale),
        cw,
        ch,
    )


def full_frame(width: int, height: int) -> Placing:
    """The photo at its own size and place, untrimmed."""
    return Placing(1.0, 0, 0, width, height)
