"""Places of findings on the photo as it came in, for reports that are read without the bench's frame."""

import numpy as np

from yardchalk.core.checks.finding import Finding, Place
from yardchalk.core.stages.frame import Framing
from yardchalk.core.stages.plot import Plot


def unframed(findings: list[Finding], framing: Framing) -> list[Finding]:
    """The findings with their places in px of the upright photo, not of its frame.

    Under a frame that is straightened, the box is the least upright one round the place.
    """
    if framing.plain:
        return findings
    plot = Plot.of(framing, framing.width, framing.height)

    def moved(places: list[tuple[float, float]]) -> list[tuple[float, float]]:
        return [(round(float(x), 1), round(float(y), 1)) for x, y in np.array(plot.shares(np.array(places))) * framing.upright]

    def placed(place: Place) -> Place:
        x, y, w, h = place.original
        corners = np.array(moved([(x, y), (x + w, y), (x, y + h), (x + w, y + h)]))
        (left, top), (right, bottom) = np.rint(corners.min(0)).astype(int).tolist(), np.rint(corners.max(0)).astype(int).tolist()
        outline = None if place.outline is None else [moved(line) for line in place.outline]
        return place.model_copy(update={"original": (left, top, max(1, right - left), max(1, bottom - top)), "outline": outline})

    return [f if f.place is None else f.model_copy(update={"place": placed(f.place)}) for f in findings]
