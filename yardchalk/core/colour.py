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

# uint8 or uint16; numpy's types lose the difference in most calls, so it is said in words.
Coded = NDArray[Any]
Float = NDArray[np.float32]
Mask = NDArray[np.bool_]

# Rec. 601 luma of coded values: what JPEG keeps at full resolution while it halves that of chroma.
LUMA = np.array([0.299, 0.587, 0.114], np.float32)


def decode(coded: NDArray[Any]) -> Float:
    """Linear light of coded float values in 0..1 (sRGB transfer function, IEC 61966-2-1), any shape."""
    v = np.asarray(coded, np.float32)
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4).astype(np.float32)


def encode(linear: NDArray[Any]) -> Float:
    """Coded float values in 0..1 of linear light; negative light becomes 0."""
    v = np.maximum(np.asarray(linear, np.float32), 0)
    return np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055).astype(np.float32)


def encode_quickly(linear: NDArray[Any]) -> Float:
    """Like `encode` for light clipped to 0..1, from a table of 65,536 steps: off by 1e-4 at the most, a tenth of the time."""
    steps = (np.clip(linear, 0, 1) * np.float32(65535) + np.float32(0.5)).astype(np.uint16)
    return _code_table()[steps] * np.float32(1 / 65535)


def top(dtype: np.dtype[Any] | type) -> int:
    """The code for full white: 255 or 65535."""
    return int(np.iinfo(dtype).max)


@cache
def linear_table(levels: int) -> Float:
    """Linear light of every code, float32 of shape (levels,)."""
    return decode(np.arange(levels) / (levels - 1))


@cache
def _log_table() -> Float:
    return np.log(np.maximum(linear_table(256), 3e-3)).astype(np.float32)


@cache
def _code_table() -> NDArray[np.uint16]:
    return np.round(encode(np.arange(65536) / 65535) * 65535).astype(np.uint16)


@cache
def _byte_table() -> NDArray[np.uint8]:
    return np.round(encode(np.arange(65536) / 65535) * 255).astype(np.uint8)


@cache
def _light_table() -> NDArray[np.uint16]:
    return np.round(linear_table(256) * 65535).astype(np.uint16)


def to_linear(coded: Coded) -> Float:
    """Linear light of uint8 or uint16 codes: float32 in 0..1, same shape."""
    if coded.dtype == np.uint8 and coded.ndim == 3:
        return cv2.LUT(coded, linear_table(256)).astype(np.float32, copy=False)
    return linear_table(top(coded.dtype) + 1)[coded]


def to_log(coded: NDArray[np.uint8]) -> Float:
    """Natural logarithm of linear light of uint8 codes, floored at 0.003: float32, same shape."""
    return cv2.LUT(coded, _log_table()).astype(np.float32, copy=False)


def to_coded(linear: Float, dtype: Any) -> Coded:
    """Round linear light (clipped to 0..1) to uint8 or uint16 codes."""
    light = np.clip(linear * 65535 + 0.5, 0, 65535).astype(np.uint16)
    return _coded_light(light, dtype)


def _coded_light(light: NDArray[np.uint16], dtype: Any) -> Coded:
    table = _code_table() if np.dtype(dtype) == np.uint16 else _byte_table()
    # OpenCV's look-up is several times as fast as numpy's, but takes pictures only.
    return cv2.LUT(light, table) if light.ndim == 3 and light.shape[2] <= 4 and light.flags.c_contiguous else table[light]


def lightest(pixels: NDArray[Any]) -> NDArray[Any]:
    """The largest of the colour channels: (h, w) from (h, w, 3 or 4), alpha left out."""
    r, g, b = cv2.split(pixels)[:3]
    return cv2.max(cv2.max(r, g), b)


def darkest(pixels: NDArray[Any]) -> NDArray[Any]:
    """The smallest of the colour channels: (h, w) from (h, w, 3 or 4), alpha left out."""
    r, g, b = cv2.split(pixels)[:3]
    return cv2.min(cv2.min(r, g), b)


def open_peak(pixels: NDArray[Any]) -> NDArray[Any]:
    """The largest of the colour channels that is not at full level yet, (h, w); 0 where all three are."""
    planes = cv2.split(pixels)[:3]
    return lightest(cv2.merge([np.where(plane == top(pixels.dtype), 0, plane).astype(pixels.dtype) for plane in planes]))


def newly_full(before: NDArray[Any], after: NDArray[Any]) -> Mask:
    """Where some channel reached full level that had not before: bool (h, w); the pictures may differ in depth."""
    out = np.zeros(before.shape[:2], np.uint8)
    for was, now in zip(cv2.split(before)[:3], cv2.split(after)[:3], strict=True):
        out |= cv2.bitwise_and(cv2.compare(now, top(after.dtype), cv2.CMP_EQ), cv2.compare(was, top(before.dtype), cv2.CMP_LT))
    return out > 0


def resize_linear(coded: Coded, width: int, height: int) -> Coded:
    """Resize in linear light (area average down, cubic up) and code back; (h, w, 3) or (h, w), same dtype."""
    h, w = coded.shape[:2]
    if (w, h) == (width, height):
        return coded
    down = width < w
    if coded.dtype == np.uint8:
        light = cv2.LUT(coded, _light_table())
    else:
        light = np.round(linear_table(65536)[coded] * 65535).astype(np.uint16)
    light = cv2.resize(light, (width, height), interpolation=cv2.INTER_AREA if down else cv2.INTER_CUBIC)
    return _coded_light(light, coded.dtype)


def with_light_times(coded: Coded, factors: Float | float) -> Coded:
    """Coded pixels (h, w, 3) with their light multiplied, at most white; factors are one number, or float32 (h, w)."""
    table = _light_table() if coded.dtype == np.uint8 else np.round(linear_table(65536) * 65535).astype(np.uint16)
    light = cv2.LUT(coded, table) if coded.dtype == np.uint8 else table[coded]
    if isinstance(factors, float):
        light = cv2.multiply(light, (factors, factors, factors, factors))
    else:
        light = cv2.multiply(light, cv2.merge([factors, factors, factors]), dtype=cv2.CV_16U)
    return _coded_light(light, coded.dtype)


def luma_light(linear: Float) -> Float:
    """Light of the coded luma: decode(Rec. 601 luma of the coded colour), shape (...,) from (..., 3).

    For greys this is the light itself. For colours it is what survives the halved chroma resolution of JPEG
    exactly, so edges measured in it are as sharp as the photo has them.
    """
    return linear_table(65536)[(encode_quickly(linear) @ (LUMA * 65535) + 0.5).astype(np.uint16)]


def to_lab(coded: Coded) -> Float:
    """CIELAB (D65) of coded RGB (..., 3)."""
    return rgb2lab(np.asarray(coded, np.float32) / top(coded.dtype)).astype(np.float32)


def delta_e(lab_a: NDArray[Any], lab_b: NDArray[Any]) -> Float:
    """CIEDE2000 colour difference between CIELAB arrays (..., 3)."""
    return deltaE_ciede2000(lab_a, lab_b).astype(np.float32)
