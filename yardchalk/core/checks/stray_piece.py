"""Small kept pieces apart from the product: crumbs, dust, pencil marks."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, all_of, by_size, islands

_LEAST = 40  # px of the analysis picture; smaller ones are crumbs that the matte drops by itself
_HANGS_ON = 1.2  # times its own area, with a rim; what is joined to it by coverage, however faint, covers more than that
_LISTED = 20


def check(c: Checked) -> list[Finding]:
    """One finding for all pieces smaller than the limit's share of the largest piece; its place is the largest of them.

    If that hangs on to something larger by faint coverage, its own size would not drop it: then its place is all of them, to be painted
    over.
    """
    if c.given:
        return []
    pieces = islands(c.kept)
    order = by_size(pieces)
    if not order:
        return []
    limit = c.spec.limits.stray_piece
    whole = int(pieces.area[order[0]])
    strays = [i for i in order if _LEAST <= pieces.area[i] < whole * limit / 100]
    if not strays:
        return []
    area = int(pieces.area[strays[0]])
    _, joined = cv2.connectedComponents((c.covered > 0).view(np.uint8), connectivity=8)
    largest = pieces.labels == strays[0]
    weight = float(c.covered[np.isin(joined, joined[largest])].sum())
    hangs_on = weight > _HANGS_ON * cv2.countNonZero(cv2.dilate(largest.view(np.uint8), np.ones((3, 3), np.uint8)))
    places = [c.piece_on_analysis(pieces, i) for i in (strays[:_LISTED] if hangs_on else strays[:1])]
    count = "A small piece was" if len(strays) == 1 else f"{len(strays)} small pieces were"
    return [
        Finding(
            check="stray-piece",
            severity="look",
            message=f"{count} kept apart from the product, the largest {round(area / c.analysis_scale**2):,} px",
            place=all_of(places),
            figure=round(100 * area / whole, 3),
            limit=limit,
            unit="% of product",
            stage="clear",
            tool="outline" if hangs_on else "rub",
        )
    ]
