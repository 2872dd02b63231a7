"""Kept places that the backdrop explains: gaps in handles, between wires, sheets of paper between two products."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, islands

_LISTED = 12
_AROUND = 121  # px of the analysis picture
_EVEN = 16.0  # steepness, in units of the backdrop's noise


def check(c: Checked) -> list[Finding]:
    """Places of the product that have the backdrop's own colour, at most shaded, and no structure of their own."""
    if not c.evidence.support.any() or c.given:
        return []
    d = c.clearing.difference
    chroma = cv2.magnitude(cv2.extractChannel(d, 1), cv2.extractChannel(d, 2))
    core = cv2.erode((c.covered > 0.5).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    alike = core & (chroma < 0.008) & (d[..., 0] > -0.5) & (d[..., 0] < 0.1)
    # A hole in a coloured product is dimmed and tinted by it, but has far less hue than what is round it, and is even.
    around = (_AROUND, _AROUND)
    local = cv2.blur(chroma * core, around) / np.maximum(cv2.blur(core.astype(np.float32), around), 0.05)
    alike |= core & (local > 0.25) & (chroma < 0.3 * local) & (d[..., 0] > -1.3) & (c.evidence.steps < _EVEN)
    alike = cv2.morphologyEx(alike.astype(np.uint8), cv2.MORPH_OPEN, np.ones((5, 5), np.uint8)) > 0
    limit = c.spec.limits.left_behind
    whole = alike.size
    _, stats = islands(alike)
    found = []
    for i in sorted(range(1, len(stats)), key=lambda i: -int(stats[i, 4]))[:_LISTED]:
        x, y, w, h, area = (int(v) for v in stats[i])
        share = 100 * area / whole
        if share <= limit:
            break
        found.append(
            Finding(
                check="left-behind",
                severity="look",
                message=f"Backdrop may be left inside the product: {share:.2f} % of the photo looks like backdrop",
                place=c.place_from_analysis(x, y, w, h),
                figure=round(share, 3),
                limit=limit,
                unit="% of photo",
                stage="clear",
            )
        )
    return found
