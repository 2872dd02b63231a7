"""Products with much thin detail: wires, bristles, ink. There the automatic matte is doubtful, unless it goes by the ink's density."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, by_size, disc_of, islands
from yardchalk.core.stages.clear.one_ink import may_be_ink

_WHOLE = 0.98  # coverage; what has less is see-through
_TOGETHER = 25 / 1600  # of the analysis picture's long side; thin parts nearer to each other than this are shown as one place


def check(c: Checked) -> list[Finding]:
    """One finding if more of the product than the limit is thin; its place is where at least half of that is.

    What can be ink on paper is offered to be taken as that; what was taken as that by itself is a note.
    """
    thin, share = c.thin, c.thin_share
    limit = c.spec.limits.fine_detail
    if c.found_inked:
        return [_print(c)]
    if share <= limit or c.given or c.inked:
        return []
    pieces = islands(cv2.dilate(thin.view(np.uint8), disc_of(max(thin.shape) * _TOGETHER)) > 0)
    counts = np.bincount(pieces.labels[thin], minlength=pieces.area.size)
    order = by_size(pieces, thin)
    most = order[: int(np.searchsorted(np.cumsum(counts[order]), counts.sum() / 2)) + 1]
    top, left = pieces.boxes[most][:, [0, 2]].min(0)
    bottom, right = pieces.boxes[most][:, [1, 3]].max(0)
    ink = may_be_ink(c.evidence.features[c.kept])
    why = "and of one hue, as ink on paper is" if ink else "(wires, bristles, lines)"
    return [
        Finding(
            check="fine-detail",
            severity="look",
            message=f"{share:.1f} % of the product is thin {why}: its matte is doubtful there",
            place=c.place_from_analysis(int(left), int(top), int(right - left), int(bottom - top)),
            figure=round(share, 1),
            limit=limit,
            unit="% of product",
            stage="clear" if ink else "edge",
            tool="ink" if ink else "brush",
        )
    ]


def _print(c: Checked) -> Finding:
    covers = c.alpha[c.alpha > 0]
    return Finding(
        check="fine-detail",
        severity="note",
        message="Taken for a print in one ink: where that lies thin, it became see-through. If it is no print, press that off at Automatic",
        figure=round(100 * float((covers < _WHOLE).mean()), 1) if covers.size else 0.0,
        limit=0,
        unit="% of product",
        stage="clear",
    )
