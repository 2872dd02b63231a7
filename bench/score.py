"""The quality figures: a cut-out held against exact truth."""

import cv2
import numpy as np
from skimage.color import deltaE_ciede2000, rgb2lab

from yardchalk.core.colour import Float, decode, encode

CARDS = {"white": (1.0, 1.0, 1.0), "black": (0.0, 0.0, 0.0), "magenta": (1.0, 0.0, 1.0)}


def score(matte: Float, alpha: Float) -> dict[str, float]:
    """Figures of a matte (h, w) against true coverage (h, w).

    iou: intersection over union above a half. mse: mean squared error x 1000. false_bg: share of true background
    farther than 6 px from the product with coverage over 2 %. holes: share of solid product with coverage under 98 %.
    """
    far = cv2.distanceTransform((alpha <= 0.001).astype(np.uint8), cv2.DIST_L2, 5) > 6
    solid = alpha >= 0.999
    found, true = matte > 0.5, alpha > 0.5
    return {
        "iou": float((found & true).sum() / max((found | true).sum(), 1)),
        "mse": float(((matte - alpha) ** 2).mean() * 1e3),
        "false_bg": float((matte[far] > 0.02).mean()) if far.any() else 0.0,
        "holes": float((matte[solid] < 0.98).mean()) if solid.any() else 0.0,
    }


def edge_difference(rgba: Float, alpha: Float, colour: Float, coded: bool) -> dict[str, float]:
    """Mean CIEDE2000 in the edge band (0.02 < alpha < 0.98) on three cards, as a browser blends.

    rgba (h, w, 4) is the result; alpha, colour (coded) the truth, mixed in light, or in codes if it was made so.
    """
    band = (alpha > 0.02) & (alpha < 0.98)
    out = {}
    for name, card in CARDS.items():
        back = np.array(card, np.float32)
        a, t = rgba[band][:, 3:], alpha[band][:, None]
        got = a * rgba[band][:, :3] + (1 - a) * back
        true = colour[band]
        want = t * true + (1 - t) * back if coded else encode(t * decode(true) + (1 - t) * decode(back))
        out[f"dE_{name}"] = float(deltaE_ciede2000(rgb2lab(got[None]), rgb2lab(want[None])).mean()) if band.any() else 0.0
    return out
