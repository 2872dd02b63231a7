"""What lost highlights and lost shadows share: product pixels that reached an end of the scale by our doing."""

from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.checks.finding import Checked, islands, larger_than

_TOGETHER = 15  # px; places nearer to each other than this are shown as one
_FIX = 10  # times the limit


class Clipped(NamedTuple):
    """What was found, in words, and the rest of a finding."""

    words: str
    rest: dict[str, Any]


def clipped(c: Checked, channels: NDArray[np.uint8], limit: float) -> Clipped | None:
    """None if no more of the product than the limit, in %, is clipped; `channels` says in how many, by pixel of the result."""
    any_of = channels > 0
    share = 100 * float(np.count_nonzero(any_of)) / c.coverage
    if share <= limit:
        return None
    whole = 100 * float(np.count_nonzero(channels == 3)) / c.coverage
    pieces = islands(cv2.dilate(any_of.view(np.uint8), np.ones((_TOGETHER, _TOGETHER), np.uint8)) > 0)
    return Clipped(
        f"{share:.2f} % of the product in some channel, {whole:.2f} % in all three",
        {
            "severity": "fix" if share > _FIX * limit else "look",
            "place": c.piece_on_result(pieces, larger_than(pieces, 0, 1)[0]),
            "figure": round(share, 3),
            "limit": limit,
            "unit": "% of product",
        },
    )
