"""Spread: from touched places, all that is alike within a tolerance; and what every tolerance would reach.

The *reach map* holds for each pixel the least tolerance that reaches it: where joined places are asked, the least over
all paths from a touched place of the greatest difference along the path (the bottleneck path). So one map answers every
tolerance, and area against tolerance is its histogram's running sum. A step in that is a leak: the path broke through
somewhere, and where is known too.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.clear_settings import SpreadRegion
from yardchalk.core.colour import Float
from yardchalk.core.compiled import compiled
from yardchalk.core.errors import YardError
from yardchalk.core.settings_base import Stroke
from yardchalk.core.stages.clear.ground import Ground
from yardchalk.core.stages.plot import Plot

STEPS = 4  # of the map, for one unit of tolerance
NEVER = 255
_MOST = 240  # the highest tolerance, in steps
_LEAK = 0.004  # share of the photo; what breaks through one place with so much is a leak
_LEAKS_FROM = 9  # steps; below, it is the grain round the touched place
_WIDER = 1.4  # a plateau is judged by what a tolerance wider by this factor gains
_FLAT = 0.1  # of what is not reached yet; a plateau gains less than that
_WIDE = 3.3
_FIRST, _LAST = 6, 200  # steps; offers lie between them
_REACHED = (0.02, 0.995)  # of the photo; less is hardly more than the touched place, more leaves no product
_LISTED = 6
_SHADED = 0.33  # weight of L* against the backdrop: a shadow changes that, and hardly the hue
_WALL = 3.0  # px of the analysis picture


@dataclass(frozen=True)
class Leak:
    """Where a rising tolerance breaks through.

    Attributes
    ----------
    tolerance : at which.
    at : x, y of the place, shares of the upright photo.
    share : of the frame that it lets in, 0..1.
    wall : strokes along the inside of what it lets in, that keep it out.
    """

    tolerance: float
    at: tuple[float, float]
    share: float
    wall: list[Stroke]


@dataclass(frozen=True)
class SpreadOffer:
    """What was measured of a reach map.

    Attributes
    ----------
    areas : share of the frame reached, by tolerance in quarters: 0, 0.25, ...
    plateaus : from and to tolerances between which next to nothing is gained.
    best : the tolerance offered: where a wider one gains least; None if it reaches nothing, or everything, at once.
    leaks : in order of tolerance.
    """

    areas: list[float]
    plateaus: list[tuple[float, float]]
    best: float | None
    leaks: list[Leak]


def reach_map(region: SpreadRegion, ground: Ground) -> NDArray[np.uint8]:
    """The least tolerance that reaches each pixel, in quarters of a CIELAB unit: uint8 (h, w), 255 for never."""
    return _reached(region, ground, np.zeros((1, 1), np.int32))


def spread(region: SpreadRegion, ground: Ground) -> Float:
    """How far each pixel belongs to the region, 0..1: float32 (h, w)."""
    reached = reach_map(region, ground)
    level = round(region.tolerance * STEPS)
    over = np.arange(256) - level
    table = np.where(over <= 0, 1.0, np.clip(1 - over / (region.softness * STEPS + 1e-9), 0, 1))
    table[NEVER] = 0
    return cv2.LUT(reached, table.astype(np.float32)).astype(np.float32, copy=False)


def offer_tolerance(region: SpreadRegion, ground: Ground) -> SpreadOffer:
    """Plateaus and leaks of a region, whatever its tolerance."""
    gates = np.empty(ground.shape, np.int32)
    reached = _reached(region, ground, gates)
    counts = np.bincount(reached.ravel(), minlength=256)[: _MOST + 1] / reached.size
    plateaus, best = _plateaus(np.cumsum(counts))
    leaks = []
    if region.extent == "joined":
        levels = np.flatnonzero((counts > _LEAK) & (np.cumsum(counts) > _REACHED[0]) & (np.arange(_MOST + 1) >= _LEAKS_FROM))
        found = [_leak(reached, gates, int(level), ground.plot) for level in levels]
        largest = sorted((leak for leak in found if leak.share > _LEAK), key=lambda leak: -leak.share)[:_LISTED]
        leaks = sorted(largest, key=lambda leak: leak.tolerance)
    return SpreadOffer(
        areas=[round(float(v), 5) for v in np.cumsum(counts)],
        plateaus=[(a / STEPS, b / STEPS) for a, b in plateaus],
        best=None if best is None else best / STEPS,
        leaks=leaks,
    )


def _plateaus(area: NDArray[np.float64]) -> tuple[list[tuple[int, int]], int | None]:
    """Runs of levels over which next to nothing of what is not reached yet is gained, in order, and the level offered."""
    levels = np.arange(_FIRST, _LAST)
    wider = np.minimum(np.round(levels * _WIDER).astype(int), _MOST)
    gained = (area[wider] - area[levels]) / np.maximum(1 - area[levels], 1e-6)
    usable = (area[levels] > _REACHED[0]) & (area[levels] < _REACHED[1])
    if not usable.any():
        return [], None
    out: list[tuple[int, int]] = []
    for level, to, flat in zip(levels, wider, usable & (gained < _FLAT), strict=True):
        if flat and out and level <= out[-1][1]:
            out[-1] = (out[-1][0], int(to))
        elif flat:
            out.append((int(level), int(to)))
    # A plateau over which a tolerance may more than triple says most; else the flattest place does.
    wide = [(levels >= a) & (wider <= b) for a, b in out if b > _WIDE * a]
    among = usable & np.logical_or.reduce(wide) if wide else usable
    best = int(np.flatnonzero(among)[gained[among].argmin()])
    return out, round(float(np.sqrt(levels[best] * wider[best])))


def _leak(reached: NDArray[np.uint8], gates: NDArray[np.int32], level: int, plot: Plot) -> Leak:
    let_in = reached == level
    gate = int(np.bincount(gates[let_in]).argmax())
    through = let_in & (gates == gate)
    lines, _ = cv2.findContours(through.view(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    wall = []
    for line in sorted(lines, key=len, reverse=True)[:_LISTED]:
        points = cv2.approxPolyDP(line, 0.8, True)[:, 0] + 0.5
        points = np.vstack([points, points[:1]])
        for k in range(0, len(points) - 1, 399):
            wall.append(Stroke(adds=False, size=_WALL / plot.longest, points=tuple(plot.shares(points[k : k + 400]))))
    y, x = divmod(gate, reached.shape[1])
    return Leak(level / STEPS, plot.shares(np.array([[x + 0.5, y + 0.5]]))[0], float(through.mean()), wall)


def _reached(region: SpreadRegion, ground: Ground, gates: NDArray[np.int32]) -> NDArray[np.uint8]:
    at = ground.plot.pixels(region.points)
    if not len(at):
        raise YardError("lies outside the frame", where="The touched place", remedy="Touch the photo inside it, or take this region away")
    lab = ground.lab if region.against == "colour" else ground.evened_lab
    use = {"all": (1 if region.against == "colour" else _SHADED**2, 1), "lightness": (1, 0), "hue": (0, 1)}[region.by]
    cost = _differences(lab, np.array([lab[y, x] for x, y in at], np.float32), np.float32(use[0]), np.float32(use[1]))
    for wall in region.walls:
        cost[ground.plot.stroke(wall)] = NEVER
    if region.extent == "loop" and region.loop is not None:
        cost[~ground.mask_of(region.loop)] = NEVER
    if region.extent != "joined":
        return cost
    seeds = np.array([y * ground.plot.width + x for x, y in at if cost[y, x] != NEVER], np.int32)
    return _bottleneck(cost, seeds, gates)


@compiled
def _differences(lab: Float, touched: Float, lightness: np.float32, hue: np.float32) -> NDArray[np.uint8]:
    """Distance of each pixel from the nearest touched colour, in quarters, rounded up: at most 254."""
    h, w = lab.shape[:2]
    out = np.empty((h, w), np.uint8)
    for y in range(h):
        for x in range(w):
            least = np.float32(1e9)
            for k in range(touched.shape[0]):
                u, v, t = lab[y, x, 0] - touched[k, 0], lab[y, x, 1] - touched[k, 1], lab[y, x, 2] - touched[k, 2]
                least = min(least, lightness * u * u + hue * (v * v + t * t))
            out[y, x] = min(int(np.ceil(np.sqrt(least) * np.float32(STEPS))), 254)
    return out


@compiled
def _bottleneck(cost: NDArray[np.uint8], seeds: NDArray[np.int32], gates: NDArray[np.int32]) -> NDArray[np.uint8]:
    """The least, over 4-connected paths from the seeds, of the greatest cost along them; 255 where none leads.

    A queue for each of the 256 levels, as linked lists: pixels leave in order of level, so the first to come by a pixel
    comes the best way. If `gates` has the picture's size, it gets for each pixel where its path last rose.
    """
    h, w = cost.shape
    tell = gates.size == cost.size
    flat, gate = cost.ravel(), gates.ravel()
    out = np.full(h * w, NEVER, np.uint8)
    after = np.empty(h * w, np.int32)
    head = np.full(256, -1, np.int32)
    for i in range(seeds.size):
        at = seeds[i]
        if out[at] == NEVER:
            out[at] = flat[at]
            after[at] = head[flat[at]]
            head[flat[at]] = at
            if tell:
                gate[at] = at
    for level in range(NEVER):
        while head[level] >= 0:
            here = head[level]
            head[level] = after[here]
            x = here % w
            for side in range(4):
                if side == 0:
                    if x == 0:
                        continue
                    to = here - 1
                elif side == 1:
                    if x == w - 1:
                        continue
                    to = here + 1
                elif side == 2:
                    to = here - w
                    if to < 0:
                        continue
                else:
                    to = here + w
                    if to >= h * w:
                        continue
                if out[to] != NEVER or flat[to] == NEVER:
                    continue
                rises = flat[to] > level
                up = flat[to] if rises else level
                out[to] = up
                after[to] = head[up]
                head[up] = to
                if tell:
                    gate[to] = to if rises else gate[here]
    return out.reshape(h, w)
