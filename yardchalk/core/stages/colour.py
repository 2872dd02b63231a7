"""Colour: the product's own colours in one pass over its pixels, after all mends.

In order: exposure (linear light); brightness, contrast and curve (coded values); balance of shadows, middles and lights (coded
values); hue, saturation, vibrance and tint in OKLab (B. Ottosson, *A perceptual color space for image processing*, 2020), at each
pixel's own lightness; one colour for all; and how much of all this.
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, Float, Mask, code_table, codes_of_light, decode, encode, light_of_codes, to_lab, to_linear
from yardchalk.core.colour_settings import ColourSettings
from yardchalk.core.compiled import compiled
from yardchalk.core.stages.lift import curved

_RANGE = 0.25  # of full level, that 100 % in a range adds where it is all of that range
_STRONG = 0.2  # chroma in OKLab that vibrance leaves as it is
_OUT = 1 / 255  # how far a channel may leave sRGB before it counts
_NEUTRAL = 5.0  # chroma in CIELAB up to which a pixel counts as neutral
_SEEN = 12.0  # lightness, L*, under which nobody sees a hue


@dataclass(frozen=True)
class Shifted:
    """What Colour did to the product, on the analysis picture.

    Attributes
    ----------
    left : bool, shape (h, w), where a colour left sRGB that had not.
    left_share : of the product, 0..1.
    neutral_shift : how far, in a* and b*, neutrals were moved from where they were, in the mean; None where there are none.
    neutrals : bool, shape (h, w), those.
    """

    left: Mask
    left_share: float
    neutral_shift: float | None
    neutrals: Mask


def coloured(pixels: Coded, settings: ColourSettings) -> Coded:
    """Coded pixels (h, w, 3) with their colours changed; the same dtype. With plain settings, the same array."""
    if settings.plain:
        return pixels
    out = np.empty_like(pixels)
    flat, values = out.reshape(-1, 3), np.ascontiguousarray(pixels).reshape(-1, 3)
    _change_codes(values, *_prepared(settings), light_of_codes(pixels.dtype), codes_of_light(pixels.dtype), code_table(), flat)
    return out


def coloured_light(light: Float, settings: ColourSettings) -> Float:
    """The same for linear light (n, 3), float32."""
    if settings.plain or not light.size:
        return light
    return _changed(light, settings)[0]


def shifted(pixels: NDArray[np.uint8], alpha: Float, settings: ColourSettings) -> Shifted:
    """What the settings do to the product's colours: coded pixels (h, w, 3) before, and coverage (h, w)."""
    h, w = alpha.shape
    product = alpha > 0.5
    light, left = _changed(to_linear(pixels).reshape(-1, 3), settings)
    left = left.reshape(h, w) & product
    before, after = to_lab(pixels), to_lab(np.round(encode(light.reshape(h, w, 3)) * 255).astype(np.uint8))
    neutral = product & (np.hypot(before[..., 1], before[..., 2]) < _NEUTRAL) & (before[..., 0] > _SEEN)
    moved = np.hypot(after[..., 1] - before[..., 1], after[..., 2] - before[..., 2])[neutral]
    total = max(int(product.sum()), 1)
    # A handful of grey pixels on an edge are no neutral.
    enough = moved.size > 0.002 * total
    return Shifted(left, float(left.sum()) / total, float(moved.mean()) if enough else None, neutral)


def _changed(light: Float, settings: ColourSettings) -> tuple[Float, Mask]:
    out, left = np.empty_like(light), np.zeros(light.shape[0], bool)
    _change_light(np.ascontiguousarray(light), *_prepared(settings), code_table(), out, left)
    return out, left


@lru_cache(maxsize=32)
def _prepared(settings: ColourSettings) -> tuple[Float, NDArray[np.uint16], Float, Float]:
    """Numbers, tone table, ranges and one colour, as the loop takes them."""
    light = np.arange(65536) / 65535
    coded = encode(light).astype(np.float64)
    coded **= 2 ** (-settings.brightness / 100)
    coded += 2 * settings.contrast / 100 * coded * (1 - coded) * (coded - 0.5)
    tone = np.round(decode(curved(coded, settings.curve)) * 65535).astype(np.uint16)
    ranges = (np.array([settings.shadows, settings.middles, settings.lights]) / 100 * _RANGE).astype(np.float32)
    tint, one = (_light_of(colour) for colour in (settings.tint, settings.recolour))
    hue = np.radians(settings.hue)
    lab = _oklab(tint) if settings.tint is not None else np.zeros(3, np.float32)
    in_oklab = bool(settings.hue or settings.saturation or settings.vibrance or settings.tint is not None)
    numbers = np.array(
        [
            2.0**settings.exposure,
            np.cos(hue),
            np.sin(hue),
            1 + settings.saturation / 100,
            settings.vibrance / 100,
            settings.amount / 100,
            float(in_oklab),
            float(settings.tint is not None),
            lab[1],
            lab[2],
            float(settings.recolour is not None),
            float(bool(ranges.any())),
        ],
        np.float32,
    )
    return numbers, tone, ranges, one


def _light_of(colour: str | None) -> Float:
    return decode(np.array([int((colour or "#000000")[k : k + 2], 16) for k in (1, 3, 5)]) / 255)


def _oklab(light: Float) -> Float:
    out = np.zeros(3, np.float32)
    _to_oklab(light[0], light[1], light[2], out)
    return out


@compiled
def _to_oklab(r: np.float32, g: np.float32, b: np.float32, out: Float) -> None:
    third = np.float32(1 / 3)
    l_ = (np.float32(0.4122214708) * r + np.float32(0.5363325363) * g + np.float32(0.0514459929) * b) ** third
    m_ = (np.float32(0.2119034982) * r + np.float32(0.6806995451) * g + np.float32(0.1073969566) * b) ** third
    s_ = (np.float32(0.0883024619) * r + np.float32(0.2817188376) * g + np.float32(0.6299787005) * b) ** third
    out[0] = np.float32(0.2104542553) * l_ + np.float32(0.7936177850) * m_ - np.float32(0.0040720468) * s_
    out[1] = np.float32(1.9779984951) * l_ - np.float32(2.4285922050) * m_ + np.float32(0.4505937099) * s_
    out[2] = np.float32(0.0259040371) * l_ + np.float32(0.7827717662) * m_ - np.float32(0.8086757660) * s_


@compiled
def _from_oklab(lightness: np.float32, a: np.float32, b: np.float32, out: Float) -> None:
    l_ = lightness + np.float32(0.3963377774) * a + np.float32(0.2158037573) * b
    m_ = lightness - np.float32(0.1055613458) * a - np.float32(0.0638541728) * b
    s_ = lightness - np.float32(0.0894841775) * a - np.float32(1.2914855480) * b
    l3, m3, s3 = l_ * l_ * l_, m_ * m_ * m_, s_ * s_ * s_
    out[0] = np.float32(4.0767416621) * l3 - np.float32(3.3077115913) * m3 + np.float32(0.2309699292) * s3
    out[1] = np.float32(-1.2684380046) * l3 + np.float32(2.6097574011) * m3 - np.float32(0.3413193965) * s3
    out[2] = np.float32(-0.0041960863) * l3 - np.float32(0.7034186147) * m3 + np.float32(1.7076147010) * s3


@compiled
def _change(
    r: np.float32,
    g: np.float32,
    b: np.float32,
    numbers: Float,
    tone: NDArray[np.uint16],
    ranges: Float,
    one: Float,
    codes: NDArray[np.uint16],
    lab: Float,
    out: Float,
) -> bool:
    """One pixel's linear light, changed, into `out`; whether it left sRGB."""
    full, nothing, unit = np.float32(65535), np.float32(0), np.float32(1)
    left = False
    for k in range(3):
        light = (r if k == 0 else g if k == 1 else b) * numbers[0]
        left |= light > unit + np.float32(_OUT)
        out[k] = tone[int(min(light, unit) * full + np.float32(0.5))] / full
    if numbers[11] > 0:
        for k in range(3):
            lab[k] = codes[int(out[k] * full + np.float32(0.5))] / full
        luma = np.float32(0.299) * lab[0] + np.float32(0.587) * lab[1] + np.float32(0.114) * lab[2]
        dark, bright = (unit - luma) * (unit - luma), luma * luma
        between = unit - dark - bright
        mean = nothing
        for k in range(3):
            out[k] = dark * ranges[0, k] + between * ranges[1, k] + bright * ranges[2, k]
            mean += (np.float32(0.299) if k == 0 else np.float32(0.587) if k == 1 else np.float32(0.114)) * out[k]
        for k in range(3):
            # Hues move; how light it is stays.
            v = lab[k] + out[k] - mean
            left |= v > unit + np.float32(_OUT) or v < -np.float32(_OUT)
            v = min(max(v, nothing), unit)
            out[k] = v / np.float32(12.92) if v <= np.float32(0.04045) else ((v + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)
    if numbers[6] > 0:
        _to_oklab(out[0], out[1], out[2], lab)
        lightness, p, q = lab[0], lab[1], lab[2]
        if numbers[7] > 0:
            p, q = numbers[8], numbers[9]
            # Neither black nor white can hold a hue.
            room = min(unit, np.float32(4) * lightness * max(unit - lightness, nothing) + np.float32(0.2) * lightness)
            p, q = p * room, q * room
        turned = p * numbers[1] - q * numbers[2]
        q = p * numbers[2] + q * numbers[1]
        p = turned
        chroma = np.sqrt(p * p + q * q)
        weak = max(nothing, unit - chroma / np.float32(_STRONG))
        factor = numbers[3] * (unit + numbers[4] * weak)
        _from_oklab(lightness, p * factor, q * factor, out)
    if numbers[10] > 0:
        for k in range(3):
            out[k] = one[k]
    for k in range(3):
        before = r if k == 0 else g if k == 1 else b
        value = before + numbers[5] * (out[k] - before)
        # A code's width in light, at the dark and at the light end.
        left |= value > unit + np.float32(0.009) or value < -np.float32(0.0009)
        out[k] = min(max(value, nothing), unit)
    return left


@compiled
def _change_codes(
    values: Coded,
    numbers: Float,
    tone: NDArray[np.uint16],
    ranges: Float,
    one: Float,
    light: NDArray[np.uint16],
    back: Coded,
    codes: NDArray[np.uint16],
    out: Coded,
) -> None:
    lab, changed = np.empty(3, np.float32), np.empty(3, np.float32)
    full = np.float32(65535)
    for i in range(values.shape[0]):
        r, g, b = light[values[i, 0]] / full, light[values[i, 1]] / full, light[values[i, 2]] / full
        _change(np.float32(r), np.float32(g), np.float32(b), numbers, tone, ranges, one, codes, lab, changed)
        for k in range(3):
            out[i, k] = back[int(changed[k] * full + np.float32(0.5))]


@compiled
def _change_light(
    values: Float,
    numbers: Float,
    tone: NDArray[np.uint16],
    ranges: Float,
    one: Float,
    codes: NDArray[np.uint16],
    out: Float,
    left: NDArray[Any],
) -> None:
    lab, changed = np.empty(3, np.float32), np.empty(3, np.float32)
    for i in range(values.shape[0]):
        left[i] = _change(values[i, 0], values[i, 1], values[i, 2], numbers, tone, ranges, one, codes, lab, changed)
        for k in range(3):
            out[i, k] = changed[k]
