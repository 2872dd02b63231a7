"""Transfer functions, luma and colour difference.

*Coded* values are sRGB (IEC 61966-2-1) as files hold them, as uint8, uint16 or float 0..1; *linear* values are
proportional to light, float32 0..1.
"""

from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.color import deltaE_ciede2000, rgb2lab

from yardchalk.core.compiled import compiled

# uint8 or uint16; numpy's types lose the difference in most calls, so it is said in words.
Coded = NDArray[Any]
Float = NDArray[np.float32]
Mask = NDArray[np.bool_]

# Rec. 601 luma of coded values: what JPEG keeps at full resolution while it halves that of chroma.
LUMA = np.array([0.299, 0.587, 0.114], np.float32)

_KEYS = -0.75  # the slope that cubic convolution has at one pixel's distance: steeper is crisper


def decode(coded: NDArray[Any]) -> Float:
    """Linear light of coded float values in 0..1 (sRGB transfer function, IEC 61966-2-1), any shape."""
    v = np.asarray(coded, np.float32)
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4).astype(np.float32)


def encode(linear: NDArray[Any]) -> Float:
    """Coded float values in 0..1 of linear light; negative light becomes 0."""
    v = np.maximum(np.asarray(linear, np.float32), 0)
    return np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055).astype(np.float32)


def top(dtype: np.dtype[Any] | type) -> int:
    """The code for full white: 255 or 65535."""
    return int(np.iinfo(dtype).max)


@cache
def linear_table(levels: int) -> Float:
    """Linear light of every code, float32 of shape (levels,)."""
    return decode(np.arange(levels) / (levels - 1))


@cache
def even_table(levels: int) -> Float:
    """Every code as a share of the highest, float32 of shape (levels,)."""
    return np.linspace(0, 1, levels, dtype=np.float32)


@cache
def log_table(dtype: Any) -> Float:
    """Natural logarithm of linear light of every code of dtype uint8 or uint16, floored at 0.003: float32."""
    return np.log(np.maximum(linear_table(top(dtype) + 1), 3e-3)).astype(np.float32)


@cache
def code_table() -> NDArray[np.uint16]:
    """16-bit sRGB codes of 16-bit linear light: uint16 of shape (65536,)."""
    return np.round(encode(np.arange(65536) / 65535) * 65535).astype(np.uint16)


@cache
def codes_of_light(dtype: Any) -> Coded:
    """Codes, of dtype uint8 or uint16, of 16-bit linear light: shape (65536,)."""
    if np.dtype(dtype) == np.uint16:
        return code_table()
    return np.round(encode(np.arange(65536) / 65535) * 255).astype(np.uint8)


@cache
def light_of_codes(dtype: Any) -> NDArray[np.uint16]:
    """16-bit linear light of every code of dtype uint8 or uint16."""
    return np.round(linear_table(top(dtype) + 1) * 65535).astype(np.uint16)


@cache
def even_levels(dtype: Any) -> NDArray[np.uint16]:
    """What every level of dtype uint8 or uint16 is in 16 bits, evenly spaced."""
    return (np.arange(top(dtype) + 1) * (65535 // top(dtype))).astype(np.uint16)


@cache
def nearest_levels(dtype: Any) -> Coded:
    """Levels, of dtype uint8 or uint16, nearest to every 16-bit one: shape (65536,)."""
    return np.round(np.arange(65536) / (65535 // top(dtype))).astype(dtype)


def to_linear(coded: Coded) -> Float:
    """Linear light of uint8 or uint16 codes: float32 in 0..1, same shape."""
    if coded.dtype == np.uint8 and coded.ndim == 3:
        return cv2.LUT(coded, linear_table(256)).astype(np.float32, copy=False)
    return linear_table(top(coded.dtype) + 1)[coded]


def to_log(coded: NDArray[np.uint8]) -> Float:
    """Natural logarithm of linear light of uint8 codes, floored at 0.003: float32, same shape."""
    return cv2.LUT(coded, log_table(np.uint8)).astype(np.float32, copy=False)


def to_coded(linear: Float, dtype: Any) -> Coded:
    """Round linear light (clipped to 0..1) to uint8 or uint16 codes."""
    light = np.clip(linear * 65535 + 0.5, 0, 65535).astype(np.uint16)
    return codes_of_light(np.dtype(dtype))[light]


@compiled
def darkest(pixels: Coded) -> Coded:
    """The smallest of the colour channels: (h, w) from (h, w, 3 or 4), alpha left out."""
    out = np.empty(pixels.shape[:2], pixels.dtype)
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            out[y, x] = min(pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2])
    return out


def open_peak(pixels: Coded) -> Coded:
    """The largest of the colour channels that is not at full level yet, (h, w); 0 where all three are."""
    return _open_peak(pixels, top(pixels.dtype))


@compiled
def _open_peak(pixels: Coded, full: int) -> Coded:
    out = np.zeros(pixels.shape[:2], pixels.dtype)
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            for k in range(3):
                if out[y, x] < pixels[y, x, k] < full:
                    out[y, x] = pixels[y, x, k]
    return out


def newly_clipped(before: NDArray[Any], after: NDArray[Any]) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """How many channels reached full level, and how many reached 0, that had not before: uint8 (h, w) each, 0 to 3; the
    pictures may differ in depth.
    """
    return _newly_clipped(before, after, top(before.dtype), top(after.dtype))


@compiled
def _newly_clipped(
    before: NDArray[Any], after: NDArray[Any], full_before: int, full_after: int
) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    full = np.zeros(before.shape[:2], np.uint8)
    none = np.zeros(before.shape[:2], np.uint8)
    for y in range(before.shape[0]):
        for x in range(before.shape[1]):
            for k in range(3):
                if after[y, x, k] == full_after and before[y, x, k] < full_before:
                    full[y, x] += 1
                if after[y, x, k] == 0 and before[y, x, k] > 0:
                    none[y, x] += 1
    return full, none


def resize_linear(coded: Coded, width: int, height: int, region: tuple[slice, slice] | None = None) -> Coded:
    """Resize in linear light (area average down, cubic up) and code back; (h, w, 3), same dtype.

    With a region (rows, columns of the resized picture) only that is computed: exactly that part of the whole.
    """
    return _resized(coded, light_of_codes(coded.dtype), codes_of_light(coded.dtype), width, height, region)


def resize_cover(cover: Coded, width: int, height: int, region: tuple[slice, slice] | None = None) -> Coded:
    """Resize coverage, uint8 or uint16 (h, w), as `resize_linear` does colour."""
    return _resized(cover[..., None], even_levels(cover.dtype), nearest_levels(cover.dtype), width, height, region)[..., 0]


def _resized(values: Coded, table: NDArray[np.uint16], codes: Coded, width: int, height: int, region: tuple[slice, slice] | None) -> Coded:
    h, w = values.shape[:2]
    rows, columns = region or (slice(0, height), slice(0, width))
    if (w, h) == (width, height):
        return values[rows, columns]
    if width < w or (width == w and height < h):
        return area_mean(values, table, codes, width, height, (rows, columns))
    left, across = cubic_taps(w, width, columns.start, columns.stop)
    above, down = cubic_taps(h, height, rows.start, rows.stop)
    return _weighted(np.ascontiguousarray(values), table.astype(np.float32), codes, left, across, above, down)


def area_mean(
    values: NDArray[Any], table: NDArray[np.uint16], codes: Coded, width: int, height: int, region: tuple[slice, slice] | None = None
) -> Coded:
    """Scale down by averaging the area under each pixel.

    Parameters
    ----------
    values : uint8 or uint16, shape (h, w, channels)
    table : uint16
        What each value stands for, 0..65535: that is averaged.
    codes : uint8 or uint16, shape (65536,)
        What each mean is written as.
    width, height : of the whole when scaled down, px.
    region : rows and columns of it to compute; all of it by default.

    Returns
    -------
    dtype of `codes`, shape (rows, columns, channels).
    """
    rows, columns = region or (slice(0, height), slice(0, width))
    h, w = values.shape[:2]
    left, across = area_taps(w, width, columns.start, columns.stop)
    above, down = area_taps(h, height, rows.start, rows.stop)
    return _weighted(np.ascontiguousarray(values), table.astype(np.float32), codes, left, across, above, down)


def area_taps(source: int, target: int, start: int, stop: int) -> tuple[NDArray[np.intp], Float]:
    """For target pixels: the first source pixel under each, and the shares of it and the next ones (taps, pixels).

    Taps come in threes, since loops over three at a time are the quickest; the last may be nothing.
    """
    edge = np.arange(start, stop + 1) * (source / target)
    first = np.minimum(np.floor(edge[:-1] + 1e-9).astype(np.intp), source - 1)
    at = first + np.arange(3 * (int(np.ceil(source / target)) // 3 + 1))[:, None]
    share = np.clip(np.minimum(at + 1, edge[1:]) - np.maximum(at, edge[:-1]), 0, 1) * (at < source)
    return first, (share / share.sum(0)).astype(np.float32)


def cubic_taps(source: int, target: int, start: int, stop: int, slope: float = _KEYS) -> tuple[NDArray[np.intp], Float]:
    """The same for a target that is larger: the shares of cubic convolution (Keys, 1981); beyond the border lies more of its pixels."""
    place = (np.arange(start, stop) + 0.5) * (source / target) - 0.5
    base = np.floor(place).astype(np.intp) - 1
    first = np.maximum(base, 0)
    distance = np.abs(place - base - np.arange(4)[:, None])
    near = ((slope + 2) * distance - (slope + 3)) * distance**2 + 1
    far = ((slope * distance - 5 * slope) * distance + 8 * slope) * distance - 4 * slope
    share = np.zeros((6, place.size), np.float32)
    taps = np.clip(base + np.arange(4)[:, None], 0, source - 1) - first
    np.add.at(share, (taps, np.arange(place.size)[None]), np.where(distance <= 1, near, far))
    return first, share


@compiled
def _weighted(
    values: NDArray[Any], table: Float, codes: Coded, left: NDArray[np.intp], across: Float, above: NDArray[np.intp], down: Float
) -> Coded:
    h, w, channels = above.size, left.size, values.shape[2]
    taps = across.shape[0]
    start = left[0]
    wide = (min(left[-1] + taps, values.shape[1]) - start) * channels
    out = np.empty((h, w, channels), codes.dtype)
    # Lines end in taps of nothing, so that the last pixels need no care.
    line = np.zeros(wide + taps * channels, np.float32)
    sums = np.zeros(wide + taps * channels, np.float32)
    mean = np.empty(w, np.float32)
    at = ((left - start) * channels).astype(np.uint32)
    held = -1
    for y in range(h):
        sums[:] = 0
        for t in range(down.shape[0]):
            share = down[t, y]
            if share == 0:
                continue
            if above[y] + t != held:
                held = above[y] + t
                source = values[held, start:].ravel()
                for i in range(wide):
                    line[i] = table[source[i]]
            for i in range(wide):
                sums[i] += share * line[i]
        for k in range(channels):
            mean[:] = np.float32(0.5)
            for t in range(0, taps, 3):
                first, second, third = across[t], across[t + 1], across[t + 2]
                one, two, three = sums[t * channels + k :], sums[(t + 1) * channels + k :], sums[(t + 2) * channels + k :]
                for x in range(w):
                    mean[x] += first[x] * one[at[x]] + second[x] * two[at[x]] + third[x] * three[at[x]]
            for x in range(w):
                out[y, x, k] = codes[min(max(int(mean[x]), 0), 65535)]
    return out


def to_lab(coded: Coded) -> Float:
    """CIELAB (D65) of coded RGB (..., 3)."""
    return rgb2lab(np.asarray(coded, np.float32) / top(coded.dtype)).astype(np.float32)


def delta_e(lab_a: NDArray[Any], lab_b: NDArray[Any]) -> Float:
    """CIEDE2000 colour difference between CIELAB arrays (..., 3)."""
    return deltaE_ciede2000(lab_a, lab_b).astype(np.float32)


def off_hue(log_ratio: NDArray[np.floating]) -> NDArray[np.floating]:
    """How far log ratios of light to a backdrop's, (..., 3), are off its hue, (...): length of red and blue over green."""
    return np.hypot(log_ratio[..., 0] - log_ratio[..., 1], log_ratio[..., 2] - log_ratio[..., 1])
