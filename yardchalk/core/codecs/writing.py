"""Encode pictures, tagged sRGB where the format can say so."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import pyvips
import simplejpeg
from numpy.typing import NDArray

from yardchalk.core.codecs.gif import encode_gif
from yardchalk.core.colour import Coded
from yardchalk.core.errors import YardError

Format = Literal["jpeg", "png", "webp", "tiff", "gif"]
SUFFIX: dict[str, str] = {
    "jpeg": ".jpg",
    "png": ".png",
    "webp": ".webp",
    "tiff": ".tif",
    "gif": ".gif",
    "openraster": ".ora",
    "matte": ".png",
}
# px of a side that a format holds, where that is less than a photo may have.
_LONGEST = {"jpeg": ("JPEG", 65_500), "webp": ("WebP", 16_383)}


@dataclass(frozen=True)
class Tags:
    """What is written beside the pixels: dpi, and the camera's Exif block if any of it goes along."""

    dpi: float = 72.0
    exif: bytes | None = None


def too_long(fmt: str, side: int) -> bool:
    """Whether a side of so many px is more than the format holds."""
    return fmt in _LONGEST and side > _LONGEST[fmt][1]


def encode_picture(
    pixels: Coded,
    fmt: Format,
    *,
    quality: int = 92,
    lossless: bool = False,
    tags: Tags = Tags(),
    page: tuple[int, int, int] = (255, 255, 255),
) -> bytes:
    """Encode RGB (h, w, 3) or RGBA (h, w, 4), sRGB-coded uint8, or uint16 for PNG and TIFF.

    JPEG is written with full chroma resolution (4:4:4), so that the backdrop next to a coloured edge stays white. The sRGB profile is
    embedded in all formats but GIF, which has no place for it (nor for dpi). `quality` serves JPEG and WebP, `page` a see-through GIF.

    Raises
    ------
    YardError
        A side is longer than the format holds.
    """
    if too_long(fmt, max(pixels.shape[:2])):
        name, most = _LONGEST[fmt]
        raise YardError(f"holds no more than {most:,} px a side", where=name, remedy="Take PNG or TIFF, or a smaller canvas")
    if fmt == "gif":
        return encode_gif(pixels.astype(np.uint8, copy=False), page)
    image = _image(pixels, "rgb16" if pixels.dtype == np.uint16 else "srgb").copy(xres=tags.dpi / 25.4, yres=tags.dpi / 25.4)
    if tags.exif is not None:
        image.set_type(pyvips.GValue.blob_type, "exif-data", tags.exif)
    if fmt == "jpeg":
        return bytes(image.jpegsave_buffer(Q=quality, subsample_mode="off", optimize_coding=True, profile="srgb"))
    if fmt == "webp":
        return bytes(image.webpsave_buffer(Q=quality, lossless=lossless, alpha_q=100, smart_subsample=True, effort=4, profile="srgb"))
    if fmt == "tiff":
        return bytes(image.tiffsave_buffer(compression="deflate", predictor="horizontal", resunit="inch", profile="srgb"))
    return bytes(image.pngsave_buffer(compression=3, profile="srgb"))


def encode_preview(pixels: NDArray[np.uint8]) -> bytes:
    """Encode RGB or RGBA (h, w, 3 or 4) as a small WebP for the screen; its alpha is kept exactly."""
    return bytes(_image(pixels, "srgb").webpsave_buffer(Q=88, alpha_q=100, effort=2))


def encode_tile(pixels: NDArray[np.uint8], *, exact: bool) -> tuple[bytes, str]:
    """Encode RGB (h, w, 3) for the viewer, fast; with its media type. JPEG in 4:4:4, or PNG where exactness matters."""
    if exact:
        return bytes(_image(pixels, "srgb").pngsave_buffer(compression=1, filter="none")), "image/png"
    return simplejpeg.encode_jpeg(np.ascontiguousarray(pixels), quality=93, colorsubsampling="444"), "image/jpeg"


def encode_grey(values: NDArray[Any], tags: Tags = Tags()) -> bytes:
    """Encode one channel (h, w), uint8 or uint16, as a grey PNG."""
    image = _image(values[..., None], "grey16" if values.dtype == np.uint16 else "b-w")
    return bytes(image.copy(xres=tags.dpi / 25.4, yres=tags.dpi / 25.4).pngsave_buffer(compression=3))


def _image(values: NDArray[Any], interpretation: str) -> Any:
    h, w, bands = values.shape
    kind = "ushort" if values.dtype == np.uint16 else "uchar"
    return pyvips.Image.new_from_memory(np.ascontiguousarray(values).data, w, h, bands, kind).copy(interpretation=interpretation)
