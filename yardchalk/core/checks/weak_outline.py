"""Stretches of the outline where product and backdrop could not be told apart: no edge is seen, or hardly a difference."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, Place, all_of, by_size, disc_of, islands
from yardchalk.core.colour import Mask
from yardchalk.core.stages.edge.stretches import Stretch

_EDGE, _SOFTENED = 20.0, 14.0  # steepness in units of the backdrop's noise, from which on an outline is believed; after noise was taken
_REACH = 7 / 1600  # of the long side: how far from the outline the edge may be
_LISTED = 4
_MUCH = 2  # times the limit; so much outline without an edge is worth a look even if the second look confirms it
_FAINT = 3.0  # ΔE00 between product and backdrop, under which an outline is a guess
_FINE = 0.3  # share of a stretch that is thin detail: that has a check of its own


def check(c: Checked) -> list[Finding]:
    """The longest stretches of outline without an edge, or that hardly differ from side to side.

    What the second look confirms is no guess: it is counted only where that sees the outline elsewhere or could not tell; and
    where no edge is seen at all, as long as that is not much.
    """
    if c.given or c.inked or not c.evidence.support.any():
        return []
    longest = max(c.kept.shape)
    edge = _SOFTENED if c.evidence.quieted else _EDGE
    edgeless = c.outline & (cv2.dilate(c.evidence.steps, disc_of(longest * _REACH)) < edge)
    return _guesses(c, edgeless & c.unconfirmed) or _hanging(c, edgeless) or _faint(c)


def _guesses(c: Checked, weak: Mask) -> list[Finding]:
    """The longest stretches of weak outline, bool (h, w)."""
    longest = max(c.kept.shape)
    limit = c.spec.limits.weak_outline
    pieces = islands(cv2.dilate(weak.view(np.uint8), disc_of(longest * _REACH)) > 0)
    lengths = np.bincount(pieces.labels[weak], minlength=pieces.area.size)
    found = []
    for i in by_size(pieces, weak)[:_LISTED]:
        length = int(lengths[i])
        share = 100 * length / longest
        if share <= limit:
            break
        message = f"The outline is a guess along {round(length / c.analysis_scale):,} px: the photo has no edge there"
        found.append(_finding(c, share, message, c.place_from_analysis(*pieces.rect(i))))
    return found


def _hanging(c: Checked, edgeless: Mask) -> list[Finding]:
    """One finding if so much of the outline has no edge that the second look alone is not enough; its place is all of that."""
    length = cv2.countNonZero(edgeless.view(np.uint8))
    share = 100 * length / max(c.kept.shape)
    if share <= _MUCH * c.spec.limits.weak_outline:
        return []
    message = f"The outline hangs on the second look alone along {round(length / c.analysis_scale):,} px: the photo has no edge there"
    pieces = islands(cv2.dilate(edgeless.view(np.uint8), disc_of(max(c.kept.shape) * _REACH)) > 0)
    return [_finding(c, share, message, all_of([c.piece_on_analysis(pieces, i) for i in by_size(pieces)[:_LISTED]]))]


def _finding(c: Checked, share: float, message: str, place: Place | None) -> Finding:
    return Finding(
        check="weak-outline",
        severity="look",
        message=message,
        place=place,
        figure=round(share, 1),
        limit=c.spec.limits.weak_outline,
        unit="% of side",
        stage="clear",
        tool="outline",
    )


def _faint(c: Checked) -> list[Finding]:
    """One finding if more of the outline than the limit hardly differs from side to side; its place is the longest run of that."""
    runs: list[list[Stretch]] = [[]]
    for stretch in c.stretches:
        if stretch.contrast < _FAINT and stretch.fine < _FINE and _unconfirmed(c, stretch):
            runs[-1].append(stretch)
        elif runs[-1]:
            runs.append([])
    worst = max(runs, key=lambda run: sum(stretch.length for stretch in run))
    length = sum(stretch.length for run in runs for stretch in run)
    share = 100 * length * c.analysis_scale / max(c.kept.shape)
    if share <= c.spec.limits.weak_outline:
        return []
    boxes = np.array([stretch.box for stretch in worst])
    left, top = boxes[:, :2].min(0)
    right, bottom = (boxes[:, :2] + boxes[:, 2:]).max(0)
    least = min(stretch.contrast for stretch in worst)
    message = f"The outline is a guess along {round(length):,} px: product and backdrop differ by {least:.1f} ΔE there"
    place = c.place_from_original(int(left), int(top), int(right - left), int(bottom - top))
    return [_finding(c, share, message, place)]


def _unconfirmed(c: Checked, stretch: Stretch) -> bool:
    """Whether the second look does not confirm most of a stretch."""
    left, top, width, height = (round(side * c.analysis_scale) for side in stretch.box)
    box = np.s_[top : top + height, left : left + width]
    return 2 * cv2.countNonZero(c.unconfirmed[box].view(np.uint8)) > cv2.countNonZero(c.outline[box].view(np.uint8))
