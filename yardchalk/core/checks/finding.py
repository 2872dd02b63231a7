"""What a check is given, and what it says."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from yardchalk.core.codecs.reading import PhotoFacts
from yardchalk.core.colour import Float, Mask
from yardchalk.core.regions import Pieces, disc, pieces_of
from yardchalk.core.second_look import Look
from yardchalk.core.settings import ListingSpec
from yardchalk.core.stages.bars import NO_BARS, Bars
from yardchalk.core.stages.clear.advice import Overlap
from yardchalk.core.stages.clear.automatic import Clearing
from yardchalk.core.stages.clear.evidence import Evidence
from yardchalk.core.stages.colour import Shifted
from yardchalk.core.stages.edge.stretches import Stretch
from yardchalk.core.stages.place import VISIBLE, Placing

Severity = Literal["fix", "look", "note"]
Verdict = Literal["ready", "look", "fix"]


Tool = Literal[
    "scope",
    "black-point",
    "neutral",
    "rub",
    "outline",
    "box",
    "brush",
    "smooth",
    "feather",
    "levels",
    "fringe",
    "crop",
    "ink",
    "saturation",
    "ranges",
    "none",
]
Scope = Literal["photo", "lot", "spec"]


class Place(BaseModel):
    """Where: x, y, width, height in px of the original and, if it is on it, of the result."""

    original: tuple[int, int, int, int]
    result: tuple[int, int, int, int] | None = None
    outline: list[list[tuple[float, float]]] | None = Field(None, description="Of the place itself: lines of x, y in px of the original.")


class Allowed(BaseModel):
    """That a person let a finding pass."""

    id: int
    scope: Scope = Field(description="For this photo, for the like in its lot, or wherever this listing spec is in force.")
    reason: str


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
    tool: Tool = Field("none", description="What mends it, in that stage.")
    below: bool = Field(False, description="Whether the figure is too small rather than too large.")
    allowed: Allowed | None = None

    @property
    def open(self) -> bool:
        """Whether it wants a person: neither a note nor let pass."""
        return self.severity != "note" and self.allowed is None

    @property
    def excess(self) -> float:
        """How far the figure is off its limit: 1 is at the limit."""
        if self.below:
            return self.limit / self.figure if self.figure > 0 else self.limit
        return self.figure / self.limit if self.limit > 0 else self.figure


def verdict_of(findings: list[Finding]) -> Verdict:
    """Fix if anything is to be fixed, look if anything is to be looked at, else ready; what was allowed does not count."""
    kinds = {finding.severity for finding in findings if finding.allowed is None}
    return "fix" if "fix" in kinds else "look" if "look" in kinds else "ready"


_THIN = 9 / 1600  # of the analysis picture's long side; what is narrower is thin
_AWAY = 4 / 1600  # of the same: two px of what the second look looks at; an outline that is nearer to its own is confirmed
_FEW = 3  # findings of a kind; more are one with many places, to be mended or let pass at once


def gathered(findings: list[Finding]) -> list[Finding]:
    """Findings of one check: where there are many alike, as one, with all their places."""
    out: list[Finding] = []
    for severity in ("fix", "look", "note"):
        alike = [finding for finding in findings if finding.severity == severity]
        places = [finding.place for finding in alike if finding.place is not None]
        if len(alike) <= _FEW or len(places) < len(alike):
            out += alike
            continue
        worst = max(alike, key=lambda finding: finding.excess)
        message = f"{len(alike)} places, the worst: {worst.message[0].lower()}{worst.message[1:]}"
        out.append(worst.model_copy(update={"message": message, "place": all_of(places)}))
    return out


def all_of(places: list[Place]) -> Place:
    """Several places as one."""
    on_result = [place.result for place in places if place.result is not None]
    return Place(
        original=_round_all([place.original for place in places]),
        result=_round_all(on_result) if on_result else None,
        outline=[line for place in places for line in place.outline or []] or None,
    )


def _round_all(boxes: list[tuple[int, int, int, int]]) -> tuple[int, int, int, int]:
    left, top = min(box[0] for box in boxes), min(box[1] for box in boxes)
    right, bottom = max(box[0] + box[2] for box in boxes), max(box[1] + box[3] for box in boxes)
    return left, top, right - left, bottom - top


SEVERITIES = {"fix": 0, "look": 1, "note": 2}


def worst_first(findings: list[Finding]) -> list[Finding]:
    """By severity, then by how far the figure is off its limit; what was allowed last."""
    return sorted(findings, key=lambda f: (f.allowed is not None, SEVERITIES[f.severity], -f.excess, f.check))


@dataclass(frozen=True)
class Checked:
    """All that the checks look at.

    Attributes
    ----------
    facts : of the original file.
    spec : with the limits.
    clearing, evidence : on the analysis picture, which has `analysis_scale` px for one px of the original.
    alpha : float32, shape of the result; coverage as rendered (0 where the canvas is empty).
    covered : float32, of the analysis picture's shape; the same there: what is found in a photo does not hang on the result's size.
    laid_over : float32, shape of the result; coverage by product, shadow and what the spec adds: 0 where there is background alone.
    stretches : of the outline, with figures.
    placing : how the photo lies on the result.
    burnt, drowned : uint8, shape of the result: how many channels of a product pixel our doing brought to full level, and to 0.
    colours : how far the colours of product and backdrop are the same.
    cast : of what should be neutral after balancing, ΔE00; None where nothing says.
    result : uint8 or uint16, shape (h, w, 3): colour, decoded again from the written file.
    data : the written file.
    result_facts : its facts.
    trimmed : whether the result is placed for the spec; False for a full frame.
    by_hand : bool, of the analysis picture's shape: where a person's mends changed the picture, or strokes, lines round a product or
        the size under which pieces are dropped say what it is, so that its photo says nothing of what should be there any more; None
        where there is none of these.
    shifted : what Colour did to the product; None if nothing.
    meant_tinted : whether a tint or one colour for all was asked for.
    looked : the second look, of the analysis picture's shape; None if there was none.
    inked : whether the matte goes by ink on paper, whose rough and faint edges are meant.
    found_inked : whether it does so because automatic clearing took the photo for a print.
    bars : along the photo's frame.
    spread : of the product's edge, px of the result (standard deviation).
    blur : of the photo's steepest edges, px of the photo (standard deviation); None where there is none.
    crisp : whether the photo's own edges are as sharp as can be, as drawn ones are.
    """

    facts: PhotoFacts
    spec: ListingSpec
    clearing: Clearing
    evidence: Evidence
    analysis_scale: float
    alpha: Float
    covered: Float
    laid_over: Float
    stretches: list[Stretch]
    placing: Placing
    burnt: NDArray[np.uint8]
    drowned: NDArray[np.uint8]
    colours: Overlap
    cast: float | None
    result: NDArray[Any]
    data: bytes
    result_facts: PhotoFacts
    trimmed: bool = True
    by_hand: Mask | None = None
    shifted: Shifted | None = None
    meant_tinted: bool = False
    looked: Look | None = None
    inked: bool = False
    found_inked: bool = False
    bars: Bars = NO_BARS
    spread: float = 0.0
    blur: float | None = None
    crisp: bool = False

    @cached_property
    def coverage(self) -> float:
        """Product px on the result, weighted by coverage; at least 1."""
        return max(float(self.alpha.sum()), 1.0)

    @cached_property
    def shows(self) -> bool:
        """Whether any of the product is to be seen on the result."""
        return bool((self.alpha > VISIBLE).any())

    @cached_property
    def thin(self) -> Mask:
        """Where what is kept is thin (wires, bristles, lines), on the analysis picture: bool (h, w)."""
        kept = self.kept.view(np.uint8)
        return self.kept & (cv2.morphologyEx(kept, cv2.MORPH_OPEN, disc_of(max(kept.shape) * _THIN)) == 0)

    @property
    def thin_share(self) -> float:
        """How much of what is kept is thin, in %. Where that is over its limit, the rest is not plain either."""
        return 100 * cv2.countNonZero(self.thin.view(np.uint8)) / max(cv2.countNonZero(self.kept.view(np.uint8)), 1)

    @property
    def given(self) -> bool:
        """Whether there was nothing to clear: the file came with its own transparency, or the stage is off."""
        return self.clearing.tolerance == 0

    @cached_property
    def kept(self) -> Mask:
        """What is mostly product, on the analysis picture: bool (h, w)."""
        return self.covered > 0.5

    @cached_property
    def outline(self) -> Mask:
        """Outermost pixels of what is kept, on the analysis picture: bool (h, w); not along the frame, where it may go on outside."""
        kept = self.kept.view(np.uint8)
        rim: Mask = (kept > 0) & (cv2.erode(kept, np.ones((3, 3), np.uint8)) == 0)
        rim[:2] = rim[-2:] = False
        rim[:, :2] = rim[:, -2:] = False
        return rim

    @cached_property
    def unconfirmed(self) -> Mask:
        """The outline where the second look sees it elsewhere or could not tell, on the analysis picture: bool (h, w)."""
        if self.looked is None:
            return self.outline
        away = max(self.kept.shape) * _AWAY
        theirs = (self.looked.coverage > 0.5).view(np.uint8)
        border = theirs - cv2.erode(theirs, np.ones((3, 3), np.uint8))
        near = cv2.distanceTransform(1 - border, cv2.DIST_L2, 5) <= away
        untold = cv2.dilate(self.looked.rules_stand.view(np.uint8), disc_of(2 * away)) > 0
        return self.outline & (untold | ~near)

    def largest_place(self, mask: Mask) -> Place | None:
        """The largest place of a mask of the analysis picture; pixels scattered close to each other are one. None if there is none."""
        pieces = islands(cv2.dilate(mask.view(np.uint8), np.ones((5, 5), np.uint8)) > 0)
        largest = larger_than(pieces, 0, 1)
        return self.piece_on_analysis(pieces, largest[0]) if largest else None

    def piece_on_analysis(self, pieces: Pieces, label: int, step: int = 1) -> Place:
        """A piece of a mask of the analysis picture (or of every so many px of it), as a place with its outline."""
        x, y, w, h = (step * value for value in pieces.rect(label))
        scale = step / self.analysis_scale
        return self.place_from_analysis(x, y, w, h).model_copy(update={"outline": outline_of(pieces, label, scale)})

    def share_of_photo(
        self, check: str, limit: float, pieces: Pieces, label: int, message: str, tool: Tool, severity: Severity = "look"
    ) -> Finding:
        """A finding at a piece of a mask of the analysis picture: its share of that, which goes into the message as {share}."""
        share = 100 * int(pieces.area[label]) / pieces.labels.size
        return Finding(
            check=check,
            severity=severity,
            message=message.format(share=share),
            place=self.piece_on_analysis(pieces, label),
            figure=round(share, 3),
            limit=limit,
            unit="% of photo",
            stage="clear",
            tool=tool,
        )

    def piece_on_result(self, pieces: Pieces, label: int) -> Place:
        """A piece of a mask of the result, as a place with its outline."""
        p = self.placing
        outline = outline_of(pieces, label, 1 / p.scale, p.left, p.top)
        return self.place_from_result(*pieces.rect(label)).model_copy(update={"outline": outline})

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


def disc_of(size: float) -> NDArray[np.uint8]:
    """A round structuring element of about that size, of at least 3 px."""
    return disc(max(3, 2 * round(size / 2) + 1))


def islands(mask: Mask) -> Pieces:
    """The connected pieces of a mask; pixels that touch at a corner are joined."""
    return pieces_of(mask, diagonal=True)


def by_size(pieces: Pieces, counted: Mask | None = None) -> list[int]:
    """Labels of the pieces with the most pixels, or counted pixels, first; none without any."""
    counts = pieces.area if counted is None else np.bincount(pieces.labels[counted], minlength=pieces.area.size)
    return [int(i) for i in np.argsort(-counts, kind="stable") if counts[i] > 0 and i]


def larger_than(pieces: Pieces, least: float, listed: int) -> list[int]:
    """Labels of the pieces of more than `least` px, the largest first, so many at most."""
    return [i for i in by_size(pieces)[:listed] if pieces.area[i] > least]


_LINES, _FINE = 6, 0.75  # lines of an outline at most; px of the mask that they may be off


def outline_of(pieces: Pieces, label: int, scale: float = 1.0, left: float = 0, top: float = 0) -> list[list[tuple[float, float]]]:
    """The outline of a piece: lines of px of the original, its longest ones. px of the mask are moved by -left, -top and scaled."""
    rows, columns = pieces.box(label, margin=1)
    # A px farther out than the middle of its outermost pixels: the place lies within its outline.
    mask = cv2.dilate((pieces.labels[rows, columns] == label).view(np.uint8), np.ones((3, 3), np.uint8))
    lines, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE, offset=(columns.start, rows.start))
    lines = sorted(lines, key=len, reverse=True)[:_LINES]
    shift = np.array([left, top])
    drawn = ((cv2.approxPolyDP(line, _FINE, True)[:, 0] + 0.5 - shift) * scale for line in lines)
    return [[(round(float(x), 1), round(float(y), 1)) for x, y in line] for line in drawn]
