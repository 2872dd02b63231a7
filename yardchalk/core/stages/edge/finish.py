"""Clean-up of a matte: specks, holes, smooth, grow, feather, levels, density.

Which specks and holes there are is decided on the analysis picture; the rest is done at the size that is rendered, on a
region with so much round it that a tile is exactly a piece of the whole.
"""

import math
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, Float, Mask, linear_table, top
from yardchalk.core.compiled import compiled
from yardchalk.core.regions import disc
from yardchalk.core.stages.edge.matte import Cutout

_SOLID = 0.98  # coverage below this is a hole
_BLURRED = 4.1  # standard deviations within which a blur looks
_UNSEEN = 1 / 512
_AT_ONCE = 8  # px


@dataclass(frozen=True)
class Tidying:
    """What clean-up drops and fills, on the analysis picture: bool (h, w), with how many pieces and px they are."""

    dropped: Mask
    filled: Mask
    specks: int
    specks_area: float
    holes: int
    holes_area: float


@dataclass(frozen=True)
class Finish:
    """Clean-up at a size; lengths in px of it.

    Attributes
    ----------
    smooth, grow, feather : px.
    black, white : coverage that becomes none and full, 0..1.
    density : 0..1.
    fringe : 0..1, how far the freed colour counts.
    spread : of an edge, px, which smoothing keeps.
    """

    smooth: float
    grow: float
    feather: float
    black: float
    white: float
    density: float
    fringe: float
    spread: float

    @property
    def margin(self) -> int:
        """How far round a region its clean-up looks, px."""
        reach = math.ceil(_BLURRED * self.smooth) + math.ceil(abs(self.grow)) + math.ceil(_BLURRED * self.feather)
        # And as far on as the product whose colour is taken for what is newly covered.
        return reach + math.ceil(_BLURRED * self.spread) + 2 if reach else 0

    @property
    def plain(self) -> bool:
        """Whether coverage stays as it is."""
        return not (self.smooth or self.grow or self.feather or self.black or self.density) and self.white == 1


def tidying(alpha: Float, speck: float, hole: float) -> Tidying:
    """What is to be dropped from coverage (h, w) and filled in it: pieces with less area than squares of these sides, px."""
    h, w = alpha.shape
    # Round what is covered there is one piece of nothing, and one px of that is as good as all.
    x, y, width, height = cv2.boundingRect((alpha > 0).view(np.uint8))
    at = np.s_[max(y - 1, 0) : min(y + height + 1, h), max(x - 1, 0) : min(x + width + 1, w)]
    part = alpha[at]
    dropped, specks, specks_area = np.zeros(alpha.shape, bool), 0, 0.0
    if speck > 0:
        n, labels = cv2.connectedComponents((part > 0).view(np.uint8), connectivity=8)
        weight = _weights(labels, part, n)
        small = (weight < speck**2) & (weight < weight[1:].max(initial=0))
        small[0] = False
        if small.any():
            _mark(labels, small, dropped[at])
            specks, specks_area = int(small.sum()), float(weight[small].sum())
    filled, holes, holes_area = np.zeros(alpha.shape, bool), 0, 0.0
    if hole > 0:
        n, labels = cv2.connectedComponents((part < _SOLID).view(np.uint8), connectivity=4)
        # The square is that of what is missing, not of what is a little thin.
        missing = _weights(labels, 1 - part, n)
        small = missing < hole**2
        small[0] = False
        for side in (labels[0], labels[-1], labels[:, 0], labels[:, -1]):
            small[side] = False
        if small.any():
            _mark(labels, small, filled[at])
            holes, holes_area = int(small.sum()), float(missing[small].sum())
    return Tidying(dropped, filled, specks, specks_area, holes, holes_area)


@compiled
def _weights(labels: NDArray[np.int32], values: Float, n: int) -> NDArray[np.float64]:
    """The sum of the values (h, w) under each of n labels."""
    out = np.zeros(n, np.float64)
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            out[labels[y, x]] += values[y, x]
    return out


@compiled
def _mark(labels: NDArray[np.int32], chosen: Mask, out: Mask) -> None:
    """Set what is under one of the chosen labels."""
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            if labels[y, x] and chosen[labels[y, x]]:
                out[y, x] = True


@compiled
def apply_changes(alpha: Float, change: NDArray[np.uint8], down: NDArray[np.intp], across: NDArray[np.intp]) -> None:
    """Into coverage (h, w): 0 and 1 where the map of the analysis picture has them; `down` and `across` are its pixels under ours."""
    for y in range(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            value = change[down[y], across[x]]
            if value != 255:
                alpha[y, x] = value


def shaped(alpha: Float, finish: Finish, thin: Float | None) -> Float:
    """Coverage (h, w) with its outline smoothed and moved, softened, levelled; `thin` (h, w) is 1 where detail is thin."""
    out = alpha
    if finish.smooth:
        spread = math.hypot(finish.spread, finish.smooth) / finish.spread
        out = np.clip((cv2.GaussianBlur(out, (0, 0), finish.smooth) - 0.5) * spread + 0.5, 0, 1)
    if finish.grow:
        out = _grown(out, finish.grow)
    if finish.feather:
        out = cv2.GaussianBlur(out, (0, 0), finish.feather)
    if finish.black > 0 or finish.white < 1:
        out = np.clip((out - finish.black) / (finish.white - finish.black), 0, 1)
    if finish.density and thin is not None:
        out = 1 - np.power(1 - out, 1 + finish.density * thin)
    out = out.astype(np.float32)
    out[out < _UNSEEN] = 0
    out[out > 1 - _UNSEEN] = 1
    return out


def _grown(alpha: Float, by: float) -> Float:
    """The outline moved by a distance, px: between two whole px, the mean of what they make, by how near each is."""
    move = cv2.dilate if by > 0 else cv2.erode
    whole = math.floor(abs(by))
    rest = abs(by) - whole

    def moved(n: int) -> Float:
        out = alpha
        # A wide disc is narrower ones, one after the other: the work grows with its width, not with its area.
        while n:
            step = min(n, _AT_ONCE)
            out = move(out, disc(2 * step + 1), borderType=cv2.BORDER_REPLICATE)
            n -= step
        return out

    return moved(whole) if not rest else ((1 - rest) * moved(whole) + rest * moved(whole + 1)).astype(np.float32)


def with_coverage(cut: Cutout, alpha: Float, pixels: Coded) -> Cutout:
    """A cutout with other coverage (h, w); what is newly partly covered gets the colour of the product nearby."""
    listed = np.zeros(alpha.shape, np.int32)
    listed[cut.rows, cut.columns] = np.arange(1, cut.rows.size + 1)
    rows, columns = np.nonzero(((alpha > 0) & (alpha < 1)) | ((listed > 0) & (alpha > 0)))
    colour = linear_table(top(pixels.dtype) + 1)[pixels[rows, columns]]
    place = listed[rows, columns]
    # The freed colours of pixels that showed mostly backdrop are guesses already, but good ones.
    known = place > 0
    colour[known] = cut.colour[place[known] - 1]
    bare = ~known & (cut.alpha[rows, columns] == 0)
    if bare.any() and (cut.alpha > 0.5).any():
        seeds = cut.alpha > 0.5
        _, labels = cv2.distanceTransformWithLabels((~seeds).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
        where = np.zeros(int(labels.max()) + 1, np.intp)
        where[labels[seeds]] = np.flatnonzero(seeds)
        y, x = np.divmod(where[labels[rows[bare], columns[bare]]], alpha.shape[1])
        nearest = linear_table(top(pixels.dtype) + 1)[pixels[y, x]]
        freed = listed[y, x]
        nearest[freed > 0] = cut.colour[freed[freed > 0] - 1]
        colour[bare] = nearest
    return replace(cut, alpha=alpha, rows=rows, columns=columns, colour=colour.astype(np.float32))


def less_freed(cut: Cutout, pixels: Coded, strength: float) -> Cutout:
    """The cutout with its edge's colours freed of the backdrop only in part, 0..1."""
    seen = linear_table(top(pixels.dtype) + 1)[pixels[cut.rows, cut.columns]]
    return replace(cut, colour=(strength * cut.colour + (1 - strength) * seen).astype(np.float32))


def cropped(cut: Cutout, at: tuple[slice, slice]) -> Cutout:
    """A part of a cutout."""
    inside = (cut.rows >= at[0].start) & (cut.rows < at[0].stop) & (cut.columns >= at[1].start) & (cut.columns < at[1].stop)
    alpha: NDArray[np.float32] = np.ascontiguousarray(cut.alpha[at])
    rows, columns = cut.rows[inside] - at[0].start, cut.columns[inside] - at[1].start
    return replace(cut, alpha=alpha, rows=rows, columns=columns, colour=cut.colour[inside])
