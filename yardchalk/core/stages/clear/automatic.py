"""Automatic clearing: which pixels of the analysis picture are product, from the backdrop model alone.

The backdrop is what the frame's border reaches along paths that never cross a step higher than a tolerance (the
bottleneck path). The tolerance rises in rounds. Whatever is newly reached in a round is held back if its *whole*
border towards the reached area is steeper than the gap that let the flood in: then it is the product and the flood
has found a leak; a shadow's border is as low all along as where it was crossed. Gaps inside the product are places
that are not reached but look just like the backdrop round the product. What remains is sorted by piece.
"""

from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.backdrop import BackdropModel
from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled
from yardchalk.core.regions import HELD, REACHED, Flood, Pieces, disc, outside_of, pieces_of
from yardchalk.core.second_look import Look
from yardchalk.core.stages.clear.evidence import Evidence

_ROUNDS = (6.0, 7.5, 9.0, 11.0, 13.0, 16.0, 19.0)  # tolerances, in units of the backdrop's noise
_LIKENESS_STEP = 28.0  # a step this high is crossed where both sides look like shaded backdrop
_LIKENESS, _SHADED = 0.012, 0.8  # chroma, and how much darker such a backdrop may be; log light
_NO_BORDER = 11.0  # a step lower than this borders no product where both sides are alike: so high are those of a file's blocks in shadow
_ALIKE, _AS_LIGHT = 0.045, 0.2  # likewise; the hue of a block in shadow is that far off
_COLOURED = 0.25  # chroma, log light, that no shadow has
_MARGIN = 64  # px of backdrop kept round what the first round leaves over
_GAP_ROUNDS = (9.0, 16.0)
_GAP_LIKENESS = 0.006  # chroma on light paper, log light
_LATTICE = 8  # openings
_SLIT = 0.5  # share of a place that is at least 3 px wide; with less it is no gap
_LEAST_PITTED, _PIT, _PITTED = 250, 7, 0.15  # px of a place, px of its pits, and share of it that they are
_TABLE = 0.12  # share of the frame's edge
_OUTER = 0.02  # share of a piece that lies in the middle of the frame; with less it is no product
_LESS = 0.15  # likewise for each corner of the frame that it holds, and share of what the product has there; with less it is a table
_BRIDGES = 9, 17, 33, 65  # px; how wide what joins a table to a product may be, a shadow that falls on both
_BLOCK = 8  # px
_WIDE = 63  # px; wider than handles
_HARDLY, _SLIVER = 0.15, 0.1  # share of it that the rules found; share of the largest piece
_WIDER_THAN_FLANKS = 13  # px
_BURNT_OUT, _NOT_BURNT, _MOSTLY_BURNT = 254, 0.98, 0.7  # coded level; linear light of the backdrop; share of a gap
_IN_SHADOW, _LITTLE = -0.15, 0.005  # log light against the backdrop model; share of the product
# Of an island like the backdrop round it: share of the largest piece, share of it without a border, how sure the second look may be of
# it, and how far off in log light and in hue it may be.
_ISLAND, _MOSTLY, _UNSURE, _SAME_LIGHT, _SAME_HUE = 0.05, 0.5, 0.9, 0.04, 0.025


@dataclass(frozen=True)
class Clearing:
    """What automatic clearing decided, on the analysis picture; all masks bool of shape (h, w).

    Attributes
    ----------
    product : the product's pixels, with the outer flank of its border.
    gaps : backdrop seen through the product.
    surroundings : other surfaces in the frame (table, paper edge), taken for backdrop.
    difference : float32, shape (h, w, 3); shade and chromas minus those of the backdrop nearby.
    tolerance : the tolerance that was reached before the product's border gave way.
    """

    product: Mask
    gaps: Mask
    surroundings: Mask
    difference: Float
    tolerance: float


def corrected(cleared: Clearing, evidence: Evidence, look: Look) -> Clearing:
    """What was cleared, as the second look at it has it; unless that saw no product at all."""
    if not look.product.any():
        return cleared
    product = np.where(look.rules_stand, cleared.product, look.product)
    beyond = _beyond_the_paper(product, cleared)
    cleared = replace(cleared, product=cleared.product & ~beyond, surroundings=cleared.surroundings | beyond)
    product = _without_tables(product & ~beyond, cleared)
    difference = _from_nearby(evidence.features, ~product)
    if _drop_unbordered(product, evidence, difference, look):
        difference = _from_nearby(evidence.features, ~product)
    gaps = ~product & ~outside_of(product)
    return replace(cleared, product=product, gaps=gaps, surroundings=cleared.surroundings & ~product, difference=difference)


def without_highlights(cleared: Clearing, pixels: NDArray[np.uint8], backdrop: BackdropModel) -> Clearing:
    """What was cleared, but for gaps that are burnt out where the backdrop is not: a lamp mirrored in metal or glaze is no gap.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        The analysis picture, coded.
    """
    if not cleared.gaps.any():
        return cleared
    gaps = cleared.gaps
    h, w = gaps.shape
    burnt = np.zeros((h, w), bool)
    burnt[gaps] = (pixels[gaps].min(1) >= _BURNT_OUT) & (backdrop.light(w, h)[gaps].min(1) < _NOT_BURNT)
    pieces = pieces_of(gaps, diagonal=True)
    highlights = pieces.means(burnt[..., None].astype(np.float32))[:, 0] > _MOSTLY_BURNT
    if not highlights.any():
        return cleared
    lit = pieces.chosen(highlights)
    return replace(cleared, product=cleared.product | lit, gaps=gaps & ~lit)


def _drop_unbordered(product: Mask, evidence: Evidence, difference: Float, look: Look) -> bool:
    """Take from the product what no border parts from the backdrop beside it; whether there is any.

    Islands that are like the backdrop and that the second look is not sure of; and small patches, but only in shadow, where a file's
    blocks of colour look like steps, and only little: in a noisy or blurred photo a pale product has no border either, and there the
    second look is right.
    """
    flood = Flood(_cost_of_likeness(evidence.steps, difference, np.zeros_like(product), _ALIKE, _AS_LIGHT), ~product)
    flood.rise(_NO_BORDER)
    flood.settle()
    unbordered = flood.reached & product
    if not unbordered.any():
        return False
    islands = pieces_of(product, diagonal=True)
    bare, sure = islands.means(np.dstack([unbordered, look.coverage]).astype(np.float32)).T
    off = islands.means(difference)
    like = (np.abs(off[:, 0]) < _SAME_LIGHT) & (np.hypot(off[:, 1], off[:, 2]) < _SAME_HUE) & (bare > _MOSTLY) & (sure < _UNSURE)
    like &= islands.area < _ISLAND * islands.area[1:].max(initial=0)
    like[0] = False
    # Along every border the product has a flank on which there is no step yet.
    wide = cv2.morphologyEx(_eight(unbordered), cv2.MORPH_OPEN, disc(_WIDER_THAN_FLANKS)) > 0
    pieces = pieces_of(wide, diagonal=True)
    dropped = pieces.means(evidence.features)[:, 0] < _IN_SHADOW
    dropped[0] = False
    patches = 0 < pieces.area[dropped].sum() < _LITTLE * cv2.countNonZero(_eight(product))
    product &= ~islands.chosen(like)
    if patches:
        product &= ~(unbordered & (cv2.dilate(_eight(pieces.chosen(dropped)), disc(_WIDER_THAN_FLANKS)) > 0))
    return bool(patches or like.any())


def _beyond_the_paper(product: Mask, cleared: Clearing) -> Mask:
    """What of the product is wide, holds much of the frame's edge and is hardly any of the rules': where the paper ends, out of focus.

    A product that the frame cuts off has a border that holds the rules' flood back; what is out of focus has none.
    """
    if not _holding_the_frame(pieces_of(product, diagonal=True)).any():
        return np.zeros_like(product)
    wide = cv2.morphologyEx(_eight(product), cv2.MORPH_OPEN, disc(_WIDE))
    pieces = pieces_of(wide > 0, diagonal=True)
    by_rules = pieces.means(cleared.product[..., None].astype(np.float32))[:, 0]
    beyond = pieces.chosen(_holding_the_frame(pieces) & (by_rules < _HARDLY))
    beyond = product & (cv2.dilate(_eight(beyond), disc(5)) > 0)
    # With the slivers of it along its border.
    left = pieces_of(product & ~beyond, diagonal=True)
    slivers = np.zeros(left.area.size, bool)
    slivers[np.unique(left.labels[cv2.dilate(_eight(beyond), disc(_WIDER_THAN_FLANKS)) > 0])] = True
    slivers[left.area > _SLIVER * left.area[1:].max(initial=0)] = False
    slivers[0] = False
    return beyond | left.chosen(slivers)


def _holding_the_frame(pieces: Pieces) -> Mask:
    """Which pieces hold so much of the frame's edge that they are a table or a wall: bool (n,) by label.

    Those go on to a corner of the frame; a product that the frame cuts off hardly does.
    """
    ring = _border(pieces.labels.shape)
    held = _counts(pieces, ring) > _TABLE * np.count_nonzero(ring)
    cornered = np.zeros_like(held)
    cornered[pieces.labels[[0, 0, -1, -1], [0, -1, 0, -1]]] = True
    held &= cornered
    held[0] = False
    return held


def _without_tables(product: Mask, cleared: Clearing) -> Mask:
    """The product without other surfaces that hold so much of the frame's edge that they are a table or a wall, whatever they look like."""
    others = pieces_of(cleared.surroundings, diagonal=True)
    held = _holding_the_frame(others)
    if not held.any():
        return product
    tables = others.chosen(held)
    pieces = pieces_of(product & ~tables, diagonal=True)
    # With what is left of them along their border.
    kept = np.ones(pieces.area.size, bool)
    kept[np.unique(pieces.labels[cv2.dilate(_eight(tables), disc(2 * _BLOCK + 1)) > 0])] = False
    kept[np.unique(pieces.labels[cleared.product])] = True
    kept[0] = False
    return pieces.chosen(kept)


def clear_automatically(evidence: Evidence) -> Clearing:
    """Find the product by the evidence alone. Deterministic."""
    h, w = evidence.steps.shape
    flood = Flood(evidence.steps, _border((h, w)) & evidence.support & (evidence.steps < _ROUNDS[0]))
    flood.rise(_ROUNDS[0])
    flood.settle()
    first = flood.reached
    # What the first round leaves over is where the product is; all else is looked at no more.
    at = _rest_box(first)
    whole = h * w
    part = evidence.cropped(at)
    reached, held, tolerance = _flood(part, np.ascontiguousarray(first[at]), whole)
    difference = _from_nearby(part.features, reached)
    if _release(held, reached, difference, part, whole):
        difference = _from_nearby(part.features, reached)
    difference, reached = _spread_by_likeness(part, reached, held, difference)
    gaps = _find_gaps(part, reached, difference, whole)
    product, surroundings = _sort_pieces(~reached & ~gaps, difference, part.chroma_noise, at, (h, w))
    product, gaps, surroundings, difference = (_placed(mask, at, (h, w)) for mask in (product, gaps, surroundings, difference))
    return Clearing(product, gaps, surroundings, difference, tolerance)


def _placed(part: NDArray[Any], at: tuple[slice, slice], shape: tuple[int, int]) -> NDArray[Any]:
    """A part of the picture in its place, nothing (zero) around it."""
    whole = np.zeros((*shape, *part.shape[2:]), part.dtype)
    whole[at] = part
    return whole


def _rest_box(reached: Mask) -> tuple[slice, slice]:
    """Rows and columns that hold all that is not reached, but for specks, with a margin of backdrop."""
    h, w = reached.shape
    rest = cv2.erode(_eight(~reached), np.ones((3, 3), np.uint8))
    x, y, bw, bh = cv2.boundingRect(rest)
    if not bw:
        return np.s_[0:h, 0:w]
    return np.s_[max(0, y - _MARGIN) : min(h, y + bh + _MARGIN), max(0, x - _MARGIN) : min(w, x + bw + _MARGIN)]


def _border(shape: tuple[int, ...]) -> Mask:
    ring = np.zeros(shape, bool)
    ring[:2] = ring[-2:] = True
    ring[:, :2] = ring[:, -2:] = True
    return ring


def _eight(mask: Mask) -> NDArray[np.uint8]:
    return mask.view(np.uint8)


def _flood(evidence: Evidence, reached: Mask, whole: int) -> tuple[Mask, Mask, float]:
    """Rounds of rising tolerance from what the first one reached; `whole` is the area of the frame, px."""
    steps = evidence.steps
    ridge = cv2.dilate(steps, np.ones((9, 9), np.uint8))
    flood = Flood(steps, reached)
    held_area = 0
    tolerance = _ROUNDS[0]
    for tolerance in _ROUNDS[1:]:
        if flood.rise(tolerance) and reached.any():
            pieces = pieces_of(flood.new, diagonal=False)
            at_the_frame = set(np.unique(pieces.labels[_border(steps.shape)]).tolist())
            for i in np.flatnonzero(pieces.area >= 1e-4 * whole):
                area = int(pieces.area[i])
                box = pieces.box(int(i), 7)
                piece = pieces.labels[box] == i
                before = flood.state[box] == REACHED
                facing = piece & ~_eroded(piece) & _near(before, 12)
                if not facing.any():
                    continue
                height = float(np.median(ridge[box][facing]))
                # In a noisy photo no border is so steep; but what is of quite another hue, and no table, is product and no shadow.
                coloured = i not in at_the_frame and _chroma(evidence.features[box][piece].mean(0)) > _COLOURED
                if height > (tolerance if coloured else max(1.7 * tolerance, 13.0 if area > 0.002 * whole else 22.0)):
                    # Hold its border ridge too, so that the flood does not creep round it in later rounds.
                    others = (pieces.labels[box] > 0) & ~piece & (steps[box] < 0.7 * tolerance)
                    flood.state[box][(cv2.dilate(_eight(piece), disc(11)) > 0) & ~before & ~others] = HELD
                    held_area += area
        flood.settle()
        if held_area > 0.01 * whole and tolerance >= 13:
            break
    return flood.reached, flood.state == HELD, tolerance


def _eroded(mask: Mask) -> Mask:
    return cv2.erode(_eight(mask), np.ones((3, 3), np.uint8)) > 0


def _near(mask: Mask, distance: int) -> Mask:
    return cv2.distanceTransform(_eight(~mask), cv2.DIST_L2, 3) < distance


def _from_nearby(features: Float, reached: Mask) -> Float:
    """The features less those of the backdrop round each place: the reached area, carried smoothly into the rest.

    Pull-push: averaged to coarser and coarser pictures, and filled in from them where nothing is known. Done at a
    quarter of the size, since it is smooth.
    """
    h, w = reached.shape
    # The features are smoothed already, so every fourth stands for those beside it.
    weight = np.ascontiguousarray(_eroded(reached)[::4, ::4]).astype(np.float32)
    values, weights = [np.ascontiguousarray(features[::4, ::4])], [weight]
    _weigh(values[0], weight)
    while min(weights[-1].shape) >= 4:
        values.append(cv2.pyrDown(values[-1]))
        weights.append(cv2.pyrDown(weights[-1]))
    out = values[-1] / np.maximum(weights[-1], 1e-6)[..., None]
    for value, weight in zip(values[-2::-1], weights[-2::-1], strict=True):
        out = cv2.pyrUp(out, dstsize=(weight.shape[1], weight.shape[0]))
        _fill_in(out, value, weight)
    nearby = cv2.resize(out, (w, h), interpolation=cv2.INTER_LINEAR)
    return cv2.subtract(features, nearby, dst=nearby)


@compiled
def _weigh(values: Float, weight: Float) -> None:
    for y in range(weight.shape[0]):
        for x in range(weight.shape[1]):
            for k in range(3):
                values[y, x, k] *= weight[y, x]


@compiled
def _fill_in(out: Float, value: Float, weight: Float) -> None:
    """Replace what is carried over by the weighted mean, as far as that has weight."""
    for y in range(weight.shape[0]):
        for x in range(weight.shape[1]):
            share = min(weight[y, x] * np.float32(8), np.float32(1))
            for k in range(3):
                mean = value[y, x, k] / max(weight[y, x], np.float32(1e-6))
                out[y, x, k] = share * mean + (np.float32(1) - share) * out[y, x, k]


def _chroma(difference: Float) -> Float:
    """Length of the two chromas: (...) from (..., 3)."""
    red, blue = difference[..., 1], difference[..., 2]
    return np.sqrt(red * red + blue * blue)


def _release(held: Mask, reached: Mask, difference: Float, evidence: Evidence, whole: int) -> bool:
    """Give back to the backdrop what was held though it looks like backdrop, rough patches of paper; whether any was."""
    likeness = max(0.02, 18 * evidence.chroma_noise)
    pieces = pieces_of(held, diagonal=True)
    released = False
    for i in range(1, pieces.area.size):
        if pieces.area[i] > 0.008 * whole:
            continue
        box = pieces.box(i)
        piece = pieces.labels[box] == i
        shade, *chroma = np.median(difference[box][piece], axis=0)
        if float(np.hypot(*chroma)) < likeness and abs(float(shade)) < 0.03:
            held[box] &= ~piece
            reached[box] |= piece
            released = True
    return released


def _spread_by_likeness(evidence: Evidence, reached: Mask, held: Mask, difference: Float) -> tuple[Float, Mask]:
    """Go on from the reached area over higher steps, as long as what lies there is the backdrop, at most shaded."""
    for _ in range(2):
        flood = Flood(_cost_of_likeness(evidence.steps, difference, held, _LIKENESS, _SHADED), reached)
        gained = flood.rise(_LIKENESS_STEP)
        flood.settle()
        reached = flood.reached
        if gained < 200:
            break
        difference = _from_nearby(evidence.features, reached)
    return difference, reached


@compiled
def _cost_of_likeness(steps: Float, difference: Float, held: Mask, chroma: float, shaded: float) -> Float:
    """The steps where what lies there is like the backdrop to that chroma, at most so much darker, and not held; else infinite."""
    out = np.empty_like(steps)
    for y in range(steps.shape[0]):
        for x in range(steps.shape[1]):
            shade, red, blue = difference[y, x, 0], difference[y, x, 1], difference[y, x, 2]
            like = red * red + blue * blue < chroma * chroma and -shaded < shade < 0.03 and not held[y, x]
            out[y, x] = steps[y, x] if like else np.inf
    return out


def _find_gaps(evidence: Evidence, reached: Mask, difference: Float, whole: int) -> Mask:
    """Places inside the product where the backdrop shows: inside handles, between wires."""
    steps = evidence.steps
    h, w = steps.shape
    ridge = cv2.dilate(steps, np.ones((7, 7), np.uint8))
    gaps = np.zeros((h, w), bool)
    # On a coloured backdrop light changes hue in the shade, so a gap may do so too. A label may be as near in hue, though;
    # only a lattice, with many openings alike, is told from it.
    sample = np.flatnonzero(_eroded(reached)[::4, ::4])
    own = float(np.median(_chroma(evidence.features[::4, ::4].reshape(-1, 3)[sample]))) if sample.size else 0.0
    plain = _GAP_LIKENESS * evidence.coarse
    likeness = max(plain, 6.5 * own)
    less_alike: Mask = np.zeros((h, w), bool)
    openings = 0
    for tolerance in _GAP_ROUNDS:
        pieces = pieces_of((steps < tolerance) & ~reached & ~gaps & ~less_alike, diagonal=False)
        large = np.flatnonzero(pieces.area >= 80e-6 / 2.56 * whole)
        differences, lights = pieces.means(difference), pieces.means(evidence.features)[:, 0]
        for i in large:
            shade, red, blue = (float(v) for v in differences[i])
            unlike = float(np.hypot(red, blue))
            # As light as the backdrop beside it, or, where that lies in shadow, as the backdrop without shadow.
            lit = -0.35 < shade < 0.09 or (shade > 0 and -0.2 < lights[i] < 0.05)
            if unlike > likeness or not lit:
                continue
            box = pieces.box(int(i), 5)
            piece = pieces.labels[box] == i
            area = int(pieces.area[i])
            sure = unlike < 0.002 and area < 0.01 * whole
            if area > 200 and not sure and not _open_shape(piece, _telling(difference[box])):
                continue
            # Low steps beside a line on a label, no wider than a pixel or two.
            if cv2.countNonZero(cv2.morphologyEx(_eight(piece), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))) < _SLIT * area:
                continue
            if area > _LEAST_PITTED and _pitted(piece, area):
                continue
            # A gap has an edge of the product all round; a pale stretch of the product itself has not.
            round_it = (cv2.dilate(_eight(piece), np.ones((9, 9), np.uint8)) > 0) & ~(
                cv2.dilate(_eight(piece), np.ones((3, 3), np.uint8)) > 0
            )
            if float((ridge[box][round_it] > 20).mean()) > 0.8:
                lattice = unlike > plain
                openings += lattice and area > 3e-4 * whole
                into = less_alike if lattice else gaps
                into[box] |= piece
    return gaps | less_alike if openings >= _LATTICE else gaps


def _telling(difference: Float) -> Mask:
    """What is plainly printed or coloured, not backdrop."""
    return (_chroma(difference) > 0.1) | (difference[..., 0] < -0.4)


def _pitted(piece: Mask, area: int) -> bool:
    """Whether a place is so pitted that its grain is none of the backdrop's: a label's, or a cloth's."""
    with_room = cv2.copyMakeBorder(_eight(piece), _PIT, _PIT, _PIT, _PIT, cv2.BORDER_CONSTANT)
    closed = cv2.morphologyEx(with_room, cv2.MORPH_CLOSE, disc(_PIT))
    return area < (1 - _PITTED) * cv2.countNonZero(closed)


def _open_shape(piece: Mask, telling: Mask) -> bool:
    """Whether a place has the shape of a gap: compact, and with nothing printed on it (that would be a label)."""
    contours, _ = cv2.findContours(_eight(piece), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    filled = np.zeros(piece.shape, np.uint8)
    cv2.drawContours(filled, contours, -1, 1, -1)
    area = int(piece.sum())
    if int(((filled > 0) & ~piece & telling).sum()) > 0.004 * area + 20:
        return False
    if area <= 3000:
        return True
    hull = np.zeros(piece.shape, np.uint8)
    cv2.fillConvexPoly(hull, cv2.convexHull(np.vstack(contours)), 1)
    if area < 0.72 * int(hull.sum()):
        return False
    rim = (hull > 0) & ~_eroded(hull > 0)
    pieces = pieces_of((hull > 0) & ~piece, diagonal=True)
    on_rim = set(np.unique(pieces.labels[rim]).tolist())
    islands = [j for j in range(1, pieces.area.size) if j not in on_rim and pieces.area[j] > 60]
    return not any(float(telling[pieces.labels == j].mean()) > 0.3 for j in islands)


def _sort_pieces(rest: Mask, difference: Float, chroma_noise: float, at: tuple[slice, slice], frame: tuple[int, int]) -> tuple[Mask, Mask]:
    """Split what is not backdrop into product and surroundings; specks are neither. `at`: where this part is in the frame."""
    h, w = frame
    ring = np.ascontiguousarray(_border(frame)[at])
    tables = _joined_tables(rest, ring, at, frame)
    pieces = pieces_of(rest & ~tables, diagonal=True)
    n = pieces.area.size
    area = pieces.area.astype(float)
    corners = np.zeros(frame, bool)
    corners[[0, 0, -1, -1], [0, -1, 0, -1]] = True
    cornered = np.bincount(pieces.labels[corners[at]], minlength=n)
    along_frame = _counts(pieces, ring) / 2
    inner = _counts(pieces, _middle(frame, at))
    around = ((cornered > 0) | (along_frame > 0.1 * min(h, w))) & (inner < _OUTER * area)
    # Where the frame was cut close, a table reaches into its middle too, but far less than the product does.
    less = _LESS * cornered
    around |= (along_frame > 2 * _TABLE * (h + w)) & (inner < less * area) & (inner < less * inner[1:].max(initial=0))
    around[0] = False
    kept = ~around
    kept[0] = False
    largest = area[kept].max(initial=0)
    kept &= area >= max(25 * h * w / 2.56e6, 1e-3 * largest)
    kept &= _count_unlike(pieces.labels, n, difference, max(0.02, 12 * chroma_noise), 0.12) > 0.1 * area
    return pieces.chosen(kept), pieces.chosen(around) | tables


def _joined_tables(rest: Mask, ring: Mask, at: tuple[slice, slice], frame: tuple[int, int]) -> Mask:
    """What of a piece that holds much of the frame's edge is a table to which only a narrow bridge joins the product; bool as `rest`."""
    tables = np.zeros_like(rest)
    least = _TABLE * np.count_nonzero(_border(frame))
    middle = _middle(frame, at)
    whole = pieces_of(rest, diagonal=True)
    joined = (_counts(whole, ring) > least) & (_counts(whole, middle) > 0)
    joined[0] = False
    for i in np.flatnonzero(joined):
        piece = whole.labels == i
        # What holds the frame goes on beyond it: only what is no such piece makes it narrow.
        inward = cv2.distanceTransform(_eight(piece), cv2.DIST_L2, 5)
        for across in _BRIDGES:
            parts = pieces_of(inward > across / 2, diagonal=True)
            inner = _counts(parts, middle)
            apart = (_counts(parts, ring) > least) & (inner < _OUTER * parts.area)
            apart[0] = False
            if apart.any() and (inner[1:][~apart[1:]] > 0).any():
                # Each pixel goes to the part that it is nearest to.
                _, nearest = cv2.distanceTransformWithLabels(_eight(parts.labels == 0), cv2.DIST_L2, 5)
                tables |= piece & np.isin(nearest, np.unique(nearest[parts.chosen(apart)]))
                break
    return tables


def _counts(pieces: Pieces, where: Any) -> NDArray[np.int64]:
    """How many pixels of each piece are there, (n,) by label."""
    return np.bincount(pieces.labels[where].ravel(), minlength=pieces.area.size)


def _middle(frame: tuple[int, int], at: tuple[slice, slice]) -> tuple[slice, slice]:
    """The middle of the frame, in a part of it."""
    rows, columns = (
        slice(max(side // 4 - part.start, 0), max(side - side // 4 - part.start, 0)) for side, part in zip(frame, at, strict=True)
    )
    return rows, columns


@compiled
def _count_unlike(labels: NDArray[np.int32], n: int, difference: Float, hue: float, shade: float) -> NDArray[np.int64]:
    """How many pixels of each piece differ from the backdrop by at least so much in hue or in shade; (n,) by label."""
    out = np.zeros(n, np.int64)
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            if labels[y, x]:
                red, blue = difference[y, x, 1], difference[y, x, 2]
                out[labels[y, x]] += red * red + blue * blue >= hue * hue or abs(difference[y, x, 0]) >= shade
    return out
