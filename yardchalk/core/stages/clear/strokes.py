"""Chalk and Rub: how far each stroke reaches, as a weight."""

from itertools import pairwise

import cv2
import numpy as np

from yardchalk.core.clear_settings import BrushStroke
from yardchalk.core.colour import Float
from yardchalk.core.regions import Flood
from yardchalk.core.stages.clear.ground import Ground
from yardchalk.core.stages.plot import Plot

_EDGE = 14.0  # a step this high, in units of the backdrop's noise, stops a stroke that stops at edges


def stroke_weight(stroke: BrushStroke, ground: Ground) -> tuple[tuple[slice, slice], Float]:
    """Where a stroke lies on the analysis picture (rows, columns), and its weight there, 0..1: float32."""
    return ground.kept(("stroke", stroke), lambda: _weighed(stroke, ground))


def _weighed(stroke: BrushStroke, ground: Ground) -> tuple[tuple[slice, slice], Float]:
    plot = ground.plot
    width = plot.length(stroke.size)
    at = plot.places(stroke.points)
    margin = width / 2 + 3
    low = np.clip(np.floor(at.min(0) - margin), 0, (plot.width - 1, plot.height - 1)).astype(int)
    high = np.clip(np.ceil(at.max(0) + margin), 1, (plot.width, plot.height)).astype(int)
    rows, columns = slice(int(low[1]), max(int(high[1]), int(low[1]) + 1)), slice(int(low[0]), max(int(high[0]), int(low[0]) + 1))
    part = plot.part(rows, columns)
    weight = _line(stroke, part, width)
    if stroke.edges:
        weight = _within_edges(weight, stroke, part, ground.evidence.steps[rows, columns])
    return (rows, columns), weight * np.float32(stroke.strength)


def _line(stroke: BrushStroke, plot: Plot, width: float) -> Float:
    pressures = {point[2] for point in stroke.points}
    if len(pressures) == 1:
        return plot.faded(stroke.points, width * pressures.pop(), stroke.softness)
    # A pen that is pressed half as hard draws half as wide.
    drawn = np.zeros((plot.height, plot.width), np.float32)
    for a, b in pairwise(stroke.points):
        drawn = np.maximum(drawn, plot.faded((a, b), width * (a[2] + b[2]) / 2, stroke.softness))
    return drawn


def _within_edges(weight: Float, stroke: BrushStroke, plot: Plot, steps: Float) -> Float:
    """Of the stroke only what its middle reaches without crossing an edge."""
    middle = plot.brushed(stroke.points, 1.0) > 127
    cost = np.where(weight > 0, steps, np.float32(np.inf)).astype(np.float32)
    flood = Flood(np.ascontiguousarray(cost), np.ascontiguousarray(middle & (cost < _EDGE)))
    flood.rise(_EDGE)
    flood.settle()
    # The flood stops on the near flank of an edge; the edge itself is a px or two on.
    reached = cv2.dilate(flood.reached.view(np.uint8), np.ones((3, 3), np.uint8)) > 0
    return np.where(reached, weight, np.float32(0))
