"""Mends: for a finding, the change of the photo's marks that most likely puts it right. What it comes to, the next run shows."""

from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import Any

import numpy as np
from pydantic import BaseModel
from shapely import MultiPolygon, Polygon

from yardchalk.core.checks import Finding
from yardchalk.core.checks.finding import all_of
from yardchalk.core.clear_settings import AnyRegion, AutomaticRegion, ClearMarks, InkRegion, Knot, OutlineRegion
from yardchalk.core.settings import BalanceMarks, FrameMarks, Marks, PlaceMarks, RunSheet
from yardchalk.core.settings_base import Length
from yardchalk.core.stages.balance import gains_for
from yardchalk.core.stages.frame import Framing
from yardchalk.core.stages.plot import Plot

_MARGIN = 2 / 1600  # of the longer side: how much farther than what was found a place is painted
_LEAST_MARGIN = 2.0  # px; the soft rim of a thing is as wide in a small photo
_WIDER = 4 / 1600  # of the longer side, by which colour is taken from deeper in
_KNOTS = 300
_AT_THE_SIDE = 0.01  # of the longer side: a place that near to a side of the frame is at it
_MOST = 39  # regions that a photo may have, less one


class Mend(BaseModel):
    """What to do, in words, and the marks that do it."""

    words: str
    marks: Marks


class Bench:
    """What a mend hangs on: the photo's marks and run sheet, its framing, and the figures of its last run."""

    def __init__(self, marks: Marks, sheet: RunSheet, framing: Framing, figures: Mapping[str, Any]) -> None:
        self.marks, self.sheet, self.framing, self.figures = marks, sheet, framing, figures

    def but(self, words: str, **changes: Any) -> Mend:
        return Mend(words=words, marks=self.marks.model_copy(update=changes))

    def with_lift(self, words: str, **changes: Any) -> Mend:
        return self.but(words, lift=self.marks.lift.model_copy(update=changes))

    def with_edge(self, words: str, **changes: Any) -> Mend:
        return self.but(words, edge=self.marks.edge.model_copy(update=changes))

    def with_colour(self, words: str, **changes: Any) -> Mend:
        return self.but(words, colour=self.marks.colour.model_copy(update=changes))

    def painted(self, words: str, lines: list[list[tuple[float, float]]], *, keep: bool, found: bool) -> Mend | None:
        """A region over places outlined in px of the framed original: kept as product, or backdrop; cut as drawn, or at the
        picture's own edges nearby. None if nothing of it can be drawn.
        """
        drawn = _drawn_round(self.framing, tuple(map(tuple, lines)), words[:60], keep, found)
        clear = self.sheet.clear
        kept = clear.regions or (AutomaticRegion(kind="automatic", on=clear.on),)
        regions = kept if self.marks.clear is None else self.marks.clear.regions
        if drawn is None or len(regions) > _MOST:
            return None
        made: tuple[AnyRegion, ...] = (*regions, drawn)
        return self.but(words, clear=ClearMarks(regions=made))


# Whatever is changed at the bench, the photo comes back with the same mends offered.
@lru_cache(maxsize=256)
def _drawn_round(
    framing: Framing, lines: tuple[tuple[tuple[float, float], ...], ...], name: str, keep: bool, found: bool
) -> OutlineRegion | None:
    """The region of `Bench.painted`."""
    plot = _plot_of(framing)
    margin = max(_LEAST_MARGIN, _MARGIN * framing.longest)
    grown = [Polygon(line).buffer(margin) for line in lines if len(line) >= 3]
    paths = [path for shape in grown if (path := _path(shape, plot)) is not None]
    if not paths:
        return None
    how, edge = "take" if keep else "add", "found" if found else "drawn"
    return OutlineRegion(kind="outline", name=name, how=how, backdrop="inside", edge=edge, paths=tuple(paths))


def _plot_of(framing: Framing) -> Plot:
    """The framed original."""
    return Plot.of(framing, framing.width, framing.height)


def _path(shape: Polygon | MultiPolygon, plot: Plot) -> tuple[Knot, ...] | None:
    if isinstance(shape, MultiPolygon):
        shape = max(shape.geoms, key=lambda part: part.area)
    if shape.is_empty:
        return None
    tolerance = 0.5
    while len(line := shape.simplify(tolerance).exterior.coords[:-1]) > _KNOTS:
        tolerance *= 2
    shares = plot.shares(np.array(line))
    return tuple(Knot(at=at) for at in shares) if Polygon(shares).is_valid and Polygon(shares).area > 0 else None


def offer_mend(finding: Finding, bench: Bench) -> Mend | None:
    """The mend for a finding; None where only a person can say what is meant, or all there is has been done."""
    make = _MENDS.get(finding.check)
    mend = make(finding, bench) if make else None
    return None if mend is None or mend.marks == bench.marks else mend


def offer_for_all(findings: list[Finding], bench: Bench) -> Mend | None:
    """One mend for several findings of one check in a photo: that for the first of them, at the places of all."""
    places = [finding.place for finding in findings if finding.place is not None]
    return offer_mend(findings[0].model_copy(update={"place": all_of(places)}) if places else findings[0], bench)


def _outline(f: Finding) -> list[list[tuple[float, float]]]:
    return f.place.outline or [] if f.place else []


def _to_backdrop(f: Finding, bench: Bench) -> Mend | None:
    return bench.painted("Paint to backdrop", _outline(f), keep=False, found=False)


def _clear_gap(f: Finding, bench: Bench) -> Mend | None:
    return bench.painted("Clear this place", _outline(f), keep=False, found=True)


def _keep_part(f: Finding, bench: Bench) -> Mend | None:
    # Another surface in the frame is hardly ever meant to stay.
    return None if f.tool == "crop" else bench.painted("Keep this part", _outline(f), keep=True, found=True)


def _fill(f: Finding, bench: Bench) -> Mend | None:
    return bench.painted("Keep as product", _outline(f), keep=True, found=False)


def _drop_specks(f: Finding, bench: Bench) -> Mend | None:
    if f.tool == "outline":
        return _to_backdrop(f, bench)
    area = sum(Polygon(line).area for line in _outline(f) if len(line) >= 3)
    side = int(np.ceil(1.1 * np.sqrt(area)))
    if not 0 < side <= 200:
        return _to_backdrop(f, bench)
    return bench.with_edge(f"Drop pieces under {side} x {side} px", specks=Length(value=side))


def _unburn(f: Finding, bench: Bench) -> Mend | None:
    if bench.marks.lift.white_point is not None:
        return bench.with_lift("White point back to the offered one", white_point=None)
    return bench.with_lift("Lift the backdrop only", scope="backdrop")


def _undrown(f: Finding, bench: Bench) -> Mend | None:
    own, sheet = bench.marks.lift, bench.sheet.lift
    if (sheet.black_point if own.black_point is None else own.black_point) > 0:
        return bench.with_lift("Black point to 0", black_point=0)
    return bench.with_lift("Mid-tone and curve back to straight", mid=1.0, curve=())


def _neutral(f: Finding, bench: Bench) -> Mend | None:
    light = [bench.figures.get(f"backdrop {name} (linear)") for name in ("red", "green", "blue")]
    if None in light:
        return None
    red, blue = gains_for((float(light[0] or 0), float(light[1] or 0), float(light[2] or 0)))
    if not (0.1 <= red <= 10 and 0.1 <= blue <= 10):
        return None
    return bench.but("Make the backdrop neutral", balance=BalanceMarks(red=round(red, 4), blue=round(blue, 4)))


def _free_more(f: Finding, bench: Bench) -> Mend | None:
    edge = bench.marks.edge.over(bench.sheet.edge)
    if edge.fringe < 1:
        return bench.with_edge("Free the edge wholly", fringe=1.0)
    deeper = max(1, round(_WIDER * bench.framing.longest))
    already = edge.fringe_width.value if edge.fringe_width.unit == "px" else 0
    if already >= 3 * deeper:
        return None
    return bench.with_edge(f"Take colour from {deeper} px deeper in", fringe_width=Length(value=already + deeper))


def _even_out(f: Finding, bench: Bench) -> Mend | None:
    if f.tool == "brush":
        return None
    px = max(1, round(1.5 * bench.framing.longest / 1600))
    if f.tool == "feather":
        return bench.with_edge(f"Feather by {px} px", feather=Length(value=px))
    if f.tool == "levels":
        return bench.with_edge("Take half the softness out", black=25.0, white=75.0)
    return bench.with_edge(f"Smooth over {px} px", smooth=Length(value=px))


def _fine(f: Finding, bench: Bench) -> Mend | None:
    # What a person laid over automatic clearing is not thrown away; and of wires nothing is known to be better than what was found.
    if f.tool != "ink" or bench.marks.clear is not None:
        return None
    return bench.but("Take it as ink on paper", clear=ClearMarks(regions=(InkRegion(kind="ink"),)))


def _whole_photo(f: Finding, bench: Bench) -> Mend | None:
    if f.place is None:
        return None
    framing, (x, y, w, h) = bench.framing, f.place.original
    near = _AT_THE_SIDE * framing.longest
    before = (x < near and framing.left > 0) or (y < near and framing.top > 0)
    across = x + w > framing.width - near and framing.left + framing.width < framing.whole_width
    down = y + h > framing.height - near and framing.top + framing.height < framing.whole_height
    if not (before or across or down):
        return None
    frame = bench.marks.frame or FrameMarks(turns=bench.sheet.frame.turns)
    return bench.but("Take the crop off", frame=frame.model_copy(update={"crop": None}))


def _as_the_spec(f: Finding, bench: Bench) -> Mend | None:
    """Back to where the listing spec places it, if the photo departs from that."""
    return bench.but("Place it as the listing spec says", place=PlaceMarks()) if bench.marks.place != PlaceMarks() else None


def _in_srgb(f: Finding, bench: Bench) -> Mend | None:
    """Half as much of what drives colours out."""
    colour = bench.marks.colour.over(bench.sheet.colour)
    if colour.exposure > 0:
        return bench.with_colour("Exposure back to 0", exposure=0.0)
    stronger = max(colour.saturation, colour.vibrance)
    if stronger > 0:
        changes = {name: float(int(getattr(colour, name) / 2)) for name in ("saturation", "vibrance") if getattr(colour, name) > 0}
        return bench.with_colour("Half as much saturation and vibrance", **changes)
    return bench.with_colour("Half as much of Colour", amount=colour.amount / 2) if colour.amount >= 10 else None


def _untinted(f: Finding, bench: Bench) -> Mend | None:
    colour, none = bench.marks.colour.over(bench.sheet.colour), (0.0, 0.0, 0.0)
    if (colour.shadows, colour.middles, colour.lights) == (none, none, none):
        return None
    return bench.with_colour("Balance of shadows, middles and lights back to none", shadows=none, middles=none, lights=none)


_MENDS: dict[str, Callable[[Finding, Bench], Mend | None]] = {
    "off-white": _to_backdrop,
    "ghosts": _to_backdrop,
    "stray-piece": _drop_specks,
    "left-behind": _clear_gap,
    "missing-part": _keep_part,
    "pinholes": _fill,
    "lost-highlights": _unburn,
    "lost-shadows": _undrown,
    "cast": _neutral,
    "fringe": _free_more,
    "ragged-edge": _even_out,
    "fine-detail": _fine,
    "out-of-srgb": _in_srgb,
    "tinted-neutral": _untinted,
    "cut-off": _whole_photo,
    "framing": _as_the_spec,
}
MENDABLE = frozenset(_MENDS)  # checks of whose findings some are mended by one press
