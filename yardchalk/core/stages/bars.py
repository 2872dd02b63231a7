"""Bars along the frame: a border that was drawn round a photo, or what filled it up to another aspect.

They are no backdrop, yet all along the frame, where a backdrop is looked for first. So the analysis picture has them painted
over with what lies beside them, and what is found there is no product.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Mask

_ALIKE = 5  # coded levels; a bar differs by no more from its own colour, its JPEG's rounding included
_UNLIKE = 10  # and what lies beside it by at least so much
_NEARLY_ALL, _MOST = 0.98, 0.9  # of a line of a bar, that is alike; and of the line beside it, that is unlike
_SOFT = 4  # px of the analysis picture, over which a bar's border may be soft
_BLED = 10  # px of the analysis picture beside that, into which a file's blocks have carried the bar
_WIDE = 0.4  # share of the frame's side; of a bar
_FRAME = 0.06  # and of each, where three sides or four have one: what is wider is a backdrop round something rectangular
_WHITE, _PAPER = 245, 150  # coded levels from which on a frame is white, and what lies beside it all round may be paper
_LEAST = 160  # px; the shorter side of a picture that is looked at
_STRIP = 24  # px of the analysis picture beside a bar, of which it is painted


class Bars(NamedTuple):
    """How wide the bar along each side of the frame is, px of the analysis picture; 0 for none."""

    left: int
    top: int
    right: int
    bottom: int

    def inside(self, shape: tuple[int, ...]) -> tuple[slice, slice]:
        """Rows and columns of a picture of that shape (h, w) that no bar lies on."""
        return np.s_[self.top : shape[0] - self.bottom, self.left : shape[1] - self.right]

    def mask(self, shape: tuple[int, ...]) -> Mask:
        """Where a picture of that shape (h, w) has bars: bool (h, w)."""
        out = np.ones(shape[:2], bool)
        out[self.inside(shape)] = False
        return out


NO_BARS = Bars(0, 0, 0, 0)


def find_bars(pixels: NDArray[np.uint8]) -> Bars:
    """The bars along the frame of a picture: coded, uint8 (h, w, 3).

    A bar has one colour, and a border that is straight to the pixel along the whole side.
    """
    h, w = pixels.shape[:2]
    if min(h, w) < _LEAST:
        return NO_BARS
    sides = (pixels.swapaxes(0, 1), pixels, pixels[:, ::-1].swapaxes(0, 1), pixels[::-1])
    widths = [_width(lines) for lines in sides]
    bars: list[float] = []
    others: list[float] = []
    # Beside a bar the others' ends are left out.
    for i, lines in enumerate(sides):
        before, after = (widths[1], widths[3]) if i in (0, 2) else (widths[0], widths[2])
        beside = lines[min(widths[i] + _SOFT, lines.shape[0] - 1), before + _SOFT : lines.shape[1] - after - _SOFT]
        colour = _colour(lines[0])
        if not beside.size or np.mean(_off(beside, colour) >= _UNLIKE) < _MOST:
            widths[i] = 0
        elif widths[i]:
            bars.append(float(colour.min()))
            others.append(float(np.median(beside, axis=0).min()))
    around = len(bars) > 2
    if around and min(bars) >= _WHITE and min(others) < _PAPER:
        # A rug or a box, say, on white.
        return NO_BARS
    most = _FRAME if around else _WIDE
    if any(width > most * side for width, side in zip(widths, (w, h, w, h), strict=True)):
        return NO_BARS
    return Bars(*(width and width + _SOFT for width in widths))


def painted_over(pixels: NDArray[np.uint8], bars: Bars) -> NDArray[np.uint8]:
    """A picture with its bars painted over by what lies beside them, mirrored to and fro."""
    h, w = pixels.shape[:2]
    left, top, right, bottom = (width and width + _BLED for width in bars)
    rows, columns = _mirrored(top, h - bottom, h), _mirrored(left, w - right, w)
    return np.ascontiguousarray(pixels[rows][:, columns])


def _mirrored(begin: int, end: int, size: int) -> NDArray[np.intp]:
    """For each place 0..size, itself if it lies within begin..end, else one of the strip beside that end."""
    at = np.arange(size)
    deep = min(_STRIP, end - begin)
    before, after = _to_and_fro(begin - 1 - at, deep), _to_and_fro(at - end, deep)
    return np.where(at < begin, begin + before, np.where(at >= end, end - 1 - after, at))


def _to_and_fro(away: NDArray[np.intp], deep: int) -> NDArray[np.intp]:
    turn = away % (2 * deep)
    return np.where(turn < deep, turn, 2 * deep - 1 - turn)


def _width(lines: NDArray[np.uint8]) -> int:
    """How many lines from the first one on have its one colour: (n, length, 3)."""
    colour = _colour(lines[0])
    if np.mean(_off(lines[0], colour) <= _ALIKE) < _NEARLY_ALL:
        return 0
    some = np.ascontiguousarray(lines[: int(_WIDE * lines.shape[0]) + 2])
    share = cv2.reduce(cv2.inRange(some, colour - _ALIKE, colour + _ALIKE), 1, cv2.REDUCE_AVG, dtype=cv2.CV_32F)[:, 0] / 255
    alike = share >= _NEARLY_ALL
    return 0 if alike.all() else int(np.argmin(alike))


def _colour(line: NDArray[np.uint8]) -> NDArray[np.float64]:
    return np.median(line, axis=0)


def _off(pixels: NDArray[np.uint8], colour: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far coded pixels (..., 3) are from a colour, in the channel where they are farthest."""
    return np.abs(pixels - colour).max(-1)
