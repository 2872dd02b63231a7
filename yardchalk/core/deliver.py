"""One photo from its file to a checked result file: what the command line and the workers both run."""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.checks import Checked, Finding, Verdict, run_checks, verdict_of
from yardchalk.core.checks.off_white import MOVED_FLOOR, TOUCHING, within
from yardchalk.core.codecs import SUFFIX, decode_photo, encode_grey, encode_picture, inspect_photo
from yardchalk.core.codecs.reading import Limits
from yardchalk.core.colour import Coded, Float, Mask, area_mean, darkest, encode, newly_clipped, top
from yardchalk.core.compiled import compiled
from yardchalk.core.pixels import Picture
from yardchalk.core.render import Region, Render
from yardchalk.core.settings import ListingSpec
from yardchalk.core.softness import softness
from yardchalk.core.stages.balance import cast_of
from yardchalk.core.stages.place import Placing, full_frame, place

PREVIEW_SIDE = 640
CROP_SIDES = ("left", "top", "right", "bottom")
_QUALITY_STEPS = (95, 97, 99, 100)
_EIGHT_OF_SIXTEEN = np.round(np.arange(65536) / 257).astype(np.uint8)
_BLOCK = 8  # px; of JPEG
# Our own files are read back without the limits that uploads have.
_OWN = Limits(max_bytes=2**40, max_pixels=2**40)


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


def produce(render: Render, spec: ListingSpec, *, whole_frame: bool = False, matte: bool = False) -> Result:
    """Render, place, encode, read back and check one photo.

    Parameters
    ----------
    whole_frame : bool
        Keep the photo's own size and place instead of the spec's canvas and margins.
    matte : bool
        Also encode the coverage.
    """
    size = render.size_at(1.0)
    background = spec.background if render.sheet.place.background == "spec" else render.sheet.place.background
    if background != spec.background:
        spec = spec.model_copy(update={"background": background})
        if background == "transparent" and spec.file == "jpeg":
            # JPEG cannot hold transparency; rather than drop it in silence, lay it on white and let the check say so.
            spec = spec.model_copy(update={"background": "white"})
    placing = full_frame(*size) if whole_frame else place(spec, *size, render.box)
    laid = on_canvas(render, spec, placing)
    alpha, shadow = laid.alpha, laid.shadow
    # Encoding and reading back need the room; the checks look at the canvas and at the analysis picture.
    render.cache.forget_large()
    data, back, quality = _encode(laid.pixels, np.maximum(alpha, shadow), spec)
    findings = run_checks(examine(render, spec, placing, laid, data, back, trimmed=not whole_frame))
    return Result(
        data=data,
        suffix=SUFFIX[spec.file],
        width=placing.width,
        height=placing.height,
        matte=encode_grey(np.round(alpha * 255).astype(np.uint8)) if matte else None,
        preview=_preview(laid.pixels, alpha + (1 - alpha) * shadow),
        verdict=verdict_of(findings),
        findings=findings,
        figures=_figures(render, laid, placing, data, quality),
    )


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
    """

    pixels: Coded
    alpha: Float
    shadow: Float
    burnt: NDArray[np.uint8]
    drowned: NDArray[np.uint8]


def examine(render: Render, spec: ListingSpec, placing: Placing, laid: Laid, data: bytes, back: Picture, *, trimmed: bool) -> Checked:
    """All that the checks look at; `back` is the file decoded again."""
    return Checked(
        facts=render.facts,
        spec=spec,
        clearing=render.clearing,
        evidence=render.evidence,
        analysis_scale=render.analysis_scale,
        alpha=laid.alpha,
        shadow=laid.shadow,
        stretches=render.stretches,
        placing=placing,
        burnt=laid.burnt,
        drowned=laid.drowned,
        colours=render.colours,
        cast=render.cast,
        result=back.pixels,
        data=data,
        result_facts=inspect_photo(data, render.name, _OWN),
        trimmed=trimmed,
    )


def on_canvas(render: Render, spec: ListingSpec, placing: Placing) -> Laid:
    """The photo, finished and laid on its canvas."""
    region, at = _overlap(render, placing)
    dtype = np.uint16 if render.facts.bits == 16 and spec.file == "png" else np.uint8
    full = top(dtype)
    clear = spec.background == "transparent"
    canvas = np.full((placing.height, placing.width, 4 if clear else 3), 0 if clear else full, dtype)
    alpha = np.zeros((placing.height, placing.width), np.float32)
    shadow = np.zeros(alpha.shape, np.float32) if render.shadow is not None else alpha
    burnt, drowned = np.zeros(alpha.shape, np.uint8), np.zeros(alpha.shape, np.uint8)
    if region is None:
        return Laid(canvas, alpha, shadow, burnt, drowned)
    part = render.cutout(placing.scale, region) if clear else render.picture(placing.scale, region, "white")
    canvas[at] = part if part.dtype == dtype else Picture(part).eight_bit().pixels
    alpha[at] = render.cut(placing.scale, region).alpha
    opacity = render.shadow_of(placing.scale, region)
    if opacity is not None:
        shadow[at] = opacity
    if not render.product_tone.plain or render.product_tone.evening is not None:
        solid = alpha[at] > 0.98
        for out, found in zip((burnt, drowned), newly_clipped(render.part(placing.scale, region).pixels, canvas[at]), strict=True):
            out[at] = np.where(solid, found, np.uint8(0))
    return Laid(canvas, alpha, shadow, burnt, drowned)


def _encode(pixels: Coded, alpha: Float, spec: ListingSpec) -> tuple[bytes, Picture, int | None]:
    """Encode and decode again; a JPEG's quality rises until compression keeps the backdrop near the product at 250 or more."""
    if spec.file == "png":
        data = encode_picture(pixels, "png", dpi=spec.dpi)
        return data, decode_photo(data, "result", _OWN), None
    quality = _sufficient_quality(pixels, ~within(alpha, TOUCHING), spec.quality)
    data = encode_picture(pixels, "jpeg", quality=quality, dpi=spec.dpi)
    return data, decode_photo(data, "result", _OWN), quality


def _sufficient_quality(pixels: Coded, away: Mask, quality: int) -> int:
    """The least quality, from the given one up, that keeps every pixel that is `away` at 250 or more; 100 if none does.

    At full chroma resolution a JPEG's blocks do not know of each other. So it is tried out on those blocks alone that
    hold both backdrop and something else, put side by side.
    """
    h, w = away.shape
    mixed = _mixed_blocks(pixels, away, _BLOCK)
    if not mixed.any():
        return quality
    # Encoders fill up the last blocks by repeating the edge.
    down, across = -h % _BLOCK, -w % _BLOCK
    strip = _strip(np.pad(pixels, ((0, down), (0, across), (0, 0)), mode="edge"), mixed)
    watched = _strip(np.pad(away, ((0, down), (0, across)))[..., None], mixed)[..., 0]
    for better in (quality, *(q for q in _QUALITY_STEPS if q > quality)):
        tried = decode_photo(encode_picture(strip, "jpeg", quality=better), "result", _OWN).pixels
        if int(darkest(tried)[watched].min(initial=255)) >= MOVED_FLOOR:
            return better
    return _QUALITY_STEPS[-1]


@compiled
def _mixed_blocks(pixels: Coded, away: Mask, size: int) -> Mask:
    """Blocks, (rows, columns), that hold both a pixel that is away and one that is not white."""
    h, w = away.shape
    rows, columns = (h + size - 1) // size, (w + size - 1) // size
    out = np.zeros((rows, columns), np.bool_)
    for i in range(rows):
        for j in range(columns):
            far, grey = False, False
            for y in range(i * size, min((i + 1) * size, h)):
                for x in range(j * size, min((j + 1) * size, w)):
                    far = far or away[y, x]
                    grey = grey or min(pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2]) < 255
            out[i, j] = far and grey
    return out


def _strip(values: NDArray[Any], chosen: Mask) -> NDArray[Any]:
    """The chosen blocks of values (h, w, channels) put side by side in lines of 128, the last one filled up with the first."""
    channels = values.shape[2]
    rows, columns = chosen.shape
    blocks = values.reshape(rows, _BLOCK, columns, _BLOCK, channels).swapaxes(1, 2)[chosen]
    lines = np.concatenate([blocks, np.repeat(blocks[:1], -len(blocks) % 128, axis=0)]).reshape(-1, 128, _BLOCK, _BLOCK, channels)
    return np.ascontiguousarray(lines.swapaxes(1, 2).reshape(-1, 128 * _BLOCK, channels))


def _preview(pixels: Coded, alpha: Float) -> NDArray[np.uint8]:
    """The result at the size of a tile on the line-up, as straight RGBA.

    From a result on white the colour is taken back such that laid on white it is the result again.
    """
    h, w = alpha.shape
    s = min(1.0, PREVIEW_SIDE / max(h, w))
    size = (max(1, round(w * s)), max(1, round(h * s)))
    depth = top(pixels.dtype)
    small = area_mean(pixels, (np.arange(depth + 1) * (65535 // depth)).astype(np.uint16), _EIGHT_OF_SIXTEEN, *size)
    if small.shape[2] == 4:
        return small
    cover = cv2.resize(alpha, size, interpolation=cv2.INTER_AREA)[..., None]
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


def _figures(render: Render, laid: Laid, placing: Placing, data: bytes, quality: int | None) -> dict[str, float | None]:
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
        "softness (px)": softness(laid.pixels, laid.alpha, placing.scale),
        "backdrop darkest (level)": low,
        "backdrop lightest (level)": high,
        "backdrop red (linear)": round(render.backdrop_light[0], 5),
        "backdrop green (linear)": round(render.backdrop_light[1], 5),
        "backdrop blue (linear)": round(render.backdrop_light[2], 5),
        "backdrop explains of the border (%)": round(100 * render.decisions.backdrop.ring_share, 1),
        "product of the photo (%)": round(100 * float(render.decisions.product.mean()), 2),
        "scale (delivered px per original px)": round(placing.scale, 4),
        "file (bytes)": len(data),
        "JPEG quality": quality,
    }


def _frame_figures(render: Render) -> dict[str, float | None]:
    """The crop that is in force, in shares of the frame; left out if there is none."""
    if render.frame is None or render.frame.crop is None:
        return {}
    return {f"crop {side} (share)": value for side, value in zip(CROP_SIDES, render.frame.crop, strict=True)}


def _at(values: list[float], levels: list[int], level: int) -> float:
    return values[min(max(level - levels[0], 0), len(values) - 1)]
