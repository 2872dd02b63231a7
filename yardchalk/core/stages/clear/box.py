"""Box: the product inside a rough box or loop, by a graph cut.

Rother, Kolmogorov and Blake, "GrabCut": interactive foreground extraction using iterated graph cuts, ACM Transactions on
Graphics 23 (3), 2004, as OpenCV has it, on the picture evened by the backdrop model and scaled down; what the backdrop
model explains inside the box begins as probable backdrop. Painted strokes are bound to be what they say. Between what is
surely in and surely out at that size, the border then follows the steps of the analysis picture (watershed).
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.clear_settings import BoxRegion
from yardchalk.core.colour import Float, Mask
from yardchalk.core.errors import YardError
from yardchalk.core.regions import disc, pieces_of
from yardchalk.core.stages.clear.ground import Ground

_SIDE = 480  # px; long side of the picture that the cut is made on
_ROUNDS = 3
_MARGIN = 0.12  # of the loop's size; that much backdrop round it is learnt from
_TRUST = 0.65  # share of the frame's ring that the model must explain to have a say
_LEAST = 1e-3  # share of the largest piece; smaller ones are no product


def box(region: BoxRegion, ground: Ground) -> Float:
    """All but the product found in the loop: float32 (h, w), 0 or 1."""
    inside = ground.mask_of(region.loop)
    if inside.mean() < 1e-4:
        raise YardError("has no area inside the frame", where="The box", remedy="Draw it round the product")
    keep, drop = _painted(region, ground)
    product = _cut(ground, region, inside, keep, drop)
    product = _at_edges(ground, product, inside, keep, drop)
    if ground.backdrop.ring_share > _TRUST:
        # Gaps finer than the picture that the cut is made on.
        product &= ~ground.clearing.gaps | keep
    return (~product).astype(np.float32)


def _painted(region: BoxRegion, ground: Ground) -> tuple[Mask, Mask]:
    """Where strokes say product and backdrop; later ones win."""
    keep, drop = np.zeros(ground.shape, bool), np.zeros(ground.shape, bool)
    for stroke in region.strokes:
        under = ground.plot.stroke(stroke)
        keep = keep | under if stroke.adds else keep & ~under
        drop = drop & ~under if stroke.adds else drop | under
    return keep, drop


@dataclass
class _Cut:
    """A graph cut as it stands: the picture and marks of the part that is looked at, its place, and the colour models."""

    shown: NDArray[np.uint8]
    marks: NDArray[np.uint8]
    at: tuple[slice, slice]
    models: tuple[NDArray[np.float64], NDArray[np.float64]]


def _cut(ground: Ground, region: BoxRegion, inside: Mask, keep: Mask, drop: Mask) -> Mask:
    h, w = ground.shape
    s = min(1.0, _SIDE / max(h, w))
    size = (max(16, round(w * s)), max(16, round(h * s)))
    # Strokes mend what was found without them, so that costs one round, and the same whichever was painted first.
    begun = ground.kept(("box", region.loop), lambda: _begun(ground, inside, size))
    marks = begun.marks.copy()
    if region.strokes:
        marks[_small(drop, size, 0.5)[begun.at]] = cv2.GC_BGD
        marks[_small(keep, size, 0.5)[begun.at]] = cv2.GC_FGD
        if _both(marks):
            back, front = (model.copy() for model in begun.models)
            cv2.grabCut(begun.shown, marks, None, back, front, 1, cv2.GC_EVAL)
    found = np.zeros(size[::-1], np.uint8)
    found[begun.at] = marks % 2
    pieces = pieces_of(found > 0, diagonal=True)
    small = pieces.area < _LEAST * pieces.area.max(initial=1)
    out: Mask = cv2.resize(pieces.chosen(~small).view(np.uint8) * (found > 0), (w, h), interpolation=cv2.INTER_LINEAR) > 0
    return out


def _begun(ground: Ground, inside: Mask, size: tuple[int, int]) -> _Cut:
    # Lightness counts as much as the two hues; all three fit a byte.
    lab = cv2.resize(ground.evened_lab, size, interpolation=cv2.INTER_AREA)
    shown = np.clip(lab * (2.55, 2.0, 2.0) + (0, 128, 128), 0, 255).astype(np.uint8)
    marks = np.where(_small(inside, size, 0.5), cv2.GC_PR_FGD, cv2.GC_BGD).astype(np.uint8)
    if ground.backdrop.ring_share > _TRUST:
        explained = ~cv2.dilate(ground.clearing.product.view(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
        marks[(marks == cv2.GC_PR_FGD) & _small(explained, size, 0.99)] = cv2.GC_PR_BGD
    at = _surrounding(marks != cv2.GC_BGD)
    begun = _Cut(np.ascontiguousarray(shown[at]), np.ascontiguousarray(marks[at]), at, (np.zeros((1, 65)), np.zeros((1, 65))))
    if _both(begun.marks):
        cv2.setRNGSeed(1)
        back, front = begun.models
        cv2.grabCut(begun.shown, begun.marks, None, back, front, _ROUNDS, cv2.GC_INIT_WITH_MASK)
    return begun


def _both(marks: NDArray[np.uint8]) -> bool:
    """Whether some is product and some is backdrop, surely or probably."""
    return bool((marks % 2 == 1).any() and (marks % 2 == 0).any())


def _small(mask: Mask, size: tuple[int, int], share: float) -> Mask:
    """Where the mask, scaled down, covers more than a share of a pixel."""
    out: Mask = cv2.resize(mask.astype(np.float32), size, interpolation=cv2.INTER_AREA) > share
    return out


def _surrounding(mask: Mask) -> tuple[slice, slice]:
    h, w = mask.shape
    x, y, bw, bh = cv2.boundingRect(mask.view(np.uint8))
    m = round(_MARGIN * max(bw, bh)) + 2
    return np.s_[max(0, y - m) : min(h, y + bh + m), max(0, x - m) : min(w, x + bw + m)]


def _at_edges(ground: Ground, product: Mask, inside: Mask, keep: Mask, drop: Mask) -> Mask:
    """Let the border follow the steps of the analysis picture between what is surely in and surely out."""
    h, w = ground.shape
    reach = max(2, round(1.5 * max(h, w) / _SIDE))
    kernel = disc(2 * reach + 1)
    core = cv2.erode(product.view(np.uint8), kernel) > 0
    # What is thinner than that has no core: its own middle stands in for it.
    thin = product & ~(cv2.dilate(core.view(np.uint8), kernel) > 0)
    away = cv2.dilate(product.view(np.uint8), kernel) == 0
    markers = np.zeros((h, w), np.int32)
    markers[core | thin | keep] = 1
    markers[(away | ~inside | drop) & ~keep] = 2
    if not (markers == 1).any():
        return keep
    steps = np.clip(ground.evidence.steps * 4, 0, 255).astype(np.uint8)
    cv2.watershed(cv2.merge([steps, steps, steps]), markers)
    # The line between both belongs to the product: it is the outer flank of its border.
    out: Mask = (markers != 2) & (inside | keep) & ~(drop & ~keep)
    out[0], out[-1], out[:, 0], out[:, -1] = (product[edge] for edge in np.s_[0, -1, (slice(None), 0), (slice(None), -1)])
    return out
