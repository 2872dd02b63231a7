"""A run sheet from a worked photo: what was set goes in as it is, or as a rule that makes sense on any photo; the rest is told."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel

from yardchalk.core.clear_settings import (
    AnyRegion,
    BoxRegion,
    BoxRule,
    ContrastRegion,
    FamilyRegion,
    FamilyRule,
    GapsRegion,
    SpreadRegion,
    SpreadRule,
    Start,
    fits_any_photo,
)
from yardchalk.core.colour import Float
from yardchalk.core.colour_settings import ColourSettings
from yardchalk.core.errors import YardError
from yardchalk.core.mend_settings import DustSettings, FillMend
from yardchalk.core.render import Render
from yardchalk.core.settings import BalanceSettings, ClearSettings, EdgeSettings, FrameSettings, Marks, RunSheet
from yardchalk.core.settings_base import Place
from yardchalk.core.stages.balance import cast_of
from yardchalk.core.stages.clear.region_list import value_of
from yardchalk.core.stages.frame import has_surroundings

How = Literal["as it is", "as a rule", "left out"]
_RANGES = {"shadows", "middles", "lights"}
_NEUTRAL = 1.5  # ΔE00; a backdrop nearer to neutral was meant to be neutral
_NEAR_OFFER = 2  # levels; a white point nearer to the offered one was meant to be that
_CORNER, _BORDER = 0.14, 0.1  # shares of the frame; what was touched nearer was meant to be there
_BRIGHT = 0.97  # share of the photo that is darker than what was touched as its brightest part
_ALIKE = 0.9  # intersection over union; a rule that gives less of the same here is told apart


class Carried(BaseModel):
    """What became of one setting."""

    stage: str
    how: How
    words: str


@dataclass(frozen=True)
class Example:
    """A run sheet, and what became of each setting of the photo that it was taken from."""

    sheet: RunSheet
    carried: list[Carried]


def sheet_from(render: Render, name: str, title: str, note: str = "") -> Example:
    """The run sheet in force with the photo's own departures in it."""
    told: list[Carried] = []
    frame, balance = _frame(render, told), _balance(render, told)
    lift = _lift(render, told)
    clear = _clear(render, told)
    edge = _edge(render, told)
    if render.marks.place.model_dump(exclude_none=True):
        told.append(
            Carried(stage="place", how="left out", words="Its own place on the canvas: for any photo it belongs into a listing spec")
        )
    stages = {"frame": frame, "balance": balance, "lift": lift, "clear": clear, "edge": edge}
    sheet = render.sheet.model_copy(update={**stages, "mend": _mend(render, told), "colour": _colour(render, told)})
    renamed: dict[str, Any] = {"name": name, "title": title, "note": note, "version": 1}
    return Example(RunSheet.model_validate(dict(sheet.model_copy(update=renamed))), told)


def _frame(render: Render, told: list[Carried]) -> FrameSettings:
    own = render.marks.frame
    if own is None:
        return render.sheet.frame
    if own.turns:
        told.append(_as_it_is("frame", f"Turned by {90 * own.turns}°"))
    if own.angle:
        told.append(Carried(stage="frame", how="left out", words=f"Straightened by {own.angle:g}°: it levels this product, not any"))
    if own.crop is None:
        return FrameSettings(turns=own.turns)
    whole = render.with_marks(Marks(frame=own.model_copy(update={"crop": None})))
    crop: Literal["set", "close"] = "set" if has_surroundings(whole.clearing.surroundings) else "close"
    rule = {"set": "leave out paper edges, stands and other surfaces", "close": "close to the product, where that is small in the frame"}
    told.append(Carried(stage="frame", how="as a rule", words=f"The crop becomes: {rule[crop]}"))
    return FrameSettings(turns=own.turns, crop=crop)


def _balance(render: Render, told: list[Carried]) -> BalanceSettings:
    own = render.marks.balance
    if own is None:
        return render.sheet.balance
    if cast_of(render.backdrop_light, render.gains) <= _NEUTRAL:
        told.append(Carried(stage="balance", how="as a rule", words="What was touched as neutral becomes: the backdrop is neutral"))
        return BalanceSettings(neutral="backdrop")
    told.append(_as_it_is("balance", "The light of the set, as it was measured here"))
    return BalanceSettings(neutral="light", light=own)


def _lift(render: Render, told: list[Carried]) -> Any:
    own, sheet = render.marks.lift, render.sheet.lift
    changes = own.model_dump(exclude_none=True, exclude={"strokes"})
    words = {"even": "Even light", "black_point": "Black point", "mid": "Mid-tone", "scope": "Scope", "curve": "Curve"}
    for field, value in changes.items():
        if field in words:
            told.append(_as_it_is("lift", f"{words[field]} {_figure(value)}".rstrip()))
    if own.white_point is not None:
        if abs(own.white_point - render.graph.offer) <= _NEAR_OFFER:
            changes["white_point"] = "auto"
            said = f"White point {own.white_point} becomes: what just clips the backdrop, as far as the product bears it"
            told.append(Carried(stage="lift", how="as a rule", words=said))
        else:
            told.append(_as_it_is("lift", f"White point {own.white_point}"))
    if own.strokes:
        told.append(Carried(stage="lift", how="left out", words=f"{_count(len(own.strokes), 'painted place')} where Lift acts or does not"))
    return type(sheet).model_validate(dict(sheet) | changes)


def _figure(value: Any) -> str:
    return f"{value:g}" if isinstance(value, (int, float)) else value if isinstance(value, str) else ""


def _edge(render: Render, told: list[Carried]) -> EdgeSettings:
    own = render.marks.edge
    changed = [field for field in EdgeSettings.model_fields if getattr(own, field, None) is not None]
    for field in changed:
        value = getattr(own, field)
        shown = f"{value.value:g} {value.unit}" if hasattr(value, "unit") else _figure(value)
        told.append(_as_it_is("edge", f"{field.replace('_', ' ').capitalize()} {shown}".rstrip()))
    for strokes, what in ((own.wider, "where the band is wider"), (own.glass, "that is glass")):
        if strokes:
            told.append(Carried(stage="edge", how="left out", words=f"{_count(len(strokes), 'painted place')} {what}"))
    return render.edge


def _mend(render: Render, told: list[Carried]) -> DustSettings:
    own = render.marks.mend
    found = sum(isinstance(mend, FillMend) and mend.found for mend in own.entries)
    drawn = len(own.entries) - found
    if drawn:
        told.append(Carried(stage="mend", how="left out", words=f"{_count(drawn, 'mend')} of places on this photo"))
    if own.dust is not None:
        told.append(_as_it_is("mend", f"Dust on the backdrop is {'found and mended' if own.dust else 'left'}"))
        return DustSettings(dust=own.dust)
    if found:
        told.append(
            Carried(stage="mend", how="as a rule", words=f"{_count(found, 'speck')} become: dust on the backdrop is found and mended")
        )
        return DustSettings(dust=True)
    return render.sheet.mend


def _colour(render: Render, told: list[Carried]) -> ColourSettings:
    for name, value in render.marks.colour:
        if value is not None:
            shown = "none" if value == "" else ", ".join(f"{v:g}" for v in value) if name in _RANGES else _figure(value)
            told.append(_as_it_is("colour", f"{name.capitalize()} {shown}".rstrip()))
    return render.colour


def _clear(render: Render, told: list[Carried]) -> ClearSettings:
    own = render.marks.clear
    if own is None:
        return render.sheet.clear
    rules: list[AnyRegion] = []
    for region in own.regions:
        if not region.on:
            continue
        rule, words = _ruled(render, region)
        if rule is None:
            told.append(Carried(stage="clear", how="left out", words=words))
            continue
        how: How = "as it is" if rule == region else "as a rule"
        told.append(Carried(stage="clear", how=how, words=words))
        rules.append(rule)
    # Without anything that says what is backdrop, the automatic one does.
    return ClearSettings(on=render.sheet.clear.on, regions=tuple(rules) if any(rule.how == "add" for rule in rules) else ())


def _ruled(render: Render, region: AnyRegion) -> tuple[AnyRegion | None, str]:
    """The region as one that fits any photo, and what to say of it; None where it does not fit."""
    called = f"“{region.name}”" if region.name else {"contrast": "The contrast map"}.get(region.kind, f"The {region.kind} region")
    if isinstance(region, ContrastRegion) and (region.hints or region.versions):
        return region.model_copy(update={"hints": (), "versions": ()}), f"{called} without the marks that it was ranked by"
    if fits_any_photo(region):
        return region, called
    if isinstance(region, GapsRegion):
        return region.model_copy(update={"points": None}), f"{called}: the gaps that were chosen become the sure ones"
    common: dict[str, Any] = {"name": region.name, "how": region.how}
    if isinstance(region, BoxRegion):
        rule: AnyRegion = BoxRule(kind="box-rule", **common)
        return rule, f"{called} becomes: a box round what is found{_unlike(render, region, rule)}"
    if isinstance(region, SpreadRegion | FamilyRegion) and region.how == "add":
        places = region.points if isinstance(region, SpreadRegion) else tuple(p for s in region.samples if s.adds for p in s.points)
        start = _start(render, places)
        if isinstance(region, SpreadRegion):
            if region.extent == "loop" or region.walls:
                return None, f"{called}: its loop or its walls are drawn for this photo"
            rule = SpreadRule(
                kind="spread-rule",
                start=start,
                tolerance=region.tolerance,
                by=region.by,
                against=region.against,
                extent=region.extent,
                softness=region.softness,
                **common,
            )
        else:
            rule = FamilyRule(kind="family-rule", start=start, reach=region.reach, softness=region.softness, grain=region.grain, **common)
        where = {"border": "along the border", "corners": "in the corners", "brightest": "in the brightest part"}[start]
        return rule, f"{called}: what was touched becomes places {where}{_unlike(render, region, rule)}"
    return None, f"{called} is drawn for this photo"


def _start(render: Render, places: tuple[Place, ...]) -> Start:
    """What the touched places were likely meant as."""
    ground = render.ground
    h, w = ground.shape
    at = ground.plot.places(places) / (w, h)
    off = np.minimum(at, 1 - at)
    if np.median(off.max(1)) < _CORNER:
        return "corners"
    if np.median(off.min(1)) < _BORDER:
        return "border"
    pixels = ground.plot.pixels(places)
    lightness = ground.lab[..., 0]
    if len(pixels) and (lightness < np.median(lightness[pixels[:, 1], pixels[:, 0]])).mean() > _BRIGHT:
        return "brightest"
    return "border"


def _unlike(render: Render, region: AnyRegion, rule: AnyRegion) -> str:
    """Where the rule gives something else on this very photo: how much of the same."""
    nothing: Float = np.zeros(render.ground.shape, np.float32)
    try:
        drawn, ruled = (value_of(one, render.ground, nothing) > 0.5 for one in (region, rule))
    except YardError:
        return " (on this photo it comes to nothing)"
    either = np.count_nonzero(drawn | ruled)
    same = np.count_nonzero(drawn & ruled) / either if either else 1.0
    return "" if same >= _ALIKE else f" (on this photo {100 * same:.0f} % of the same)"


def _as_it_is(stage: str, words: str) -> Carried:
    return Carried(stage=stage, how="as it is", words=words)


def _count(number: int, what: str) -> str:
    return f"{number} {what}" if number == 1 else f"{number} {what}s"
