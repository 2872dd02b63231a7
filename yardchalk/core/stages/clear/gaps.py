"""Gaps: places inside what is kept that the backdrop model explains, as a list to choose from."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.clear_settings import GapsRegion
from yardchalk.core.colour import Float, Mask
from yardchalk.core.regions import Pieces, pieces_of
from yardchalk.core.stages.clear.ground import Ground

_HUE = 0.03  # log light; chroma less than this is the backdrop's
_DIMMED, _LIT = -0.7, 0.1  # log light; a gap may lie in the product's shade
_EVEN = 20.0  # steps, in units of the backdrop's noise
_LEAST = 2e-5  # share of the photo
_LISTED = 60
_RIM = 7  # px; an edge this near is its rim
_LEAST_LIKE = 0.3


@dataclass(frozen=True)
class Gap:
    """A place inside the product where backdrop may show.

    Attributes
    ----------
    at : x, y of a place in it, shares of the upright photo.
    box : x, y, width, height, px of the analysis picture.
    share : of the photo, 0..1.
    likeness : 0..1; how like the backdrop it is in hue, times the share of its rim that is an edge of the product.
    """

    at: tuple[float, float]
    box: tuple[int, int, int, int]
    share: float
    likeness: float


def find_gaps(ground: Ground, backdrop: Mask) -> list[Gap]:
    """Gaps in what is not backdrop so far, most alike and largest first."""
    pieces = _candidates(ground, backdrop)
    hues = _unlike(ground)
    ridge = cv2.dilate(ground.evidence.steps, np.ones((_RIM, _RIM), np.uint8))
    out = []
    for i in np.argsort(-pieces.area, kind="stable")[:_LISTED]:
        if pieces.area[i] < _LEAST * backdrop.size:
            continue
        box = pieces.box(int(i), 4)
        piece = pieces.labels[box] == i
        rim = (cv2.dilate(piece.view(np.uint8), np.ones((5, 5), np.uint8)) > 0) & ~piece
        hue = float(np.clip(1 - np.median(hues[box][piece]) / _HUE, 0, 1))
        likeness = hue * float((ridge[box][rim] > _EVEN).mean())
        if likeness < _LEAST_LIKE:
            continue
        inner = np.pad(piece, 1).astype(np.uint8)
        y, x = np.unravel_index(int(cv2.distanceTransform(inner, cv2.DIST_L2, 3).argmax()), inner.shape)
        centre = np.array([[box[1].start + x - 1 + 0.5, box[0].start + y - 1 + 0.5]])
        out.append(Gap(ground.plot.shares(centre)[0], pieces.rect(int(i)), float(pieces.area[i] / backdrop.size), round(likeness, 2)))
    return sorted(out, key=lambda gap: (-round(gap.likeness, 1), -gap.share))


def gaps(region: GapsRegion, ground: Ground, backdrop: Mask) -> Float:
    """The chosen gaps, or those that automatic clearing vouches for: float32 (h, w), 0 or 1."""
    if region.points is None:
        return (ground.clearing.gaps & ~backdrop).astype(np.float32)
    pieces = _candidates(ground, backdrop)
    at = ground.plot.pixels(region.points)
    chosen = np.zeros(pieces.area.size, bool)
    chosen[pieces.labels[at[:, 1], at[:, 0]]] = True
    chosen[0] = False
    # The gap's own flank goes along: the band finds the border from there.
    grown: NDArray[np.uint8] = cv2.dilate(pieces.chosen(chosen).view(np.uint8), np.ones((3, 3), np.uint8))
    return ((grown > 0) & ~backdrop).astype(np.float32)


def _unlike(ground: Ground) -> Float:
    """How far each pixel's hue is from the backdrop's beside it, log light."""
    d = ground.clearing.difference
    return np.hypot(d[..., 1], d[..., 2]).astype(np.float32)


def _candidates(ground: Ground, backdrop: Mask) -> Pieces:
    """Pieces of what is kept that are no more than dimmed backdrop, without structure."""
    shade = ground.clearing.difference[..., 0]
    alike = ~backdrop & (_unlike(ground) < _HUE) & (shade > _DIMMED) & (shade < _LIT) & (ground.evidence.steps < _EVEN)
    open_ = cv2.morphologyEx(alike.view(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0
    return pieces_of(open_, diagonal=False)
