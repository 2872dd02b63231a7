"""Evidence for telling product from backdrop: the ratio of photo to backdrop model, and its steps.

A shadow darkens the backdrop by the same factor in every channel and has soft borders. A product nearly always has
some chroma against the backdrop, white enamel included, and steep borders. So three features are looked at: the log
of the ratio (*shade*) and the log of the ratios between its channels (*chroma*, two numbers, near zero in shadow); and
for each the steepness of its steps, divided by what noise does on the backdrop itself.
"""

from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.backdrop import BackdropModel
from yardchalk.core.colour import Coded, Float, Mask, encode, log_table, to_linear, top
from yardchalk.core.compiled import compiled

# Steepness is never divided by less than this (log light per px): the steps that 8-bit and JPEG rounding make on a
# noiseless light backdrop. In order: shade, chroma, chroma; at the fine scale and at the coarse one.
_FLOOR_FINE = (0.0010, 0.0006, 0.0006)
_FLOOR_COARSE = (0.0006, 0.0004, 0.0004)
_LIGHT_PAPER = 210  # coded level of the least light one
_BURNT, _AROUND = 249, 7  # coded level, as a mean over so many px, from which on a channel may be burnt out here and there
_MOSTLY = 0.5  # share of the backdrop; where that much shows its noise, the median over all of it tells
_ENOUGH = 0.01  # share of the picture on which noise can be measured
_USUAL = 2.0  # of the least shade step: noise as it usually is, where none can be measured
_SOFT = 6.0  # px; steps wider than this are taken for shadow borders
_QUIETED_AT = 800  # px; long side of the picture that is made quiet
_LOUD = 1.2  # coded levels there: noise from which on the steps of pale products drown in it
_STOOD = 1.8  # coded levels; as much of it as the close look sees through
_HARDLY_ANY = 0.18  # coded levels there; with less, what quieting leaves here and there would be borders
_PATCH, _SEARCHED = 3, 9  # px there
_ALIKE = 1.5  # of the noise; mean difference of patches that are averaged
_BIN, _SEEN = 16, 200  # coded levels that are taken for one, and px with such a level that are enough to tell its noise from
_CALM, _TEXTURE = 0.05, 1.5  # quantile of places that is noise alone; times the noise of the next bin, which is no noise any more
_FINER = 0.7  # of the rounding; what is left of it where many pixels were averaged
_PLACE_SIDE = 48  # px
_ALL_BACKDROP = 0.9  # share of a place
_AS_USUAL, _NO_PAPER = 1.5, 3.8  # times the roughness that a place usually has


@dataclass(frozen=True)
class Evidence:
    """Per pixel of the analysis picture.

    Attributes
    ----------
    features : float32, shape (h, w, 3)
        Shade, and two chromas: log of red over green and of blue over green, all relative to the backdrop model and
        lightly smoothed.
    steps : float32, shape (h, w)
        Steepness of steps in units of the backdrop's noise.
    support : bool, shape (h, w)
        Where the backdrop model was fitted.
    chroma_noise : float
        Standard deviation of the chroma steps on the backdrop, log light per px.
    shade_noise : float
        Standard deviation of the unsmoothed shade on the backdrop, log light.
    quieted : bool
        Whether loud noise was taken from the picture, which has softened its borders.
    coarse : float
        How many times as much of hue a code is in the backdrop's light as on light paper, at least 1: dark channels are told by few.
    """

    features: Float
    steps: Float
    support: Mask
    chroma_noise: float
    shade_noise: float
    quieted: bool
    coarse: float

    def cropped(self, at: tuple[slice, slice]) -> "Evidence":
        """The evidence of a part of the picture."""
        return replace(
            self,
            features=np.ascontiguousarray(self.features[at]),
            steps=np.ascontiguousarray(self.steps[at]),
            support=np.ascontiguousarray(self.support[at]),
        )


def gather_evidence(pixels: NDArray[np.uint8], backdrop: BackdropModel, quiet: Coded) -> Evidence:
    """Evidence from the analysis picture, and from it without its noise: coded pixels (h, w, 3), uint8; uint16 if its noise was taken."""
    h, w = pixels.shape[:2]
    quieted = quiet.dtype != pixels.dtype
    lit = backdrop.log_light(w, h)
    support = cv2.resize(backdrop.support.view(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST) > 0
    planes = _planes(quiet, log_table(quiet.dtype), lit)
    half = ((w + 1) // 2, (h + 1) // 2)
    less = _noise_scale(pixels, support)
    less_fine, less_half = cv2.resize(less, (w, h)), cv2.resize(less, half)
    alive = _alive(pixels, support, partly=True)
    measured = _or_all(support) if alive is None else alive
    there = _or_all(np.ascontiguousarray(measured[::3, ::3]))
    there_half = _or_all(np.ascontiguousarray(cv2.resize(measured.view(np.uint8), half, interpolation=cv2.INTER_NEAREST)[::2, ::2]) > 0)
    of_code = _rounding(backdrop.mean_light)
    least = of_code * (_FINER if quieted else 1)
    if alive is None:
        least[0] *= _USUAL
    fine = np.zeros((h, w), np.float32)
    coarse = np.zeros(half[::-1], np.float32)
    smooth = []
    noise = []
    for i, plane in enumerate(planes):
        blurred = cv2.GaussianBlur(plane, (0, 0), 1.0 if i == 0 else 1.5)
        smooth.append(blurred)
        soft_x, soft_y = _soft_slope(plane)
        floor = _FLOOR_FINE[i] * least[i]
        soft = cv2.resize(soft_x, (w, h)), cv2.resize(soft_y, (w, h))
        noise.append(_add_steps(fine, blurred, soft, less_fine, there, 3, floor))
        # The coarse scale: sigma 2 (2.5 for chroma) is sigma 1 (1.25) at half size.
        small = cv2.GaussianBlur(cv2.resize(plane, half, interpolation=cv2.INTER_AREA), (0, 0), 1.0 if i == 0 else 1.25)
        soft = 2 * cv2.resize(soft_x, half), 2 * cv2.resize(soft_y, half)
        _add_steps(coarse, small, soft, less_half, there_half, 2, 2 * _FLOOR_COARSE[i] * least[i])
    np.maximum(fine, cv2.resize(coarse, (w, h), interpolation=cv2.INTER_LINEAR), out=fine)
    shade, blurred = planes[0], smooth[0]
    if quieted:
        shade = _planes(pixels, log_table(pixels.dtype), lit)[0]
        blurred = cv2.GaussianBlur(shade, (0, 0), 1.0)
    rough = np.abs(shade[::3, ::3] - blurred[::3, ::3])[there]
    steps = np.sqrt(fine, out=fine)
    steps /= _how_rough(steps, support)
    return Evidence(cv2.merge(smooth), steps, support, max(noise[1:]), float(np.median(rough)) * 1.48, quieted, float(of_code[1:].mean()))


def _how_rough(steps: Float, support: Mask) -> Float:
    """By how much the backdrop's steps are higher at each place than they usually are: float32 (h, w), from 1 on.

    Where the hue lies between two levels of a file's coarse chroma, its blocks are now the one, now the other.
    """
    h, w = steps.shape
    down, across = h // _PLACE_SIDE, w // _PLACE_SIDE
    if not down * across:
        return np.ones((1, 1), np.float32)

    def in_places(values: NDArray[Any]) -> NDArray[Any]:
        of_place = values[: down * _PLACE_SIDE, : across * _PLACE_SIDE].reshape(down, _PLACE_SIDE, across, _PLACE_SIDE)
        return of_place[:, ::2, :, ::2].swapaxes(1, 2).reshape(down, across, -1)

    high = np.percentile(in_places(steps), 90, axis=-1)
    seen = in_places(support).mean(-1) > _ALL_BACKDROP
    usual = float(np.median(high[seen])) if seen.any() else 0.0
    if usual < 1:
        return np.ones((1, 1), np.float32)
    rough = high / usual
    # What is much rougher is a pale product that the backdrop model was fitted to.
    rough[~seen | (rough > _NO_PAPER)] = 1
    rough = cv2.medianBlur(np.clip(rough / _AS_USUAL, 1, None).astype(np.float32), 3)
    return cv2.resize(rough, (w, h), interpolation=cv2.INTER_LINEAR)


@compiled
def _planes(pixels: Coded, table: Float, lit: Float) -> Float:
    """Shade and chromas (3, h, w) of pixels against the log light of the backdrop (h, w, 3)."""
    h, w = pixels.shape[:2]
    out = np.empty((3, h, w), np.float32)
    quarter, half = np.float32(0.25), np.float32(0.5)
    for y in range(h):
        for x in range(w):
            r = table[pixels[y, x, 0]] - min(lit[y, x, 0], np.float32(0))
            g = table[pixels[y, x, 1]] - min(lit[y, x, 1], np.float32(0))
            b = table[pixels[y, x, 2]] - min(lit[y, x, 2], np.float32(0))
            out[0, y, x] = quarter * r + half * g + quarter * b
            out[1, y, x] = r - g
            out[2, y, x] = b - g
    return out


class WithoutNoise(NamedTuple):
    """The analysis picture with less noise than it had, if that is loud: coded, (h, w, 3).

    Attributes
    ----------
    looked_at : for the second look, uint8, with as much as it was taught on.
    closely : for the close look, uint8, as sharp as can be with as much as that sees through.
    measured : for measuring steps, with hardly any; uint16, or the picture itself.
    """

    looked_at: NDArray[np.uint8]
    closely: NDArray[np.uint8]
    measured: Coded


def without_noise(pixels: NDArray[np.uint8], backdrop: BackdropModel) -> WithoutNoise:
    """The analysis picture, coded, without its loud noise.

    By non-local means (Buades, Coll and Morel, CVPR 2005) on a smaller picture, where the noise that a camera's own
    development has spread over neighbours is noise of single pixels again, after a curve that makes it as loud at every
    level (Bartlett, Biometrics 1947). It is coded in 16 bits: in 8, what is flat but for a slope would lie in terraces,
    with borders.
    """
    h, w = pixels.shape[:2]
    scale = min(1.0, _QUIETED_AT / max(h, w))
    size = max(1, round(w * scale)), max(1, round(h * scale))
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    support = cv2.resize(backdrop.support.view(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    alive = _alive(small, support, partly=False)
    there = _or_all(support if alive is None else alive)
    light = small.astype(np.float32)
    off = np.abs(light - cv2.blur(light, (9, 9)))[::2, ::2][there[::2, ::2]]
    noise = 1.48 * float(np.median(off)) if off.size else 0.0
    if noise <= _LOUD:
        return WithoutNoise(pixels, pixels, pixels)
    level = top(np.uint16) // top(np.uint8)
    codes = np.arange(top(np.uint16) + 1)
    slope = np.interp(codes, level * np.arange(top(np.uint8) + 1), 1 / _louder(light, there))
    evened = np.cumsum(slope) - slope[0]
    loud = cv2.resize(np.round(evened[::level]).astype(np.uint16)[pixels], size, interpolation=cv2.INTER_AREA)
    coded = np.round(np.interp(codes, evened, codes)).astype(np.uint16)
    quiet = cv2.fastNlMeansDenoising(loud, [_ALIKE * noise * level], None, _PATCH, _SEARCHED, cv2.NORM_L1)

    def with_some(left: float) -> NDArray[np.uint16]:
        mixed = cv2.addWeighted(quiet, 1 - left / noise, loud, left / noise, 0)
        return coded[cv2.resize(mixed, (w, h), interpolation=cv2.INTER_LINEAR)]

    looked_at = np.round(with_some(_LOUD) / level).astype(np.uint8)
    of_its_own = min(1.0, (_STOOD - _LOUD) / (noise - _LOUD))
    return WithoutNoise(looked_at, cv2.addWeighted(pixels, of_its_own, looked_at, 1 - of_its_own, 0), with_some(_HARDLY_ANY))


def _louder(light: Float, there: Mask) -> NDArray[np.floating]:
    """How many times as loud as on the backdrop noise is at each coded level (256,), at least 1; from coded light (h, w, 3).

    `there` is the backdrop that shows its noise. A curve of more contrast makes it louder in the shadows than a camera does.
    Where the picture is calmest, there is noise alone (Liu, Freeman, Szeliski and Kang, CVPR 2006); at a level that only
    something with a texture has, it is as at the next.
    """
    mean = cv2.blur(light, (9, 9))
    loud = np.sqrt(cv2.blur((light - mean) ** 2, (9, 9))).mean(-1)
    bins = top(np.uint8) // _BIN + 1
    at = mean.mean(-1).astype(np.intp) // _BIN
    usual = max(float(np.median(loud[there])), _LOUD)
    louder = np.ones(bins)
    for i in range(int(np.median(at[there])) - 1, -1, -1):
        own = loud[at == i]
        calm = float(np.quantile(own, _CALM)) / usual if own.size > _SEEN else 0.0
        louder[i] = max(calm, 1) if calm < _TEXTURE * louder[i + 1] else louder[i + 1]
    return np.interp(np.arange(top(np.uint8) + 1), _BIN * (np.arange(bins) + 0.5), louder)


def _rounding(light: tuple[float, float, float]) -> NDArray[np.floating]:
    """How much more of shade and chromas, (3,), a coded level is at this linear light than on light paper, at least 1."""
    per_level = np.gradient(log_table(np.uint8))
    red, green, blue = np.maximum(np.interp(255 * encode(np.array(light)), np.arange(256), per_level) / per_level[_LIGHT_PAPER], 1)
    # Channels are rounded each for itself.
    return np.array([(red + 2 * green + blue) / 4, np.hypot(red, green) / np.sqrt(2), np.hypot(blue, green) / np.sqrt(2)])


def _alive(pixels: NDArray[np.uint8], support: Mask, partly: bool) -> Mask | None:
    """Where the backdrop that was seen shows its noise: where no channel is burnt out; `partly`: or at least not all are.

    Burnt out, it has none. All of the backdrop if most of it shows its noise; None if hardly any does.
    """
    red, green, blue = (pixels[..., k] for k in range(3))
    seen = np.count_nonzero(support)
    for channels in (np.maximum, np.minimum) if partly else (np.maximum,):
        alive = support & (cv2.blur(channels(channels(red, green), blue), (_AROUND, _AROUND)) < _BURNT)
        if np.count_nonzero(alive) >= _MOSTLY * seen:
            return support
        # Not the burnt-out backdrop beside something dark.
        alive = cv2.erode(alive.view(np.uint8), np.ones((_AROUND + 2, _AROUND + 2), np.uint8)) > 0
        if np.count_nonzero(alive) > _ENOUGH * alive.size:
            return alive
    return None


def _or_all(seen: Mask) -> Mask:
    """Where the backdrop was seen; everywhere if it was nowhere, so that there is something to measure the noise on."""
    return seen if seen.any() else np.ones(seen.shape, bool)


def _noise_scale(pixels: NDArray[np.uint8], support: Mask) -> Float:
    """How much quieter, 0..1, a pixel's log light would be if it were as light as the backdrop; at a quarter of the size.

    Shot noise relative to the signal goes with one over its root, and so, nearly, do the steps of 8-bit coding.
    """
    h, w = support.shape
    size = ((w + 3) // 4, (h + 3) // 4)
    light = np.maximum(cv2.transform(to_linear(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)), np.full((1, 3), 1 / 3)), 4e-3)
    normal = np.median(light[_or_all(cv2.resize(support.view(np.uint8), size) > 0)])
    return np.minimum(np.sqrt(light / normal), 1.0).astype(np.float32)


def _soft_slope(plane: Float) -> tuple[Float, Float]:
    """Slope of the plane without its detail, per px, at a quarter of the size."""
    h, w = plane.shape
    small = cv2.resize(plane, ((w + 3) // 4, (h + 3) // 4), interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), _SOFT / 4)
    return cv2.Sobel(small, cv2.CV_32F, 1, 0, scale=1 / 32), cv2.Sobel(small, cv2.CV_32F, 0, 1, scale=1 / 32)


def _add_steps(total: Float, plane: Float, soft: tuple[Float, Float], quiet: Float, there: Mask, stride: int, floor: float) -> float:
    """Add to `total` the squared steepness of the plane in units of its noise where it is quiet; returns that noise.

    `soft` is the slope of the plane without its detail.
    """
    steep = _sharp_steepness(plane, *soft)
    sigma = max(float(np.median(steep[::stride, ::stride][there])) / 1.177, floor)
    _add_squared(total, steep, quiet, 1 / sigma)
    return sigma


def _sharp_steepness(plane: Float, soft_x: Float, soft_y: Float) -> Float:
    """Steepness of what is steep and sharp: the lesser of the slope and of the slope without its soft part.

    The soft border of a shadow loses its slope by the subtraction; the halo that the subtraction leaves beside a
    sharp border has no slope of its own.
    """
    x, y = cv2.Sobel(plane, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(plane, cv2.CV_32F, 0, 1, scale=1 / 8)
    _lesser_length(x, y, soft_x, soft_y)
    return x


@compiled
def _lesser_length(x: Float, y: Float, soft_x: Float, soft_y: Float) -> None:
    """Into `x`: the length of (x, y), or of it without its soft part, whichever is less."""
    for i in range(x.shape[0]):
        for j in range(x.shape[1]):
            u, v = x[i, j] - soft_x[i, j], y[i, j] - soft_y[i, j]
            x[i, j] = np.sqrt(min(x[i, j] * x[i, j] + y[i, j] * y[i, j], u * u + v * v))


@compiled
def _add_squared(total: Float, steep: Float, quiet: Float, factor: float) -> None:
    f = np.float32(factor)
    for y in range(total.shape[0]):
        for x in range(total.shape[1]):
            step = steep[y, x] * quiet[y, x] * f
            total[y, x] += step * step
