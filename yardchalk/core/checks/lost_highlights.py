"""Product pixels that our own lifting burnt."""

import numpy as np

from yardchalk.core.checks.finding import Checked, Finding


def check(c: Checked) -> list[Finding]:
    """One finding if more of the product than the limit reached full level in any channel and had not before."""
    share = 100 * float(c.lost.sum()) / c.coverage
    limit = c.spec.limits.lost_highlights
    if share <= limit:
        return []
    rows = np.flatnonzero(c.lost.any(1))
    columns = np.flatnonzero(c.lost.any(0))
    x, y = int(columns[0]), int(rows[0])
    place = c.place_from_result(x, y, int(columns[-1]) - x + 1, int(rows[-1]) - y + 1)
    return [
        Finding(
            check="lost-highlights",
            severity="fix" if share > 10 * limit else "look",
            message=f"Lifting burnt {share:.2f} % of the product",
            place=place,
            figure=round(share, 3),
            limit=limit,
            unit="% of product",
            stage="lift",
        )
    ]
