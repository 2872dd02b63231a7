"""Colours that Colour drove out of sRGB, where they are cut off."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, islands, larger_than


def check(c: Checked) -> list[Finding]:
    """The product's share that left sRGB by its colours being changed, at its largest place."""
    if c.shifted is None:
        return []
    share, limit = 100 * c.shifted.left_share, c.spec.limits.out_of_srgb
    if share <= limit:
        return []
    # Scattered pixels are one place.
    pieces = islands(cv2.dilate(c.shifted.left.view(np.uint8), np.ones((5, 5), np.uint8)) > 0)
    largest = larger_than(pieces, 0, 1)
    return [
        Finding(
            check="out-of-srgb",
            severity="look",
            message=f"Colours were driven out of sRGB on {share:.1f} % of the product, and are cut off there",
            place=c.piece_on_analysis(pieces, largest[0]) if largest else None,
            figure=round(share, 3),
            limit=limit,
            unit="% of product",
            stage="colour",
            tool="saturation",
        )
    ]
