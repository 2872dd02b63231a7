"""Products that are mostly edge: wires, bristles, prints. There the automatic matte is doubtful."""

import numpy as np

from yardchalk.core.checks.finding import Checked, Finding
from yardchalk.core.stages.place import product_box


def check(c: Checked) -> list[Finding]:
    """One finding if more of the product than the limit is partly covered rather than solid."""
    partly = (c.alpha > 0.02) & (c.alpha < 0.98)
    visible = int((c.alpha > 0.02).sum())
    share = 100 * int(partly.sum()) / max(visible, 1)
    limit = c.spec.limits.fine_edge
    if share <= limit:
        return []
    h, w = c.alpha.shape
    left, top, right, bottom = product_box(np.where(partly, 1.0, 0.0).astype(np.float32))
    place = c.place_from_result(round(left * w), round(top * h), max(1, round((right - left) * w)), max(1, round((bottom - top) * h)))
    return [
        Finding(
            check="fine-edge",
            severity="look",
            message=f"{share:.0f} % of the product is edge (wires, bristles, ink): its matte is doubtful",
            place=place,
            figure=round(share, 1),
            limit=limit,
            unit="% of product",
            stage="edge",
        )
    ]
