"""Frame: quarter turns, straightening and cropping, before anything else looks at the photo.

The original is never changed: a *framing* says which part of it is looked at, and everything downstream works on that.
"""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Mask, codes_of_light, light_of_codes
from yardchalk.core.pixels import Picture
from yardchalk.core.settings import FrameMarks

_SMALL = 240  # long side of the pictures that offers are found on, px
_FOR_LINES = 1000  # and of those that lines are fitted in
_TILTED = 15.0  # degrees; further is no tilt but a pose
_LEAST_SYMMETRY = 0.9
_NO_SET = 1e-4  # of the frame; less of other surfaces are none
_BESIDE, _BESIDE_SHADOW = 0.15, 0.03  # of the longer side of the product and of its shadow: what a close crop leaves round them


@dataclass(frozen=True)
class Framing:
    """A frame on an upright photo.

    Attributes
    ----------
    turns : quarter turns clockwise, 0 to 3.
    angle : degrees clockwise that the photo is turned by after that, about its middle; the frame is then the largest one of
        its proportions that holds no empty corner.
    left, top : of the crop in that frame, px of the original.
    width, height : of the crop, px of the original.
    whole_width, whole_height : of that frame before the crop, px of the original.
    """

    turns: int
    angle: float
    left: int
    top: int
    width: int
    height: int
    whole_width: int
    whole_height: int

    @property
    def to_frame(self) -> NDArray[np.float64]:
        """Affine map (2, 3) from shares x, y of the upright photo to shares of the frame."""
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        quarter = ((1, 0), (0, -1), (-1, 0), (0, 1))[self.turns], ((0, 1), (1, 0), (0, -1), (-1, 0))[self.turns]
        turned = np.array(quarter, float) @ np.diag(self.upright)
        turn = np.array([[c, -s], [s, c]])
        straight = turn @ turned
        middle = np.array([self.whole_width, self.whole_height]) / 2 - np.array([self.left, self.top])
        shift = middle - straight @ np.array([0.5, 0.5])
        out: NDArray[np.float64] = np.column_stack([straight, shift]) / np.array([[self.width], [self.height]])
        return out

    @property
    def upright(self) -> tuple[float, float]:
        """Width and height of the upright photo, px: as large as the frame before the crop, but for what straightening costs."""
        width, height = self._before_straightening
        return (height, width) if self.turns % 2 else (width, height)

    @property
    def _before_straightening(self) -> tuple[float, float]:
        share = _inscribed(self.whole_width, self.whole_height, self.angle)
        return self.whole_width / share, self.whole_height / share

    @property
    def longest(self) -> float:
        """The longer side of the whole photo, px."""
        return max(self._before_straightening)

    @property
    def share(self) -> float:
        """Of the frame before the crop that the crop leaves, by area."""
        return self.width * self.height / (self.whole_width * self.whole_height)

    @property
    def plain(self) -> bool:
        """Whether it is the whole photo as it is."""
        return self.turns == 0 and self.angle == 0 and (self.width, self.height) == (self.whole_width, self.whole_height)

    def apply(self, picture: Picture) -> Picture:
        """The framed part of the whole photo at any scale."""
        if self.plain:
            return picture
        pixels, alpha = _turned(picture.pixels, self.turns), None if picture.alpha is None else _turned(picture.alpha, self.turns)
        h, w = pixels.shape[:2]
        # Sizes are of the original; this picture may be smaller.
        turned = (self.whole_width, self.whole_height)
        if self.angle:
            share = _inscribed(w, h, self.angle)
            size = (max(1, round(w * share)), max(1, round(h * share)))
            pixels = _straightened(pixels, self.angle, size)
            alpha = None if alpha is None else _rotated(alpha, self.angle, size, cv2.INTER_LINEAR)
        h, w = pixels.shape[:2]
        sx, sy = w / turned[0], h / turned[1]
        x, y = round(self.left * sx), round(self.top * sy)
        at = np.s_[y : min(h, y + max(1, round(self.height * sy))), x : min(w, x + max(1, round(self.width * sx)))]
        return Picture(pixels, alpha, picture.scale).part(at)


def make_framing(width: int, height: int, marks: FrameMarks | None) -> Framing:
    """The framing that marks make of an upright photo of width x height px.

    A crop starts on whole px of the smaller pictures that a codec may decode, so that it is the same at every scale.
    """
    if marks is None:
        return Framing(0, 0.0, 0, 0, width, height, width, height)
    if marks.turns % 2:
        width, height = height, width
    share = _inscribed(width, height, marks.angle)
    whole = (max(1, round(width * share)), max(1, round(height * share)))
    if marks.crop is None:
        return Framing(marks.turns, marks.angle, 0, 0, *whole, *whole)
    longest = max(width, height)
    grid = next((s for s in (8, 4, 2) if longest >= 1440 * s), 1)
    left, top = (int(share * side / grid) * grid for share, side in zip(marks.crop[:2], whole, strict=True))
    right, bottom = (round(share * side) for share, side in zip(marks.crop[2:], whole, strict=True))
    return Framing(marks.turns, marks.angle, left, top, max(16, right - left), max(16, bottom - top), *whole)


def _inscribed(width: float, height: float, angle: float) -> float:
    """Share of its size that a rectangle of the same proportions may have inside one that is turned by an angle."""
    c, s = math.cos(math.radians(abs(angle))), math.sin(math.radians(abs(angle)))
    return min(width / (width * c + height * s), height / (width * s + height * c))


def _turned(values: NDArray[np.generic], turns: int) -> NDArray[np.generic]:
    return np.ascontiguousarray(np.rot90(values, -turns)) if turns else values


def _straightened(pixels: NDArray[np.generic], angle: float, size: tuple[int, int]) -> NDArray[np.generic]:
    """Turned in linear light by cubic interpolation."""
    light = light_of_codes(pixels.dtype)[pixels]
    return codes_of_light(pixels.dtype)[_rotated(light, angle, size, cv2.INTER_CUBIC)]


def _rotated(values: NDArray[np.generic], angle: float, size: tuple[int, int], how: int) -> NDArray[np.generic]:
    h, w = values.shape[:2]
    # OpenCV's angles go against the clock.
    move = cv2.getRotationMatrix2D(((w - 1) / 2, (h - 1) / 2), -angle, 1.0)
    move[:, 2] += np.array([(size[0] - w) / 2, (size[1] - h) / 2])
    return cv2.warpAffine(values, move, size, flags=how, borderMode=cv2.BORDER_REPLICATE)


def level_along(dx: float, dy: float) -> float:
    """The turn, degrees clockwise, that makes a drawn line level or upright, whichever is nearer."""
    found = math.degrees(math.atan2(dy, dx))
    return -((found + 45) % 90 - 45)


def angle_of_base(product: Mask) -> float | None:
    """The turn that makes the product's base level, from its lowest pixels; None if they lie on no line.

    The line is the median of the slopes between pairs of columns (Theil and Sen).
    """
    small = _shrunk(product, _FOR_LINES)
    columns = np.flatnonzero(small.any(0))
    if columns.size < 40:
        return None
    middle = columns[columns.size // 5 : -(columns.size // 5)]
    lowest = small.shape[0] - 1 - np.argmax(small[::-1, middle], axis=0)
    i, j = np.triu_indices(middle.size, middle.size // 4)
    slope = float(np.median((lowest[j] - lowest[i]) / (middle[j] - middle[i])))
    off = lowest - slope * middle
    if float(np.median(np.abs(off - np.median(off)))) > 0.004 * _FOR_LINES:
        return None
    return _tilt(-math.degrees(math.atan(slope)))


def angle_of_symmetry(product: Mask) -> tuple[float, float] | None:
    """The turn that makes the product's own axis upright, and how alike its halves are then, 0..1; None if it has no such axis."""
    small = _shrunk(product)
    if not small.any():
        return None
    y, x = np.nonzero(small)
    points = np.column_stack([x - x.mean(), y - y.mean()])
    side = int(2 * np.ceil(np.hypot(*points.T).max()) + 5)

    def likeness(angle: float) -> float:
        c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        across = points[:, 0] * c - points[:, 1] * s
        along = np.round(points[:, 0] * s + points[:, 1] * c + side / 2).astype(int)
        mask, mirrored = (np.zeros((side, side), bool) for _ in range(2))
        mask[along, np.round(across + side / 2).astype(int)] = True
        mirrored[along, np.round(-across + side / 2).astype(int)] = True
        return float((mask & mirrored).sum() / (mask | mirrored).sum())

    coarse = max(np.arange(-_TILTED, _TILTED + 1), key=likeness)
    best = float(max(coarse + np.arange(-1, 1.01, 0.1), key=likeness))
    alike = likeness(best)
    tilt = _tilt(best)
    return None if alike < _LEAST_SYMMETRY or tilt is None else (tilt, alike)


def _tilt(angle: float) -> float | None:
    return round(angle, 1) + 0.0 if abs(angle) < _TILTED else None


def _shrunk(mask: Mask, side: int = _SMALL) -> Mask:
    h, w = mask.shape
    s = side / max(h, w)
    return cv2.resize(mask.view(np.uint8), (max(1, round(w * s)), max(1, round(h * s))), interpolation=cv2.INTER_NEAREST) > 0


def crop_close(product: Mask, shadow: Mask) -> tuple[float, float, float, float] | None:
    """The frame (left, top, right, bottom, shares) close round the product, with backdrop to all sides, that holds its shadow too.

    The shadow may be seen on a smaller picture of the same frame. None without a product.
    """
    if not product.any():
        return None
    boxes = [_round(product, _BESIDE)] + ([_round(shadow, _BESIDE_SHADOW)] if shadow.any() else [])
    # Rounded, so that it is the same crop when it is read again.
    left, top, right, bottom = (round(v, 4) for v in (*np.min(boxes, 0)[:2].tolist(), *np.max(boxes, 0)[2:].tolist()))
    return max(left, 0.0), max(top, 0.0), min(right, 1.0), min(bottom, 1.0)


def _round(mask: Mask, beside: float) -> NDArray[np.float64]:
    """Left, top, right, bottom in shares of what holds a mask, with so much of its longer side beside it."""
    h, w = mask.shape
    x, y, bw, bh = cv2.boundingRect(mask.view(np.uint8))
    margin = beside * max(bw, bh)
    return np.array([(x - margin) / w, (y - margin) / h, (x + bw + margin) / w, (y + bh + margin) / h])


def has_surroundings(surroundings: Mask) -> bool:
    """Whether so much is neither backdrop nor product that a crop may leave it out."""
    return bool(surroundings.mean() >= _NO_SET)


def crop_to_set(surroundings: Mask, product: Mask) -> tuple[float, float, float, float] | None:
    """The largest frame (left, top, right, bottom, shares) that leaves out what is neither backdrop nor product.

    None if there is nothing to leave out, or none that holds the whole product.
    """
    if not has_surroundings(surroundings):
        return None
    bad = _shrunk(cv2.dilate(surroundings.view(np.uint8), np.ones((9, 9), np.uint8)) > 0)
    kept = _shrunk(product)
    h, w = bad.shape
    rows, columns = np.flatnonzero(kept.any(1)), np.flatnonzero(kept.any(0))
    if not rows.size:
        return None
    top, bottom, left, right = rows[0], rows[-1] + 1, columns[0], columns[-1] + 1
    best = None
    for y0 in range(top + 1):
        for x0 in range(0, left + 1, 2):
            best = _grown(bad, (y0, x0), (bottom, right), best)
    if best is None:
        return None
    y0, y1, x0, x1 = best
    return x0 / w, y0 / h, x1 / w, y1 / h


def _grown(
    bad: Mask, start: tuple[int, int], least: tuple[int, int], best: tuple[int, int, int, int] | None
) -> tuple[int, int, int, int] | None:
    """The better of the best frame so far and the largest from a start (y, x) that reaches at least so far."""
    (y0, x0), (y1, x1) = start, least
    if bad[y0:y1, x0:x1].any():
        return best
    # The widest for every height, then the largest.
    clear = np.argmax(np.pad(bad[y0:, x0:], ((0, 0), (0, 1)), constant_values=True), axis=1)
    width = np.minimum.accumulate(clear)
    height = np.arange(1, width.size + 1)
    fits = (width >= x1 - x0) & (height >= y1 - y0)
    area = np.where(fits, width * height, 0)
    i = int(np.argmax(area))
    if best is not None and area[i] <= (best[1] - best[0]) * (best[3] - best[2]):
        return best
    return y0, y0 + int(height[i]), x0, x0 + int(width[i])
