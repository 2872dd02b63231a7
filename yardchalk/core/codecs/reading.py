"""Decode JPEG, PNG, TIFF and WebP to upright sRGB pixels, under limits."""

import struct
from dataclasses import dataclass
from functools import cache
from typing import Any

import cv2
import numpy as np
import pyvips
from pydantic import BaseModel

from yardchalk.core.errors import UnreadablePhoto
from yardchalk.core.pixels import Picture

# Loaders by content. Everything else that libvips could open (SVG, PDF, camera raw …) is refused before it is parsed.
_FORMATS: tuple[tuple[bytes, int, str], ...] = (
    (b"\xff\xd8\xff", 0, "JPEG"),
    (b"\x89PNG\r\n\x1a\n", 0, "PNG"),
    (b"II*\x00", 0, "TIFF"),
    (b"MM\x00*", 0, "TIFF"),
    (b"WEBP", 8, "WebP"),
)


@dataclass(frozen=True)
class Limits:
    """What is refused unread: more bytes or more pixels than this."""

    max_bytes: int = 200_000_000
    max_pixels: int = 120_000_000


class PhotoFacts(BaseModel):
    """What a photo file says of itself; sizes are of the upright picture, in px."""

    format: str
    width: int
    height: int
    bits: int
    has_alpha: bool
    profile: str
    orientation: int
    dpi: float | None


def sniff(data: bytes) -> str | None:
    """The format of a file by its first bytes: "JPEG", "PNG", "TIFF", "WebP" or None."""
    for magic, offset, name in _FORMATS:
        if data[offset : offset + len(magic)] == magic:
            return name
    return None


def _open(data: bytes, name: str, limits: Limits, **options: Any) -> tuple[Any, str]:
    kind = sniff(data)
    if not data:
        raise UnreadablePhoto("is empty", where=name, remedy="Ask for it again")
    if len(data) > limits.max_bytes:
        raise UnreadablePhoto(
            f"has {len(data) / 1e6:.0f} MB, more than the {limits.max_bytes / 1e6:.0f} MB allowed",
            where=name,
            remedy="Save it smaller, or raise the limit",
        )
    if kind is None:
        raise UnreadablePhoto("is not a JPEG, PNG, TIFF or WebP picture", where=name, remedy="Export it as one of these")
    try:
        image = pyvips.Image.new_from_buffer(data, "", access="sequential", fail_on="truncated", **options)
    except pyvips.Error as error:
        raise _broken(error, data, name, kind) from None
    if image.width * image.height > limits.max_pixels:
        raise UnreadablePhoto(
            f"has {image.width * image.height / 1e6:.0f} megapixels, more than the {limits.max_pixels / 1e6:.0f} allowed",
            where=name,
            remedy="Scale it down, or raise the limit",
        )
    return image, kind


def _broken(error: Exception, data: bytes, name: str, kind: str) -> UnreadablePhoto:
    text = str(error).lower()
    cut = ("premature" in text or "truncat" in text or "end of" in text or "not enough" in text or "read error" in text) or (
        kind == "JPEG" and b"\xff\xd9" not in data[-64:]
    )
    what = f"is cut short (the {kind} data ends too early)" if cut else f"is a broken {kind} file"
    return UnreadablePhoto(what, where=name, remedy="Ask for it again")


def inspect_photo(data: bytes, name: str, limits: Limits = Limits()) -> PhotoFacts:
    """Facts of a photo file, from its header alone.

    Raises
    ------
    UnreadablePhoto
        Not a picture of a known format, too large, or broken in its header.
    """
    image, kind = _open(data, name, limits)
    orientation = int(image.get("orientation")) if image.get_typeof("orientation") else 1
    width, height = (image.height, image.width) if orientation >= 5 else (image.width, image.height)
    resolution = image.xres * 25.4
    profile = "sRGB"
    if image.get_typeof("icc-profile-data"):
        profile = _profile_name(bytes(image.get("icc-profile-data")))
    return PhotoFacts(
        format=kind,
        width=width,
        height=height,
        bits=16 if image.format in ("ushort", "short") else 8,
        has_alpha=bool(image.hasalpha()),
        profile=profile,
        orientation=orientation,
        dpi=round(resolution, 1) if resolution > 30 else None,
    )


def _profile_name(icc: bytes) -> str:
    """The description in an ICC profile: the `desc` tag, in its version 2 (ASCII) or version 4 (UTF-16) form."""
    try:
        (count,) = struct.unpack(">I", icc[128:132])
        for i in range(min(count, 100)):
            signature, offset, size = struct.unpack(">4sII", icc[132 + 12 * i : 144 + 12 * i])
            if signature == b"desc":
                tag = icc[offset : offset + size]
                if tag[:4] == b"mluc":
                    length, start = struct.unpack(">II", tag[20:28])
                    return tag[start : start + length].decode("utf-16-be").strip("\0 ")
                (length,) = struct.unpack(">I", tag[8:12])
                return tag[12 : 12 + length].decode("latin-1").strip("\0 ")
    except (struct.error, UnicodeDecodeError):
        pass
    return "embedded profile"


@cache
def srgb_profile() -> bytes:
    """The profile that we write: nothing is to be converted from it."""
    empty = pyvips.Image.black(1, 1, bands=3).copy(interpretation="srgb")
    written = pyvips.Image.new_from_buffer(empty.pngsave_buffer(profile="srgb"), "")
    return bytes(written.get("icc-profile-data"))


def decode_photo(data: bytes, name: str, limits: Limits = Limits(), min_long_side: int | None = None) -> Picture:
    """Decode a photo file: turned upright, converted from its profile to sRGB, alpha kept, 16 bits kept.

    Parameters
    ----------
    data : bytes
        The file.
    name : str
        What to call it in a message.
    limits : Limits
        Checked before any pixel is decoded.
    min_long_side : int, optional
        The picture is wanted no larger than this, in px: a JPEG is then decoded at the smallest codec scale that is
        not smaller, which saves most of the time.

    Raises
    ------
    UnreadablePhoto
        With the reason and the remedy.
    """
    options: dict[str, Any] = {}
    full = None
    if min_long_side is not None and sniff(data) == "JPEG":
        head, _ = _open(data, name, limits)
        full = max(head.width, head.height)
        shrink = next((s for s in (8, 4, 2) if full / s >= min_long_side), 1)
        if shrink > 1:
            options["shrink"] = shrink
    image, kind = _open(data, name, limits, **options)
    try:
        image = image.autorot()
        sixteen = image.format in ("ushort", "short")
        if image.get_typeof("icc-profile-data") and bytes(image.get("icc-profile-data")) != srgb_profile():
            try:
                image = image.icc_transform("srgb", embedded=True, intent="relative", depth=16 if sixteen else 8)
            except pyvips.Error:
                # A profile that does not fit its picture is common in the wild; the pixels are then taken as sRGB.
                image = image.copy_memory()
        elif image.interpretation == "cmyk":
            raise UnreadablePhoto("is CMYK without a profile", where=name, remedy="Export it as RGB")
        if image.interpretation not in ("srgb", "rgb16", "b-w", "grey16"):
            image = image.colourspace("rgb16" if sixteen else "srgb")
        values = image.numpy()
    except pyvips.Error as error:
        raise _broken(error, data, name, kind) from None
    if values.dtype not in (np.uint8, np.uint16):
        values = np.clip(values, 0, 255).astype(np.uint8)
    if values.ndim == 2:
        values = values[..., None]
    bands = values.shape[2]
    alpha = cv2.extractChannel(values, bands - 1) if bands in (2, 4) else None
    colour = values if bands == 3 else cv2.cvtColor(values, cv2.COLOR_RGBA2RGB) if bands == 4 else np.repeat(values[..., :1], 3, axis=2)
    if alpha is not None and int(alpha.min()) == int(np.iinfo(alpha.dtype).max):
        alpha = None
    scale = 1.0 if full is None else max(values.shape[:2]) / full
    return Picture(np.ascontiguousarray(colour), alpha, scale)
