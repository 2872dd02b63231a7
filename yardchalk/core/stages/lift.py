"""Lift: even the light and push the backdrop to white, by a measured amount.

White and black point act on linear light, mid-tone and curve on coded values. `level` below is a coded level 0..255; the
white point w maps level w to 255.
"""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from yardchalk.core.backdrop import BackdropModel
from yardchalk.core.colour import Coded, Float, Mask, codes_of_light, darkest, decode, encode, light_of_codes, linear_table, open_peak, top
from yardchalk.core.compiled import compiled
from yardchalk.core.settings_base import Stroke
from yardchalk.core.stages.balance import Gains
from yardchalk.core.stages.frame import Framing
from yardchalk.core.stages.plot import Plot

_LEVELS = np.arange(128, 256)  # the white points that the graph is drawn for
STILL_SHORT = 0.001  # share of the backdrop that may stay short of white
_MASK_SIDE = 800  # px; of the mask of where Lift acts
_SOFT_BORDER = 12.0  # px of that mask, round the product
_EMPTY_SIDE, _EMPTY_BLUR = 160, 3.0  # px; of a photo of the empty set
LOST = 0.0005  # share of the product that auto lets burn: half of what the check lets pass, which counts at the size of the result


class GiveAndTake(BaseModel):
    """For every white point: what it leaves short of white, and what it burns.

    Attributes
    ----------
    levels : white points, 128 to 255.
    short : share of backdrop pixels with any channel below 255, per white point, 0..1.
    lost_any, lost_all : share of product pixels that reach 255 in any and in all channels and had not before.
    just_clips : the largest white point that leaves at most 0.1 % of the backdrop short; None if there is none.
    clips_unshaded : the same for the backdrop outside the product's shadow, which the cut drops.
    bearable : the least white point that burns at most 0.05 % of the product.
    offer : what auto takes: clips_unshaded (the cut drops shadows) or else just_clips, but no lower than bearable; where
        nothing clears the backdrop, the product's light is left as it was.
    backdrop, product : histograms of the darkest channel (the last to clip), 256 counts each.
    channels : histograms of R, G, B and of luminance (CIE Y, coded), of the whole photo, 256 counts each.
    advice : what these figures mean for this photo, in a sentence or two.
    """

    levels: list[int]
    short: list[float]
    lost_any: list[float]
    lost_all: list[float]
    just_clips: int | None
    clips_unshaded: int | None
    bearable: int
    offer: int
    backdrop: list[int]
    product: list[int]
    channels: tuple[list[int], list[int], list[int], list[int]]
    advice: str


@dataclass(frozen=True)
class Tone:
    """What Balance and Lift do to a pixel: its linear light times the evening map, then one table per channel.

    Attributes
    ----------
    evening : float32, shape (h', w'), or None
        Factors, alike for the three channels, over the whole frame at low resolution.
    tables : uint16, shape (3, 65536)
        Linear light in 16 bits to linear light in 16 bits: gains, black and white point, mid-tone and curve.
    plain : whether the tables change nothing.
    """

    evening: Float | None
    tables: NDArray[np.uint16]
    plain: bool

    def factors(self, frame: tuple[int, int], rows: slice, columns: slice) -> Float:
        """Factors on linear light for a region of a frame (height, width) at any scale.

        float32, shape (rows, columns); or (1, 1) if it is one factor everywhere.
        """
        return np.ones((1, 1), np.float32) if self.evening is None else region_of(self.evening, frame, rows, columns)


def region_of(small: NDArray[Any], frame: tuple[int, int], rows: slice, columns: slice) -> Float:
    """A region of a frame (height, width) at any scale, (rows, columns), of a map over the whole frame at low resolution."""
    h, w = frame
    sy, sx = small.shape[0] / h, small.shape[1] / w
    move = np.array([[sx, 0, (columns.start + 0.5) * sx - 0.5], [0, sy, (rows.start + 0.5) * sy - 0.5]])
    size = (columns.stop - columns.start, rows.stop - rows.start)
    way = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return cv2.warpAffine(small, move, size, flags=way, borderMode=cv2.BORDER_REPLICATE)


def make_tone(
    evening: Float | None, gains: Gains, *, white: int = 255, black: int = 0, mid: float = 1.0, curve: tuple[tuple[int, int], ...] = ()
) -> Tone:
    """The tone of these settings.

    In linear light, gains are applied and `black` and `white` (coded levels) become 0 and 1; in coded values, the power
    1/mid and then a monotone cubic through the curve's points (Fritsch and Carlson, SIAM Journal on Numerical Analysis 17,
    1980), which go from 0 to 255.
    """
    ends = decode(np.array([black, white]) / 255).astype(np.float64)
    plain = gains.none and (white, black, mid, curve) == (255, 0, 1.0, ())
    light = np.arange(65536) / 65535
    tables = np.empty((3, 65536), np.uint16)
    for k, gain in enumerate((gains.red, gains.green, gains.blue)):
        out = np.clip((light * gain - ends[0]) / (ends[1] - ends[0]), 0, 1)
        if mid != 1 or curve:
            out = decode(curved(encode(out).astype(np.float64) ** (1 / mid), curve)).astype(np.float64)
        tables[k] = np.round(out * 65535)
    return Tone(evening, tables, plain)


def curved(coded: NDArray[np.float64], points: tuple[tuple[int, int], ...]) -> NDArray[np.float64]:
    """Coded values 0..1 through a curve of points (levels in and out, 0..255)."""
    if not points:
        return coded
    first = () if points[0][0] == 0 else ((0, 0),)
    last = () if points[-1][0] == 255 else ((255, 255),)
    x, y = np.array([*first, *points, *last], float).T / 255
    from scipy.interpolate import PchipInterpolator  # takes most of a second to load, and few curves have points

    return np.clip(PchipInterpolator(x, y)(np.clip(coded, 0, 1)), 0, 1)


def lift_mask(alpha: Float, scope: str, strokes: tuple[Stroke, ...], framing: Framing) -> Float:
    """Where Lift acts: 0..1, at a low resolution over the whole frame.

    Hard where it was painted, but soft round the product, so that no step shows beside it.

    Parameters
    ----------
    alpha : float32, shape (h, w)
        Coverage on the analysis picture.
    scope : "photo" or "backdrop"
        Where it acts before anything is painted.
    strokes : painted; later ones win.
    framing : of the photo, to put them in their place.
    """
    h, w = alpha.shape
    s = _MASK_SIDE / max(h, w)
    size = (max(8, round(w * s)), max(8, round(h * s)))
    covered = cv2.resize(alpha, size, interpolation=cv2.INTER_AREA)
    out = cv2.distanceTransform((covered < 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    inside = cv2.distanceTransform((covered >= 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    mask = np.ones(covered.shape, np.float32) if scope == "photo" else np.clip(out / _SOFT_BORDER, 0, 1)
    plot = Plot.of(framing, *size)
    for stroke in strokes:
        painted = plot.brushed(stroke.points, plot.length(stroke.size)) / np.float32(255)
        mask = np.maximum(mask, painted) if stroke.adds else np.minimum(mask, 1 - painted)
    if strokes:
        near = np.exp(-(out + inside) / _SOFT_BORDER)
        mask = near * cv2.GaussianBlur(mask, (0, 0), _SOFT_BORDER / 2) + (1 - near) * mask
    return mask.astype(np.float32)


def evening_map(backdrop: BackdropModel, strength: float) -> Float:
    """Factors (h', w') that make the backdrop even: (dim / B) to the power of the strength, in linear light.

    `dim` is B at its darkest (first percentile), one value for the three channels' common luma, so that evening alone
    neither burns anything nor changes the cast. What brightness it costs, the white point gives back as far as the
    product bears it.
    """
    return _evening(backdrop.light(backdrop.support.shape[1], backdrop.support.shape[0]), strength)


def evening_from_empty(empty: Coded, strength: float) -> Float:
    """The same from a photo of the empty set, coded (h, w, 3), of the same frame: its light, smoothed."""
    h, w = empty.shape[:2]
    s = _EMPTY_SIDE / max(h, w)
    small = cv2.resize(empty, (max(8, round(w * s)), max(8, round(h * s))), interpolation=cv2.INTER_AREA)
    return _evening(cv2.GaussianBlur(linear_table(top(small.dtype) + 1)[small], (0, 0), _EMPTY_BLUR), strength)


def _evening(light: Float, strength: float) -> Float:
    level = np.maximum(light.mean(2, keepdims=True), 1e-3)
    factors = (np.percentile(level, 1) / level) ** strength
    return np.minimum(factors, 1.0).astype(np.float32)[..., 0]


def give_and_take(
    pixels: NDArray[np.uint8], product: Mask, backdrop_area: Mask, shaded: Mask, evening: Float | None, gains: Gains = Gains()
) -> GiveAndTake:
    """Measure every white point on the analysis picture.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
    product, backdrop_area : bool, shape (h, w)
        Sure product and sure backdrop.
    shaded : bool, shape (h, w)
        Where a shadow lies on the backdrop.
    evening : float32 or None
        From `evening_map`, if the light is evened first.
    gains : of Balance, which comes before.
    """
    # Every second pixel each way: the shares are sure to a hundredth of a percent all the same.
    pixels = np.ascontiguousarray(pixels[::2, ::2])
    product, backdrop_area, shaded = product[::2, ::2], backdrop_area[::2, ::2], shaded[::2, ::2]
    h, w = product.shape
    if not gains.none:
        pixels = _balanced(pixels, gains)
    low_before, high_before = darkest(pixels), open_peak(pixels)
    # Evening scales all channels alike, so it keeps their order.
    if evening is None:
        low, high = low_before.astype(np.int32), high_before.astype(np.int32)
    else:
        factors = cv2.resize(evening, (w, h), interpolation=cv2.INTER_LINEAR)
        low, high = (_dimmed(v, factors, light_of_codes(np.uint8), codes_of_light(np.uint8)) for v in (low_before, high_before))
    # A pixel is white at white point w once its darkest channel has level w; it is hurt once its lightest has that was
    # not full before.
    back = np.bincount(low[backdrop_area], minlength=257)
    unshaded = np.bincount(low[backdrop_area & ~shaded], minlength=257)
    front_any = np.bincount(high[product & (high_before > 0)], minlength=257)
    front_all = np.bincount(low[product & (low_before < 255)], minlength=257)
    total_back, total_front = max(int(back.sum()), 1), max(int(product.sum()), 1)
    short = np.cumsum(back)[_LEVELS - 1] / total_back
    lost_any = (np.cumsum(front_any[::-1])[::-1])[_LEVELS] / total_front
    lost_all = (np.cumsum(front_all[::-1])[::-1])[_LEVELS] / total_front
    just_clips = _just_clips(back)
    borne = _LEVELS[lost_any <= LOST]
    bearable = int(borne[0]) if borne.size else 255
    seen = np.bincount(low[product], minlength=257)
    unshaded_clips = _just_clips(unshaded)
    clips = unshaded_clips or just_clips
    if clips is None:
        # Lifting cannot help; only what evening took from the product's light is given back.
        clips = 255 if evening is None else round(255 * float(encode(np.array(factors[product].mean() if product.any() else 1.0))))
    offer = min(255, max(clips, bearable))
    return GiveAndTake(
        levels=_LEVELS.tolist(),
        short=np.round(short, 5).tolist(),
        lost_any=np.round(lost_any, 5).tolist(),
        lost_all=np.round(lost_all, 5).tolist(),
        just_clips=just_clips,
        clips_unshaded=unshaded_clips,
        bearable=bearable,
        offer=offer,
        backdrop=_folded(back),
        product=_folded(seen),
        channels=_channels(pixels, factors if evening is not None else None),
        advice=_advice(just_clips, unshaded_clips, bearable, lost_any.tolist()),
    )


def _channels(pixels: NDArray[np.uint8], factors: Float | None) -> tuple[list[int], list[int], list[int], list[int]]:
    light, codes = light_of_codes(np.uint8), codes_of_light(np.uint8)
    even = np.ones(pixels.shape[:2], np.float32) if factors is None else factors
    counts = _count_levels(pixels, even, light, codes)
    return counts[0].tolist(), counts[1].tolist(), counts[2].tolist(), counts[3].tolist()


@compiled
def _count_levels(pixels: NDArray[np.uint8], factors: Float, light: NDArray[np.uint16], codes: NDArray[np.uint8]) -> NDArray[np.int64]:
    out = np.zeros((4, 256), np.int64)
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            red, green, blue = (light[pixels[y, x, 0]], light[pixels[y, x, 1]], light[pixels[y, x, 2]])
            f = factors[y, x]
            out[0, codes[int(red * f + 0.5)]] += 1
            out[1, codes[int(green * f + 0.5)]] += 1
            out[2, codes[int(blue * f + 0.5)]] += 1
            out[3, codes[int((0.2126 * red + 0.7152 * green + 0.0722 * blue) * f + 0.5)]] += 1
    return out


def _balanced(pixels: NDArray[np.uint8], gains: Gains) -> NDArray[np.uint8]:
    light = np.minimum(light_of_codes(np.uint8)[:, None] * gains.array + np.float32(0.5), 65535).astype(np.uint16)
    return cv2.LUT(pixels, codes_of_light(np.uint8)[light][:, None])


@compiled
def _dimmed(levels: NDArray[np.uint8], factors: Float, light: NDArray[np.uint16], codes: NDArray[np.uint8]) -> NDArray[np.int32]:
    """Levels (h, w) with their light times factors of at most 1."""
    out = np.empty(levels.shape, np.int32)
    for y in range(levels.shape[0]):
        for x in range(levels.shape[1]):
            out[y, x] = codes[int(light[levels[y, x]] * factors[y, x] + 0.5)]
    return out


def _advice(just_clips: int | None, unshaded: int | None, bearable: int, lost: list[float]) -> str:
    if just_clips is not None and just_clips >= bearable:
        return f"At {just_clips} the backdrop is pure white, shadows too, and the product keeps its highlights."
    if unshaded is not None and unshaded >= bearable:
        return f"At {unshaded} the backdrop is pure white but for shadows, which Clear drops, and the product keeps its highlights."
    best = unshaded or just_clips
    if best is None:
        return "No white point from 128 up clears this backdrop. Auto leaves the tones as they are; Clear takes the backdrop away."
    return (
        f"No white point clears the backdrop and keeps the product: at {best} it loses {100 * lost[best - 128]:.2f} %. "
        f"Auto stays at {bearable}, where nothing is lost; Clear makes the rest of the backdrop white."
    )


def _just_clips(counts: NDArray[np.int64]) -> int | None:
    clean = _LEVELS[np.cumsum(counts)[_LEVELS - 1] / max(int(counts.sum()), 1) <= STILL_SHORT]
    return int(clean[-1]) if clean.size else None


def _folded(counts: NDArray[np.int64]) -> list[int]:
    out = counts[:256].copy()
    out[255] += counts[256]
    return [int(v) for v in out]
