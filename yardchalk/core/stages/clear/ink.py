"""Ink on paper: how much of each pixel ink covers becomes opacity, so that texture and translucency stay.

Murray, A. (1936). Monochrome reproduction in photoengraving. Journal of the Franklin Institute 221(6), 721-744: a share a of
paper covered by ink of density F looks as dense as D, where 1 - 10**-D = a (1 - 10**-F).
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.clear_settings import InkRegion
from yardchalk.core.colour import Float, Mask, linear_table, top
from yardchalk.core.regions import disc
from yardchalk.core.stages.clear.ground import Ground

_FLOOR_SPREADS = 3.5
_LEAST_FLOOR, _MOST_FLOOR = 0.02, 0.5
_FIRM = 3  # times what covers as much as the floor
_FAINT, _WASH = 0.15, 5  # coverage, and px: what covers little is ink where it is as wide
_ROUND = 7  # px
_FULL_QUANTILE = 0.98  # of the density of what is plainly ink


def density(pixels: NDArray[np.uint8] | NDArray[np.uint16], log_light: Float) -> Float:
    """Density -log10(C / B) of the densest channel: float32 (h, w), from coded (h, w, 3) and the paper's log light there."""
    table = np.log10(np.maximum(linear_table(top(pixels.dtype) + 1), np.float32(3e-3))).astype(np.float32)
    red, green, blue = (
        np.minimum(paper, 0) * np.float32(np.log10(np.e)) - table[codes]
        for paper, codes in zip(cv2.split(log_light), cv2.split(pixels), strict=True)
    )
    return np.maximum(np.maximum(red, green), blue)


def ink_levels(region: InkRegion, ground: Ground) -> tuple[float, float]:
    """Floor and full density in force; what is left to be measured is measured on the analysis picture.

    The floor lies over the paper's own spread. Full is what most of the solid ink reaches: between the floor and the
    densest, the ink's share is found by Otsu's threshold.
    """
    floor, full = region.floor, region.full
    if floor != "auto" and full != "auto":
        return floor, full
    thick = density(ground.pixels, ground.backdrop.log_light(ground.plot.width, ground.plot.height))
    if floor == "auto":
        paper = thick[thick < np.median(thick) + 0.1]
        middle = float(np.median(paper))
        spread = 1.48 * float(np.median(np.abs(paper - middle)))
        floor = float(np.clip(middle + _FLOOR_SPREADS * spread, _LEAST_FLOOR, _MOST_FLOOR))
    if full == "auto":
        some = thick[thick > floor]
        if some.size:
            top_level = float(some.max())
            level, _ = cv2.threshold((some / top_level * 255).astype(np.uint8)[None], 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
            full = float(np.quantile(some[some >= min(level / 255, 0.98) * top_level], _FULL_QUANTILE))
        else:
            full = 1.0
    return round(floor, 3), round(max(full, floor + 0.02), 3)


def near_ink(paper: Float) -> Mask:
    """Where ink is, and a little round it, by how far pixels are paper (h, w); specks and pencil lines are faint and thin."""
    covers = (paper < 1 - _FAINT).view(np.uint8)
    firm = (paper < 0.5) | (cv2.morphologyEx(covers, cv2.MORPH_OPEN, disc(_WASH)) > 0)
    return cv2.dilate(firm.view(np.uint8), disc(_ROUND)) > 0


def paper_share(pixels: NDArray[np.uint8] | NDArray[np.uint16], log_light: Float, levels: tuple[float, float]) -> Float:
    """How far pixels (h, w, 3) are paper, 0..1: one less the share that ink of full density covers, in linear light.

    What is at or under the floor is paper, and up to some multiple of it gives way; what is denser stays as it is.
    """
    floor, full = levels
    paper = (1 - 10**-floor) / (1 - 10**-full)
    firm = min(_FIRM * paper, 1.0)
    through = np.power(np.float32(10), -density(pixels, log_light))
    covered: Float = (np.float32(1) - through) / np.float32(1 - 10**-full)
    if firm > paper:
        covered = np.minimum(covered, (covered - np.float32(paper)) * np.float32(firm / (firm - paper)))
    out: Float = 1 - np.clip(covered, 0, 1)
    return out
