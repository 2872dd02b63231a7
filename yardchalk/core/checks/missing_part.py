"""Dropped places that neither the backdrop nor a shadow on it explains: a lid, a strap, or another surface."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, islands

_LISTED = 6


def check(c: Checked) -> list[Finding]:
    """Dropped places with a colour of their own, or far darker than a shadow, or lighter than the backdrop."""
    if not c.evidence.support.any() or c.given:
        return []
    features = c.evidence.features
    chroma = cv2.magnitude(cv2.extractChannel(features, 1), cv2.extractChannel(features, 2))
    noise = max(0.15, 40 * c.evidence.chroma_noise)
    odd = (chroma > noise) | (features[..., 0] < -1.6) | (features[..., 0] > 0.15)
    near = cv2.dilate((c.covered > 0.1).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    odd &= ~near
    odd = cv2.morphologyEx(odd.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0
    labels, stats = islands(odd)
    limit = c.spec.limits.missing_part
    found = []
    for i in sorted(range(1, len(stats)), key=lambda i: -int(stats[i, 4]))[:_LISTED]:
        x, y, w, h, area = (int(v) for v in stats[i])
        share = 100 * area / odd.size
        if share <= limit:
            break
        piece = labels[y : y + h, x : x + w] == i
        other = bool(c.clearing.surroundings[y : y + h, x : x + w][piece].mean() > 0.5)
        what = "Another surface in the frame was cleared away" if other else "A part with its own colour was cleared away"
        found.append(
            Finding(
                check="missing-part",
                severity="look",
                message=f"{what}: {share:.2f} % of the photo",
                place=c.place_from_analysis(x, y, w, h),
                figure=round(share, 3),
                limit=limit,
                unit="% of photo",
                stage="clear",
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
            ),
        )
    return found
