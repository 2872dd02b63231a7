"""Products with much thin detail: wires, bristles, ink. There the automatic matte is doubtful."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, by_size, disc, islands

_THIN = 9 / 1600  # of the analysis picture's long side; what is narrower is thin
_TOGETHER = 25 / 1600  # thin parts nearer to each other than this are shown as one place


def check(c: Checked) -> list[Finding]:
    """One finding if more of the product than the limit is thin; its place is where most of that is."""
    kept = (c.covered > 0.5).astype(np.uint8)
    longest = max(kept.shape)
    opened = cv2.morphologyEx(kept, cv2.MORPH_OPEN, disc(longest * _THIN))
    thin = (kept > 0) & (opened == 0)
    share = 100 * int(thin.sum()) / max(int(kept.sum()), 1)
    limit = c.spec.limits.fine_detail
    if share <= limit or c.given:
        return []
    labels, stats = islands(cv2.dilate(thin.astype(np.uint8), disc(longest * _TOGETHER)) > 0)
    i = by_size(labels, stats, thin)[0]
    x, y, w, h = (int(v) for v in stats[i, :4])
    return [
        Finding(
            check="fine-detail",
            severity="look",
            message=f"{share:.0f} % of the product is thin (wires, bristles, lines): its matte is doubtful there",
            place=c.place_from_analysis(x, y, w, h),
            figure=round(share, 1),
            limit=limit,
            unit="% of product",
            stage="edge",
        )
    ]
