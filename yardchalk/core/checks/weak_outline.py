"""Stretches of the outline where product and backdrop could not be told apart: no edge is seen, or hardly a difference."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, by_size, disc_of, islands
from yardchalk.core.stages.edge.stretches import Stretch

_EDGE = 20.0  # steepness in units of the backdrop's noise, from which on an outline is believed
_REACH = 7 / 1600  # of the long side: how far from the outline the edge may be
_LISTED = 4
_FAINT = 3.0  # ΔE00 between product and backdrop, under which an outline is a guess
_FINE = 0.3  # share of a stretch that is thin detail: that has a check of its own


def check(c: Checked) -> list[Finding]:
    """The longest stretches of outline without an edge, or that hardly differ from side to side.

    What the second look confirms is no guess: it is counted only where that sees the outline elsewhere or could not tell.
    """
    if c.given or not c.evidence.support.any():
        return []
    return _edgeless(c) or _faint(c)


def _edgeless(c: Checked) -> list[Finding]:
    """The longest stretches of outline without an edge."""
    longest = max(c.kept.shape)
    weak = c.unconfirmed & (cv2.dilate(c.evidence.steps, disc_of(longest * _REACH)) < _EDGE)
    limit = c.spec.limits.weak_outline
    pieces = islands(cv2.dilate(weak.view(np.uint8), disc_of(longest * _REACH)) > 0)
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
                tool="outline",
            )
        )
    return found


def _faint(c: Checked) -> list[Finding]:
    """One finding if more of the outline than the limit hardly differs from side to side; its place is the longest run of that."""
    limit = c.spec.limits.weak_outline
    runs: list[list[Stretch]] = [[]]
    for stretch in c.stretches:
        if stretch.contrast < _FAINT and stretch.fine < _FINE and _unconfirmed(c, stretch):
            runs[-1].append(stretch)
        elif runs[-1]:
            runs.append([])
    worst = max(runs, key=lambda run: sum(stretch.length for stretch in run))
    length = sum(stretch.length for run in runs for stretch in run)
    share = 100 * length * c.analysis_scale / max(c.kept.shape)
    if share <= limit:
        return []
    boxes = np.array([stretch.box for stretch in worst])
    left, top = boxes[:, :2].min(0)
    right, bottom = (boxes[:, :2] + boxes[:, 2:]).max(0)
    least = min(stretch.contrast for stretch in worst)
    return [
        Finding(
            check="weak-outline",
            severity="look",
            message=f"The outline is a guess along {round(length):,} px: product and backdrop differ by {least:.1f} ΔE there",
            place=c.place_from_original(int(left), int(top), int(right - left), int(bottom - top)),
            figure=round(share, 1),
            limit=limit,
            unit="% of side",
            stage="clear",
            tool="outline",
        )
    ]


def _unconfirmed(c: Checked, stretch: Stretch) -> bool:
    """Whether the second look does not confirm most of a stretch."""
    left, top, width, height = (round(side * c.analysis_scale) for side in stretch.box)
    box = np.s_[top : top + height, left : left + width]
    return 2 * cv2.countNonZero(c.unconfirmed[box].view(np.uint8)) > cv2.countNonZero(c.outline[box].view(np.uint8))
