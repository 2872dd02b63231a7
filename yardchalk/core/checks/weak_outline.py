"""Stretches of the outline that run where the photo has no edge: there product and backdrop could not be told apart."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, by_size, disc, islands

_EDGE = 20.0  # steepness in units of the backdrop's noise, from which on an outline is believed
_REACH = 7 / 1600  # of the long side: how far from the outline the edge may be
_LISTED = 4


def check(c: Checked) -> list[Finding]:
    """The longest stretches of outline without an edge; not along the frame, where the product may leave it."""
    if c.given or not c.evidence.support.any():
        return []
    kept = c.kept.view(np.uint8)
    longest = max(kept.shape)
    rim = (kept > 0) & (cv2.erode(kept, np.ones((3, 3), np.uint8)) == 0)
    rim[:2] = rim[-2:] = False
    rim[:, :2] = rim[:, -2:] = False
    weak = rim & (cv2.dilate(c.evidence.steps, disc(longest * _REACH)) < _EDGE)
    limit = c.spec.limits.weak_outline
    pieces = islands(cv2.dilate(weak.view(np.uint8), disc(longest * _REACH)) > 0)
    lengths = np.bincount(pieces.labels[weak], minlength=pieces.area.size)
    found = []
    for i in by_size(pieces, weak)[:_LISTED]:
        length = int(lengths[i])
        share = 100 * length / longest
        if share <= limit:
            break
        found.append(
            Finding(
                check="weak-outline",
                severity="look",
                message=f"The outline is a guess along {round(length / c.analysis_scale):,} px: the photo has no edge there",
                place=c.place_from_analysis(*pieces.rect(i)),
                figure=round(share, 1),
                limit=limit,
                unit="% of side",
                stage="clear",
            )
        )
    return found
