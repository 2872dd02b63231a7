"""Decode JPEG, PNG, TIFF, WebP, GIF, AVIF and HEIC to upright sRGB pixels, under limits."""

import contextlib
import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import PurePath
from typing import Any

import cv2
import numpy as np
import pyvips
from pydantic import BaseModel

from yardchalk.core.codecs.profiles import op_rgb_profile, profile_name, srgb_profile
from yardchalk.core.errors import UnreadablePhoto
from yardchalk.core.pixels import Picture

# Loaders by content. Everything else that libvips could open (SVG, PDF, camera raw …) is refused before it is parsed.
_FORMATS: tuple[tuple[bytes, int, str], ...] = (
    (b"\xff\xd8\xff", 0, "JPEG"),
    (b"\x89PNG\r\n\x1a\n", 0, "PNG"),
    (b"II*\x00", 0, "TIFF"),
    (b"MM\x00*", 0, "TIFF"),
    (b"WEBP", 8, "WebP"),
    (b"GIF8", 0, "GIF"),
    (b"ftyp", 4, "HEIC"),
)
# Endings of what a camera's sensor gave: files that begin as TIFF does, and whose first picture is a stamp of the photo.
CAMERA_RAW = frozenset(
    {".3fr", ".arw", ".cr2", ".cr3", ".dng", ".erf", ".iiq", ".mos", ".nef", ".nrw", ".orf", ".pef", ".raf", ".raw", ".rw2", ".srw"}
)
_KNOWN = "JPEG, PNG, TIFF, WebP, GIF, AVIF or HEIC"
_SAMPLES = "uchar", "char", "ushort", "short"  # what a channel's are, as the decoder calls them
# Brands of the two kinds of picture that come in an ISO base media file (ISO/IEC 23008-12, annex B).
_AVIF_BRANDS = {b"avif", b"avis"}
_HEIC_BRANDS = {b"heic", b"heix", b"heim", b"heis", b"hevc", b"hevx", b"mif1", b"msf1"}
# By Exif 2.3, 4.6.7; R03 is what cameras that are set to the wider space, opRGB, write, many of them in the place of a profile.
_INTEROPERABILITY = "exif-ifd4-InteroperabilityIndex"
_MIRRORED = 2  # EXIF orientation of a picture that is upright, but mirrored; those over it are turned
# A page no more than so long a share of the first, and of its shape, is a small copy of it.
_SMALL_COPY = 0.3
_MOST_PAGES = 500

pyvips.cache_set_max(0)  # it would hold on to what was turned, and nothing is done twice


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
    frames: int = 1


def sniff(data: bytes) -> str | None:
    """The format of a file by its first bytes: "JPEG", "PNG", "TIFF", "WebP", "GIF", "AVIF", "HEIC" or None."""
    for magic, offset, name in _FORMATS:
        if data[offset : offset + len(magic)] == magic:
            return _brand(data) if name == "HEIC" else name
    return None


def _brand(data: bytes) -> str | None:
    size = int.from_bytes(data[:4], "big")
    head = data[8 : min(size, 200)]
    brands = {head[:4], *(head[k : k + 4] for k in range(8, len(head), 4))}
    return "AVIF" if brands & _AVIF_BRANDS else "HEIC" if brands & _HEIC_BRANDS else None


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
    if PurePath(name).suffix.lower() in CAMERA_RAW:
        raise UnreadablePhoto("is a camera's raw file", where=name, remedy="Develop it, and bring in a TIFF or JPEG of it")
    if kind is None:
        raise UnreadablePhoto(f"is not a {_KNOWN} picture", where=name, remedy="Export it as one of these")
    if kind == "HEIC":
        return _open_heic(data, name, limits), kind
    # Of a TIFF file, that it ends too early counts as an error like any other.
    fail_on = "error" if kind == "TIFF" else "truncated"
    try:
        image = pyvips.Image.new_from_buffer(data, "", access="sequential", fail_on=fail_on, **options)
    except pyvips.Error as error:
        raise _broken(error, data, name, kind) from None
    _check_size(image.width, image.height, name, limits)
    if image.format not in _SAMPLES:
        raise UnreadablePhoto(
            "has samples of 32 bits or with a floating point", where=name, remedy="Save it with 8 or 16 bits to a channel"
        )
    if not image.get_typeof("icc-profile-data") and image.get_typeof(_INTEROPERABILITY) and image.get(_INTEROPERABILITY)[:3] == "R03":
        image = image.copy()
        image.set_type(pyvips.GValue.blob_type, "icc-profile-data", op_rgb_profile())
    return image, kind


def _check_size(width: int, height: int, name: str, limits: Limits) -> None:
    if width * height > limits.max_pixels:
        raise UnreadablePhoto(
            f"has {width * height / 1e6:.0f} megapixels, more than the {limits.max_pixels / 1e6:.0f} allowed",
            where=name,
            remedy="Scale it down, or raise the limit",
        )


def _open_heic(data: bytes, name: str, limits: Limits) -> Any:
    """A HEIC file's main picture as libvips would have opened it; the decoder that comes with libvips lacks HEVC."""
    import pillow_heif  # loads a decoder; few files need it

    try:
        held = pillow_heif.open_heif(data, convert_hdr_to_8bit=False)
        width, height = held.size
        _check_size(width, height, name, limits)
        values = np.asarray(held)
    except (ValueError, OSError, EOFError, RuntimeError, SyntaxError) as error:
        raise _broken(error, data, name, "HEIC") from None
    image = pyvips.Image.new_from_array(values)
    depth = "16" if values.dtype == np.uint16 else ""
    grey = values.ndim == 2 or values.shape[2] < 3
    image = image.copy(interpretation=("grey16" if depth else "b-w") if grey else ("rgb16" if depth else "srgb"))
    for field, kept in (("icc-profile-data", "icc_profile"), ("exif-data", "exif")):
        if held.info.get(kept):
            image.set_type(pyvips.GValue.blob_type, field, bytes(held.info[kept]))
    return image


def _broken(error: Exception, data: bytes, name: str, kind: str) -> UnreadablePhoto:
    text = str(error).lower()
    cut = (
        "premature" in text or "truncat" in text or "end of" in text or "not enough" in text or "read error" in text or "bad seek" in text
    ) or (kind == "JPEG" and b"\xff\xd9" not in data[-64:])
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
    orientation = int(image.get("orientation")) if image.get_typeof("orientation") and kind != "HEIC" else 1
    width, height = (image.height, image.width) if orientation >= 5 else (image.width, image.height)
    resolution = image.xres * 25.4
    profile = "sRGB"
    if image.get_typeof("icc-profile-data"):
        profile = profile_name(bytes(image.get("icc-profile-data")))
    elif image.interpretation == "cmyk":
        profile = "CMYK without a profile, taken for a general one"
    return PhotoFacts(
        format=kind,
        width=width,
        height=height,
        bits=16 if image.format in ("ushort", "short") else 8,
        has_alpha=bool(image.hasalpha()),
        profile=profile,
        orientation=orientation,
        dpi=round(resolution, 1) if resolution > 30 else None,
        frames=int(image.get("n-pages")) if kind in ("GIF", "WebP") and image.get_typeof("n-pages") else 1,
    )


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
        if kind != "HEIC":  # its turns are part of its decoding
            if image.get_typeof("orientation") and image.get("orientation") > _MIRRORED:
                image = image.copy_memory()  # what is read line by line, from the top, cannot be turned
            image = image.autorot()
        sixteen = image.format in ("ushort", "short")
        if image.get_typeof("icc-profile-data") and bytes(image.get("icc-profile-data")) != srgb_profile():
            try:
                image = image.icc_transform("srgb", embedded=True, intent="relative", depth=16 if sixteen else 8)
            except pyvips.Error:
                # A profile that does not fit its picture is common in the wild; the pixels are then taken as sRGB.
                image = image.copy_memory()
        elif image.interpretation == "cmyk":
            image = image.icc_transform("srgb", input_profile="cmyk", intent="relative", depth=16 if sixteen else 8)
        if image.interpretation not in ("srgb", "rgb16", "b-w", "grey16"):
            image = image.colourspace("rgb16" if sixteen else "srgb")
        # A single band, or a single pixel, comes with fewer axes.
        values = image.numpy().reshape(image.height, image.width, image.bands)
    except pyvips.Error as error:
        raise _broken(error, data, name, kind) from None
    if values.dtype not in (np.uint8, np.uint16):
        values = np.clip(values, 0, 255).astype(np.uint8)
    bands = values.shape[2]
    alpha = cv2.extractChannel(values, bands - 1) if bands in (2, 4) else None
    colour = values if bands == 3 else cv2.cvtColor(values, cv2.COLOR_RGBA2RGB) if bands == 4 else np.repeat(values[..., :1], 3, axis=2)
    if alpha is not None and int(alpha.min()) == int(np.iinfo(alpha.dtype).max):
        alpha = None
    scale = 1.0 if full is None else max(values.shape[:2]) / full
    return Picture(np.ascontiguousarray(colour), alpha, scale)


def pages_of(data: bytes, name: str, limits: Limits = Limits()) -> Iterator[tuple[str, bytes]]:
    """The pictures in a file, each with a name: itself, or for a TIFF of several pages each page as a TIFF of its own.

    Pages that are small copies of the first are left out. A file that cannot be read is given as it is.

    Raises
    ------
    UnreadablePhoto
        It has more than 500 pages.
    """
    count = 1
    with contextlib.suppress(UnreadablePhoto):
        if sniff(data) == "TIFF":
            first, _ = _open(data, name, limits)
            count = int(first.get("n-pages")) if first.get_typeof("n-pages") else 1
    if count < 2:
        yield name, data
        return
    if count > _MOST_PAGES:
        raise UnreadablePhoto(f"has {count:,} pages, more than the {_MOST_PAGES} allowed", where=name, remedy="Split it")
    stem, suffix = re.fullmatch(r"(.*?)(\.[^./]*)?", name).groups()  # type: ignore[union-attr]
    for page in range(count):
        label = f"{stem} p{page + 1}{suffix or ''}"
        try:
            image, _ = _open(data, label, limits, page=page)
            if page and _is_small_copy(image, first):
                continue
            image = image.copy()
            if image.get_typeof("n-pages"):
                image.remove("n-pages")
            yield label, bytes(image.tiffsave_buffer(compression="deflate", predictor="horizontal"))
        except (UnreadablePhoto, pyvips.Error):
            yield label, b"II*\x00"  # a TIFF with nothing in it: refused by name as broken


def _is_small_copy(page: Any, first: Any) -> bool:
    alike = abs(page.width * first.height - first.width * page.height) < 0.02 * page.width * first.height
    return bool(alike and page.width < _SMALL_COPY * first.width)


def exif_of(data: bytes) -> bytes | None:
    """The block that the camera wrote (Exif 2.3), as it stands in the file; None if there is none."""
    try:
        image, _ = _open(data, "", Limits(max_bytes=2**40, max_pixels=2**40))
    except UnreadablePhoto:
        return None
    return bytes(image.get("exif-data")) if image.get_typeof("exif-data") else None
