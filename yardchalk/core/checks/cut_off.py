"""Product that touches the frame of the original, or a bar along it."""

import numpy as np

from yardchalk.core.checks.finding import Checked, Finding


def check(c: Checked) -> list[Finding]:
    """One finding for each side of the frame that the product runs into."""
    rows, columns = c.bars.inside(c.kept.shape)
    product = c.kept[rows, columns]
    if c.given or not product.any():
        return []
    h, w = product.shape
    found = []
    for side, line in (("left", product[:, 0]), ("right", product[:, -1]), ("top", product[0]), ("bottom", product[-1])):
        at = np.flatnonzero(line)
        if at.size < 3:
            continue
        first, length = int(at[0]), int(at[-1] - at[0]) + 1
        box = {
            "left": (0, first, 4, length),
            "right": (w - 4, first, 4, length),
            "top": (first, 0, length, 4),
            "bottom": (first, h - 4, length, 4),
        }[side]
        found.append(
            Finding(
                check="cut-off",
                severity="look",
                message=f"The product is cut off by the frame at the {side}",
                place=c.place_from_analysis(columns.start + box[0], rows.start + box[1], *box[2:]),
                figure=round(at.size / c.analysis_scale),
                limit=0,
                unit="px",
                stage="frame",
                tool="crop",
            )
        )
    return found
