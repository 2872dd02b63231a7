"""Laying what regions say of coverage over the solved matte, at the size that is rendered."""

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, Float, linear_table, top
from yardchalk.core.stages.clear.region_list import Overlay
from yardchalk.core.stages.edge.matte import Cutout
from yardchalk.core.stages.lift import region_of

_UNSEEN = 1 / 255  # coverage under one code is none
_ROWS = 512  # at a time, so that little is in floating point at once


def lay_over(
    cut: Cutout,
    overlay: Overlay,
    pixels: Coded,
    frame: tuple[int, int],
    at: tuple[slice, slice],
    said: Mapping[int, Callable[[tuple[slice, slice]], Float]],
    freed: Mapping[int, Callable[[tuple[slice, slice]], Float]],
    printed: Mapping[int, Callable[[tuple[slice, slice]], Float]],
) -> Cutout:
    """A region's matte with the overlay on it; the given one stays as it is.

    Parameters
    ----------
    cut : the solved matte of the region.
    pixels : uint8 or uint16, shape (h, w, 3)
        Its coded colours.
    frame : height and width of the whole photo at that size.
    at : rows and columns of the region in it.
    said : for each owner, what gives the coverage it says for rows and columns of the whole photo.
    freed : for each owner whose partly covered pixels show the backdrop, what gives that one's linear light (h, w, 3) there.
    printed : for each owner whose ink has one colour, what gives its linear light (h, w, 3) there.
    """
    top_row, left, bottom, right = _touched(overlay, frame, at)
    alpha = cut.alpha.copy()
    if bottom <= top_row or right <= left:
        return replace(cut, alpha=alpha)
    outside = (cut.rows < top_row) | (cut.rows >= bottom) | (cut.columns < left) | (cut.columns >= right)
    rows, columns, colours = [cut.rows[outside]], [cut.columns[outside]], [cut.colour[outside]]
    light = linear_table(top(pixels.dtype) + 1)
    for start in range(top_row, bottom, _ROWS):
        stop = min(start + _ROWS, bottom)
        part = np.s_[start:stop, left:right]
        here = np.s_[at[0].start + start : at[0].start + stop, at[1].start + left : at[1].start + right]
        old = alpha[part]
        scale, offset = (region_of(values, frame, *here).astype(np.float32) / 255 for values in (overlay.scale, overlay.offset))
        owner = _nearest(overlay.owner, frame, here)
        for number, coverage in said.items():
            mine = owner == number
            if mine.any():
                offset[mine] = coverage(here)[mine]
                scale[mine] = 0
        new = np.clip(scale * old + offset, 0, 1)
        if overlay.guarded:
            chalk, rub = (region_of(values, frame, *here).astype(np.float32) / 255 for values in (overlay.chalk, overlay.rub))
            new += np.where((new > 0.5) & (new < 1), chalk * (1 - new), 0) - np.where((new < 0.5) & (new > 0), rub * new, 0)
        new[new > 1 - _UNSEEN] = 1
        new[new < _UNSEEN] = 0
        strip = np.flatnonzero((cut.rows >= start) & (cut.rows < stop) & (cut.columns >= left) & (cut.columns < right))
        solved = np.zeros(new.shape, np.int32)
        solved[cut.rows[strip] - start, cut.columns[strip] - left] = np.arange(1, strip.size + 1)
        listed = ((new > 0) & (new < 1)) | ((solved > 0) & (scale > 0.5))
        for number in printed:
            listed |= (owner == number) & (new > 0)
        y, x = np.nonzero(listed)
        colour = light[pixels[part][y, x]]
        covers = new[y, x][:, None]
        for number, behind in freed.items():
            mine = owner[y, x] == number
            if mine.any():
                b = behind(here)[y[mine], x[mine]]
                colour[mine] = np.clip((colour[mine] - (1 - covers[mine]) * b) / np.maximum(covers[mine], 0.02), 0, 1)
        place = solved[y, x]
        both = place > 0
        if both.any():
            # As far as it is still the solved matte's word, its freed colour counts.
            share = np.clip((scale[y, x] * old[y, x])[both][:, None] / np.maximum(covers[both], 1e-3), 0, 1)
            colour[both] = share * cut.colour[strip[place[both] - 1]] + (1 - share) * colour[both]
        for number, ink in printed.items():
            mine = owner[y, x] == number
            if mine.any():
                colour[mine] = ink(here)[y[mine], x[mine]]
        alpha[part] = new
        rows.append(y + start)
        columns.append(x + left)
        colours.append(colour)
    return Cutout(alpha, np.concatenate(rows), np.concatenate(columns), np.concatenate(colours).astype(np.float32), cut.drawn)


def _touched(overlay: Overlay, frame: tuple[int, int], at: tuple[slice, slice]) -> tuple[int, int, int, int]:
    """Top, left, bottom, right, px of the region, of where the overlay reaches, interpolated."""
    h, w = overlay.scale.shape
    x0, y0, x1, y1 = overlay.box
    sy, sx = frame[0] / h, frame[1] / w
    rows, columns = at[0].stop - at[0].start, at[1].stop - at[1].start
    top_row, bottom = int((y0 - 1) * sy) - at[0].start, int(np.ceil((y1 + 1) * sy)) - at[0].start
    left, right = int((x0 - 1) * sx) - at[1].start, int(np.ceil((x1 + 1) * sx)) - at[1].start
    return max(top_row, 0), max(left, 0), min(bottom, rows), min(right, columns)


def _nearest(values: NDArray[np.uint8], frame: tuple[int, int], at: tuple[slice, slice]) -> NDArray[np.uint8]:
    h, w = values.shape
    down = np.minimum(((np.arange(at[0].start, at[0].stop) + 0.5) * (h / frame[0])).astype(np.intp), h - 1)
    across = np.minimum(((np.arange(at[1].start, at[1].stop) + 0.5) * (w / frame[1])).astype(np.intp), w - 1)
    return values[down[:, None], across[None]]
