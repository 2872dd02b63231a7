"""Regions: the ways to say what is backdrop, as they are kept in a photo's marks.

All places are x, y in shares of the upright photo's width and height, before any frame; all sizes are shares of its longer
side. Tolerances are distances in CIELAB (1976), in quarters, since a map of them must fit one byte a pixel.
"""

from itertools import pairwise
from typing import Annotated, Literal

import shapely
from pydantic import Field, model_validator
from shapely import LineString, Polygon, is_valid_reason

from yardchalk.core.settings_base import BrushSize, Place, Settings, Share, Stroke

How = Literal["add", "take", "intersect"]
Tolerance = Annotated[float, Field(ge=0, le=60)]
Loop = Annotated[tuple[Place, ...], Field(min_length=3, max_length=400)]
Unit = Annotated[float, Field(ge=-1, le=2)]


class RegionSettings(Settings):
    """What all regions have."""

    name: str = Field("", max_length=60, description="What a person calls it.")
    on: bool = Field(True, description="Whether it counts.")
    how: How = Field("add", description="Whether it adds to the backdrop, takes from it, or leaves of it only what both have.")


class AutomaticRegion(RegionSettings):
    """What the backdrop model and the steps of the picture say."""

    kind: Literal["automatic"]
    ink: bool = Field(True, description="Of a print in one ink, its density becomes opacity, as with a region of ink.")


class SpreadRegion(RegionSettings):
    """From touched places, what is alike within a tolerance."""

    kind: Literal["spread"]
    points: tuple[Place, ...] = Field(min_length=1, max_length=40, description="Touched places.")
    tolerance: Tolerance = Field(8.0, description="How far, in CIELAB, from the touched colours. 0 to 60.")
    by: Literal["all", "lightness", "hue"] = Field("all", description="L*, a* and b*; or L* alone; or a* and b*.")
    against: Literal["colour", "backdrop"] = Field("backdrop", description="The plain photo, or the photo evened by the backdrop model.")
    extent: Literal["joined", "everywhere", "loop"] = Field("joined", description="Joined to a touched place; anywhere; in a loop.")
    loop: Loop | None = Field(None, description="Where, if in a loop.")
    softness: float = Field(0.0, ge=0, le=30, description="Width in CIELAB over which it fades out.")
    walls: tuple[Stroke, ...] = Field((), max_length=60, description="Strokes that it does not pass.")

    @model_validator(mode="after")
    def _has_its_loop(self) -> "SpreadRegion":
        if self.extent == "loop":
            if self.loop is None:
                raise ValueError("draw the loop to stay within")
            _must_not_cross(self.loop)
        return self


class FamilyRegion(RegionSettings):
    """The colours of several samples, as a family."""

    kind: Literal["family"]
    samples: tuple[Stroke, ...] = Field(min_length=1, max_length=60, description="Strokes over colours that belong or do not.")
    reach: float = Field(3.0, ge=0.5, le=12, description="How far from the samples, in their own spreads. 0.5 to 12.")
    softness: float = Field(0.0, ge=0, le=6, description="Over how many spreads it fades out.")
    grain: BrushSize = Field(0.003, description="Size of the grain that is looked through, share of the longer side.")

    @model_validator(mode="after")
    def _adds_something(self) -> "FamilyRegion":
        if not any(sample.adds for sample in self.samples):
            raise ValueError("no sample belongs to the family: drag over the backdrop")
        return self


class BoxRegion(RegionSettings):
    """All that lies outside the product found in a rough box or loop."""

    kind: Literal["box"]
    loop: Loop = Field(description="Round the product; a box has four places.")
    strokes: tuple[Stroke, ...] = Field((), max_length=60, description="What is product (adds) or not, painted.")

    @model_validator(mode="after")
    def _not_crossed(self) -> "BoxRegion":
        _must_not_cross(self.loop)
        return self


class Knot(Settings):
    """A point of an outline; with handles, the curve bends towards them."""

    at: tuple[Unit, Unit]
    before: tuple[Unit, Unit] | None = Field(None, description="Handle of the segment that ends here.")
    after: tuple[Unit, Unit] | None = Field(None, description="Handle of the segment that begins here.")


MOST_OUTLINES, MOST_KNOTS = 200, 600
_LOOP = 2e-3  # of what a line goes round; a loop with less area is a slip


class OutlineRegion(RegionSettings):
    """Inside or outside of drawn outlines, exactly as drawn."""

    kind: Literal["outline"]
    paths: tuple[Annotated[tuple[Knot, ...], Field(min_length=2, max_length=MOST_KNOTS)], ...] = Field(
        min_length=1, max_length=MOST_OUTLINES
    )
    backdrop: Literal["outside", "inside"] = Field("outside", description="Which side is backdrop.")
    softness: float = Field(0.0, ge=0, le=0.1, description="Width over which it fades out, share of the longer side.")
    edge: Literal["drawn", "found"] = Field(
        "drawn", description="Cut as drawn; or at the picture's own edge nearby, which is automatic clearing's where that has one."
    )

    @model_validator(mode="after")
    def _not_crossed(self) -> "OutlineRegion":
        for number, path in enumerate(self.paths):
            line = flattened(path)
            if len(line) < 3:
                raise ValueError(f"outline {number + 1} has no area: give it a third point or a curve")
            _must_not_cross(line)
        return self


class BrushStroke(Settings):
    """A stroke of Chalk (keep) or Rub (drop)."""

    keeps: bool = Field(description="Chalk, or Rub.")
    size: BrushSize = Field(description="Width, share of the photo's longer side.")
    softness: Share = Field(0.0, description="Share of the width over which it fades out.")
    strength: float = Field(1.0, ge=0.01, le=1, description="How far it goes towards keep or drop.")
    guard: bool = Field(False, description="Touch only what is nearly kept (Chalk) or nearly dropped (Rub).")
    edges: bool = Field(False, description="Stop at the picture's edges.")
    points: tuple[tuple[Share, Share, Share], ...] = Field(min_length=1, max_length=400, description="x, y, and pressure 0..1.")


class StrokesRegion(RegionSettings):
    """Chalk and Rub: kept and dropped by hand; what is painted is exactly what comes."""

    kind: Literal["strokes"]
    strokes: tuple[BrushStroke, ...] = Field(max_length=400)


Source = Literal["R", "G", "B", "L*", "a*", "b*", "saturation", "distance"]
Combination = Literal["first", "multiply", "lighten", "darken", "add", "subtract", "difference", "dodge"]


class ContrastMap(Settings):
    """A grey picture in which product and backdrop differ; 1 is backdrop."""

    first: Source = "distance"
    second: Source = "L*"
    invert_first: bool = False
    invert_second: bool = False
    combine: Combination = Field("first", description="The first alone, or how both come together.")
    scale: float = Field(1.0, ge=0.1, le=10, description="Factor on the combination.")
    offset: float = Field(0.0, ge=-1, le=1, description="Added after the factor.")
    black: float = Field(0.0, ge=0, le=0.99, description="What becomes 0.")
    white: float = Field(1.0, ge=0.01, le=1, description="What becomes 1.")
    mid: float = Field(1.0, ge=0.1, le=10, description="To the power of 1/mid.")
    invert: bool = Field(True, description="The other way round at the end.")

    @model_validator(mode="after")
    def _rising(self) -> "ContrastMap":
        if self.white - self.black < 0.01:
            raise ValueError("white must lie at least 0.01 over black")
        return self


class KeptMap(Settings):
    name: str = Field(max_length=60)
    map: ContrastMap


class ContrastRegion(RegionSettings):
    """A contrast map as the matte, or what lies over a level of it."""

    kind: Literal["contrast"]
    map: ContrastMap = ContrastMap()
    level: Share | None = Field(None, description="Backdrop is what reaches this level; left out, the map itself is the matte.")
    hints: tuple[Stroke, ...] = Field((), max_length=60, description="Marked product (adds) and backdrop, to measure separation by.")
    versions: tuple[KeptMap, ...] = Field((), max_length=12, description="Maps kept to come back to.")


class InkRegion(RegionSettings):
    """Ink on paper: how much of it ink covers becomes opacity, its texture stays."""

    kind: Literal["ink"]
    floor: float | Literal["auto"] = Field("auto", description="Density up to which it is paper or pencil; auto measures the paper.")
    full: float | Literal["auto"] = Field("auto", description="Density from which it covers wholly; auto takes the densest ink.")
    colour: str | None = Field(None, pattern="^#[0-9a-f]{6}$", description="Print it in this colour; left out, its own.")

    @model_validator(mode="after")
    def _in_range(self) -> "InkRegion":
        for name, value in (("floor", self.floor), ("full", self.full)):
            if value != "auto" and not 0 <= value <= 3:
                raise ValueError(f"{name} {value} is not within 0 to 3")
        if self.floor != "auto" and self.full != "auto" and self.full < self.floor + 0.02:
            raise ValueError("full must lie at least 0.02 over floor")
        return self


class GapsRegion(RegionSettings):
    """Places inside the product where the backdrop shows."""

    kind: Literal["gaps"]
    points: tuple[Place, ...] | None = Field(None, max_length=400, description="A place in each; left out, the sure ones.")


Start = Literal["border", "corners", "brightest"]


class SpreadRule(RegionSettings):
    """Spread from places that are found anew on every photo."""

    kind: Literal["spread-rule"]
    start: Start = Field("border", description="Along the frame's border; in its corners; or where the backdrop is brightest.")
    tolerance: Tolerance = 8.0
    by: Literal["all", "lightness", "hue"] = "all"
    against: Literal["colour", "backdrop"] = "backdrop"
    extent: Literal["joined", "everywhere"] = "joined"
    softness: float = Field(0.0, ge=0, le=30, description="Width in CIELAB over which it fades out.")


class FamilyRule(RegionSettings):
    """The family of colours at places that are found anew on every photo."""

    kind: Literal["family-rule"]
    start: Start = Field("border", description="Along the frame's border; in its corners; or where the backdrop is brightest.")
    reach: float = Field(3.0, ge=0.5, le=12, description="How far from the samples, in their own spreads. 0.5 to 12.")
    softness: float = Field(0.0, ge=0, le=6, description="Over how many spreads it fades out.")
    grain: BrushSize = 0.003


class BoxRule(RegionSettings):
    """All that lies outside the product found in a box round what automatic clearing finds."""

    kind: Literal["box-rule"]
    margin: float = Field(0.03, ge=0, le=0.3, description="How far the box lies outside what was found, share of the longer side.")


AnyRegion = Annotated[
    AutomaticRegion
    | SpreadRegion
    | FamilyRegion
    | BoxRegion
    | OutlineRegion
    | StrokesRegion
    | ContrastRegion
    | InkRegion
    | GapsRegion
    | SpreadRule
    | FamilyRule
    | BoxRule,
    Field(discriminator="kind"),
]


def fits_any_photo(region: AnyRegion) -> bool:
    """Whether a region names no place of one photo."""
    if isinstance(region, GapsRegion):
        return region.points is None
    if isinstance(region, ContrastRegion):
        return not region.hints
    return not isinstance(region, SpreadRegion | FamilyRegion | BoxRegion | OutlineRegion | StrokesRegion)


class ClearMarks(Settings):
    """What this photo's backdrop is."""

    regions: tuple[AnyRegion, ...] = Field(max_length=40, description="In order; each changes what those before it say.")


def flattened(path: tuple[Knot, ...], steps: int = 24) -> tuple[tuple[float, float], ...]:
    """A closed outline as a line of places: each curve (cubic Bézier) in so many steps."""
    line: list[tuple[float, float]] = []
    for here, there in pairwise((*path, path[0])):
        line.append(here.at)
        if here.after is None and there.before is None:
            continue
        (x0, y0), (x1, y1), (x2, y2), (x3, y3) = here.at, here.after or here.at, there.before or there.at, there.at
        for i in range(1, steps):
            t = i / steps
            a, b, c, d = (1 - t) ** 3, 3 * (1 - t) ** 2 * t, 3 * (1 - t) * t**2, t**3
            line.append((a * x0 + b * x1 + c * x2 + d * x3, a * y0 + b * y1 + c * y2 + d * y3))
    return tuple(line)


def _must_not_cross(line: tuple[tuple[float, float], ...]) -> None:
    """Refuse a closed line that makes more than one area; a spur or a loop of a pixel, as a way along edges has them, is none."""
    if LineString((*line, line[0])).length == 0:
        raise ValueError("the line has no area: draw it round something")
    polygon = Polygon(line)
    reason = is_valid_reason(polygon)
    if reason.startswith("Self-intersection"):
        valid = shapely.get_parts(shapely.get_parts(shapely.make_valid(polygon)))
        rings = shapely.get_rings(valid[shapely.area(valid) > 0])
        areas = shapely.area(shapely.polygons(rings))
        if areas.size and areas.sum() < (1 + _LOOP) * areas.max():
            return
        x, y = (float(v) for v in reason.split("[")[1].rstrip("]").split())
        raise ValueError(
            f"the line crosses itself at {100 * x:.0f} % from the left, {100 * y:.0f} % from the top: it has to go round one area"
        )
