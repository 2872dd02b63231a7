"""Products with much thin detail: wires, bristles, ink. There the automatic matte is doubtful."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, by_size, disc_of, islands

_TOGETHER = 25 / 1600  # of the analysis picture's long side; thin parts nearer to each other than this are shown as one place


def check(c: Checked) -> list[Finding]:
    """One finding if more of the product than the limit is thin; its place is where at least half of that is."""
    thin, share = c.thin, c.thin_share
    limit = c.spec.limits.fine_detail
    if share <= limit or c.given:
        return []
    pieces = islands(cv2.dilate(thin.view(np.uint8), disc_of(max(thin.shape) * _TOGETHER)) > 0)
    counts = np.bincount(pieces.labels[thin], minlength=pieces.area.size)
    order = by_size(pieces, thin)
    most = order[: int(np.searchsorted(np.cumsum(counts[order]), counts.sum() / 2)) + 1]
    top, left = pieces.boxes[most][:, [0, 2]].min(0)
    bottom, right = pieces.boxes[most][:, [1, 3]].max(0)
    return [
        Finding(
            check="fine-detail",
            severity="look",
            message=f"{share:.0f} % of the product is thin (wires, bristles, lines): its matte is doubtful there",
            place=c.place_from_analysis(int(left), int(top), int(right - left), int(bottom - top)),
            figure=round(share, 1),
            limit=limit,
            unit="% of product",
            stage="edge",
            tool="brush",
        )
    ]
