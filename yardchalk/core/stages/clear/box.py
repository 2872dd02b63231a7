"""Box: the product inside a rough box or loop, by a graph cut.

Rother, Kolmogorov and Blake, "GrabCut": interactive foreground extraction using iterated graph cuts, ACM Transactions on
Graphics 23 (3), 2004, as OpenCV has it, on the picture evened by the backdrop model and scaled down. What automatic clearing
found, with no part of it outside the box, is product; of the rest, what the backdrop model explains begins as probable
backdrop. Painted strokes are bound to be what they say, and go on over what is like that which they were painted on, as far as
no step borders it. Between what is surely in and surely out at that size, the border then follows the steps of the analysis
picture (watershed), or the border that automatic clearing found there, which was looked at more closely.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.clear_settings import BoxRegion
from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled
from yardchalk.core.errors import YardError
from yardchalk.core.regions import Flood, disc, outside_of, pieces_of
from yardchalk.core.settings_base import Stroke
from yardchalk.core.stages.clear.borders import near, parts_outside, with_cleared_border, with_flank
from yardchalk.core.stages.clear.ground import Ground

_SIDE = 480  # px; long side of the picture that the cut is made on
_ROUNDS = 3
_MARGIN = 0.12  # of the loop's size; that much backdrop round it is learnt from
_SMOOTH = 3.0  # px; of what strokes are painted on
_OF_A_HUE = 0.012  # log light; chroma from which on it is no backdrop, however shaded
_HUE_OFF, _SHADE_OFF = 0.02, 0.2  # log light; so far from a stroke that says backdrop is like it
_STEP_KEPT, _STEP_DROPPED = 16.0, 9.0  # in units of the backdrop's noise; product has grain, a shadow has none
_HOLE = 0.05  # of what a stroke goes on over
_LEAST = 1e-3  # share of the largest piece; smaller ones are no product


def box(region: BoxRegion, ground: Ground) -> Float:
    """All but the product found in the loop: float32 (h, w), 0 or 1."""
    return (~_solved(region, ground)[0]).astype(np.float32)


def said_by_strokes(region: BoxRegion, ground: Ground) -> tuple[Mask, Mask]:
    """What strokes say is product, up to the edge beside it, and what backdrop, with what they go on over: bool (h, w)."""
    _, product, backdrop = _solved(region, ground)
    return product, backdrop


def _solved(region: BoxRegion, ground: Ground) -> tuple[Mask, ...]:
    """The product, and what is said by strokes, as `said_by_strokes` gives it."""

    def masks() -> tuple[Mask, ...]:
        inside = ground.mask_of(region.loop)
        if inside.mean() < 1e-4:
            raise YardError("has no area inside the frame", where="The box", remedy="Draw it round the product")
        begun = ground.kept(("box", region.loop), lambda: _begun(ground, inside))
        product = _found_by(begun.marks, begun, ground.shape)
        keep, drop = _painted(region, ground, inside, product)
        if region.strokes:
            product = _mended(begun, keep, drop)
        product = _at_edges(ground, product, inside, keep, drop)
        if ground.trusted:
            product = with_cleared_border(product, ground.cleared & inside & ~begun.beside, _reach(ground), keep | drop)
            # Gaps finer than the picture that the cut is made on.
            product &= ~ground.clearing.gaps | keep
        said = product & (cv2.dilate(keep.view(np.uint8), disc(2 * _reach(ground) + 1)) > 0)
        return product, said, drop

    return ground.kept_masks(("solved box", region.loop, region.strokes), masks)


def _reach(ground: Ground) -> int:
    """How far off the border of a cut may be, px of the analysis picture."""
    return max(2, round(1.5 * max(ground.shape) / _SIDE))


def _painted(region: BoxRegion, ground: Ground, inside: Mask, product: Mask) -> tuple[Mask, Mask]:
    """Where strokes say product and backdrop, with what they go on over; later ones win, and what is painted over what is gone on over.

    `product` is what was found without strokes, so that one stroke's way does not hang on another's.
    """
    keep, drop = np.zeros(ground.shape, bool), np.zeros(ground.shape, bool)
    under = [ground.plot.stroke(stroke) for stroke in region.strokes]
    for whole in (True, False):
        for stroke, painted in zip(region.strokes, under, strict=True):
            said = _gone_on(ground, region, stroke, painted, inside, product) if whole else painted
            keep = keep | said if stroke.adds else keep & ~said
            drop = drop & ~said if stroke.adds else drop | said
    return keep, drop


def _gone_on(ground: Ground, region: BoxRegion, stroke: Stroke, painted: Mask, inside: Mask, product: Mask) -> Mask:
    """What a stroke was painted on, and what joins it, is alike and has no border to it.

    What is said to be product goes on as long as its hue is more like the stroke's than like the backdrop's, which a shadow has too;
    what is said to be backdrop as long as it is like both, as a shadow is.
    """
    where = inside if stroke.adds else product
    seeds = painted & where

    def reached() -> tuple[Mask, ...]:
        features = ground.kept("box features", lambda: cv2.GaussianBlur(ground.evidence.features, (0, 0), _SMOOTH))
        # It was painted for what is wrong, though it may reach over it.
        wrong = seeds & (product != stroke.adds)
        like = np.median(features[wrong if 3 * np.count_nonzero(wrong) > np.count_nonzero(seeds) else seeds], axis=0)
        if stroke.adds and np.hypot(like[1], like[2]) < _OF_A_HUE:
            return (painted,)
        flood = Flood(_cost_of_alike(ground.evidence.steps, features, where, like, stroke.adds), seeds)
        flood.rise(_STEP_KEPT if stroke.adds else _STEP_DROPPED)
        flood.settle()
        return (_without_holes(flood.reached) | painted,)

    if not seeds.any():
        return painted
    (gone_on,) = ground.kept_masks(("box", region.loop, stroke), reached)
    return gone_on


@compiled
def _cost_of_alike(steps: Float, features: Float, where: Mask, like: Float, adds: bool) -> Float:
    """The steps where a stroke may go on that was painted on features `like` (3,); else infinite."""
    out = np.empty_like(steps)
    for y in range(steps.shape[0]):
        for x in range(steps.shape[1]):
            red, blue = features[y, x, 1], features[y, x, 2]
            own = red * red + blue * blue
            off = (red - like[1]) * (red - like[1]) + (blue - like[2]) * (blue - like[2])
            if adds:
                alike = off < own
            else:
                alike = own < _OF_A_HUE * _OF_A_HUE and off < _HUE_OFF * _HUE_OFF and abs(features[y, x, 0] - like[0]) < _SHADE_OFF
            out[y, x] = steps[y, x] if alike and where[y, x] else np.inf
    return out


def _without_holes(reached: Mask) -> Mask:
    """What was reached with the small places that it goes round: single pixels of grain, a gleam."""
    x, y, w, h = cv2.boundingRect(reached.view(np.uint8))
    at = np.s_[max(0, y - 1) : y + h + 1, max(0, x - 1) : x + w + 1]
    part = np.ascontiguousarray(reached[at])
    holes = pieces_of(~part & ~outside_of(part), diagonal=False)
    small = holes.area < _HOLE * np.count_nonzero(part)
    small[0] = False
    out = reached.copy()
    out[at] |= holes.chosen(small)
    return out


@dataclass
class _Cut:
    """A graph cut as it stands: the picture and marks of the part that is looked at, its place, and the colour models.

    `beside` is what automatic clearing found that is not asked for, bool (h, w) on the analysis picture.
    """

    shown: NDArray[np.uint8]
    marks: NDArray[np.uint8]
    at: tuple[slice, slice]
    size: tuple[int, int]
    models: tuple[NDArray[np.float64], NDArray[np.float64]]
    beside: Mask


def _mended(begun: _Cut, keep: Mask, drop: Mask) -> Mask:
    """The product with strokes: they mend what was found without them, so it costs one round, and the same whichever was painted first."""
    marks = begun.marks.copy()
    marks[_small(drop, begun.size, 0.5)[begun.at]] = cv2.GC_BGD
    marks[_small(keep, begun.size, 0.5)[begun.at]] = cv2.GC_FGD
    if _both(marks):
        back, front = (model.copy() for model in begun.models)
        cv2.grabCut(begun.shown, marks, None, back, front, 1, cv2.GC_EVAL)
    return _found_by(marks, begun, keep.shape)


def _found_by(marks: NDArray[np.uint8], begun: _Cut, shape: tuple[int, ...]) -> Mask:
    """The product by the marks of a cut, at the size of the analysis picture (h, w)."""
    found = np.zeros(begun.size[::-1], np.uint8)
    found[begun.at] = marks % 2
    pieces = pieces_of(found > 0, diagonal=True)
    small = pieces.area < _LEAST * pieces.area.max(initial=1)
    out: Mask = cv2.resize(pieces.chosen(~small).view(np.uint8) * (found > 0), shape[1::-1], interpolation=cv2.INTER_LINEAR) > 0
    return out


def _begun(ground: Ground, inside: Mask) -> _Cut:
    h, w = ground.shape
    s = min(1.0, _SIDE / max(h, w))
    size = (max(16, round(w * s)), max(16, round(h * s)))
    # Lightness counts as much as the two hues; all three fit a byte.
    lab = cv2.resize(ground.evened_lab, size, interpolation=cv2.INTER_AREA)
    shown = np.clip(lab * (2.55, 2.0, 2.0) + (0, 128, 128), 0, 255).astype(np.uint8)
    marks = np.where(_small(inside, size, 0.5), cv2.GC_PR_FGD, cv2.GC_BGD).astype(np.uint8)
    beside = np.zeros_like(inside)
    if ground.trusted:
        explained = ~cv2.dilate(ground.clearing.product.view(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
        marks[(marks == cv2.GC_PR_FGD) & _small(explained, size, 0.99)] = cv2.GC_PR_BGD
        whole, mostly_outside = _found_in(inside, ground)
        if whole.any():
            beside = mostly_outside
            marks[(marks == cv2.GC_PR_BGD) & _small(near(whole), size, 0.99)] = cv2.GC_BGD
            marks[_small(beside, size, 0.01)] = cv2.GC_BGD
            marks[_small(whole, size, 0.99)] = cv2.GC_FGD
    at = _surrounding(marks != cv2.GC_BGD)
    models = np.zeros((1, 65)), np.zeros((1, 65))
    begun = _Cut(np.ascontiguousarray(shown[at]), np.ascontiguousarray(marks[at]), at, size, models, beside)
    if _both(begun.marks):
        cv2.setRNGSeed(1)
        back, front = begun.models
        cv2.grabCut(begun.shown, begun.marks, None, back, front, _ROUNDS, cv2.GC_INIT_WITH_MASK)
    return begun


def _found_in(inside: Mask, ground: Ground) -> tuple[Mask, Mask]:
    """What automatic clearing finds that lies wholly inside, within its flank; and what lies mostly outside, with it."""
    pieces, outside = parts_outside(ground.cleared, ~inside)
    whole, beside = pieces.chosen(outside == 0), pieces.chosen(outside > 0.5)
    return whole, with_flank(beside) & ground.clearing.product & ~with_flank(whole)


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
    kernel = disc(2 * _reach(ground) + 1)
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
