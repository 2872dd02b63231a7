"""What a render process answers about the white check: the islands off white, and how far from pure they are."""

from typing import Any

import numpy as np

from yardchalk.core.checks.finding import Place, outline_of
from yardchalk.core.mending import Bench
from yardchalk.core.regions import pieces_of
from yardchalk.core.render import Render
from yardchalk.core.views import off_pixels

_LEVELS = range(200, 256)
_LISTED = 200


def report_on_islands(render: Render, level: int) -> dict[str, Any]:
    """Islands that do not reach the level, the largest first, each with what paints it to backdrop or keeps it; and for every
    level how many px do not reach it.
    """
    off = off_pixels(render)
    width, height = render.size_at(1.0)
    least = np.full((height, width), 255, np.uint8)
    least[off[:, 0], off[:, 1]] = off[:, 2]
    pieces = pieces_of(least < level, diagonal=True)
    bench = Bench(render.marks, render.sheet, render.framing, {})
    islands = []
    for i in [int(i) for i in np.argsort(-pieces.area, kind="stable")[:_LISTED] if pieces.area[i] > 0]:
        box = pieces.box(i)
        outline = outline_of(pieces, i)
        islands.append(
            {
                "place": Place(original=pieces.rect(i), outline=outline),
                "area": int(pieces.area[i]),
                "worst": int(least[box][pieces.labels[box] == i].min()),
                "paint": bench.painted("Paint to backdrop", outline, keep=False, found=False),
                "keep": bench.painted("Keep as product", outline, keep=True, found=False),
            }
        )
    counts = np.bincount(off[:, 2], minlength=256).cumsum()
    return {
        "level": level,
        "count": int(np.count_nonzero(pieces.area)),
        "area": int(pieces.area.sum()),
        "islands": islands,
        "sweep": [[at, int(counts[at - 1])] for at in _LEVELS],
    }
