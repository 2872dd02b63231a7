"""Photos of a lot that are unlike each other, to try a run sheet on."""

from collections.abc import Mapping, Sequence

import numpy as np

# Figures of a run that tell photos apart: light, colour, how much product, how hard its edge.
_TELLING = (
    "light of the backdrop (level)",
    "cast of the backdrop (ΔE00)",
    "product of the photo (%)",
    "tolerance (× noise)",
    "fringe (ΔE00)",
    "softness (px)",
    "scale (delivered px per original px)",
    "white point (level)",
)
_FAR = 4.0  # robust deviations; what is farther off is as unlike as can be


def unlike(figures: Sequence[Mapping[str, float | None]], count: int) -> list[int]:
    """Places of so many photos, each as far from those before it as can be, the most ordinary one first.

    Farthest-point traversal (Gonzalez, "Clustering to minimize the maximum intercluster distance", Theoretical Computer Science 38,
    1985) in figures scaled by their median absolute deviation. A figure that a photo lacks counts as the lot's middle.
    """
    if not figures:
        return []
    table = np.array([[_number(row.get(name)) for name in _TELLING] for row in figures])
    known = ~np.isnan(table)
    middle = np.array([np.median(column[there]) if there.any() else 0.0 for column, there in zip(table.T, known.T, strict=True)])
    table = np.where(known, table, middle)
    spread = 1.4826 * np.median(np.abs(table - middle), axis=0)
    scaled = np.clip((table - middle) / np.where(spread > 1e-9, spread, np.inf), -_FAR, _FAR)
    chosen = [int(np.argmin(np.abs(scaled).sum(1)))]
    while len(chosen) < min(count, len(figures)):
        apart = np.linalg.norm(scaled[:, None] - scaled[chosen], axis=2).min(1)
        apart[chosen] = -1
        chosen.append(int(np.argmax(apart)))
    return chosen


def _number(value: float | None) -> float:
    return np.nan if value is None else float(value)
