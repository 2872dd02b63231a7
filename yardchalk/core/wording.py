"""Run sheets and listing specs in words: what each does, and how two differ."""

from typing import Any

from pydantic import BaseModel

from yardchalk.core.clear_settings import AnyRegion
from yardchalk.core.listing import ListingSpec
from yardchalk.core.settings import RunSheet
from yardchalk.core.settings_base import Length

_BOOKKEEPING = {"format", "name", "version", "title", "note"}
_STARTS = {"border": "along the border", "corners": "in the corners", "brightest": "in the brightest part"}


def sheet_in_words(sheet: RunSheet) -> list[str]:
    """What a run sheet does, a sentence a stage that acts, in working order."""
    said = []
    if sheet.frame.turns:
        said.append(f"Turns the photo by {90 * sheet.frame.turns}°.")
    if sheet.frame.crop == "set":
        said.append("Leaves out paper edges, stands and other surfaces.")
    if sheet.frame.crop == "close":
        said.append("Looks closely at a product that is small in the frame.")
    if sheet.balance.neutral != "as-shot":
        said.append({"backdrop": "Makes the backdrop neutral.", "light": "Balances by the light of the set."}[sheet.balance.neutral])
    said += [_lift_in_words(sheet)] if sheet.lift.on else []
    if not sheet.clear.on:
        said.append("Keeps the whole photo, nothing is cleared.")
    elif sheet.clear.regions:
        said.append(f"Clears by {', then '.join(_region_in_words(r) for r in sheet.clear.regions if r.on)}.")
    else:
        said.append("Clears what the backdrop model explains.")
    said += _edge_in_words(sheet)
    said += ["Finds dust on the backdrop and mends it."] if sheet.mend.dust else []
    said += _colour_in_words(sheet)
    said += {"white": ["Lays it on exact white."], "transparent": ["Leaves it see-through."]}.get(sheet.place.background, [])
    return said


def _lift_in_words(sheet: RunSheet) -> str:
    lift = sheet.lift
    parts = []
    if lift.even:
        parts.append("evens the light" if lift.even == 1 else f"evens the light by {100 * lift.even:.0f} %")
    white = "to its just-clips value, as far as the product bears it" if lift.white_point == "auto" else f"from {lift.white_point} to white"
    parts.append(f"lifts the {'backdrop alone' if lift.scope == 'backdrop' else 'photo'} {white}")
    if lift.black_point:
        parts.append(f"sets black at {lift.black_point}")
    if lift.mid != 1 or lift.curve:
        parts.append("shapes the tones between")
    words = ", ".join(parts[:-1]) + (" and " if len(parts) > 1 else "") + parts[-1]
    return f"{words[0].upper()}{words[1:]}."


def _region_in_words(region: AnyRegion) -> str:
    start = _STARTS.get(getattr(region, "start", ""), "")
    named = {
        "automatic": "the backdrop model" if getattr(region, "ink", True) else "the backdrop model alone, a print like any product",
        "spread-rule": f"spreading from places {start} within {getattr(region, 'tolerance', 0):g}",
        "family-rule": f"the colours {start}",
        "box-rule": "a box round what is found",
        "contrast": "a contrast map",
        "ink": "ink density",
        "gaps": "the gaps inside",
    }[region.kind]
    return f"{'less ' if region.how == 'take' else 'within ' if region.how == 'intersect' else ''}{named}"


def _edge_in_words(sheet: RunSheet) -> list[str]:
    edge = sheet.edge
    said = []
    moved = [
        f"{name} {_plain(length)}"
        for name, length in (("grown by", edge.grow), ("smoothed over", edge.smooth), ("softened over", edge.feather))
        if length.value
    ]
    if moved:
        said.append(f"The edge is {', '.join(moved)}.")
    if edge.fringe < 1:
        said.append(f"The backdrop's colour stays in the edge by {100 * (1 - edge.fringe):.0f} %.")
    said.append(
        {
            "drop": "Drops the shadow.",
            "keep": f"Keeps the shadow at {100 * edge.shadow_strength:.0f} %.",
            "draw": f"Draws a soft shadow at {100 * edge.shadow_strength:.0f} %.",
        }[edge.shadow]
    )
    return said


def _colour_in_words(sheet: RunSheet) -> list[str]:
    colour = sheet.colour
    if colour.plain:
        return []
    moved = [
        f"{name} {value:+g}{unit}"
        for name, value, unit in (
            ("exposure", colour.exposure, " stops"),
            ("brightness", colour.brightness, " %"),
            ("contrast", colour.contrast, " %"),
            ("hue", colour.hue, "°"),
            ("saturation", colour.saturation, " %"),
            ("vibrance", colour.vibrance, " %"),
        )
        if value
    ]
    moved += ["a curve"] if colour.curve else []
    moved += ["a balance by tones"] if any((*colour.shadows, *colour.middles, *colour.lights)) else []
    moved += [f"a tint of {colour.tint}"] if colour.tint else []
    moved += [f"all in {colour.recolour}"] if colour.recolour else []
    return [
        f"The product's colours: {', '.join(moved)}; {colour.amount:g} % of it."
        if colour.amount < 100
        else f"The product's colours: {', '.join(moved)}."
    ]


def spec_in_words(spec: ListingSpec) -> list[str]:
    """What a listing spec asks for."""
    behind = {"white": "pure white", "transparent": "nothing, see-through", "colour": spec.colour, "picture": "a picture"}[spec.background]
    if spec.canvas is None:
        shape = f", {spec.aspect[0]} : {spec.aspect[1]}" if spec.aspect else ""
        place = [f"Trimmed to the product with a margin of {spec.margin:g} %{shape}, on {behind}."]
    else:
        place = [
            f"{spec.canvas.width:,} × {spec.canvas.height:,} px on {behind}; the product fills {spec.fill:g} % at most.",
            f"It stands on a line at {spec.base_line:g} % of the height." if spec.stand == "base-line" else "It stands in the middle.",
        ]
        if spec.across != 50:
            place.append(f"Its middle is {spec.across:g} % from the left.")
    kind = {"jpeg": "JPEG", "png": "PNG", "webp": "WebP", "tiff": "TIFF", "gif": "GIF", "openraster": "OpenRaster", "matte": "Matte (PNG)"}
    file = f"{kind[spec.file]}, {spec.dpi:g} dpi"
    if spec.max_bytes:
        file += f", at most {spec.max_bytes:,} bytes"
    return [*place, f"{file}, named {spec.names}."]


def differences(before: BaseModel, after: BaseModel) -> list[str]:
    """How two settings of one kind differ, in words: "Lift, white point: auto, now 238"."""
    return _compared(before, after, ())


def _compared(before: Any, after: Any, path: tuple[str, ...]) -> list[str]:
    if before == after:
        return []
    if isinstance(before, BaseModel) and isinstance(after, BaseModel) and type(before) is type(after) and not isinstance(before, Length):
        return [
            line
            for name in type(before).model_fields
            if path or name not in _BOOKKEEPING
            for line in _compared(getattr(before, name), getattr(after, name), (*path, name.replace("_", " ")))
        ]
    label = ", ".join(path)
    return [f"{label[:1].upper()}{label[1:]}: {_plain(before)}, now {_plain(after)}"]


def _plain(value: Any) -> str:
    """A setting's value for a person."""
    if value is None or value in ((), ""):
        return "none"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, Length):
        return f"{value.value:g} {value.unit}"
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, tuple):
        regions = [_region_in_words(one) if hasattr(one, "kind") else _plain(one) for one in value]
        return ", ".join(regions) if len(regions) <= 3 else f"{len(regions)} of them"
    if isinstance(value, BaseModel):
        return ", ".join(f"{name.replace('_', ' ')} {_plain(part)}" for name, part in value if part is not None)
    text = str(value)
    return "a picture" if text.startswith("data:") else text
