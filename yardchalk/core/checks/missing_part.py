"""Dropped places that neither the backdrop nor a shadow on it explains: a lid, a strap, or another surface."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, islands, larger_than
from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled

_LISTED = 6


def check(c: Checked) -> list[Finding]:
    """Dropped places with a colour of their own, or far darker than a shadow, or lighter than the backdrop."""
    if not c.evidence.support.any() or c.given:
        return []
    odd = _odd(c.evidence.features, max(0.15, 40 * c.evidence.chroma_noise))
    near = cv2.dilate((c.covered > 0.1).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    odd &= ~near
    if c.mended is not None:
        odd &= ~c.mended
    odd = cv2.morphologyEx(odd.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0
    pieces = islands(odd)
    limit = c.spec.limits.missing_part
    found = []
    for i in larger_than(pieces, limit / 100 * odd.size, _LISTED):
        share = 100 * int(pieces.area[i]) / odd.size
        box = pieces.box(i)
        other = bool(c.clearing.surroundings[box][pieces.labels[box] == i].mean() > 0.5)
        what = "Another surface in the frame was cleared away" if other else "A part with its own colour was cleared away"
        found.append(
            Finding(
                check="missing-part",
                severity="look",
                message=f"{what}: {share:.2f} % of the photo",
                place=c.piece_on_analysis(pieces, i),
                figure=round(share, 3),
                limit=limit,
                unit="% of photo",
                stage="clear",
                tool="crop" if other else "outline",
            )
        )
    if not c.clearing.product.any():
        h, w = odd.shape
        found.insert(
            0,
            Finding(
                check="missing-part",
                severity="fix",
                message="No product was found: everything looks like backdrop",
                place=c.place_from_analysis(0, 0, w, h),
                figure=100,
                limit=limit,
                unit="% of photo",
                stage="clear",
                tool="box",
            ),
        )
    return found


@compiled
def _odd(features: Float, noise: float) -> Mask:
    """Where neither backdrop nor shadow is: with a hue beyond the noise, or too dark, or too light."""
    h, w = features.shape[:2]
    out = np.empty((h, w), np.bool_)
    for y in range(h):
        for x in range(w):
            shade, red, blue = features[y, x, 0], features[y, x, 1], features[y, x, 2]
            out[y, x] = red * red + blue * blue > noise * noise or shade < -1.6 or shade > 0.15
    return out
