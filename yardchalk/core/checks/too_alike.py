"""Products with the backdrop's own colours: there, no colour can tell them apart, and the outline hangs on shading."""

import cv2
import numpy as np

from yardchalk.core.checks.finding import Checked, Finding, disc_of

_BESIDE = 16 / 1600  # of the long side; alike places are counted that far within the product's border


def check(c: Checked) -> list[Finding]:
    """One finding if more of the product's colours than the limit are the backdrop's too.

    It is worth a look if the second look does not confirm more of the outline there than may be a guess; else it is a note.
    """
    share, limit = 100 * c.colours.share, c.spec.limits.too_alike
    if share <= limit or c.given or not c.evidence.support.any():
        return []
    h, w = c.kept.shape
    alike = cv2.resize(c.colours.alike.view(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST)
    unsure = c.unconfirmed & (cv2.dilate(alike, disc_of(2 * _BESIDE * max(h, w))) > 0)
    doubted = 100 * cv2.countNonZero(unsure.view(np.uint8)) / max(h, w) > c.spec.limits.weak_outline
    says = "does not confirm all of it" if doubted else "confirms it"
    return [
        Finding(
            check="too-alike",
            severity="look" if doubted else "note",
            message=f"{share:.0f} % of the product's colours are the backdrop's too: its outline hangs on shading. A second look {says}",
            place=c.largest_place(unsure if doubted else alike > 0),
            figure=round(share, 1),
            limit=limit,
            unit="% of product",
            stage="clear",
            tool="outline",
        )
    ]
