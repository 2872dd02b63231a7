"""Automatic clearing: which pixels of the analysis picture are product, from the backdrop model alone.

The backdrop is what the frame's border reaches along paths that never cross a step higher than a tolerance (the
bottleneck path). The tolerance rises in rounds. Whatever is newly reached in a round is held back if its *whole*
border towards the reached area is steeper than the gap that let the flood in: then it is the product and the flood
has found a leak; a shadow's border is as low all along as where it was crossed. Gaps inside the product are places
that are not reached but look just like the backdrop round the product. What remains is sorted by piece.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask
from yardchalk.core.stages.clear.evidence import Evidence

_ROUNDS = (6.0, 7.5, 9.0, 11.0, 13.0, 16.0, 19.0)  # tolerances, in units of the backdrop's noise
_LIKENESS_STEP = 28.0  # a step this high is crossed where both sides look like shaded backdrop
_MARGIN = 64  # px of backdrop kept round what the first round leaves over
_GAP_ROUNDS = (9.0, 16.0)
_GAP_LIKENESS = 0.006  # chroma, log light
_LATTICE = 8  # openings


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


def clear_automatically(evidence: Evidence) -> Clearing:
    """Find the product by the evidence alone. Deterministic."""
    h, w = evidence.steps.shape
    first = _joined(evidence.steps < _ROUNDS[0], _border((h, w)) & evidence.support)
    # What the first round leaves over is where the product is; all else is looked at no more.
    at = _rest_box(first)
    whole = h * w
    part = evidence.cropped(at)
    reached, held, tolerance = _flood(part, np.ascontiguousarray(first[at]), whole)
    difference = part.features - _nearby_backdrop(part.features, reached)
    _release(held, reached, difference, part, whole)
    difference, reached = _spread_by_likeness(part, reached, held)
    gaps, differences, rest = np.zeros((h, w), bool), np.zeros((h, w, 3), np.float32), np.zeros((h, w), bool)
    gaps[at] = _find_gaps(part, reached, difference, whole)
    differences[at] = difference
    rest[at] = ~reached
    product, surroundings = _sort_pieces(rest & ~gaps, differences, evidence.chroma_noise)
    return Clearing(product, gaps, surroundings, differences, tolerance)


def _joined(passable: Mask, seeds: Mask) -> Mask:
    """The connected pieces of what is passable that hold a seed; seeds are few."""
    n, labels = cv2.connectedComponents(_eight(passable), connectivity=4)
    hit = np.zeros(n, bool)
    hit[labels[seeds]] = True
    hit[0] = False
    return hit[labels]


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


def _disc(size: int) -> NDArray[np.uint8]:
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)).astype(np.uint8)


def _flood(evidence: Evidence, reached: Mask, whole: int) -> tuple[Mask, Mask, float]:
    """Rounds of rising tolerance from what the first one reached; `whole` is the area of the frame, px."""
    steps = evidence.steps
    h, w = steps.shape
    ridge = cv2.dilate(steps, np.ones((9, 9), np.uint8))
    held = np.zeros((h, w), bool)
    held_area = 0
    tolerance = _ROUNDS[0]
    for tolerance in _ROUNDS[1:]:
        # All that is reached is joined to the border of the part, so its seeds there stand for all of it.
        now = _joined(((steps < tolerance) | reached) & ~held, reached & _border((h, w))) | reached
        if reached.any():
            new = now & ~reached
            pieces, stats = _pieces(new, 4)
            large = np.flatnonzero(stats[1:, cv2.CC_STAT_AREA] >= 1e-4 * whole) + 1
            for i in large:
                area = int(stats[i, cv2.CC_STAT_AREA])
                box = _box(stats[i], 7, (h, w))
                piece = pieces[box] == i
                facing = piece & ~_eroded(piece) & _near(reached[box], 12)
                if not facing.any():
                    continue
                height = float(np.median(ridge[box][facing]))
                if height > max(1.7 * tolerance, 13.0 if area > 0.002 * whole else 22.0):
                    # Hold its border ridge too, so that the flood does not creep round it in later rounds.
                    others = (pieces[box] > 0) & ~piece & (steps[box] < 0.7 * tolerance)
                    held[box] |= (cv2.dilate(_eight(piece), _disc(11)) > 0) & ~reached[box] & ~others
                    held_area += area
            now = now & ~held
        reached |= now
        if held_area > 0.01 * whole and tolerance >= 13:
            break
    return reached, held, tolerance


def _pieces(mask: Mask, connectivity: int) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    _, labels, stats, _ = cv2.connectedComponentsWithStats(_eight(mask), connectivity=connectivity)
    return labels, stats


def _box(stat: NDArray[np.int32], margin: int, shape: tuple[int, int]) -> tuple[slice, slice]:
    x, y, w, h = (int(v) for v in stat[:4])
    return (
        slice(max(y - margin, 0), min(y + h + margin, shape[0])),
        slice(max(x - margin, 0), min(x + w + margin, shape[1])),
    )


def _eroded(mask: Mask) -> Mask:
    return cv2.erode(_eight(mask), np.ones((3, 3), np.uint8)) > 0


def _near(mask: Mask, distance: int) -> Mask:
    return cv2.distanceTransform(_eight(~mask), cv2.DIST_L2, 3) < distance


def _nearby_backdrop(features: Float, reached: Mask) -> Float:
    """Features of the backdrop round each place: the reached area, carried smoothly into the rest.

    Pull-push: averaged to coarser and coarser pictures, and filled in from them where nothing is known. Done at a
    quarter of the size, since it is smooth.
    """
    h, w = reached.shape
    # The features are smoothed already, so every fourth stands for those beside it.
    weight = np.ascontiguousarray(_eroded(reached)[::4, ::4]).astype(np.float32)
    value = features[::4, ::4] * weight[..., None]
    values, weights = [value], [weight]
    while min(weights[-1].shape) >= 4:
        values.append(cv2.pyrDown(values[-1]))
        weights.append(cv2.pyrDown(weights[-1]))
    out = values[-1] / np.maximum(weights[-1], 1e-6)[..., None]
    for value, weight in zip(values[-2::-1], weights[-2::-1], strict=True):
        out = cv2.pyrUp(out, dstsize=(weight.shape[1], weight.shape[0]))
        share = np.minimum(weight * 8, 1)[..., None]
        out = share * (value / np.maximum(weight, 1e-6)[..., None]) + (1 - share) * out
    return cv2.resize(out, (w, h), interpolation=cv2.INTER_LINEAR)


def _chroma(difference: Float) -> Float:
    return cv2.magnitude(cv2.extractChannel(difference, 1), cv2.extractChannel(difference, 2))


def _release(held: Mask, reached: Mask, difference: Float, evidence: Evidence, whole: int) -> None:
    """Give back to the backdrop what was held though it looks like backdrop: rough patches of paper."""
    h, w = held.shape
    likeness = max(0.02, 18 * evidence.chroma_noise)
    labels, stats = _pieces(held, 8)
    for i in range(1, len(stats)):
        if stats[i, cv2.CC_STAT_AREA] > 0.008 * whole:
            continue
        box = _box(stats[i], 0, (h, w))
        piece = labels[box] == i
        shade, *chroma = np.median(difference[box][piece], axis=0)
        if float(np.hypot(*chroma)) < likeness and abs(float(shade)) < 0.03:
            held[box] &= ~piece
            reached[box] |= piece


def _spread_by_likeness(evidence: Evidence, reached: Mask, held: Mask) -> tuple[Float, Mask]:
    """Go on from the reached area over higher steps, as long as what lies there is the backdrop, at most shaded."""
    difference = evidence.features - _nearby_backdrop(evidence.features, reached)
    for _ in range(2):
        shade = difference[..., 0]
        like = (_chroma(difference) < 0.012) & (shade < 0.03) & (shade > -0.8)
        passable = ((evidence.steps < _LIKENESS_STEP) & like & ~held) | reached
        more = _joined(passable, reached & _border(reached.shape)) | reached
        gained = int(more.sum()) - int(reached.sum())
        reached = more
        difference = evidence.features - _nearby_backdrop(evidence.features, reached)
        if gained < 200:
            break
    return difference, reached


def _find_gaps(evidence: Evidence, reached: Mask, difference: Float, whole: int) -> Mask:
    """Places inside the product where the backdrop shows: inside handles, between wires."""
    steps = evidence.steps
    h, w = steps.shape
    ridge = cv2.dilate(steps, np.ones((7, 7), np.uint8))
    telling = (_chroma(difference) > 0.1) | (difference[..., 0] < -0.4)
    gaps = np.zeros((h, w), bool)
    # On a coloured backdrop light changes hue in the shade, so a gap may do so too. A label may be as near in hue, though;
    # only a lattice, with many openings alike, is told from it.
    own = float(np.median(_chroma(evidence.features)[_eroded(reached)][::7])) if reached.any() else 0.0
    likeness = max(_GAP_LIKENESS, 6.5 * own)
    less_alike: Mask = np.zeros((h, w), bool)
    openings = 0
    for tolerance in _GAP_ROUNDS:
        labels, stats = _pieces((steps < tolerance) & ~reached & ~gaps & ~less_alike, 4)
        for i in np.flatnonzero(stats[1:, cv2.CC_STAT_AREA] >= 80e-6 / 2.56 * whole) + 1:
            box = _box(stats[i], 5, (h, w))
            piece = labels[box] == i
            shade, red, blue = (float(v) for v in difference[box][piece].mean(0))
            light = float(evidence.features[box][piece][:, 0].mean())
            unlike = float(np.hypot(red, blue))
            area = int(stats[i, cv2.CC_STAT_AREA])
            # A gap has an edge of the product all round; a pale stretch of the product itself has not.
            round_it = (cv2.dilate(_eight(piece), np.ones((9, 9), np.uint8)) > 0) & ~(
                cv2.dilate(_eight(piece), np.ones((3, 3), np.uint8)) > 0
            )
            # As light as the backdrop beside it, or, where that lies in shadow, as the backdrop without shadow.
            lit = -0.35 < shade < 0.09 or (shade > 0 and -0.2 < light < 0.05)
            if unlike > likeness or not lit:
                continue
            sure = unlike < 0.002 and area < 0.01 * whole
            if area > 200 and not sure and not _open_shape(piece, telling[box]):
                continue
            if float((ridge[box][round_it] > 20).mean()) > 0.8:
                lattice = unlike > _GAP_LIKENESS
                openings += lattice and area > 3e-4 * whole
                into = less_alike if lattice else gaps
                into[box] |= piece
    return gaps | less_alike if openings >= _LATTICE else gaps


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
    labels, stats = _pieces((hull > 0) & ~piece, 8)
    on_rim = set(np.unique(labels[rim]).tolist())
    islands = [j for j in range(1, len(stats)) if j not in on_rim and stats[j, cv2.CC_STAT_AREA] > 60]
    return not any(float(telling[labels == j].mean()) > 0.3 for j in islands)


def _sort_pieces(rest: Mask, difference: Float, chroma_noise: float) -> tuple[Mask, Mask]:
    """Split what is not backdrop into product and surroundings; specks are neither."""
    h, w = rest.shape
    labels, stats = _pieces(rest, 8)
    n = len(stats)
    area = stats[:, cv2.CC_STAT_AREA].astype(float)
    corner = np.zeros(n, bool)
    corner[labels[[0, 0, -1, -1], [0, -1, 0, -1]]] = True
    along_frame = np.bincount(labels[_border(rest.shape)], minlength=n) / 2
    middle = np.bincount(labels[h // 4 : h - h // 4, w // 4 : w - w // 4].ravel(), minlength=n)
    around = (corner | (along_frame > 0.1 * min(h, w))) & (middle < 0.02 * area)
    around[0] = False
    kept = ~around
    kept[0] = False
    largest = area[kept].max(initial=0)
    kept &= area >= max(25 * h * w / 2.56e6, 1e-3 * largest)
    unlike = np.maximum(_chroma(difference) / max(0.02, 12 * chroma_noise), np.abs(difference[..., 0]) / 0.12)
    for i in np.flatnonzero(kept):
        box = _box(stats[i], 0, (h, w))
        if float(np.percentile(unlike[box][labels[box] == i], 90)) < 1:
            kept[i] = False
    return kept[labels], around[labels]
