"""Putting a region together: the product's pixels with their light multiplied, laid on a card or cut out.

In all functions: `pixels` are coded, uint8 or uint16, shape (h, w, 3); `factors` multiply linear light and are float32 of
shape (h, w), or (1, 1) for one factor everywhere; after that the tone's tables apply; `cut` is the region's matte.
Balance, black and white point, mid-tone and curve are one table per channel, and one pass over the pixels.
"""

from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, Float, code_table, codes_of_light, light_of_codes, linear_table, top
from yardchalk.core.compiled import compiled
from yardchalk.core.stages.edge.matte import Cutout
from yardchalk.core.stages.edge.page_true import page_true
from yardchalk.core.stages.lift import Tone


def toned(pixels: Coded, factors: Float, tone: Tone) -> Coded:
    """The pixels with their tone changed; the same dtype. Under one factor everywhere it is one look-up per value."""
    if factors.size == 1 and pixels.dtype == np.uint8:
        if tone.plain and factors[0, 0] == 1:
            return pixels
        light = np.minimum(light_of_codes(np.uint8) * factors[0, 0] + np.float32(0.5), 65535).astype(np.uint16)
        return cv2.LUT(pixels, np.ascontiguousarray(codes_of_light(np.uint8)[tone.tables[:, light]].T)[:, None])
    out = np.empty_like(pixels)
    _tone(pixels, factors, *_tables(pixels, tone), out)
    return out


def mixed(lifted: Coded, plain: Coded, mask: Float) -> Coded:
    """Lifted where the mask (h, w) is 1, plain where it is 0, mixed in linear light between."""
    out = np.empty_like(lifted)
    _blend(lifted, plain, mask, light_of_codes(lifted.dtype), codes_of_light(lifted.dtype), out)
    return out


def mixed_band(cut: Cutout, factors: Float, lifted: Tone, plain: Tone, mask: Float) -> Cutout:
    """The matte with its band's colours lifted as far as the mask says."""
    bright = _lit(cut.rows, cut.columns, cut.colour, factors, lifted.tables)
    shot = _lit(cut.rows, cut.columns, cut.colour, np.ones((1, 1), np.float32), plain.tables)
    share = mask[cut.rows, cut.columns, None]
    return replace(cut, colour=share * bright + (1 - share) * shot)


def lit(cut: Cutout, factors: Float, tone: Tone) -> Cutout:
    """The matte with its band's colours toned."""
    return replace(cut, colour=_lit(cut.rows, cut.columns, cut.colour, factors, tone.tables))


def _tables(pixels: Coded, tone: Tone) -> tuple[NDArray[np.uint16], Coded, bool]:
    """Codes to light, light to toned codes (3, 65536), and whether a pixel of factor 1 stays as it is."""
    return light_of_codes(pixels.dtype), codes_of_light(pixels.dtype)[tone.tables], tone.plain


def on_card(pixels: Coded, factors: Float, tone: Tone, cut: Cutout, card: NDArray[np.uint8]) -> Coded:
    """The product on a card, mixed in linear light, or in codes if that is how it was drawn; exactly the card where it covers nothing.

    Parameters
    ----------
    card : uint8, shape (h, w, 3), or (1, 1, 3) for one colour.

    Returns
    -------
    coded, shape (h, w, 3), dtype of the pixels.
    """
    out = np.empty_like(pixels)
    step = out.dtype.type(top(out.dtype) // 255)
    _cover(pixels, factors, cut.alpha, card, step, *_tables(pixels, tone), out)
    light = _lit(cut.rows, cut.columns, cut.colour, factors, tone.tables)
    if cut.drawn:
        _mix_codes(cut, light, card, out)
        return out
    _mix(cut.alpha, cut.rows, cut.columns, light, card, linear_table(256), codes_of_light(pixels.dtype), out)
    return out


def cut_out(pixels: Coded, factors: Float, tone: Tone, cut: Cutout, *, for_pages: bool) -> Coded:
    """The product as straight RGBA, coded, shape (h, w, 4); with `for_pages` its edges are page-true."""
    out = np.empty((*pixels.shape[:2], 4), pixels.dtype)
    full = top(pixels.dtype)
    _lift_off(pixels, factors, cut.alpha, *_tables(pixels, tone), out.dtype.type(full), out)
    alpha, light = cut.alpha[cut.rows, cut.columns], _lit(cut.rows, cut.columns, cut.colour, factors, tone.tables)
    alpha, coded = page_true(alpha, light) if for_pages and not cut.drawn else (alpha, _coded(light))
    _rim(cut.rows, cut.columns, alpha, coded, np.float32(full), out)
    return out


@compiled
def _tone(pixels: Coded, factors: Float, light: NDArray[np.uint16], codes: Coded, plain: bool, out: Coded) -> None:
    across, down = int(factors.shape[1] > 1), int(factors.shape[0] > 1)
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            _tone_pixel(pixels[y, x], factors[y * down, x * across], light, codes, plain, out[y, x])


@compiled
def _blend(lifted: Coded, plain: Coded, mask: Float, light: NDArray[np.uint16], codes: Coded, out: Coded) -> None:
    for y in range(lifted.shape[0]):
        for x in range(lifted.shape[1]):
            share = mask[y, x]
            for k in range(3):
                a, b = lifted[y, x, k], plain[y, x, k]
                if a == b or share == 1:
                    out[y, x, k] = a
                elif share == 0:
                    out[y, x, k] = b
                else:
                    out[y, x, k] = codes[int(share * light[a] + (np.float32(1) - share) * light[b] + np.float32(0.5))]


@compiled
def _tone_pixel(pixel: Coded, factor: np.float32, light: NDArray[np.uint16], codes: Coded, plain: bool, out: Coded) -> None:
    """Of a pixel's three colours; with a plain tone and nothing to even, they stay to the last bit."""
    for k in range(3):
        out[k] = pixel[k] if plain and factor == 1 else codes[k, _times(light[pixel[k]], factor)]


@compiled
def _times(light: Any, factor: np.float32) -> int:
    return min(int(light * factor + np.float32(0.5)), 65535)


@compiled
def _cover(
    pixels: Coded,
    factors: Float,
    alpha: Float,
    card: NDArray[np.uint8],
    step: Any,
    light: NDArray[np.uint16],
    codes: Coded,
    plain: bool,
    out: Coded,
) -> None:
    across, down = int(factors.shape[1] > 1), int(factors.shape[0] > 1)
    card_across, card_down = int(card.shape[1] > 1), int(card.shape[0] > 1)
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            if alpha[y, x] == 0:
                for k in range(3):
                    out[y, x, k] = card[y * card_down, x * card_across, k] * step
            else:
                _tone_pixel(pixels[y, x], factors[y * down, x * across], light, codes, plain, out[y, x])


@compiled
def _mix(
    alpha: Float,
    rows: NDArray[np.intp],
    columns: NDArray[np.intp],
    light: Float,
    card: NDArray[np.uint8],
    table: Float,
    codes: Coded,
    out: Coded,
) -> None:
    card_across, card_down = int(card.shape[1] > 1), int(card.shape[0] > 1)
    one = np.float32(1)
    for i in range(rows.size):
        y, x = rows[i], columns[i]
        a = alpha[y, x]
        if a == 0:
            continue
        for k in range(3):
            behind = table[card[y * card_down, x * card_across, k]]
            mixed = a * light[i, k] + (one - a) * behind
            out[y, x, k] = codes[min(int(mixed * 65535 + 0.5), 65535)]


def _mix_codes(cut: Cutout, light: Float, card: NDArray[np.uint8], out: Coded) -> None:
    alpha = cut.alpha[cut.rows, cut.columns, None]
    behind = np.broadcast_to(card, out.shape)[cut.rows, cut.columns] / np.float32(255)
    out[cut.rows, cut.columns] = (alpha * _coded(light) + (1 - alpha) * behind) * np.float32(top(out.dtype)) + np.float32(0.5)


def _coded(light: Float) -> Float:
    return code_table()[_steps(light)] * np.float32(1 / 65535)


@compiled
def _lift_off(
    pixels: Coded, factors: Float, alpha: Float, light: NDArray[np.uint16], codes: Coded, plain: bool, full: Any, out: Coded
) -> None:
    across, down = int(factors.shape[1] > 1), int(factors.shape[0] > 1)
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            if alpha[y, x] == 0:
                for k in range(4):
                    out[y, x, k] = 0
            else:
                _tone_pixel(pixels[y, x], factors[y * down, x * across], light, codes, plain, out[y, x])
                out[y, x, 3] = full


@compiled
def _lit(rows: NDArray[np.intp], columns: NDArray[np.intp], colour: Float, factors: Float, tables: NDArray[np.uint16]) -> Float:
    """The band's light (n, 3), toned."""
    across, down = int(factors.shape[1] > 1), int(factors.shape[0] > 1)
    out = np.empty_like(colour)
    for i in range(rows.size):
        for k in range(3):
            light = min(colour[i, k] * factors[rows[i] * down, columns[i] * across], np.float32(1))
            out[i, k] = tables[k, int(light * 65535 + 0.5)] * np.float32(1 / 65535)
    return out


@compiled
def _steps(light: Float) -> NDArray[np.uint16]:
    """Light of 0..1 in 16 bits."""
    out = np.empty(light.shape, np.uint16)
    for i in range(light.shape[0]):
        for k in range(3):
            out[i, k] = int(light[i, k] * 65535 + 0.5)
    return out


@compiled
def _rim(rows: NDArray[np.intp], columns: NDArray[np.intp], alpha: Float, coded: Float, full: np.float32, out: Coded) -> None:
    half = np.float32(0.5)
    for i in range(rows.size):
        y, x = rows[i], columns[i]
        stored = int(alpha[i] * full + half)
        out[y, x, 3] = stored
        for k in range(3):
            out[y, x, k] = int(coded[i, k] * full + half) if stored > 0 else 0
