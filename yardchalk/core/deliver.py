"""One photo from its file to a checked result file: what the command line and the workers both run."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from yardchalk.core.checks import Checked, Finding, Verdict, run_checks, verdict_of
from yardchalk.core.codecs import SUFFIX, Part, Tags, encode_grey, encode_picture, exif_of, inspect_photo, merged_of
from yardchalk.core.codecs.exif import carried
from yardchalk.core.colour import Coded, Float, Mask, area_mean, decode, encode, even_levels, nearest_levels, newly_clipped, top
from yardchalk.core.filing import OWN, Written, written
from yardchalk.core.listing import DEEP, SEE_THROUGH, ListingSpec
from yardchalk.core.pixels import Picture, Region
from yardchalk.core.render import Render
from yardchalk.core.softness import softness
from yardchalk.core.stages.balance import cast_of
from yardchalk.core.stages.place import Placing, added_at, card_behind, full_frame, place

_STRIP = 3_000_000  # px
PREVIEW_SIDE = 640
CROP_SIDES = ("left", "top", "right", "bottom")


class MendShare(BaseModel):
    """What one mend touched."""

    kind: str
    name: str
    share: float = Field(description="Of the product, in %.")


@dataclass(frozen=True)
class Result:
    """A result file and what the checks say of it.

    Attributes
    ----------
    data : the file.
    suffix : its ending, with the dot.
    matte : grey PNG of the coverage, if it was asked for.
    width, height : of the result, px.
    preview : uint8, shape (h, w, 4): the result as straight RGBA, long side at most 640 px.
    figures : name to number, with the unit in the name.
    mends : what is no longer the photo, mend by mend.
    """

    data: bytes
    suffix: str
    width: int
    height: int
    matte: bytes | None
    preview: NDArray[np.uint8]
    verdict: Verdict
    findings: list[Finding]
    figures: dict[str, float | None]
    mends: list[MendShare]


def produce(render: Render, spec: ListingSpec, *, whole_frame: bool = False, matte: bool = False) -> Result:
    """Render, place, encode, read back and check one photo.

    Parameters
    ----------
    whole_frame : bool
        Keep the photo's own size and place instead of the spec's canvas and margins; of a photo with a frame of its own, that frame's.
    matte : bool
        Also encode the coverage.
    """
    size = render.size_at(1.0)
    spec = with_background(spec, render.sheet.place.background)
    if whole_frame:
        placing = full_frame(render.framing, cropped=render.marks.frame is not None)
    else:
        placing = place(render.marks.place.over(spec), *size, render.box)
    laid = on_canvas(render, spec, placing)
    parts = _parts(render, spec, placing) if spec.file == "openraster" else ()
    tags = Tags(spec.dpi, None if spec.exif == "drop" else carried(exif_of(render.data), spec.exif, location=spec.location))
    # Encoding and reading back need the room; the checks look at the canvas and at the analysis picture.
    render.cache.forget_large()
    file = written(laid.pixels, laid.alpha, laid.covered, spec, tags, parts)
    preview, figures = _preview(laid, spec), _figures(render, laid, placing, file)
    laid = laid.without_pixels()
    findings = run_checks(examine(render, spec, placing, laid, file.data, file.back, trimmed=not whole_frame))
    return Result(
        data=file.data,
        suffix=SUFFIX[spec.file],
        width=placing.width,
        height=placing.height,
        matte=encode_grey(np.round(laid.alpha * 255).astype(np.uint8)) if matte else None,
        preview=preview,
        verdict=verdict_of(findings),
        findings=findings,
        figures=figures,
        mends=mend_shares(render),
    )


def mend_shares(render: Render) -> list[MendShare]:
    """Of each mend in force, what it touched; in order."""
    shares = zip(render.mends, render.touched_shares, strict=True)
    return [MendShare(kind=mend.kind, name=mend.name, share=round(100 * share, 3)) for mend, share in shares]


def with_background(spec: ListingSpec, insisted: Literal["spec", "white", "transparent"]) -> ListingSpec:
    """The spec with the background that the run sheet insists on, where the spec's format can hold it."""
    if insisted == "spec" or (insisted == "transparent" and spec.file not in SEE_THROUGH):
        return spec
    return spec.model_copy(update={"background": insisted})


@dataclass(frozen=True)
class Laid:
    """What is on the canvas.

    Attributes
    ----------
    pixels : the finished canvas, coded (h, w, 3), or (h, w, 4) with straight alpha.
    alpha : float32, shape (h, w)
        Coverage by the product.
    shadow : float32, shape (h, w)
        Opacity of a kept or drawn shadow.
    burnt, drowned : uint8, shape (h, w)
        How many channels of a product pixel our doing brought to full level, and to 0; 0 to 3.
    added : float32, shape (h, w), or None
        Coverage by pictures and marks that the spec adds.
    """

    pixels: Coded
    alpha: Float
    shadow: Float
    burnt: NDArray[np.uint8]
    drowned: NDArray[np.uint8]
    added: Float | None = None

    @cached_property
    def covered(self) -> Float:
        """By anything but background: float32 (h, w)."""
        # Without a shadow both are the same array; a full-size one more would be felt.
        covered = self.alpha if self.shadow is self.alpha else np.maximum(self.alpha, self.shadow)
        return covered if self.added is None else np.maximum(covered, self.added)

    def without_pixels(self) -> "Laid":
        """The same once the canvas is in a file: one more picture at full size would be felt."""
        return replace(self, pixels=np.empty((0, 0, self.pixels.shape[2]), self.pixels.dtype))


def examine(render: Render, spec: ListingSpec, placing: Placing, laid: Laid, data: bytes, back: Picture, *, trimmed: bool) -> Checked:
    """All that the checks look at; `back` is the file decoded again."""
    return Checked(
        facts=render.facts,
        spec=spec,
        clearing=render.clearing,
        evidence=render.evidence,
        analysis_scale=render.analysis_scale,
        alpha=laid.alpha,
        covered=render.coverage(render.analysis_scale, render.whole(render.analysis_scale)),
        laid_over=laid.covered,
        stretches=render.stretches,
        placing=placing,
        burnt=laid.burnt,
        drowned=laid.drowned,
        colours=render.colours,
        cast=render.cast,
        result=back.pixels,
        data=data,
        result_facts=inspect_photo(merged_of(data) if spec.file == "openraster" else data, render.name, OWN),
        trimmed=trimmed,
        by_hand=_by_hand(render),
        shifted=render.shifted,
        meant_tinted=render.colour.tint is not None or render.colour.recolour is not None,
        looked=None if render.given_alpha else render.second_look,
        inked=render.inked,
        found_inked=render.found_inked,
        bars=render.bars,
        spread=render.solution.spread / render.analysis_scale * placing.scale,
        blur=render.blur,
        crisp=render.solution.crisp,
    )


def _by_hand(render: Render) -> Mask | None:
    """Where mends, strokes, outlines or a size under which pieces go have a person's word for this photo."""
    said = [where for where in (render.touched_at_all, render.painted) if where is not None]
    if render.marks.edge.specks is not None:
        said.append(cv2.dilate(render.tidying.dropped.view(np.uint8), np.ones((3, 3), np.uint8)) > 0)
    return np.logical_or.reduce(said) if said else None


def on_canvas(render: Render, spec: ListingSpec, placing: Placing) -> Laid:
    """The photo, finished and laid on its canvas."""
    region, at = _overlap(render, placing)
    sixteen = spec.bits == 16 or (spec.bits is None and render.facts.bits == 16)
    dtype = np.dtype(np.uint16 if sixteen and spec.file in DEEP else np.uint8)
    clear = spec.background == "transparent"
    card = card_behind(spec, placing)
    canvas = np.zeros((placing.height, placing.width, 4 if clear else 3), dtype)
    if not clear:
        canvas[:] = _in_depth(card, dtype)
    alpha = np.zeros((placing.height, placing.width), np.float32)
    shadow = np.zeros(alpha.shape, np.float32) if render.shadow is not None else alpha
    burnt, drowned = np.zeros(alpha.shape, np.uint8), np.zeros(alpha.shape, np.uint8)
    if region is None:
        return _with_added(Laid(canvas, alpha, shadow, burnt, drowned), spec)
    touched = render.touched_at_all
    tones_change = not render.product_tone.plain or render.product_tone.evening is not None or not render.colour.plain
    # A mend may take its pixels from anywhere, so with mends all is made at once.
    strips = [region] if render.mends else _strips(region)
    for strip in strips:
        top_row = at[0].start + strip.top - region.top
        here = slice(top_row, top_row + strip.bottom - strip.top), at[1]
        behind = card if card.shape[:2] == (1, 1) else np.ascontiguousarray(card[here])
        # Not under a name: at full size, what was laid on the canvas must not stay while more is.
        canvas[here] = _in_depth(render.cutout(placing.scale, strip) if clear else render.picture(placing.scale, strip, behind), dtype)
        alpha[here] = render.coverage(placing.scale, strip)
        opacity = render.shadow_of(placing.scale, strip)
        if opacity is not None:
            shadow[here] = opacity
        if tones_change:
            solid = alpha[here] > 0.98
            if touched is not None:
                # What a person put there is no loss of the photo's.
                solid &= ~render.under(touched, placing.scale, strip)
            for out, found in zip((burnt, drowned), newly_clipped(render.part(placing.scale, strip).pixels, canvas[here]), strict=True):
                out[here] = np.where(solid, found, np.uint8(0))
        if len(strips) > 1:
            render.let_go(placing.scale, strip)
    return _with_added(Laid(canvas, alpha, shadow, burnt, drowned), spec)


def _strips(region: Region) -> list[Region]:
    """A region in strips that are made one after the other: at full size, what each takes meanwhile would be felt."""
    rows = max(1, _STRIP // max(region.right - region.left, 1))
    return [Region(row, min(row + rows, region.bottom), region.left, region.right) for row in range(region.top, region.bottom, rows)]


def _in_depth(pixels: Coded, dtype: np.dtype[Any]) -> Coded:
    """The same values in 8 or 16 bits."""
    if pixels.dtype == dtype:
        return pixels
    return Picture(pixels).eight_bit().pixels if dtype == np.uint8 else pixels.astype(np.uint16) * 257


def _with_added(laid: Laid, spec: ListingSpec) -> Laid:
    """With the spec's own pictures and marks laid over it, mixed in linear light."""
    if not spec.added:
        return laid
    pixels, added = laid.pixels.copy(), np.zeros(laid.alpha.shape, np.float32)
    full = float(top(pixels.dtype))
    for one in spec.added:
        mark = added_at(one, pixels.shape[1], pixels.shape[0])
        under = pixels[mark.at].astype(np.float32) / full
        cover, light = mark.alpha[..., None], decode(mark.pixels.astype(np.float32) / 255)
        if pixels.shape[2] == 4:
            below = under[..., 3:] * (1 - cover)
            whole = np.maximum(cover + below, 1e-6)
            mixed = np.dstack([encode((cover * light + below * decode(under[..., :3])) / whole), cover + below])
        else:
            mixed = encode(cover * light + (1 - cover) * decode(under))
        pixels[mark.at] = np.where(cover > 0, np.round(mixed * full), pixels[mark.at]).astype(pixels.dtype)
        added[mark.at] = np.maximum(added[mark.at], mark.alpha)
    return replace(laid, pixels=pixels, added=added)


def _parts(render: Render, spec: ListingSpec, placing: Placing) -> tuple[Part, ...]:
    """Of a layered file: cut-out, original and backdrop, each on the canvas."""
    region, at = _overlap(render, placing)
    size = (placing.height, placing.width)
    cutout, original = np.zeros((*size, 4), np.uint8), np.zeros((*size, 4), np.uint8)
    if region is not None:
        cutout[at] = _in_depth(render.cutout(placing.scale, region), cutout.dtype)
    width, height = render.size_at(placing.scale)
    whole = Region(max(0, -placing.top), min(height, size[0] - placing.top), max(0, -placing.left), min(width, size[1] - placing.left))
    seen = np.s_[whole.top + placing.top : whole.bottom + placing.top, whole.left + placing.left : whole.right + placing.left]
    original[seen] = np.dstack([_in_depth(render.part(placing.scale, whole).pixels, original.dtype), np.full(whole.shape, 255, np.uint8)])
    behind = np.broadcast_to(card_behind(spec, placing), (*size, 3))
    return (
        Part("Cut-out", encode_picture(cutout, "png")),
        Part("Original", encode_picture(original, "png"), shown=False),
        Part("Backdrop", encode_picture(np.ascontiguousarray(behind), "png"), shown=spec.background != "transparent"),
    )


def _preview(laid: Laid, spec: ListingSpec) -> NDArray[np.uint8]:
    """The result at the size of a tile on the line-up, as straight RGBA.

    From a result on white the colour is taken back such that laid on white it is the result again.
    """
    pixels, alpha = laid.pixels, laid.alpha
    h, w = alpha.shape
    s = min(1.0, PREVIEW_SIDE / max(h, w))
    size = (max(1, round(w * s)), max(1, round(h * s)))
    small = area_mean(pixels, even_levels(pixels.dtype), nearest_levels(np.uint8), *size)
    if small.shape[2] == 4:
        return small
    if spec.background != "white":
        return np.dstack([small, np.full(small.shape[:2], 255, np.uint8)])
    opacity = alpha + (1 - alpha) * laid.shadow
    cover = cv2.resize(opacity if laid.added is None else np.maximum(opacity, laid.added), size, interpolation=cv2.INTER_AREA)[..., None]
    colour = 255 - (255 - small.astype(np.float32)) / np.maximum(cover, 1e-3)
    return np.dstack([np.clip(colour, 0, 255), cover * 255]).round().astype(np.uint8)


def _overlap(render: Render, placing: Placing) -> tuple[Region | None, tuple[slice, slice]]:
    """The part of the photo that lies on the canvas and may hold product, and where; None if there is none."""
    width, height = render.size_at(placing.scale)
    # The box was found on the analysis picture; at another size an edge may reach a little farther.
    margin = 2 + int(np.ceil(3 * placing.scale / render.analysis_scale))
    # A shadow may lie anywhere.
    shares = render.box if render.shadow is None else (0.0, 0.0, 1.0, 1.0)
    box = [round(share * side) for share, side in zip(shares, (width, height, width, height), strict=True)]
    left, up = max(0, -placing.left, box[0] - margin), max(0, -placing.top, box[1] - margin)
    region = Region(
        up,
        min(height, placing.height - placing.top, box[3] + margin),
        left,
        min(width, placing.width - placing.left, box[2] + margin),
    )
    y, x = up + placing.top, left + placing.left
    h, w = region.shape
    return (region if h > 0 and w > 0 else None), np.s_[y : y + max(h, 0), x : x + max(w, 0)]


def _figures(render: Render, laid: Laid, placing: Placing, file: Written) -> dict[str, float | None]:
    graph = render.graph
    low, high = render.decisions.backdrop.levels
    covered = max(float(laid.alpha.sum()), 1.0)
    length = sum(stretch.length for stretch in render.stretches)
    return {
        **_frame_figures(render),
        "white point (level)": render.white_point,
        "just clips (level)": graph.just_clips,
        "backdrop short of white before the cut (%)": round(100 * _at(graph.short, graph.levels, render.white_point), 3),
        "product burnt (%)": round(100 * float(np.count_nonzero(laid.burnt)) / covered, 3),
        "product drowned (%)": round(100 * float(np.count_nonzero(laid.drowned)) / covered, 3),
        "cast after balance (ΔE00)": None if render.cast is None else round(render.cast, 2),
        "light of the backdrop (level)": round(255 * float(encode(np.array(render.backdrop_light)).mean()), 1),
        "cast of the backdrop (ΔE00)": round(cast_of(render.backdrop_light), 2),
        "tolerance (× noise)": round(render.clearing.tolerance, 2),
        "fringe (ΔE00)": round(sum(s.fringe * s.length for s in render.stretches) / length, 2) if length else None,
        # What was drawn has edges as sharp as can be, and mostly nothing else to tell by.
        "softness (px)": None if render.solution.crisp else softness(laid.pixels, laid.alpha, placing.scale),
        "backdrop darkest (level)": low,
        "backdrop lightest (level)": high,
        "backdrop red (linear)": round(render.backdrop_light[0], 5),
        "backdrop green (linear)": round(render.backdrop_light[1], 5),
        "backdrop blue (linear)": round(render.backdrop_light[2], 5),
        "backdrop explains of the border (%)": round(100 * render.decisions.backdrop.ring_share, 1),
        # Not of a crop: photos of a lot are compared by it, and a run sheet crops some of them.
        "product of the photo (%)": round(100 * float(render.decisions.product.mean()) * render.framing.share, 2),
        "scale (delivered px per original px)": round(placing.scale, 4),
        "file (bytes)": len(file.data),
        "quality of the file": file.quality,
        **_mended_figures(render),
    }


def _mended_figures(render: Render) -> dict[str, float | None]:
    """How much of the product is no longer the photo; left out without mends."""
    if not render.mends:
        return {}
    return {"mended (% of product)": round(100 * render.touched_share, 3), "mends (count)": len(render.mends)}


def _frame_figures(render: Render) -> dict[str, float | None]:
    """The crop that the run sheet found, in shares of the frame; left out if there is none. A person's own is among the photo's marks."""
    if render.marks.frame is not None or render.frame is None or render.frame.crop is None:
        return {}
    return {f"crop {side} (share)": value for side, value in zip(CROP_SIDES, render.frame.crop, strict=True)}


def _at(values: list[float], levels: list[int], level: int) -> float:
    return values[min(max(level - levels[0], 0), len(values) - 1)]
