"""What the frame's border reaches of the backdrop in rounds of rising tolerance, and on from there over what looks like shaded backdrop."""

import cv2
import numpy as np

from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled
from yardchalk.core.regions import HELD, REACHED, Flood, disc, pieces_of
from yardchalk.core.stages.clear.automatic.nearby import chroma, eroded, from_nearby
from yardchalk.core.stages.clear.automatic.tables import border_of
from yardchalk.core.stages.clear.evidence import Evidence

FIRST_TOLERANCE = 6.0  # in units of the backdrop's noise
_ROUNDS = (7.5, 9.0, 11.0, 13.0, 16.0, 19.0)  # the later ones
_LIKENESS_STEP = 28.0  # a step this high is crossed where both sides look like shaded backdrop
_LIKENESS, _SHADED = 0.012, 0.8  # chroma, and how much darker such a backdrop may be; log light
_COLOURED = 0.25  # chroma, log light, that no shadow has


def flood_from(evidence: Evidence, reached: Mask, whole: int) -> tuple[Mask, Mask, float]:
    """Rounds of rising tolerance from what the first one reached; `whole` is the area of the frame, px."""
    steps = evidence.steps
    ridge = cv2.dilate(steps, np.ones((9, 9), np.uint8))
    flood = Flood(steps, reached)
    held_area = 0
    tolerance = FIRST_TOLERANCE
    for tolerance in _ROUNDS:
        if flood.rise(tolerance) and reached.any():
            pieces = pieces_of(flood.new, diagonal=False)
            at_the_frame = set(np.unique(pieces.labels[border_of(steps.shape)]).tolist())
            for i in np.flatnonzero(pieces.area >= 1e-4 * whole):
                area = int(pieces.area[i])
                box = pieces.box(int(i), 7)
                piece = pieces.labels[box] == i
                before = flood.state[box] == REACHED
                facing = piece & ~eroded(piece) & _near(before, 12)
                if not facing.any():
                    continue
                height = float(np.median(ridge[box][facing]))
                # In a noisy photo no border is so steep; but what is of quite another hue, and no table, is product and no shadow.
                coloured = i not in at_the_frame and chroma(evidence.features[box][piece].mean(0)) > _COLOURED
                if height > (tolerance if coloured else max(1.7 * tolerance, 13.0 if area > 0.002 * whole else 22.0)):
                    # Hold its border ridge too, so that the flood does not creep round it in later rounds.
                    others = (pieces.labels[box] > 0) & ~piece & (steps[box] < 0.7 * tolerance)
                    flood.state[box][(cv2.dilate(piece.view(np.uint8), disc(11)) > 0) & ~before & ~others] = HELD
                    held_area += area
        flood.settle()
        if held_area > 0.01 * whole and tolerance >= 13:
            break
    return flood.reached, flood.state == HELD, tolerance


def _near(mask: Mask, distance: int) -> Mask:
    return cv2.distanceTransform((~mask).view(np.uint8), cv2.DIST_L2, 3) < distance


def release(held: Mask, reached: Mask, difference: Float, evidence: Evidence, whole: int) -> bool:
    """Give back to the backdrop what was held though it looks like backdrop, rough patches of paper; whether any was."""
    likeness = max(0.02, 18 * evidence.chroma_noise)
    pieces = pieces_of(held, diagonal=True)
    released = False
    for i in range(1, pieces.area.size):
        if pieces.area[i] > 0.008 * whole:
            continue
        box = pieces.box(i)
        piece = pieces.labels[box] == i
        shade, *hue = np.median(difference[box][piece], axis=0)
        if float(np.hypot(*hue)) < likeness and abs(float(shade)) < 0.03:
            held[box] &= ~piece
            reached[box] |= piece
            released = True
    return released


def spread_by_likeness(evidence: Evidence, reached: Mask, held: Mask, difference: Float) -> tuple[Float, Mask]:
    """Go on from the reached area over higher steps, as long as what lies there is the backdrop, at most shaded."""
    for _ in range(2):
        flood = Flood(cost_of_likeness(evidence.steps, difference, held, _LIKENESS, _SHADED), reached)
        gained = flood.rise(_LIKENESS_STEP)
        flood.settle()
        reached = flood.reached
        if gained < 200:
            break
        difference = from_nearby(evidence.features, reached)
    return difference, reached


@compiled
def cost_of_likeness(steps: Float, difference: Float, held: Mask, chroma: float, shaded: float) -> Float:
    """The steps where what lies there is like the backdrop to that chroma, at most so much darker, and not held; else infinite."""
    out = np.empty_like(steps)
    for y in range(steps.shape[0]):
        for x in range(steps.shape[1]):
            shade, red, blue = difference[y, x, 0], difference[y, x, 1], difference[y, x, 2]
            like = red * red + blue * blue < chroma * chroma and -shaded < shade < 0.03 and not held[y, x]
            out[y, x] = steps[y, x] if like else np.inf
    return out
