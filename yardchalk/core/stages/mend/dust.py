"""Dust: specks that stand out from what is round them, found on the whole photo at full size.

On the backdrop they are what the white check would show; on the product they may be meant, so a person says.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, Float, Mask, darkest, top
from yardchalk.core.compiled import compiled
from yardchalk.core.mend_settings import FillMend, StrokeArea
from yardchalk.core.pixels import Picture, Region
from yardchalk.core.regions import disc, pieces_of
from yardchalk.core.stages.lift import region_of
from yardchalk.core.stages.plot import Plot

_CELL = 8  # px; what a speck stands out from is looked at in cells
_AROUND = 5  # cells, a window's side
_BLOCK = 64  # px; noise is measured in blocks
_STRIP = 512  # px of rows that are looked at at once
_LEAST_AREA = 4  # px
_LARGEST = 0.02  # of the longer side; what is longer is no speck
_SURE = {"backdrop": 8.0, "product": 10.0}  # times the noise at its highest
_HEIGHT = {"backdrop": 6.0, "product": 12.0}  # levels at the least
_LEFT, _REACH = 2.5, 0.4  # of noise, and of the least height, down to which a speck reaches
_OWN, _NEAR = 0.2, 25  # share of the highest within so many px that counts as the same speck
_FROM_EDGE = 4 / 1600  # of the longer side, from the border between product and backdrop
_ROUND_ONE = 0.0112  # of the longer side; what is wider both ways and was kept is no dust
_JOINED = 0.012  # of the longer side, within which small pieces belong to a large one, or to each other
_GREY, _DARK = 50, 40  # levels: between the channels of what may be dust, and of its darkest
_CROWD = 4  # pieces that belong to each other are a pattern
_CALM = 0.35  # of a speck's height: more, and what is round it is as lively as itself
_LISTED = 300


@dataclass(frozen=True)
class Speck:
    """One speck.

    Attributes
    ----------
    on : what it lies on.
    box : x, y, width, height in px of the framed photo.
    area : px.
    height : how far it stands out, levels; less than nothing is darker.
    mend : the fill that takes it away.
    """

    on: Literal["backdrop", "product"]
    box: tuple[int, int, int, int]
    area: int
    height: float
    mend: FillMend


def find_dust(pixels: Coded, lifted: Callable[[Region], Coded] | None, covered: Float, elsewhere: Mask, plot: Plot) -> list[Speck]:
    """Specks, the surest first, 300 at most.

    Parameters
    ----------
    pixels : coded, shape (h, w, 3), the framed photo at full size.
    lifted : a region of the same after Balance and Lift, or None if they do nothing; what is white there shows no speck.
    covered : float32, coverage by the product at a smaller size.
    elsewhere : bool, of that size: what is neither product nor backdrop, another surface in the frame.
    plot : of the framed photo at full size.
    """
    eight = Picture(pixels).eight_bit().pixels.astype(np.uint8, copy=False)
    h, w = eight.shape[:2]
    # What is product is known no finer than at the size of its coverage.
    small = cv2.resize(eight, covered.shape[::-1], interpolation=cv2.INTER_AREA)
    whole = _without_specks(covered > 0.02, small)
    product, other = (cv2.resize(mask.view(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST) > 0 for mask in (whole, elsewhere))
    edge = max(3, round(_FROM_EDGE * plot.longest))
    kernel = disc(2 * edge + 1)
    found: list[tuple[float, Speck]] = []
    sides: tuple[tuple[Literal["backdrop", "product"], Mask], ...] = (("backdrop", ~product & ~other), ("product", product))
    for on, side in sides:
        if not side.any():
            continue
        inside = cv2.erode(side.view(np.uint8), kernel, borderType=cv2.BORDER_CONSTANT, borderValue=1) > 0
        shown = lifted if on == "backdrop" else None
        found += _specks(eight, side, inside, shown, on, plot)
    return [speck for _, speck in sorted(found, key=lambda one: -one[0])[:_LISTED]]


def _without_specks(product: Mask, pixels: NDArray[np.uint8]) -> Mask:
    """The product without small pieces that lie by themselves: dust that was taken for product.

    What lies close to a large piece belongs to it, as bristles do; so do many small ones close to each other, as dots of a print,
    and what has a clear colour of its own: dust is grey.
    """
    longest = max(product.shape)
    pieces = pieces_of(product, diagonal=True)
    small = (pieces.area > 0) & (pieces.area < min((_LARGEST * longest) ** 2, 0.3 * pieces.area[1:].max(initial=0)))
    small[0] = False
    if not small.any():
        return product
    apart = pieces.chosen(small)
    near = _grown(product & ~apart, _JOINED * longest)
    clusters = pieces_of(_grown(apart, _JOINED * longest), diagonal=True).labels
    first = np.zeros(pieces.area.size, np.intp)
    rows, columns = np.nonzero(apart)
    first[pieces.labels[rows, columns]] = clusters[rows, columns]
    crowd = np.bincount(first[small], minlength=int(clusters.max()) + 1)
    small &= crowd[first] < _CROWD
    small[np.unique(pieces.labels[apart & near])] = False
    for label in np.flatnonzero(small):
        if min(pieces.rect(int(label))[2:]) > _ROUND_ONE * longest:
            small[label] = False
            continue
        box = pieces.box(int(label))
        mine = pixels[box][pieces.labels[box] == label].astype(np.float32)
        core = mine[mine.sum(1) <= np.median(mine.sum(1))].mean(0)
        round_it = pieces.box(int(label), margin=6)
        paper = np.median(pixels[round_it][pieces.labels[round_it] == 0], axis=0)
        # It lets the paper through; its own colour lies as far on as its darkest channel may be dark.
        most = int(np.argmax(paper - core))
        own = paper + (core - paper) * (paper[most] - _DARK) / max(float(paper[most] - core[most]), 1.0)
        small[label] = own.max() - own.min() < _GREY
    return product & ~pieces.chosen(small)


def _grown(mask: Mask, by: float) -> Mask:
    out: Mask = cv2.distanceTransform((~mask).view(np.uint8), cv2.DIST_L2, 5) <= by
    return out


def _specks(
    pixels: NDArray[np.uint8],
    side: Mask,
    inside: Mask,
    lifted: Callable[[Region], Coded] | None,
    on: Literal["backdrop", "product"],
    plot: Plot,
) -> list[tuple[float, Speck]]:
    calm = _standing_out(pixels, side)
    noise = np.maximum(_noise(calm, side), 0.1)
    peak, low = _peaks(calm, noise, side, inside, on)
    rows, columns = np.nonzero(peak)
    del peak
    if not rows.size:
        return []
    pieces = pieces_of(low, diagonal=True)
    heights = np.zeros(pieces.area.size, np.float32)
    np.maximum.at(heights, pieces.labels[rows, columns], np.abs(calm[rows, columns]).astype(np.float32))
    heights[0] = 0
    # What reaches the border of its side is part of that border.
    heights[np.unique(pieces.labels[low & ~inside])] = 0
    longest = max(8.0, _LARGEST * plot.longest)
    out = []
    for label in np.flatnonzero(heights):
        x, y, wide, tall = pieces.rect(int(label))
        at_rim = x == 0 or y == 0 or x + wide == side.shape[1] or y + tall == side.shape[0]
        if at_rim or max(wide, tall) > longest or pieces.area[label] < _LEAST_AREA:
            continue
        speck = _one(calm, side, pieces.labels, int(label), (x, y, wide, tall), float(heights[label]), lifted, on, plot)
        if speck is not None:
            middle = slice(y + tall // 2, y + tall // 2 + 1), slice(x + wide // 2, x + wide // 2 + 1)
            out.append((float(heights[label]) / float(region_of(noise, side.shape, *middle)[0, 0]), speck))
    return out


def _peaks(calm: NDArray[np.float16], noise: Float, side: Mask, inside: Mask, on: Literal["backdrop", "product"]) -> tuple[Mask, Mask]:
    """Where specks are for sure, and from there as far down as they reach."""
    h, w = side.shape
    peak, low = np.zeros((h, w), bool), np.zeros((h, w), bool)
    kernel = np.ones((_NEAR, _NEAR), np.uint8)
    for strip, wide, mine in _strips(h, _NEAR):
        high = np.abs(calm[wide]).astype(np.float32)
        beside, high = cv2.dilate(high, kernel)[mine], high[mine]
        rough = region_of(noise, (h, w), strip, slice(0, w))
        peak[strip] = inside[strip] & (high > np.maximum(_SURE[on] * rough, _HEIGHT[on]))
        low[strip] = side[strip] & (high > np.maximum(np.maximum(_LEFT * rough, _REACH * _HEIGHT[on]), _OWN * beside))
    return peak, low


def _standing_out(pixels: NDArray[np.uint8], side: Mask) -> NDArray[np.float16]:
    """How far each pixel and those beside it are off what is round them on their side, in levels of the channel that is farthest off."""
    h, w = side.shape
    small = (max(1, w // _CELL), max(1, h // _CELL))
    share = cv2.resize(side.view(np.uint8) * np.uint8(255), small, interpolation=cv2.INTER_AREA)
    cells = cv2.resize(pixels, small, interpolation=cv2.INTER_AREA)
    whole = share > 252
    if not whole.any():
        whole = share >= share.max()
    # Cells that are not wholly on this side take the nearest that is.
    _, nearest = cv2.distanceTransformWithLabels((~whole).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    which = np.zeros(int(nearest.max()) + 1, np.intp)
    which[nearest[whole]] = np.flatnonzero(whole.ravel())
    cells = cells.reshape(-1, 3)[which[nearest]]
    level = cv2.medianBlur(np.ascontiguousarray(cells), _AROUND).astype(np.float32)
    calm = np.empty((h, w), np.float16)
    for strip, wide, mine in _strips(h, 1):
        off = np.zeros((wide.stop - wide.start, w), np.float32)
        _farthest_off(pixels, level, side, off, wide.start)
        calm[strip] = cv2.blur(off, (3, 3))[mine]
    return calm


def _strips(height: int, margin: int) -> Iterator[tuple[slice, slice, slice]]:
    """Rows in strips: a strip, the strip with a margin, and where it lies in that. For the sake of memory."""
    for start in range(0, height, _STRIP):
        strip = slice(start, min(start + _STRIP, height))
        wide = slice(max(0, strip.start - margin), min(height, strip.stop + margin))
        yield strip, wide, slice(strip.start - wide.start, strip.stop - wide.start)


@compiled
def _farthest_off(pixels: NDArray[np.uint8], level: Float, side: Mask, off: Float, first: int) -> None:
    """Of rows from the first on, each pixel less the level of its cell, interpolated, in the channel that is farthest off."""
    h, w = side.shape
    rows, columns = level.shape[:2]
    for at in range(off.shape[0]):
        i = first + at
        y = (i + np.float32(0.5)) * rows / h - np.float32(0.5)
        y0 = min(max(int(np.floor(y)), 0), rows - 1)
        y1, ty = min(y0 + 1, rows - 1), np.float32(min(max(y - y0, 0), 1))
        for j in range(w):
            if not side[i, j]:
                continue
            x = (j + np.float32(0.5)) * columns / w - np.float32(0.5)
            x0 = min(max(int(np.floor(x)), 0), columns - 1)
            x1, tx = min(x0 + 1, columns - 1), np.float32(min(max(x - x0, 0), 1))
            for k in range(3):
                above = level[y0, x0, k] + tx * (level[y0, x1, k] - level[y0, x0, k])
                below = level[y1, x0, k] + tx * (level[y1, x1, k] - level[y1, x0, k])
                here = pixels[i, j, k] - (above + ty * (below - above))
                if abs(here) > abs(off[at, j]):
                    off[at, j] = here


def _noise(off: NDArray[np.float16], side: Mask) -> Float:
    """A robust spread of the values of a side about nothing, in blocks: float32, to be interpolated between them."""
    h, w = off.shape
    rows, columns = -(-h // _BLOCK), -(-w // _BLOCK)
    small, known = np.zeros((rows, columns), np.float32), np.zeros((rows, columns), bool)
    for i in range(rows):
        for j in range(columns):
            at = np.s_[i * _BLOCK : (i + 1) * _BLOCK, j * _BLOCK : (j + 1) * _BLOCK]
            values = np.abs(off[at][side[at]][::3]).astype(np.float32)
            if values.size > 100:
                # The spread of the livelier half: where paper is all but white, the other half is cut off.
                small[i, j], known[i, j] = np.partition(values, int(0.84 * values.size))[int(0.84 * values.size)], True
    if known.any():
        small[~known] = np.median(small[known])
    # A block at the border knows little; its neighbours help.
    return np.asarray(cv2.medianBlur(small, 3), np.float32)


def _one(
    calm: NDArray[np.float16],
    side: Mask,
    labels: NDArray[np.int32],
    label: int,
    rect: tuple[int, int, int, int],
    height: float,
    lifted: Callable[[Region], Coded] | None,
    on: Literal["backdrop", "product"],
    plot: Plot,
) -> Speck | None:
    x, y, wide, tall = rect
    margin = 6
    rows = slice(max(0, y - margin), min(calm.shape[0], y + tall + margin))
    columns = slice(max(0, x - margin), min(calm.shape[1], x + wide + margin))
    mine = labels[rows, columns] == label
    near = cv2.dilate(mine.view(np.uint8), np.ones((5, 5), np.uint8)) > 0
    ring = side[rows, columns] & ~near
    if ring.sum() < 20:
        return None
    # A line or a texture goes on beyond the piece of it that was found.
    if float(np.percentile(np.abs(calm[rows, columns][ring].astype(np.float32)), 90)) > _CALM * height:
        return None
    if lifted is not None:
        seen = lifted(Region(rows.start, rows.stop, columns.start, columns.stop))
        if bool((darkest(seen)[mine] >= top(seen.dtype)).all()):
            return None
    line, _ = cv2.findContours(mine.view(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    (cx, cy), radius = cv2.minEnclosingCircle(np.concatenate(line))
    middle = (cx + columns.start + 0.5, cy + rows.start + 0.5)
    # A little wider than it is, for its soft rim.
    size = (2 * radius + 1 + max(4.0, 0.5 * radius)) / plot.longest
    area = StrokeArea(shape="stroke", size=round(min(max(size, 0.0002), 0.5), 6), points=(_share(plot, middle),))
    mend = FillMend(kind="fill", name="Dust", area=area, softness=0.2, found=on == "backdrop")
    values = calm[rows, columns][mine].astype(np.float32)
    peak = float(values[np.argmax(np.abs(values))])
    return Speck(on, (x, y, wide, tall), int(mine.sum()), round(peak, 1), mend)


def _share(plot: Plot, at: tuple[float, float]) -> tuple[float, float]:
    back = (np.array(at) - plot.matrix[:, 2]) @ np.linalg.inv(plot.matrix[:, :2]).T
    x, y = np.clip(back, 0, 1)
    return round(float(x), 6), round(float(y), 6)
