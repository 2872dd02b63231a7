"""Clone, nudge and push: pixels that are taken from another place of the picture."""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float
from yardchalk.core.compiled import compiled
from yardchalk.core.mend_settings import CloneMend, NudgeMend, PushMend
from yardchalk.core.stages.mend.area import size_of, turn_of
from yardchalk.core.stages.plot import Plot

Affine = NDArray[np.float64]


def clone_map(mend: CloneMend, plot: Plot) -> Affine:
    """Where each pixel takes its picture from: affine (2, 3), px of the whole picture to px, middles at 0.5."""
    target, source = plot.places([mend.area.points[0], mend.source])
    back = _turned(-mend.turn) / mend.scale
    if mend.mirrored:
        back = np.diag([-1.0, 1.0]) @ back
    return _about(turn_of(plot) @ back @ turn_of(plot).T, target, source)


def nudge_map(mend: NudgeMend, plot: Plot) -> Affine:
    """The same for the piece of a nudge."""
    outline = plot.places(mend.area.points)
    moments = cv2.moments(outline.astype(np.float32)[:, None])
    area = moments["m00"]
    middle = np.array([moments["m10"], moments["m01"]]) / area if abs(area) > 1e-6 else outline.mean(0)
    turn = turn_of(plot)
    return _about(turn @ _turned(-mend.turn) @ turn.T, middle + turn @ (np.array(mend.by) * size_of(plot)), middle)


def _turned(degrees: float) -> NDArray[np.float64]:
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return np.array([[c, -s], [s, c]])


def _about(linear: NDArray[np.float64], target: NDArray[np.float64], source: NDArray[np.float64]) -> Affine:
    return np.column_stack([linear, source - linear @ target])


def mapped(move: Affine, at: tuple[slice, slice]) -> tuple[Float, Float]:
    """Places x, y, float32 (h, w), that the pixels of a region take their picture from: px of the whole, first middle at 0, 0."""
    x = np.arange(at[1].start, at[1].stop)[None] + 0.5
    y = np.arange(at[0].start, at[0].stop)[:, None] + 0.5
    return tuple((row[0] * x + row[1] * y + row[2] - 0.5).astype(np.float32) for row in move)


def reach_of_push(mend: PushMend, plot: Plot) -> tuple[float, float, float, float] | None:
    """Left, top, right, bottom of what it may change, px of the picture; None if that is nothing."""
    there = np.abs(mend.displacement).max(2) > 0
    if not there.any() or mend.strength == 0:
        return None
    rows, columns = np.flatnonzero(there.any(1)), np.flatnonzero(there.any(0))
    # A cell reaches two cells to each side of its middle.
    left, right = (columns[0] - 1.5) / mend.across, (columns[-1] + 2.5) / mend.across
    top, bottom = (rows[0] - 1.5) / mend.down, (rows[-1] + 2.5) / mend.down
    corners = plot.places([(x, y) for x in (left, right) for y in (top, bottom)])
    (x0, y0), (x1, y1) = corners.min(0), corners.max(0)
    return float(x0), float(y0), float(x1), float(y1)


def push_map(mend: PushMend, whole: Plot, at: tuple[slice, slice]) -> tuple[Float, Float]:
    """How far off, px x and y, float32 (h, w), the pixels of a region take their picture from.

    The field's cells are the control points of a uniform cubic B-spline (Lee, Wolberg, Shin, IEEE Transactions on
    Visualization and Computer Graphics 3, 1997), so that it is smooth at any size.
    """
    back = np.linalg.inv(whole.matrix[:, :2])
    # px of the region to cells; the first cell's middle is 0, 0.
    cells = np.array([mend.across, mend.down], float)
    linear = back * cells[:, None]
    start = np.array([at[1].start, at[0].start]) + 0.5
    shift = linear @ (start - whole.matrix[:, 2]) - 0.5
    move = np.column_stack([linear, shift])
    to_px = turn_of(whole) * whole.longest * mend.strength
    field = mend.displacement @ to_px.T.astype(np.float32)
    height, width = at[0].stop - at[0].start, at[1].stop - at[1].start
    out = np.zeros((2, height, width), np.float32)
    _spline(np.ascontiguousarray(field, np.float32), move, out)
    return out[0], out[1]


@compiled
def _spline(field: Float, move: NDArray[np.float64], out: Float) -> None:
    down, across = field.shape[:2]
    wx, wy = np.empty(4, np.float32), np.empty(4, np.float32)
    for i in range(out.shape[1]):
        for j in range(out.shape[2]):
            x = move[0, 0] * j + move[0, 1] * i + move[0, 2]
            y = move[1, 0] * j + move[1, 1] * i + move[1, 2]
            x0, y0 = int(np.floor(x)), int(np.floor(y))
            if x0 < -2 or y0 < -2 or x0 > across or y0 > down:
                continue
            tx, ty = np.float32(x - x0), np.float32(y - y0)
            _weights(tx, wx)
            _weights(ty, wy)
            sx, sy = np.float32(0), np.float32(0)
            for m in range(4):
                r = y0 + m - 1
                if r < 0 or r >= down:
                    continue
                for n in range(4):
                    c = x0 + n - 1
                    if 0 <= c < across:
                        w = wy[m] * wx[n]
                        sx += w * field[r, c, 0]
                        sy += w * field[r, c, 1]
            out[0, i, j], out[1, i, j] = sx, sy


@compiled
def _weights(t: np.float32, w: Float) -> None:
    one, sixth = np.float32(1), np.float32(1 / 6)
    u = one - t
    w[0] = u * u * u * sixth
    w[1] = (np.float32(3) * t * t * t - np.float32(6) * t * t + np.float32(4)) * sixth
    w[2] = (np.float32(3) * u * u * u - np.float32(6) * u * u + np.float32(4)) * sixth
    w[3] = t * t * t * sixth
