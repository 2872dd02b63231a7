"""Advice: how much the colours of product and backdrop overlap, and what to use where a colour cannot tell them apart."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.backdrop import BackdropModel
from yardchalk.core.colour import Float, Mask, to_linear

LIMIT = 0.15
_STEP = 3  # px of the analysis picture; one stands for those beside it
_BINS = ((-102, 102, 51), (-130, 130, 65), (-130, 130, 65))  # of L*, a*, b* less the backdrop's: 4 CIELAB units each, it amid one
_EDGE = 13  # px left out round the product's border, where both mix


@dataclass(frozen=True)
class Overlap:
    """How far the colours of product and backdrop are the same.

    Attributes
    ----------
    share : of the product's colours that are the backdrop's too, 0..1: intersection of both histograms in CIELAB.
    alike : bool, shape (h / 3, w / 3)
        Where the product has such colours, on a third of the analysis picture.
    """

    share: float
    alike: Mask


def overlap_of_colours(pixels: NDArray[np.uint8], model: BackdropModel, backdrop: Mask) -> Overlap:
    """Of the analysis picture, coded (h, w, 3), evened by the backdrop model; `backdrop` (h, w) says what is not product.

    Counted by product: a product with a few pale places overlaps by the share of these.
    """
    size = (max(1, backdrop.shape[1] // _STEP), max(1, backdrop.shape[0] // _STEP))
    kernel = np.ones((_EDGE, _EDGE), np.uint8)
    product, away = (
        cv2.resize(mask, size, interpolation=cv2.INTER_NEAREST) > 0
        for mask in ((cv2.dilate(backdrop.view(np.uint8), kernel) == 0).view(np.uint8), cv2.erode(backdrop.view(np.uint8), kernel))
    )
    if not product.any() or not away.any():
        return Overlap(0.0, np.zeros(product.shape, bool))
    light = to_linear(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))
    light *= np.array(model.mean_light, np.float32)
    light /= np.maximum(model.light(*size), np.float32(1e-3))
    lab = cv2.cvtColor(light, cv2.COLOR_LRGB2Lab).astype(np.float32, copy=False)
    lab -= np.median(lab[away], axis=0)
    ours, theirs = (_histogram(lab[mask]) for mask in (product, away))
    # A bin that the backdrop fills at all is the backdrop's; what stands in it of the product counts.
    filled = theirs > 1e-3 * theirs.max()
    bins = [np.clip(((lab[..., k] - a) * (n / (b - a))).astype(np.intp), 0, n - 1) for k, (a, b, n) in enumerate(_BINS)]
    return Overlap(float(ours[filled].sum()), product & filled[bins[0], bins[1], bins[2]])


def _histogram(lab: Float) -> Float:
    counts, _ = np.histogramdd(lab, [np.linspace(a, b, n + 1) for a, b, n in _BINS])
    out: Float = (counts / max(counts.sum(), 1)).astype(np.float32)
    return out


def advice(overlap: float, sure_of_backdrop: float, inked: bool) -> str | None:
    """What to use instead, in words; None where colour will do."""
    if overlap <= LIMIT:
        return None
    share = f"{100 * overlap:.1f} % of the product's colours are also the backdrop's (limit {100 * LIMIT:.0f} %)"
    if inked:
        return f"{share}: take Ink, which goes by density"
    if sure_of_backdrop > 0.65:
        return f"{share}: a tolerance will eat into it. Take Box, or draw an Outline where both are alike"
    return f"{share}, and the backdrop is no one surface: draw an Outline, or crop to the set first"
