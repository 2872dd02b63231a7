"""The file of a finished canvas: encoded as the listing spec asks, and decoded again."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.checks.off_white import BLOCKS, COLOUR_STEPS, MOVED_FLOOR, nearness, touching, within
from yardchalk.core.codecs import Part, Tags, decode_photo, encode_gif, encode_grey, encode_openraster, encode_picture, merged_of
from yardchalk.core.codecs.openraster import thumbnail_of
from yardchalk.core.codecs.reading import Limits
from yardchalk.core.codecs.writing import Format
from yardchalk.core.colour import Coded, Float, Mask, darkest
from yardchalk.core.compiled import compiled
from yardchalk.core.listing import WITH_QUALITY, ListingSpec
from yardchalk.core.pixels import Picture

_QUALITY_STEPS = (95, 97, 99, 100)
_LEAST_QUALITY = 20
_GIF_COLOURS = (255, 128, 64, 32, 16)
_BLOCK = 8  # px; of JPEG
# Our own files are read back without the limits that uploads have.
OWN = Limits(max_bytes=2**40, max_pixels=2**40)


@dataclass(frozen=True)
class Written:
    """A file and what is in it.

    Attributes
    ----------
    data : the file.
    back : the picture decoded from it again; of a layered file, all that is shown together; of a matte, its grey.
    quality : that it was encoded with; None where the format has none.
    """

    data: bytes
    back: Picture
    quality: int | None = None


def written(pixels: Coded, alpha: Float, covered: Float, spec: ListingSpec, tags: Tags, parts: tuple[Part, ...] = ()) -> Written:
    """Encode a canvas, and decode it again.

    Parameters
    ----------
    pixels : coded (h, w, 3), or (h, w, 4) with straight alpha.
    alpha : float32 (h, w), coverage by the product: what a matte holds.
    covered : float32 (h, w), by product, shadow and whatever was added; where it is 0 nothing but background lies.
    parts : of a layered file, the topmost first.
    """
    if spec.file == "matte":
        full = 65535 if spec.bits == 16 else 255
        data = encode_grey(np.round(alpha * full).astype(np.uint16 if spec.bits == 16 else np.uint8), tags)
        return Written(data, decode_photo(data, "result", OWN))
    if spec.file == "openraster":
        merged = encode_picture(pixels, "png", tags=Tags(tags.dpi))
        small = encode_picture(thumbnail_of(pixels.astype(np.uint8, copy=False)), "png")
        data = encode_openraster(parts, merged, small, (pixels.shape[1], pixels.shape[0]), tags.dpi)
        return Written(data, decode_photo(merged_of(data), "result", OWN))
    page = spec.behind or (255, 255, 255)
    if spec.file == "gif":
        made = _first_fitting(spec.max_bytes, (encode_gif(pixels.astype(np.uint8, copy=False), page, n) for n in _GIF_COLOURS))
        return Written(made, decode_photo(made, "result", OWN))
    if spec.file not in WITH_QUALITY or (spec.file == "webp" and spec.lossless):
        data = encode_picture(pixels, cast(Format, spec.file), lossless=True, tags=tags)
        return Written(data, decode_photo(data, "result", OWN))
    return _with_quality(pixels, covered, spec, tags)


def _with_quality(pixels: Coded, covered: Float, spec: ListingSpec, tags: Tags) -> Written:
    """JPEG or WebP: no worse than the spec asks and than white bears, unless the byte limit wants it smaller."""
    fmt = cast(Format, spec.file)

    def made(quality: int) -> bytes:
        return encode_picture(pixels, fmt, quality=quality, tags=tags)

    quality: int | None = spec.quality
    if spec.background == "white" and fmt == "jpeg":
        quality = sufficient_quality(pixels, ~touching(covered), spec.quality)
        data = made(quality)
    elif spec.behind is not None and (kept := _bearable(made, spec.behind, covered, spec.quality)) is not None:
        quality, data = kept
    elif spec.behind is not None and fmt == "webp":
        # WebP halves the resolution of colour at any quality; only without loss does the background stay what it is.
        quality, data = None, encode_picture(pixels, "webp", lossless=True, tags=tags)
    else:
        data = made(spec.quality)
    if spec.max_bytes is not None and len(data) > spec.max_bytes:
        low, high, smallest = _LEAST_QUALITY, (quality or 101) - 1, made(_LEAST_QUALITY)
        quality, data = _LEAST_QUALITY, smallest
        # More quality means more bytes, as good as always; the best that fits is found by halving.
        while low <= high and len(smallest) <= spec.max_bytes:
            middle = (low + high) // 2
            tried = made(middle)
            if len(tried) <= spec.max_bytes:
                quality, data, low = middle, tried, middle + 1
            else:
                high = middle - 1
    return Written(data, decode_photo(data, "result", OWN), quality)


def _bearable(made: Callable[[int], bytes], behind: tuple[int, int, int], covered: Float, least: int) -> tuple[int, bytes] | None:
    """The least quality, from the given one up, that keeps what lies behind as the check wants it, and its file; None if none does."""
    away, far = ~touching(covered), ~within(covered, BLOCKS)
    plain = 255 if behind == (255, 255, 255) else 255 - COLOUR_STEPS
    for quality in (least, *(q for q in _QUALITY_STEPS if q > least)):
        data = made(quality)
        near = nearness(decode_photo(data, "result", OWN).pixels, behind)
        if int(near[away].min(initial=255)) >= MOVED_FLOOR and int(near[far].min(initial=255)) >= plain:
            return quality, data
    return None


def _first_fitting(most: int | None, tries: Iterator[bytes]) -> bytes:
    """The first of the files that is no larger; else the last."""
    made = b""
    for made in tries:
        if most is None or len(made) <= most:
            break
    return made


def sufficient_quality(pixels: Coded, away: Mask, quality: int) -> int:
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
        tried = decode_photo(encode_picture(strip, "jpeg", quality=better), "result", OWN).pixels
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
