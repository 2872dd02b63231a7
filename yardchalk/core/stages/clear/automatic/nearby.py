"""Features of evidence beside those of the backdrop nearby, which lies in the same light."""

import cv2
import numpy as np

from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled


def chroma(difference: Float) -> Float:
    """Length of the two chromas: (...) from (..., 3)."""
    red, blue = difference[..., 1], difference[..., 2]
    return np.sqrt(red * red + blue * blue)


def eroded(mask: Mask) -> Mask:
    """A mask (h, w) less a pixel all round."""
    return cv2.erode(mask.view(np.uint8), np.ones((3, 3), np.uint8)) > 0


def from_nearby(features: Float, reached: Mask) -> Float:
    """The features less those of the backdrop round each place: the reached area, carried smoothly into the rest.

    Pull-push: averaged to coarser and coarser pictures, and filled in from them where nothing is known. Done at a
    quarter of the size, since it is smooth.
    """
    h, w = reached.shape
    # The features are smoothed already, so every fourth stands for those beside it.
    weight = np.ascontiguousarray(eroded(reached)[::4, ::4]).astype(np.float32)
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
