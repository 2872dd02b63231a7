"""What a check is given, and what it says."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from yardchalk.core.codecs.reading import PhotoFacts
from yardchalk.core.colour import Float, Mask
from yardchalk.core.regions import Pieces, pieces_of
from yardchalk.core.settings import ListingSpec
from yardchalk.core.stages.clear.automatic import Clearing
from yardchalk.core.stages.clear.evidence import Evidence
from yardchalk.core.stages.edge.stretches import Stretch
from yardchalk.core.stages.place import Placing

Severity = Literal["fix", "look", "note"]
Verdict = Literal["ready", "look", "fix"]


class Place(BaseModel):
    """Where: x, y, width, height in px of the original and, if it is on it, of the result."""

    original: tuple[int, int, int, int]
    result: tuple[int, int, int, int] | None = None


class Finding(BaseModel):
    """One thing that a check found."""

    check: str
    severity: Severity
    message: str
    place: Place | None = None
    figure: float
    limit: float
    unit: str
    stage: str

    @property
    def excess(self) -> float:
        return self.figure / self.limit if self.limit > 0 else self.figure


def verdict_of(findings: list[Finding]) -> Verdict:
    """Fix if anything is to be fixed, look if anything is to be looked at, else ready."""
    kinds = {finding.severity for finding in findings}
    return "fix" if "fix" in kinds else "look" if "look" in kinds else "ready"


@dataclass(frozen=True)
class Checked:
    """All that the checks look at.

    Attributes
    ----------
    facts : of the original file.
    spec : with the limits.
    clearing, evidence : on the analysis picture, which has `analysis_scale` px for one px of the original.
    alpha : float32, shape of the result; coverage as rendered (0 where the canvas is empty).
    shadow : float32, shape of the result; opacity of a kept or drawn shadow.
    stretches : of the outline, with figures.
    placing : how the photo lies on the result.
    lost : bool, shape of the result: product pixels that reached full level in some channel by our doing.
    result : uint8 or uint16, shape (h, w, 3): colour, decoded again from the written file.
    data : the written file.
    result_facts : its facts.
    trimmed : whether the result is placed for the spec; False for a full frame.
    """

    facts: PhotoFacts
    spec: ListingSpec
    clearing: Clearing
    evidence: Evidence
    analysis_scale: float
    alpha: Float
    shadow: Float
    stretches: list[Stretch]
    placing: Placing
    lost: Mask
    result: NDArray[Any]
    data: bytes
    result_facts: PhotoFacts
    trimmed: bool = True

    @cached_property
    def coverage(self) -> float:
        """Product px on the result, weighted by coverage; at least 1."""
        return max(float(self.alpha.sum()), 1.0)

    @property
    def given(self) -> bool:
        """Whether there was nothing to clear: the file came with its own transparency, or the stage is off."""
        return self.clearing.tolerance == 0

    @cached_property
    def kept(self) -> Mask:
        """What is mostly product, on the analysis picture: bool (h, w)."""
        return self.covered > 0.5

    @cached_property
    def covered(self) -> Float:
        """Coverage as rendered, on the analysis picture: float32 (h, w)."""
        h, w = self.clearing.product.shape
        step = self.placing.scale / self.analysis_scale
        to_result = np.array([[step, 0, self.placing.left + (step - 1) / 2], [0, step, self.placing.top + (step - 1) / 2]])
        way = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        return cv2.warpAffine(self.alpha, to_result, (w, h), flags=way)

    def place_from_analysis(self, x: int, y: int, w: int, h: int) -> Place:
        """A box of the analysis picture, as a place."""
        s = self.analysis_scale
        return self.place_from_original(int(x / s), int(y / s), int(np.ceil(w / s)), int(np.ceil(h / s)))

    def place_from_original(self, x: int, y: int, w: int, h: int) -> Place:
        """A box of the original, as a place."""
        box = (x, y, w, h)
        p = self.placing
        result = (
            round(box[0] * p.scale + p.left),
            round(box[1] * p.scale + p.top),
            round(box[2] * p.scale),
            round(box[3] * p.scale),
        )
        return Place(original=box, result=result)

    def place_from_result(self, x: int, y: int, w: int, h: int) -> Place:
        """A box of the result, as a place."""
        p = self.placing
        original = (
            max(0, round((x - p.left) / p.scale)),
            max(0, round((y - p.top) / p.scale)),
            max(1, round(w / p.scale)),
            max(1, round(h / p.scale)),
        )
        return Place(original=original, result=(x, y, w, h))


def disc(size: float) -> NDArray[np.uint8]:
    """A round structuring element of at least 3 px."""
    n = max(3, 2 * round(size / 2) + 1)
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (n, n)).astype(np.uint8)


def islands(mask: Mask) -> Pieces:
    """The connected pieces of a mask; pixels that touch at a corner are joined."""
    return pieces_of(mask, diagonal=True)


def by_size(pieces: Pieces, counted: Mask | None = None) -> list[int]:
    """Labels of the pieces with the most pixels, or counted pixels, first; none without any."""
    counts = pieces.area if counted is None else np.bincount(pieces.labels[counted], minlength=pieces.area.size)
    return [int(i) for i in np.argsort(-counts, kind="stable") if counts[i] > 0 and i]
