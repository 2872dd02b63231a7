"""Push: what strokes of a soft brush do to a field of displacements.

A field is float32 (down, across, 2): where the middle of each cell takes its picture from, relative to itself, x and y in
shares of the photo's longer side. Each stroke is put before what was pushed already, so the picture is never pushed twice.
"""

from collections.abc import Sequence
from itertools import pairwise
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float
from yardchalk.core.mend_settings import FIELD_SIDE, PushMend, pushed

PushTool = Literal["push", "pull-in", "let-out", "relax"]
Places = NDArray[np.float64]
_STEP = 0.15  # of the brush's radius, between two dabs
_PINCH = 0.08  # how far a dab pulls in or lets out, of the way to its middle
_RELAX = 0.25
_FARTHEST = 0.49  # of the longer side


def push_stroke(
    mend: PushMend | None,
    size: tuple[int, int],
    tool: PushTool,
    points: Sequence[tuple[float, float]],
    brush: float,
    strength: float = 1.0,
) -> PushMend:
    """A push with one stroke more.

    Parameters
    ----------
    mend : what was pushed so far; None begins.
    size : width and height of the upright photo, px.
    tool : push along the stroke; pull in to the brush's middle; let out from it; relax what was pushed.
    points : x, y in shares of the upright photo.
    brush : width of the brush, share of the longer side.
    strength : 0..1.
    """
    longest = max(size)
    if mend is None:
        across, down = (max(2, round(FIELD_SIDE * side / longest)) for side in size)
        field = np.zeros((down, across, 2), np.float32)
        settings = {}
    else:
        field, settings = mend.displacement.copy(), mend.model_dump(include={"name", "on", "strength"})
    aspect = np.array(size, float) / longest
    path = np.array(points, float) * aspect
    radius = brush / 2
    # A cell is the least that a brush can move.
    radius = max(radius, 1.5 * aspect[0] / field.shape[1])
    for at, step in _dabs(path, _STEP * radius):
        _dab(field, tool, at, step, radius, aspect, strength)
    np.clip(field, -_FARTHEST, _FARTHEST, out=field)
    return pushed(field, **settings)


def _dabs(path: Places, spacing: float) -> list[tuple[Places, Places]]:
    """Places and steps along a path."""
    if len(path) == 1:
        return [(path[0], np.zeros(2))]
    out = []
    for a, b in pairwise(path):
        n = max(1, int(np.ceil(np.hypot(*(b - a)) / spacing)))
        step = (b - a) / n
        out += [(a + (i + 1) * step, step) for i in range(n)]
    return out


def _dab(field: Float, tool: PushTool, at: Places, step: Places, radius: float, aspect: Places, strength: float) -> None:
    down, across = field.shape[:2]
    cell = aspect / np.array([across, down])
    low = np.maximum(np.floor((at - radius) / cell - 0.5).astype(int), 0)
    high = np.minimum(np.ceil((at + radius) / cell + 0.5).astype(int) + 1, (across, down))
    if (high <= low).any():
        return
    here = np.s_[low[1] : high[1], low[0] : high[0]]
    x = (np.arange(low[0], high[0]) + 0.5) * cell[0]
    y = (np.arange(low[1], high[1]) + 0.5) * cell[1]
    off = np.stack(np.broadcast_arrays(x[None] - at[0], y[:, None] - at[1]), 2)
    # Smooth to the brush's rim, and nothing beyond it.
    weight = strength * np.clip(1 - (off**2).sum(2) / radius**2, 0, 1)[..., None] ** 2
    if tool == "relax":
        field[here] *= (1 - _RELAX * weight).astype(np.float32)
        return
    move = -step * weight if tool == "push" else (_PINCH if tool == "pull-in" else -_PINCH) * weight * off
    # What was there before, taken from where this dab takes it.
    column = ((x[None] + move[..., 0]) / cell[0] - 0.5).astype(np.float32)
    row = ((y[:, None] + move[..., 1]) / cell[1] - 0.5).astype(np.float32)
    before = cv2.remap(field, column, row, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    field[here] = before + move
