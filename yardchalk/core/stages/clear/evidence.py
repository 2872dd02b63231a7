"""Evidence for telling product from backdrop: the ratio of photo to backdrop model, and its steps.

A shadow darkens the backdrop by the same factor in every channel and has soft borders. A product nearly always has
some chroma against the backdrop, white enamel included, and steep borders. So three features are looked at: the log
of the ratio (*shade*) and the log of the ratios between its channels (*chroma*, two numbers, near zero in shadow); and
for each the steepness of its steps, divided by what noise does on the backdrop itself.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.backdrop import BackdropModel
from yardchalk.core.colour import Float, Mask, to_linear, to_log

# Steepness is never divided by less than this (log light per px): the steps that 8-bit and JPEG rounding make on a
# noiseless backdrop. In order: shade, chroma, chroma; at the fine scale and at the coarse one.
_FLOOR_FINE = (0.0010, 0.0006, 0.0006)
_FLOOR_COARSE = (0.0006, 0.0004, 0.0004)
_SOFT = 6.0  # px; steps wider than this are taken for shadow borders


@dataclass(frozen=True)
class Evidence:
    """Per pixel of the analysis picture.

    Attributes
    ----------
    features : float32, shape (h, w, 3)
        Shade, and two chromas: log of red over green and of blue over green, all relative to the backdrop model and
        lightly smoothed.
    steps : float32, shape (h, w)
        Steepness of steps in units of the backdrop's noise.
    support : bool, shape (h, w)
        Where the backdrop model was fitted.
    chroma_noise : float
        Standard deviation of the chroma steps on the backdrop, log light per px.
    shade_noise : float
        Standard deviation of the unsmoothed shade on the backdrop, log light.
    """

    features: Float
    steps: Float
    support: Mask
    chroma_noise: float
    shade_noise: float

    def cropped(self, at: tuple[slice, slice]) -> "Evidence":
        """The evidence of a part of the picture."""
        return Evidence(
            np.ascontiguousarray(self.features[at]),
            np.ascontiguousarray(self.steps[at]),
            np.ascontiguousarray(self.support[at]),
            self.chroma_noise,
            self.shade_noise,
        )


def gather_evidence(pixels: NDArray[np.uint8], backdrop: BackdropModel) -> Evidence:
    """Evidence from the analysis picture: coded pixels (h, w, 3), uint8."""
    h, w = pixels.shape[:2]
    log = to_log(pixels) - np.minimum(backdrop.log_light(w, h), 0.0)
    r, g, b = cv2.split(log)
    planes = (0.25 * r + 0.5 * g + 0.25 * b, r - g, b - g)
    support = cv2.resize(backdrop.support.astype(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST) > 0
    quiet = _noise_scale(pixels, support)
    at = np.ix_(range(0, h, 3), range(0, w, 3))
    there = support[at]
    fine = np.zeros((h, w), np.float32)
    coarse = np.zeros(((h + 1) // 2, (w + 1) // 2), np.float32)
    smooth = []
    noise = []
    for i, plane in enumerate(planes):
        blurred = cv2.GaussianBlur(plane, (0, 0), 1.0 if i == 0 else 1.5)
        smooth.append(blurred)
        soft_x, soft_y = _soft_slope(plane)
        g = _sharp_steepness(blurred, soft_x, soft_y)
        sigma = max(float(np.median(g[at][there])) / 1.177, _FLOOR_FINE[i])
        noise.append(sigma)
        fine += np.square(g * (quiet / sigma))
        # The coarse scale: sigma 2 (2.5 for chroma) is sigma 1 (1.25) at half size.
        half = cv2.resize(plane, (coarse.shape[1], coarse.shape[0]), interpolation=cv2.INTER_AREA)
        half = cv2.GaussianBlur(half, (0, 0), 1.0 if i == 0 else 1.25)
        shape = (coarse.shape[1], coarse.shape[0])
        g = _sharp_steepness(half, 2 * cv2.resize(soft_x, shape), 2 * cv2.resize(soft_y, shape)) / 2
        quiet_half = cv2.resize(quiet, shape, interpolation=cv2.INTER_AREA)
        there_half = cv2.resize(support.astype(np.uint8), shape, interpolation=cv2.INTER_NEAREST) > 0
        sigma = max(float(np.median(g[::2, ::2][there_half[::2, ::2]])) / 1.177, _FLOOR_COARSE[i])
        coarse += np.square(g * (quiet_half / sigma))
    steps = np.sqrt(np.maximum(fine, cv2.resize(coarse, (w, h), interpolation=cv2.INTER_LINEAR)))
    rough = np.abs(planes[0][at] - smooth[0][at])[there]
    return Evidence(np.dstack(smooth), steps, support, max(noise[1:]), float(np.median(rough)) * 1.48)


def _noise_scale(pixels: NDArray[np.uint8], support: Mask) -> Float:
    """How much quieter, 0..1, a pixel's log light would be if it were as light as the backdrop.

    Shot noise relative to the signal goes with one over its root, and so, nearly, do the steps of 8-bit coding.
    """
    h, w = support.shape
    small = cv2.resize(pixels, ((w + 3) // 4, (h + 3) // 4), interpolation=cv2.INTER_AREA)
    light = np.maximum(to_linear(small).mean(2), 4e-3)
    normal = np.median(light[cv2.resize(support.astype(np.uint8), (light.shape[1], light.shape[0])) > 0])
    scale = np.minimum(np.sqrt(light / normal), 1.0).astype(np.float32)
    return cv2.resize(scale, (w, h), interpolation=cv2.INTER_LINEAR)


def _slopes(plane: Float) -> tuple[Float, Float]:
    return cv2.Sobel(plane, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(plane, cv2.CV_32F, 0, 1, scale=1 / 8)


def _soft_slope(plane: Float) -> tuple[Float, Float]:
    """Slope of the plane without its detail (computed at a quarter of the size), per px."""
    h, w = plane.shape
    small = cv2.resize(plane, ((w + 3) // 4, (h + 3) // 4), interpolation=cv2.INTER_AREA)
    x, y = _slopes(cv2.GaussianBlur(small, (0, 0), _SOFT / 4))
    return cv2.resize(x, (w, h)) / 4, cv2.resize(y, (w, h)) / 4


def _sharp_steepness(plane: Float, soft_x: Float, soft_y: Float) -> Float:
    """Steepness of what is steep and sharp: the lesser of the slope and of the slope without its soft part.

    The soft border of a shadow loses its slope by the subtraction; the halo that the subtraction leaves beside a
    sharp border has no slope of its own.
    """
    x, y = _slopes(plane)
    return np.minimum(cv2.magnitude(x, y), cv2.magnitude(x - soft_x, y - soft_y))
