"""Advice: how much the colours of product and backdrop overlap, and what to use where a colour cannot tell them apart."""

import cv2
import numpy as np

from yardchalk.core.colour import Float, Mask
from yardchalk.core.stages.clear.ground import Ground

LIMIT = 0.15
_BINS = ((0, 100, 25), (-64, 64, 32), (-64, 64, 32))  # of L*, a*, b*: 4 CIELAB units each
_EDGE = 13  # px left out round the product's border, where both mix


def overlap_of_colours(ground: Ground, backdrop: Mask) -> float:
    """Share of the product's colours that are the backdrop's too, 0..1: intersection of both histograms in CIELAB.

    Of the picture evened by the backdrop model, and counted by product: a product with a few pale places overlaps by the
    share of these.
    """
    kernel = np.ones((_EDGE, _EDGE), np.uint8)
    product = cv2.dilate(backdrop.view(np.uint8), kernel) == 0
    away = cv2.erode(backdrop.view(np.uint8), kernel) > 0
    if not product.any() or not away.any():
        return 0.0
    # Every third pixel each way stands for those beside it.
    few = np.s_[::3, ::3]
    lab = ground.evened_lab[few]
    ours, theirs = (_histogram(lab[mask[few]]) for mask in (product, away))
    # A bin that the backdrop fills at all is the backdrop's; what stands in it of the product counts.
    return float(ours[theirs > 1e-3 * theirs.max()].sum())


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
