"""Connected regions: the flood that goes on where it stopped, and pieces with their figures.

Both touch only the pixels they newly reach, so that a round of the flood costs what it gains.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled

UNREACHED, REACHED, HELD, NEW = 0, 1, 2, 3
_WAITING = 4  # unreached, and in the queue of those that the flood stopped at
_WALL = 5  # round the picture, so that nothing need ask where it ends


def disc(across: int) -> NDArray[np.uint8]:
    """A round structuring element, so many px across; an odd number."""
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (across, across)).astype(np.uint8)


@dataclass(frozen=True)
class Pieces:
    """Connected pieces of a mask.

    Attributes
    ----------
    labels : int32, shape (h, w)
        0 for none, then 1, 2, ...
    area : int64, shape (n + 1,)
        px, by label; that of label 0 is 0.
    boxes : int64, shape (n + 1, 4)
        Top, bottom, left, right, by label; the ends are exclusive.
    """

    labels: NDArray[np.int32]
    area: NDArray[np.int64]
    boxes: NDArray[np.int64]

    def box(self, label: int, margin: int = 0) -> tuple[slice, slice]:
        """Rows and columns of a piece, with a margin as far as the picture goes."""
        top, bottom, left, right = (int(v) for v in self.boxes[label])
        h, w = self.labels.shape
        return slice(max(top - margin, 0), min(bottom + margin, h)), slice(max(left - margin, 0), min(right + margin, w))

    def rect(self, label: int) -> tuple[int, int, int, int]:
        """x, y, width and height of a piece."""
        top, bottom, left, right = (int(v) for v in self.boxes[label])
        return left, top, right - left, bottom - top

    @property
    def at_the_frame(self) -> Mask:
        """Which pieces reach the picture's edge, (n + 1,) by label."""
        h, w = self.labels.shape
        top, bottom, left, right = self.boxes.T
        out = (top == 0) | (left == 0) | (bottom == h) | (right == w)
        out[0] = False
        return out

    def means(self, values: Float) -> NDArray[np.float64]:
        """Mean of each channel over each piece, (n + 1, channels), of values (h, w, channels)."""
        return _sums(self.labels, self.area.size, values) / np.maximum(self.area, 1)[:, None]

    def chosen(self, which: Mask) -> Mask:
        """Pixels (h, w) of the pieces that are chosen, (n + 1,) by label."""
        return _chosen(self.labels, which)


def pieces_of(mask: Mask, *, diagonal: bool) -> Pieces:
    """The connected pieces of a mask (h, w); with `diagonal`, pixels that touch at a corner are joined too."""
    return Pieces(*_label(mask, diagonal))


def outside_of(product: Mask) -> Mask:
    """What is not product and reaches the frame, bool (h, w); the rest of what is not product are gaps in it."""
    pieces = pieces_of(~product, diagonal=False)
    return pieces.chosen(pieces.at_the_frame)


class Flood:
    """A flood over a picture of costs that rises in rounds.

    Parameters
    ----------
    cost : float32, shape (h, w)
    seeds : bool, shape (h, w)
        Reached from the start.
    """

    def __init__(self, cost: Float, seeds: Mask) -> None:
        self._cost = cv2.copyMakeBorder(cost, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=np.inf)
        self._state = cv2.copyMakeBorder(seeds.view(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=_WALL)
        self._queue = np.empty(self._cost.size, np.int32)
        self._edge = np.empty(self._cost.size, np.int32)
        self._waiting = _edge_of(self._state, self._edge)
        self._found = 0

    @property
    def state(self) -> NDArray[np.uint8]:
        """UNREACHED, REACHED, HELD or NEW; pixels may be set to HELD between `rise` and `settle`."""
        return self._state[1:-1, 1:-1]

    def rise(self, level: float) -> int:
        """Reach, 4-connected, what costs less than the level; it is NEW until `settle`. Returns how many pixels."""
        flat = self._cost.ravel(), self._state.ravel(), self._queue, self._edge
        self._found, self._waiting = _rise(*flat, level, self._cost.shape[1], self._waiting)
        return self._found

    def settle(self) -> None:
        """What is still NEW becomes REACHED."""
        _settle(self._state.ravel(), self._queue, self._found)

    @property
    def new(self) -> Mask:
        return self.state == NEW

    @property
    def reached(self) -> Mask:
        return self.state == REACHED


@compiled
def _edge_of(state: NDArray[np.uint8], edge: NDArray[np.int32]) -> int:
    """Queue the unreached pixels beside reached ones; returns how many."""
    h, w = state.shape
    n = 0
    for y in range(1, h - 1):
        for x in range(1, w - 1):
            if state[y, x] == UNREACHED and (
                state[y - 1, x] == REACHED or state[y + 1, x] == REACHED or state[y, x - 1] == REACHED or state[y, x + 1] == REACHED
            ):
                edge[n] = y * w + x
                n += 1
    flat = state.ravel()
    for i in range(n):
        flat[edge[i]] = _WAITING
    return n


@compiled
def _rise(
    cost: Float, state: NDArray[np.uint8], queue: NDArray[np.int32], edge: NDArray[np.int32], level: float, width: int, waiting: int
) -> tuple[int, int]:
    found = 0
    kept = 0
    for i in range(waiting):
        at = edge[i]
        if state[at] != _WAITING:
            continue
        # What was reached beside it may have been held since.
        if state[at - width] != REACHED and state[at + width] != REACHED and state[at - 1] != REACHED and state[at + 1] != REACHED:
            state[at] = UNREACHED
        elif cost[at] < level:
            state[at] = NEW
            queue[found] = at
            found += 1
        else:
            edge[kept] = at
            kept += 1
    done = 0
    while done < found:
        here = queue[done]
        done += 1
        for to in (here - width, here - 1, here + 1, here + width):
            if state[to] != UNREACHED and state[to] != _WAITING:
                continue
            if cost[to] < level:
                state[to] = NEW
                queue[found] = to
                found += 1
            elif state[to] == UNREACHED:
                state[to] = _WAITING
                edge[kept] = to
                kept += 1
    return found, kept


@compiled
def _settle(state: NDArray[np.uint8], queue: NDArray[np.int32], found: int) -> None:
    for i in range(found):
        if state[queue[i]] == NEW:
            state[queue[i]] = REACHED


@compiled
def _label(mask: Mask, diagonal: bool) -> tuple[NDArray[np.int32], NDArray[np.int64], NDArray[np.int64]]:
    """Pieces by runs along the rows, joined where runs of neighbouring rows touch (union-find)."""
    h, w = mask.shape
    most = h * (w // 2 + 1)
    line_of, start, end, parent = np.empty(most, np.int32), np.empty(most, np.int32), np.empty(most, np.int32), np.empty(most, np.int32)
    reach = 1 if diagonal else 0
    runs = 0
    above, above_end = 0, 0
    for y in range(h):
        first = runs
        line = mask[y]
        x = 0
        while x < w:
            if not line[x]:
                x += 1
                continue
            begin = x
            while x < w and line[x]:
                x += 1
            line_of[runs], start[runs], end[runs], parent[runs] = y, begin, x, runs
            while above < above_end and end[above] + reach <= begin:
                above += 1
            j = above
            while j < above_end and start[j] < x + reach:
                a, b = _root(parent, j), _root(parent, runs)
                parent[max(a, b)] = min(a, b)
                j += 1
            runs += 1
        above, above_end = first, runs
    number = np.empty(runs, np.int32)
    n = 0
    for i in range(runs):
        if parent[i] == i:
            n += 1
            number[i] = n
    labels = np.zeros((h, w), np.int32)
    area = np.zeros(n + 1, np.int64)
    boxes = np.zeros((n + 1, 4), np.int64)
    boxes[1:, 0], boxes[1:, 2] = h, w
    for i in range(runs):
        k = number[_root(parent, i)]
        labels[line_of[i], start[i] : end[i]] = k
        area[k] += end[i] - start[i]
        boxes[k, 0], boxes[k, 1] = min(boxes[k, 0], line_of[i]), max(boxes[k, 1], line_of[i] + 1)
        boxes[k, 2], boxes[k, 3] = min(boxes[k, 2], start[i]), max(boxes[k, 3], end[i])
    return labels, area, boxes


@compiled
def _root(parent: NDArray[np.int32], i: int) -> int:
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@compiled
def _sums(labels: NDArray[np.int32], n: int, values: Float) -> NDArray[np.float64]:
    out = np.zeros((n, values.shape[2]), np.float64)
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            if labels[y, x]:
                for k in range(values.shape[2]):
                    out[labels[y, x], k] += values[y, x, k]
    return out


@compiled
def _chosen(labels: NDArray[np.int32], which: Mask) -> Mask:
    out = np.empty(labels.shape, np.bool_)
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            out[y, x] = which[labels[y, x]]
    return out
