"""What of a camera's Exif block goes along into a result."""

from typing import Literal

from PIL import Image
from PIL.ExifTags import IFD, Base

# Of the first directory; and of the Exif directory: when the photo was taken.
_TRIMMED = (Base.Make, Base.Model, Base.DateTime, Base.Artist, Base.Copyright)
_TRIMMED_EXIF = (Base.DateTimeOriginal, Base.OffsetTimeOriginal)
_SRGB = 1  # the colour space of a result, whatever the photo's was


def carried(block: bytes | None, keep: Literal["keep", "trim", "drop"], *, location: bool) -> bytes | None:
    """The Exif block for a result, or None.

    Orientation is upright, since the pixels are; thumbnails and makers' notes never go along, since they would show or tell of
    what was cut away; the place only if `location` says so, whatever else is kept.
    """
    if block is None or keep == "drop":
        return None
    try:
        given = Image.Exif()
        given.load(block)
        taken, place = dict(given.get_ifd(IFD.Exif)), dict(given.get_ifd(IFD.GPSInfo))
    except (SyntaxError, ValueError, OSError, KeyError, TypeError):
        return None  # a broken block is worth nothing
    out = Image.Exif()
    left_out = {IFD.Exif, IFD.GPSInfo, IFD.Interop, Base.Orientation, Base.ImageWidth, Base.ImageLength, Base.JpegIFOffset}
    for tag, value in given.items():
        if tag not in left_out and (keep == "keep" or tag in _TRIMMED):
            out[tag] = value
    for tag, value in taken.items():
        if tag not in (Base.MakerNote, IFD.Interop, Base.ExifImageWidth, Base.ExifImageHeight) and (keep == "keep" or tag in _TRIMMED_EXIF):
            out.get_ifd(IFD.Exif)[tag] = _SRGB if tag == Base.ColorSpace else value
    if location:
        out.get_ifd(IFD.GPSInfo).update(place)
    return out.tobytes() if len(out) or out.get_ifd(IFD.Exif) else None
