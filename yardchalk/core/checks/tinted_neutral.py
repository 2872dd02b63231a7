"""Neutral places of the product that took a cast from its colours being changed."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, islands, larger_than


def check(c: Checked) -> list[Finding]:
    """How far neutrals were moved, unless a tint or one colour for all was asked for."""
    if c.shifted is None or c.shifted.neutral_shift is None or c.meant_tinted:
        return []
    shift, limit = c.shifted.neutral_shift, c.spec.limits.neutral_shift
    if shift <= limit:
        return []
    pieces = islands(cv2.dilate(c.shifted.neutrals.view(np.uint8), np.ones((5, 5), np.uint8)) > 0)
    largest = larger_than(pieces, 0, 1)
    return [
        Finding(
            check="tinted-neutral",
            severity="look",
            message=f"What was neutral took a cast from Colour: {shift:.1f} in a*, b*",
            place=c.piece_on_analysis(pieces, largest[0]) if largest else None,
            figure=round(shift, 2),
            limit=limit,
            unit="a*, b*",
            stage="colour",
            tool="ranges",
        )
    ]
