"""Encode pictures as JPEG or PNG, tagged sRGB."""

from typing import Any, Literal

import numpy as np
import pyvips
import simplejpeg
from numpy.typing import NDArray

from yardchalk.core.colour import Coded

Format = Literal["jpeg", "png"]
SUFFIX: dict[Format, str] = {"jpeg": ".jpg", "png": ".png"}


def encode_picture(pixels: Coded, fmt: Format, *, quality: int = 92, dpi: float = 72.0) -> bytes:
    """Encode RGB (h, w, 3) or RGBA (h, w, 4), sRGB-coded uint8 or uint16.

    JPEG is written with full chroma resolution (4:4:4), so that the backdrop next to a coloured edge stays white.
    The sRGB profile is embedded in both formats. `dpi` only sets the tag.
    """
    image = _image(pixels, "rgb16" if pixels.dtype == np.uint16 else "srgb").copy(xres=dpi / 25.4, yres=dpi / 25.4)
    if fmt == "jpeg":
        return bytes(image.jpegsave_buffer(Q=quality, subsample_mode="off", optimize_coding=True, profile="srgb"))
    return bytes(image.pngsave_buffer(compression=3, profile="srgb"))


def encode_preview(pixels: NDArray[np.uint8]) -> bytes:
    """Encode RGBA (h, w, 4) as a small WebP for the screen; its alpha is kept exactly."""
    return bytes(_image(pixels, "srgb").webpsave_buffer(Q=88, alpha_q=100, effort=2))


def encode_tile(pixels: NDArray[np.uint8], *, exact: bool) -> tuple[bytes, str]:
    """Encode RGB (h, w, 3) for the viewer, fast; with its media type. JPEG in 4:4:4, or PNG where exactness matters."""
    if exact:
        return bytes(_image(pixels, "srgb").pngsave_buffer(compression=1, filter="none")), "image/png"
    return simplejpeg.encode_jpeg(np.ascontiguousarray(pixels), quality=93, colorsubsampling="444"), "image/jpeg"


def encode_grey(values: NDArray[Any]) -> bytes:
    """Encode one channel (h, w), uint8 or uint16, as a grey PNG."""
    return bytes(_image(values[..., None], "grey16" if values.dtype == np.uint16 else "b-w").pngsave_buffer(compression=3))


def _image(values: NDArray[Any], interpretation: str) -> Any:
    h, w, bands = values.shape
    kind = "ushort" if values.dtype == np.uint16 else "uchar"
    return pyvips.Image.new_from_memory(np.ascontiguousarray(values).data, w, h, bands, kind).copy(interpretation=interpretation)
