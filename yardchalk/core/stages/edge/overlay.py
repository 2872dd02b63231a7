"""Laying what regions say of coverage over the solved matte, at the size that is rendered."""

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, Float, linear_table, top
from yardchalk.core.stages.clear.region_list import Overlay
from yardchalk.core.stages.edge.band import Cutout
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
    printed: Mapping[int, Float],
) -> Cutout:
    """A region's matte with the overlay on it.

    Parameters
    ----------
    cut : the solved matte of the region.
    pixels : uint8 or uint16, shape (h, w, 3)
        Its coded colours.
    frame : height and width of the whole photo at that size.
    at : rows and columns of the region in it.
    said : for each owner, what gives the coverage it says for rows and columns of the whole photo.
    freed : for each owner whose partly covered pixels show the backdrop, what gives that one's linear light (h, w, 3) there.
    printed : for each owner that is printed in another colour, its linear light (3,).
    """
    alpha = cut.alpha.copy()
    h, w = alpha.shape
    rows, columns, colours = [], [], []
    for start in range(0, h, _ROWS):
        stop = min(start + _ROWS, h)
        here = np.s_[at[0].start + start : at[0].start + stop, at[1].start : at[1].stop]
        old = alpha[start:stop].copy()
        scale, offset, chalk, rub = (
            region_of(values, frame, *here).astype(np.float32) / 255
            for values in (overlay.scale, overlay.offset, overlay.chalk, overlay.rub)
        )
        owner = _nearest(overlay.owner, frame, here)
        for number, coverage in said.items():
            mine = owner == number
            if mine.any():
                offset[mine] = coverage(here)[mine]
                scale[mine] = 0
        new = np.clip(scale * old + offset, 0, 1)
        new += np.where((new > 0.5) & (new < 1), chalk * (1 - new), 0) - np.where((new < 0.5) & (new > 0), rub * new, 0)
        new[new > 1 - _UNSEEN] = 1
        new[new < _UNSEEN] = 0
        alpha[start:stop] = new
        light = linear_table(top(pixels.dtype) + 1)
        strip = slice(*np.searchsorted(cut.rows, (start, stop)))
        solved = np.zeros((stop - start, w), np.int32)
        solved[cut.rows[strip] - start, cut.columns[strip]] = np.arange(1, strip.stop - strip.start + 1)
        listed = ((new > 0) & (new < 1)) | ((solved > 0) & (scale > 0.5))
        for number in printed:
            listed |= (owner == number) & (new > 0)
        y, x = np.nonzero(listed)
        colour = light[pixels[start:stop][y, x]]
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
            part = (scale[y, x] * old[y, x])[both][:, None] / np.maximum(covers[both], 1e-3)
            part = np.clip(part, 0, 1)
            colour[both] = part * cut.colour[strip][place[both] - 1] + (1 - part) * colour[both]
        for number, ink in printed.items():
            colour[owner[y, x] == number] = ink
        rows.append(y + start)
        columns.append(x)
        colours.append(colour)
    return Cutout(alpha, np.concatenate(rows), np.concatenate(columns), np.concatenate(colours).astype(np.float32))


def _nearest(values: NDArray[np.uint8], frame: tuple[int, int], at: tuple[slice, slice]) -> NDArray[np.uint8]:
    h, w = values.shape
    down = np.minimum(((np.arange(at[0].start, at[0].stop) + 0.5) * (h / frame[0])).astype(np.intp), h - 1)
    across = np.minimum(((np.arange(at[1].start, at[1].stop) + 0.5) * (w / frame[1])).astype(np.intp), w - 1)
    return values[down[:, None], across[None]]
