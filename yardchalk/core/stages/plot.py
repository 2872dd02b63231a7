"""Putting strokes and lines that are kept in shares of the upright photo on a picture of its frame."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask
from yardchalk.core.settings_base import Stroke
from yardchalk.core.stages.frame import Framing

_FRACTION = 4  # bits of a px that OpenCV draws to
_FINER = 4  # times; OpenCV's own smooth fill is most of a px too wide
_FAR = 4.0  # pictures; nothing is drawn farther off


@dataclass(frozen=True)
class Plot:
    """A picture of w x h px that shows the framed photo, or a part of it.

    Attributes
    ----------
    width, height : px.
    matrix : float64, shape (2, 3)
        Affine map from shares of the upright photo to px; the middle of the first pixel is 0.5, 0.5.
    longest : of the upright photo's longer side, in px of this picture.
    """

    width: int
    height: int
    matrix: NDArray[np.float64]
    longest: float

    @classmethod
    def of(cls, framing: Framing, width: int, height: int) -> "Plot":
        """Of the whole frame at a size."""
        matrix = framing.to_frame * np.array([[width], [height]])
        return cls(width, height, matrix, framing.longest * width / framing.width)

    def part(self, rows: slice, columns: slice) -> "Plot":
        """Of a part of this picture."""
        shift = np.array([[0, 0, columns.start], [0, 0, rows.start]], float)
        return Plot(columns.stop - columns.start, rows.stop - rows.start, self.matrix - shift, self.longest)

    def places(self, places: Sequence[Sequence[float]]) -> NDArray[np.float64]:
        """px (n, 2) of places x, y in shares."""
        out: NDArray[np.float64] = (
            np.asarray([place[:2] for place in places], float).reshape(-1, 2) @ self.matrix[:, :2].T + self.matrix[:, 2]
        )
        return out

    def shares(self, at: NDArray[np.float64]) -> list[tuple[float, float]]:
        """Places of the upright photo, in shares, under places (n, 2) of this picture, in px."""
        found = (np.asarray(at, float) - self.matrix[:, 2]) @ np.linalg.inv(self.matrix[:, :2]).T
        return [(round(min(max(float(x), 0.0), 1.0), 5), round(min(max(float(y), 0.0), 1.0), 5)) for x, y in found]

    def length(self, share: float) -> float:
        """px of a length in shares of the longer side."""
        return share * self.longest

    def pixels(self, places: Sequence[Sequence[float]]) -> NDArray[np.intp]:
        """Columns and rows (n, 2) of the pixels under places; those outside the picture are left out."""
        at = np.floor(self.places(places)).astype(np.intp)
        inside = (at >= 0).all(1) & (at < (self.width, self.height)).all(1)
        return at[inside]

    def stroke(self, stroke: Stroke) -> Mask:
        """What a stroke covers, bool (h, w)."""
        return self.brushed(stroke.points, self.length(stroke.size)) > 127

    def brushed(self, places: Sequence[Sequence[float]], width: float) -> NDArray[np.uint8]:
        """A line of a round brush through places, uint8 (h, w), 255 where it covers wholly."""
        drawn = np.zeros((self.height, self.width), np.uint8)
        at = self._drawable(places)
        thick = max(1, round(width))
        cv2.polylines(drawn, [at], False, 255, thick, cv2.LINE_AA, _FRACTION)
        # Round ends and joints, also of a single place.
        for x, y in at:
            cv2.circle(drawn, (int(x), int(y)), max(1, round(width * 2 ** (_FRACTION - 1))), 255, -1, cv2.LINE_AA, _FRACTION)
        return drawn

    def faded(self, places: Sequence[Sequence[float]], width: float, softness: float) -> Float:
        """The same line, fading out over a share of its half width: float32 (h, w), 0..1."""
        width = max(width, 0.5)
        fade = width * softness / 2
        if fade < 0.5:
            return (self.brushed(places, width) / np.float32(255)).astype(np.float32)
        core = self.brushed(places, max(width * (1 - softness), 1.0)) > 127
        off = cv2.distanceTransform((~core).view(np.uint8), cv2.DIST_L2, 5)
        return np.clip(1 - off / np.float32(fade), 0, 1)

    def filled(self, lines: Sequence[Sequence[Sequence[float]]]) -> Float:
        """Coverage 0..1 by closed lines, (h, w); where they lie over each other an even number of times, it is a hole."""
        k = _FINER
        finer = Plot(self.width * k, self.height * k, self.matrix * k, self.longest * k)
        drawn = np.zeros((finer.height, finer.width), np.uint8)
        cv2.fillPoly(drawn, [finer._drawable(line) for line in lines], 255, cv2.LINE_8, _FRACTION)
        small = cv2.resize(drawn, (self.width, self.height), interpolation=cv2.INTER_AREA)
        return (small / np.float32(255)).astype(np.float32)

    def inside(self, line: Sequence[Sequence[float]]) -> Mask:
        """Which pixels lie inside a closed line, bool (h, w)."""
        drawn = np.zeros((self.height, self.width), np.uint8)
        cv2.fillPoly(drawn, [self._drawable(line)], 1, cv2.LINE_8, _FRACTION)
        return drawn > 0

    def _drawable(self, places: Sequence[Sequence[float]]) -> NDArray[np.int32]:
        # Pixel centres are whole numbers to OpenCV.
        far = _FAR * max(self.width, self.height)
        at = np.clip(self.places(places) - 0.5, -far, far)
        out: NDArray[np.int32] = np.round(at * 2**_FRACTION).astype(np.int32)
        return out
