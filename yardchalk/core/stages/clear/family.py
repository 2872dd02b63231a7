"""Colour family: the backdrop by samples of its colours, as a few Gaussians in CIELAB; works on paper with a grain."""

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.clear_settings import FamilyRegion
from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled
from yardchalk.core.errors import YardError
from yardchalk.core.regions import pieces_of
from yardchalk.core.stages.clear.ground import Ground

_MEMBERS = 3  # Gaussians for what belongs, and for what does not
_LEAST_SPREAD = 0.8  # CIELAB; the noise of coding alone
_SHADED = 0.33  # weight of L*: the same paper in the shade is family still
_MOST_SAMPLES = 20_000


def family(region: FamilyRegion, ground: Ground) -> Float:
    """How far each pixel belongs to the family, 0..1: float32 (h, w).

    The picture is evened by the backdrop model and looked at through its grain. What is smaller than the grain, specks
    and holes, takes after what is round it.
    """
    grain = max(1.0, ground.plot.length(region.grain))
    lab = cv2.GaussianBlur(ground.evened_lab, (0, 0), grain / 2) * np.array([_SHADED, 1, 1], np.float32)
    members = [_gaussians(_sampled(region, ground, lab, adds)) for adds in (True, False)]
    if not len(members[0]):
        raise YardError("lies outside the frame", where="The sample", remedy="Drag over the backdrop inside it, or take this region away")
    far, nearer = _spreads(lab, *members)
    fade = max(region.softness, 1e-6)
    value = np.clip((region.reach + fade - far) / fade, 0, 1)
    value[~nearer] = 0
    return _without_specks(value.astype(np.float32), int(grain * grain * 4))


def _sampled(region: FamilyRegion, ground: Ground, lab: Float, adds: bool) -> Float:
    """Colours (n, 3) under the samples of one kind."""
    under = np.zeros(ground.shape, bool)
    for sample in region.samples:
        if sample.adds == adds:
            under |= ground.plot.stroke(sample)
    colours = lab[under]
    return colours[:: max(1, len(colours) // _MOST_SAMPLES)]


def _gaussians(colours: Float) -> NDArray[np.float32]:
    """Means and inverse roots of covariance (k, 4, 3): a mean, then the rows that turn a difference into spreads."""
    if len(colours) == 0:
        return np.zeros((0, 4, 3), np.float32)
    count = min(_MEMBERS, len(colours))
    cv2.setRNGSeed(1)
    stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 20, 0.1)
    _, labels, means = cv2.kmeans(np.ascontiguousarray(colours), count, np.empty(0, np.int32), stop, 1, cv2.KMEANS_PP_CENTERS)
    whole = np.cov(colours.T) if len(colours) > 3 else np.zeros((3, 3))
    out = []
    for k in range(count):
        own = colours[labels.ravel() == k]
        if len(own) == 0:
            continue
        # A member that holds few samples leans on the spread of all.
        cov = (np.cov(own.T) * len(own) + whole * 50) / (len(own) + 50) if len(own) > 3 else whole
        values, vectors = np.linalg.eigh(cov + _LEAST_SPREAD**2 * np.eye(3))
        out.append(np.vstack([means[k][None], (vectors / np.sqrt(values)).T]))
    return np.array(out, np.float32)


@compiled
def _spreads(lab: Float, ours: Float, others: Float) -> tuple[Float, Mask]:
    """Distance of each pixel from the nearest of ours in its spreads, and whether none of the others is nearer."""
    h, w = lab.shape[:2]
    out, nearer = np.empty((h, w), np.float32), np.empty((h, w), np.bool_)
    for y in range(h):
        for x in range(w):
            least, away = np.float32(1e9), np.float32(1e9)
            for k in range(ours.shape[0]):
                least = min(least, _square(lab[y, x], ours[k]))
            for k in range(others.shape[0]):
                away = min(away, _square(lab[y, x], others[k]))
            out[y, x] = np.sqrt(least)
            nearer[y, x] = least <= away
    return out, nearer


@compiled
def _square(colour: Float, member: Float) -> np.float32:
    u, v, t = colour[0] - member[0, 0], colour[1] - member[0, 1], colour[2] - member[0, 2]
    total = np.float32(0)
    for k in range(1, 4):
        along = member[k, 0] * u + member[k, 1] * v + member[k, 2] * t
        total += along * along
    return total


def _without_specks(value: Float, least: int) -> Float:
    """Pieces and holes of fewer than `least` px take on the median of what is round them."""
    smooth = cv2.medianBlur((value * 255).astype(np.uint8), 5).astype(np.float32) / 255
    for wanted in (True, False):
        pieces = pieces_of((smooth > 0.5) == wanted, diagonal=wanted)
        small = pieces.area < least
        small[0] = False
        smooth[pieces.chosen(small)] = np.float32(0 if wanted else 1)
    return smooth
