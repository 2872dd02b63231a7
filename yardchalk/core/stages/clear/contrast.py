"""Contrast map: a grey picture in which product and backdrop differ, from two sources; found by itself, or made by hand."""

from dataclasses import dataclass
from itertools import product as combinations_of
from typing import get_args

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.clear_settings import Combination, ContrastMap, ContrastRegion, Source
from yardchalk.core.colour import Float, Mask, top
from yardchalk.core.stages.clear.ground import Ground

SOURCES: tuple[Source, ...] = get_args(Source)
COMBINATIONS: tuple[Combination, ...] = get_args(Combination)
_FARTHEST = 60.0  # CIELAB; a backdrop distance of this is 1
_SAMPLES = 1500  # of each kind
_QUANTILE = 0.02  # of product and of backdrop that may lie on the wrong side of black and white
_EDGE = 9  # px of the analysis picture left out on either side of the product's border


@dataclass(frozen=True)
class Variant:
    """A map and how well it tells product from backdrop: Fisher's ratio, or Otsu's share where nothing is known."""

    map: ContrastMap
    separation: float


def sources(pixels: NDArray[np.uint8] | NDArray[np.uint16], log_light: Float) -> dict[Source, Float]:
    """All sources of coded pixels (..., 3), each 0..1; `log_light` is that of the backdrop there, (..., 3)."""
    coded = pixels.astype(np.float32) / np.float32(top(pixels.dtype))
    lab = _lab(coded, cv2.COLOR_RGB2Lab)
    most, least = coded.max(-1), coded.min(-1)
    behind = np.exp(np.minimum(log_light, 0)).astype(np.float32)
    apart = lab - _lab(behind, cv2.COLOR_LRGB2Lab)
    # What a shadow does to the backdrop is no difference in hue; so lightness counts less.
    far = np.sqrt((0.5 * apart[..., 0]) ** 2 + apart[..., 1] ** 2 + apart[..., 2] ** 2)
    return {
        "R": coded[..., 0],
        "G": coded[..., 1],
        "B": coded[..., 2],
        "L*": lab[..., 0] / np.float32(100),
        "a*": np.clip(lab[..., 1] / 128 + 0.5, 0, 1),
        "b*": np.clip(lab[..., 2] / 128 + 0.5, 0, 1),
        "saturation": (most - least) / np.maximum(most, np.float32(1e-3)),
        "distance": np.clip(far / np.float32(_FARTHEST), 0, 1),
    }


def _lab(values: Float, way: int) -> Float:
    out: Float = cv2.cvtColor(np.ascontiguousarray(values.reshape(1, -1, 3)), way).reshape(values.shape)
    return out


def apply_map(made: ContrastMap, given: dict[Source, Float]) -> Float:
    """The map of sources, 0..1; 1 is backdrop."""
    grey = np.clip(_combined(made, given) * np.float32(made.scale) + np.float32(made.offset), 0, 1)
    grey = np.clip((grey - np.float32(made.black)) / np.float32(made.white - made.black), 0, 1)
    if made.mid != 1:
        grey = grey ** np.float32(1 / made.mid)
    out: Float = (1 - grey if made.invert else grey).astype(np.float32)
    return out


def _combined(made: ContrastMap, given: dict[Source, Float]) -> Float:
    a = 1 - given[made.first] if made.invert_first else given[made.first]
    if made.combine == "first":
        return a
    b = 1 - given[made.second] if made.invert_second else given[made.second]
    if made.combine == "multiply":
        return a * b
    if made.combine == "lighten":
        return np.maximum(a, b)
    if made.combine == "darken":
        return np.minimum(a, b)
    if made.combine == "add":
        return np.minimum(a + b, 1)
    if made.combine == "subtract":
        return np.maximum(a - b, 0)
    if made.combine == "difference":
        return np.abs(a - b)
    return np.minimum(a / np.maximum(1 - b, np.float32(1e-3)), 1)  # dodge


def contrast(region: ContrastRegion, pixels: NDArray[np.uint8] | NDArray[np.uint16], log_light: Float) -> Float:
    """How far pixels (h, w, 3) at any scale are backdrop, 0..1; `log_light` is that of the backdrop there."""
    grey = apply_map(region.map, sources(pixels, log_light))
    return grey if region.level is None else (grey >= np.float32(region.level)).astype(np.float32)


def rank_variants(ground: Ground, region: ContrastRegion | None = None, count: int = 12) -> list[Variant]:
    """The maps that best tell product from backdrop, unlike each other, best first, with black and white set to suit.

    Product and backdrop are what the region's hints mark; without hints, what automatic clearing is sure of.
    """
    product, backdrop = _known(ground, region)
    log_light = ground.backdrop.log_light(ground.plot.width, ground.plot.height)
    ours, theirs = (_samples(ground.pixels, log_light, mask) for mask in (product, backdrop))
    tried: list[tuple[float, ContrastMap]] = []
    for first, inverted in combinations_of(SOURCES, (False, True)):
        tried.append(_judged(ContrastMap(first=first, invert_first=inverted), ours, theirs))
    for i, first in enumerate(SOURCES):
        for second in SOURCES[i + 1 :]:
            for combine, one, other in combinations_of(COMBINATIONS[1:], (False, True), (False, True)):
                made = ContrastMap(first=first, second=second, combine=combine, invert_first=one, invert_second=other)
                tried.append(_judged(made, ours, theirs))
    tried.sort(key=lambda one: -one[0])
    chosen: dict[frozenset[str], Variant] = {}
    for _, made in tried:
        pair = frozenset((made.first, made.second if made.combine != "first" else made.first))
        if pair not in chosen:
            levelled = _levelled(made, ours, theirs)
            parts = (apply_map(levelled, ours), apply_map(levelled, theirs))
            chosen[pair] = Variant(levelled, round(_fisher(*parts) if parts[0].size and parts[1].size else _otsu(np.concatenate(parts)), 2))
    return sorted(chosen.values(), key=lambda variant: -variant.separation)[:count]


def separation_of(made: ContrastMap, ground: Ground, region: ContrastRegion | None = None) -> float:
    """Fisher's ratio of a map as it is, (difference of means)² / (sum of variances)."""
    product, backdrop = _known(ground, region)
    log_light = ground.backdrop.log_light(ground.plot.width, ground.plot.height)
    ours, theirs = (apply_map(made, _samples(ground.pixels, log_light, mask)) for mask in (product, backdrop))
    return round(_fisher(ours, theirs), 2)


def _known(ground: Ground, region: ContrastRegion | None) -> tuple[Mask, Mask]:
    product = ground.clearing.product
    kernel = np.ones((2 * _EDGE + 1, 2 * _EDGE + 1), np.uint8)
    sure = cv2.erode(product.view(np.uint8), kernel) > 0
    if not sure.any():
        sure = product
    away = cv2.dilate(product.view(np.uint8), kernel) == 0
    for adds in (True, False):
        under = np.zeros(ground.shape, bool)
        for hint in region.hints if region else ():
            if hint.adds == adds:
                under |= ground.plot.stroke(hint)
        if under.any():
            sure, away = (under, away) if adds else (sure, under)
    return sure, away


def _samples(pixels: NDArray[np.uint8], log_light: Float, mask: Mask) -> dict[Source, Float]:
    at = np.flatnonzero(mask)
    at = at[:: max(1, at.size // _SAMPLES)]
    return sources(pixels.reshape(-1, 3)[at], log_light.reshape(-1, 3)[at])


def _judged(made: ContrastMap, ours: dict[Source, Float], theirs: dict[Source, Float]) -> tuple[float, ContrastMap]:
    """Separation of a combination, turned so that the backdrop is the lighter."""
    a, b = _combined(made, ours), _combined(made, theirs)
    if a.size == 0 or b.size == 0:
        return _otsu(a if a.size else b), made
    return _fisher(a, b), made.model_copy(update={"invert": bool(b.mean() < a.mean())})


def _fisher(ours: Float, theirs: Float) -> float:
    if ours.size == 0 or theirs.size == 0:
        return 0.0
    return float((ours.mean() - theirs.mean()) ** 2 / (ours.var() + theirs.var() + 1e-4))


def _otsu(values: Float) -> float:
    """Share of the variance that lies between the two classes of the best threshold (Otsu 1979)."""
    if values.size == 0:
        return 0.0
    level, _ = cv2.threshold((values * 255).astype(np.uint8)[None], 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    low, high = values[values * 255 <= level], values[values * 255 > level]
    if not low.size or not high.size:
        return 0.0
    share = low.size / values.size
    return float(share * (1 - share) * (low.mean() - high.mean()) ** 2 / (values.var() + 1e-6))


def _levelled(made: ContrastMap, ours: dict[Source, Float], theirs: dict[Source, Float]) -> ContrastMap:
    """Black and white set so that product becomes 0 and backdrop 1, as far as they are apart."""
    a, b = _combined(made, ours), _combined(made, theirs)
    if a.size == 0 or b.size == 0:
        return made
    if made.invert:
        black, white = np.quantile(b, 1 - _QUANTILE), np.quantile(a, _QUANTILE)
    else:
        black, white = np.quantile(a, 1 - _QUANTILE), np.quantile(b, _QUANTILE)
    if white - black < 0.02:
        middle = (a.mean() + b.mean()) / 2
        black, white = middle - np.float32(0.02), middle + np.float32(0.02)
    low = float(np.clip(black, 0, 0.97))
    return made.model_copy(update={"black": round(low, 3), "white": round(float(np.clip(white, low + 0.02, 1)), 3)})
