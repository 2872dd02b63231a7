"""GIF: a palette of at most 256 colours, and an edge of one bit."""

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from yardchalk.core.colour import decode, encode

MOST_COLOURS = 255  # of the product; one place is left for plain background
_SOLID = 0.5  # coverage from which on a pixel is there at all


def encode_gif(pixels: NDArray[np.uint8], page: tuple[int, int, int] = (255, 255, 255), colours: int = MOST_COLOURS) -> bytes:
    """Encode RGB (h, w, 3) or straight RGBA (h, w, 4), sRGB-coded uint8.

    The palette is made for what is not plain background, and dithered there alone (Floyd and Steinberg, "An adaptive algorithm for
    spatial greyscale", 1976); plain background keeps its very colour. Of a see-through picture the pixels at the edge that stay are
    laid on `page`, so that the outline is smooth on pages of that colour: GIF's own transparency is on or off.
    """
    colour, clear = _flattened(pixels, page)
    plain = clear if clear is not None else (colour == np.array(page, np.uint8)).all(2)
    drawn = ~plain
    index = np.full(plain.shape, 255, np.uint8)
    palette = np.zeros((256, 3), np.uint8)
    palette[255] = page
    if drawn.any():
        # Only what is drawn votes on the palette: its pixels in one line.
        voters = Image.fromarray(colour[drawn][None])
        chosen = voters.quantize(colours, method=Image.Quantize.MEDIANCUT, kmeans=1)
        table = np.array(chosen.getpalette() or [], np.uint8).reshape(-1, 3)[:colours]
        palette[: len(table)] = table
        palette[len(table) : 255] = table[-1]
        guide = Image.new("P", (1, 1))
        guide.putpalette(palette[:255].ravel().tolist())
        # Plain background would carry an error of its own into the product; a colour of the palette carries none.
        ground = np.where(plain[..., None], table[0], colour)
        index[drawn] = np.asarray(Image.fromarray(ground).quantize(palette=guide, dither=Image.Dither.FLOYDSTEINBERG))[drawn]
    image = Image.fromarray(index)
    image.putpalette(palette.ravel().tolist())
    out = io.BytesIO()
    options: dict[str, Any] = {"transparency": 255} if clear is not None else {}
    image.save(out, "GIF", optimize=False, **options)
    return out.getvalue()


def _flattened(pixels: NDArray[np.uint8], page: tuple[int, int, int]) -> tuple[NDArray[np.uint8], NDArray[np.bool_] | None]:
    """Colours on the page, mixed in linear light, and where nothing is left; None if nothing ever was see-through."""
    if pixels.shape[2] == 3:
        return pixels, None
    alpha = pixels[..., 3:].astype(np.float32) / 255
    soft = (alpha[..., 0] > 0) & (alpha[..., 0] < 1)
    colour = np.ascontiguousarray(pixels[..., :3])
    light = alpha[soft] * decode(colour[soft] / np.float32(255)) + (1 - alpha[soft]) * decode(np.array(page, np.float32) / 255)
    colour[soft] = np.round(encode(light) * 255)
    return colour, alpha[..., 0] < _SOLID
