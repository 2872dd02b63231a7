"""What is told only beside the other photos of the lot: a soft picture, and a figure far from the lot's."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from yardchalk.core.checks.finding import Finding

FAR = 3.5  # robust z from which on a figure is far from the lot's
_FEWEST = 6  # photos; fewer are no lot to be odd in
_TO_SIGMA = 1.4826  # median absolute deviation to standard deviation, of a normal distribution

Figures = Mapping[str, float | None]


class Measure(NamedTuple):
    """A figure that the photos of a lot are compared by.

    Attributes
    ----------
    key : of the photo's figures.
    title, unit : in front of a person.
    least : standard deviation that a lot is given at least: what is within it is alike.
    either : whether a figure may be odd to either side, or only if it is high.
    stage : where it is changed.
    """

    key: str
    title: str
    unit: str
    least: float
    stage: str
    either: bool = True


MEASURES = (
    Measure("light of the backdrop (level)", "Light", "level", 4, "lift"),
    Measure("cast of the backdrop (ΔE00)", "Cast", "ΔE00", 1, "balance"),
    Measure("product of the photo (%)", "Fill", "% of photo", 3, "frame"),
    Measure("tolerance (× noise)", "Tolerance", "× noise", 1.5, "clear"),
    Measure("white point (level)", "White point", "level", 4, "lift"),
    Measure("fringe (ΔE00)", "Fringe", "ΔE00", 0.5, "edge"),
    Measure("softness (px)", "Softness", "px", 0.2, "intake", either=False),
)
_SOFTNESS = MEASURES[-1]


class Strip(NamedTuple):
    """Where a lot's figures lie: median, and from where on a figure is far from it."""

    median: float
    low: float
    high: float


def strip_of(values: Sequence[float], measure: Measure) -> Strip | None:
    """By median and median absolute deviation; None for too few photos."""
    if len(values) < _FEWEST:
        return None
    median = float(np.median(values))
    reach = FAR * max(_TO_SIGMA * float(np.median(np.abs(np.array(values) - median))), measure.least)
    return Strip(median, median - reach if measure.either else min(median - reach, *values), median + reach)


def check_lot(photos: Sequence[Figures]) -> list[list[Finding]]:
    """Findings for each photo of a lot, by its figures: soft pictures to look at, other odd ones as notes."""
    out: list[list[Finding]] = [[] for _ in photos]
    for measure in MEASURES:
        values = [figures.get(measure.key) for figures in photos]
        strip = strip_of([value for value in values if value is not None], measure)
        if strip is None:
            continue
        for found, value in zip(out, values, strict=True):
            if value is None or strip.low <= value <= strip.high:
                continue
            found.append(_soft(value, strip) if measure is _SOFTNESS else _odd(measure, value, strip))
    return out


def _soft(value: float, strip: Strip) -> Finding:
    return Finding(
        check="soft-picture",
        severity="look",
        message=f"Softer than the other photos of the lot: detail is blurred over {value:.1f} px, theirs {strip.median:.1f} px",
        figure=value,
        limit=round(strip.high, 2),
        unit=_SOFTNESS.unit,
        stage=_SOFTNESS.stage,
    )


def _odd(measure: Measure, value: float, strip: Strip) -> Finding:
    below = value < strip.low
    return Finding(
        check="odd-one-out",
        severity="note",
        message=f"{measure.title} is far from the lot's: {value:g} {measure.unit}, the lot's middle {strip.median:g} {measure.unit}",
        figure=value,
        limit=round(strip.low if below else strip.high, 2),
        unit=measure.unit,
        stage=measure.stage,
        below=below,
    )
