"""Where a mend acts: strokes and loops as weights on a region of the picture."""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float
from yardchalk.core.mend_settings import Area, StrokeArea
from yardchalk.core.stages.plot import Plot

_LOOP_FADE = 0.02  # of the longer side, at full softness


def turn_of(plot: Plot) -> NDArray[np.float64]:
    """How the upright photo's axes lie in the picture: an orthonormal matrix (2, 2); both are measured in px of the picture."""
    out: NDArray[np.float64] = plot.matrix[:, :2] / size_of(plot)
    return out


def size_of(plot: Plot) -> NDArray[np.float64]:
    """Width and height of the whole upright photo in px of the picture."""
    out: NDArray[np.float64] = np.linalg.norm(plot.matrix[:, :2], axis=0)
    return out


def fade_of(area: Area, softness: float, plot: Plot) -> float:
    """Over how many px it fades out."""
    return plot.length(area.size) * softness / 2 if isinstance(area, StrokeArea) else max(plot.length(_LOOP_FADE) * softness, 1.0)


def bounds(area: Area, softness: float, plot: Plot) -> tuple[float, float, float, float]:
    """Left, top, right, bottom of what it may reach, px of the picture."""
    at = plot.places(area.points)
    margin = 1.5 + (plot.length(area.size) / 2 if isinstance(area, StrokeArea) else fade_of(area, softness, plot))
    (left, top), (right, bottom) = at.min(0) - margin, at.max(0) + margin
    return float(left), float(top), float(right), float(bottom)


def weight(area: Area, softness: float, whole: Plot, at: tuple[slice, slice]) -> Float:
    """How far it acts on rows and columns of the picture, 0..1: float32. A part is exactly that part of the whole."""
    # So far round the part as fading looks.
    m = int(np.ceil(fade_of(area, softness, whole))) + 3
    rows, columns = slice(at[0].start - m, at[0].stop + m), slice(at[1].start - m, at[1].stop + m)
    plot = whole.part(rows, columns)
    inner = np.s_[m:-m, m:-m]
    if isinstance(area, StrokeArea):
        return plot.faded(area.points, plot.length(area.size), softness)[inner]
    fade = fade_of(area, softness, plot)
    if fade <= 1:
        return plot.filled([area.points])[inner]
    inside = plot.inside(area.points).view(np.uint8)
    deep, far = cv2.distanceTransform(inside, cv2.DIST_L2, 5), cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5)
    return np.clip(0.5 + (deep - far) / np.float32(fade), 0, 1).astype(np.float32)[inner]
