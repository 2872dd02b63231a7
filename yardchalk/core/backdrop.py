"""The backdrop model: what the empty backdrop looks like at every pixel.

A smooth surface per channel, fitted robustly to the pixels judged backdrop, starting from the ring along the frame
and growing inward. The surface is a polynomial in the logarithm of linear light: light falls off and vignettes as a
product of smooth factors, so their logarithm is a low-order sum.
"""

from dataclasses import dataclass
from functools import cached_property, lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask, encode, log_table, top

_ONE_SURFACE = 0.65  # share of the ring; where less is explained, it holds other surfaces
_SMALL = 160  # long side of the picture that the surface is fitted on, px
# The fit in rounds: order of the surface, whether only the ring counts, and how far (in log light) a pixel may lie
# from the last surface and still be taken for backdrop.
_ROUNDS = (
    (1, True, 0.5),
    (1, True, 0.3),
    (2, True, 0.2),
    (2, True, 0.12),
    (2, False, 0.12),
    (2, False, 0.1),
    (3, False, 0.08),
    (3, False, 0.06),
    (3, False, 0.06),
)
_GRAINS = 4.0  # times the usual grain; what is no farther off may be grain: in noise, the dark channel of a coloured backdrop


@dataclass(frozen=True)
class BackdropModel:
    """A fitted backdrop.

    Attributes
    ----------
    coefficients : float64, shape (terms, 3)
        Of the polynomial in x and y (each -1..1 across the picture) for the log of linear R, G, B.
    order : int
        Of the polynomial.
    support : bool, shape (h', w')
        Where the small picture was judged backdrop.
    spread : float64, shape (3,)
        Standard deviation of log light about the surface, on the support.
    ring_share : float
        Share of the frame's ring that the model explains, 0..1: how sure the model is.
    """

    coefficients: NDArray[np.float64]
    order: int
    support: Mask
    spread: NDArray[np.float64]
    ring_share: float

    @cached_property
    def small_log_light(self) -> Float:
        """Log of linear light of the backdrop on the small picture that it was fitted on, float32 (h', w', 3)."""
        return _surface(self.coefficients, self.order, *self.support.shape)

    def log_light(self, width: int, height: int) -> Float:
        """Log of linear light of the backdrop over the whole frame, float32 (height, width, 3)."""
        return cv2.resize(self.small_log_light, (width, height), interpolation=cv2.INTER_LINEAR)

    def light(self, width: int, height: int) -> Float:
        """Linear light of the backdrop over the whole frame, float32 (height, width, 3), at most 1."""
        return np.exp(np.minimum(self.log_light(width, height), 0.0))

    @cached_property
    def mean_light(self) -> tuple[float, float, float]:
        """Mean linear light (R, G, B) of the backdrop on its support."""
        red, green, blue = (float(v) for v in np.exp(np.minimum(self.small_log_light, 0.0))[self.support].mean(0))
        return red, green, blue

    def contours(self, step: int = 8) -> list[tuple[int, list[tuple[float, float]]]]:
        """Lines of equal level (coded, mean of channels) every `step` levels: the level, and points x, y in shares of the frame."""
        # Here, not above: this import takes seconds, and only who looks at the contours waits for it.
        from skimage.measure import approximate_polygon, find_contours

        level = encode(np.exp(np.minimum(self.small_log_light, 0.0))).mean(2) * 255
        h, w = level.shape
        out = []
        for at in range(step, 256, step):
            for line in find_contours(level, at):
                points = approximate_polygon(line, 0.12)
                if len(points) > 1:
                    out.append((at, [(round(float((x + 0.5) / w), 4), round(float((y + 0.5) / h), 4)) for y, x in points]))
        return out

    @property
    def levels(self) -> tuple[int, int]:
        """Darkest and lightest coded level (0..255, mean of channels) of the backdrop on its support."""
        level = encode(np.exp(np.minimum(self.small_log_light, 0.0))).mean(2)[self.support] * 255
        return int(round(float(level.min()))), int(round(float(level.max())))


def fit_backdrop(pixels: NDArray[np.uint8]) -> BackdropModel:
    """Fit the backdrop model to coded pixels (h, w, 3), uint8: the analysis picture.

    Iteratively re-weighted least squares. Darker pixels weigh less than lighter ones at the same distance, since what
    darkens a backdrop (shadow) is common and what lightens it is not.
    """
    h, w = pixels.shape[:2]
    s = _SMALL / max(h, w)
    # In 16 bits: a code of 8 is much of a dark channel's light.
    fine = pixels.astype(np.uint16) * np.uint16(top(np.uint16) // top(np.uint8))
    small = cv2.resize(fine, (max(8, round(w * s)), max(8, round(h * s))), interpolation=cv2.INTER_AREA)
    log = log_table(np.uint16)[small].astype(np.float64)
    hs, ws = log.shape[:2]
    k = max(2, round(0.06 * min(hs, ws)))
    ring = np.ones((hs, ws), bool)
    ring[k:-k, k:-k] = False
    model = _fit(log, ring, np.median(log[ring], axis=0))
    if model.ring_share < _ONE_SURFACE:
        # Something else, a table or a dark corner, holds so much of the frame's edge that the fit may have started there:
        # start once more from the lightest quarter of it, and keep what explains more of the photo.
        light = log[ring].mean(1)
        other = _fit(log, ring, np.median(log[ring][light >= np.quantile(light, 0.75)], axis=0))
        if other.support.sum() > model.support.sum():
            return other
    return model


def _fit(log: NDArray[np.float64], ring: Mask, start: NDArray[np.float64]) -> BackdropModel:
    """The rounds of the fit on the small picture, from one log light everywhere."""
    hs, ws = log.shape[:2]
    grain = [_GRAINS * float(np.median(np.abs(part[ring]))) for part in _split(log - cv2.blur(log, (3, 3)))]
    predicted = np.broadcast_to(start, log.shape)
    support = ring
    coefficients = np.zeros((1, 3))
    for order, ring_only, usual in _ROUNDS:
        light, chroma = _split(log - predicted)
        reach = max(usual, grain[0])
        near = (np.abs(light) < reach) & (chroma < max(usual * 0.5, grain[1]))
        support = near & ring if ring_only else _joined_to(ring, near)
        if support.sum() < 30:
            support = ring
        weight = support / (1 + (light / (0.5 * reach)) ** 2)
        weight *= np.where(light < 0, 1 / (1 + (light / (0.35 * reach)) ** 2), 1)
        a = _terms(hs, ws, order).reshape(hs * ws, -1)
        aw = a * weight.reshape(-1, 1)
        ridge = 1e-6 * weight.sum() * np.eye(a.shape[1])
        coefficients = np.linalg.solve(a.T @ aw + ridge, aw.T @ log.reshape(-1, 3))
        predicted = (a @ coefficients).reshape(log.shape)
    residual = (log - predicted)[support]
    light, chroma = _split(log - predicted)
    explained = (light > -0.35) & (light < 0.12) & (chroma < 0.06)
    return BackdropModel(coefficients, _ROUNDS[-1][0], support, residual.std(axis=0), float(explained[ring].mean()))


def _split(residual: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    r, g, b = (np.ascontiguousarray(residual[..., k]) for k in range(3))
    light = (r + g + b) / 3
    return light, np.maximum(np.maximum(np.abs(r - light), np.abs(g - light)), np.abs(b - light))


def _joined_to(ring: Mask, near: Mask) -> Mask:
    """The connected pieces of `near` that hold at least 2 % of the ring."""
    n, labels = cv2.connectedComponents(near.astype(np.uint8), connectivity=4)
    keep = np.bincount(labels[ring & near], minlength=n) > 0.02 * ring.sum()
    keep[0] = False
    return keep[labels]


@lru_cache(64)
def _terms(h: int, w: int, order: int) -> NDArray[np.float64]:
    y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j]
    return np.stack([x**i * y**j for i in range(order + 1) for j in range(order + 1 - i)], -1)


def _surface(coefficients: NDArray[np.float64], order: int, h: int, w: int) -> Float:
    return (_terms(h, w, order) @ coefficients).astype(np.float32)
