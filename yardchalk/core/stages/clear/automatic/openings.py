"""Gaps of automatic clearing: places inside the product where the backdrop shows."""

import cv2
import numpy as np

from yardchalk.core.colour import Float, Mask
from yardchalk.core.regions import disc, pieces_of
from yardchalk.core.stages.clear.automatic.nearby import chroma, eroded
from yardchalk.core.stages.clear.evidence import Evidence

_GAP_ROUNDS = (9.0, 16.0)
_GAP_LIKENESS = 0.006  # chroma on light paper, log light
_LATTICE = 8  # openings
_SLIT = 0.5  # share of a place that is at least 3 px wide; with less it is no gap
_LEAST_PITTED, _PIT, _PITTED = 250, 7, 0.15  # px of a place, px of its pits, and share of it that they are


def find_gaps(evidence: Evidence, reached: Mask, difference: Float, whole: int) -> Mask:
    """Places inside the product where the backdrop shows: inside handles, between wires."""
    steps = evidence.steps
    h, w = steps.shape
    ridge = cv2.dilate(steps, np.ones((7, 7), np.uint8))
    gaps = np.zeros((h, w), bool)
    # On a coloured backdrop light changes hue in the shade, so a gap may do so too. A label may be as near in hue, though;
    # only a lattice, with many openings alike, is told from it.
    sample = np.flatnonzero(eroded(reached)[::4, ::4])
    own = float(np.median(chroma(evidence.features[::4, ::4].reshape(-1, 3)[sample]))) if sample.size else 0.0
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
            if cv2.countNonZero(cv2.morphologyEx(piece.view(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))) < _SLIT * area:
                continue
            if area > _LEAST_PITTED and _pitted(piece, area):
                continue
            # A gap has an edge of the product all round; a pale stretch of the product itself has not.
            round_it = (cv2.dilate(piece.view(np.uint8), np.ones((9, 9), np.uint8)) > 0) & ~(
                cv2.dilate(piece.view(np.uint8), np.ones((3, 3), np.uint8)) > 0
            )
            if float((ridge[box][round_it] > 20).mean()) > 0.8:
                lattice = unlike > plain
                openings += lattice and area > 3e-4 * whole
                into = less_alike if lattice else gaps
                into[box] |= piece
    return gaps | less_alike if openings >= _LATTICE else gaps


def _telling(difference: Float) -> Mask:
    """What is plainly printed or coloured, not backdrop."""
    return (chroma(difference) > 0.1) | (difference[..., 0] < -0.4)


def _pitted(piece: Mask, area: int) -> bool:
    """Whether a place is so pitted that its grain is none of the backdrop's: a label's, or a cloth's."""
    with_room = cv2.copyMakeBorder(piece.view(np.uint8), _PIT, _PIT, _PIT, _PIT, cv2.BORDER_CONSTANT)
    closed = cv2.morphologyEx(with_room, cv2.MORPH_CLOSE, disc(_PIT))
    return area < (1 - _PITTED) * cv2.countNonZero(closed)


def _open_shape(piece: Mask, telling: Mask) -> bool:
    """Whether a place has the shape of a gap: compact, and with nothing printed on it (that would be a label)."""
    contours, _ = cv2.findContours(piece.view(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
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
    rim = (hull > 0) & ~eroded(hull > 0)
    pieces = pieces_of((hull > 0) & ~piece, diagonal=True)
    on_rim = set(np.unique(pieces.labels[rim]).tolist())
    islands = [j for j in range(1, pieces.area.size) if j not in on_rim and pieces.area[j] > 60]
    return not any(float(telling[pieces.labels == j].mean()) > 0.3 for j in islands)
