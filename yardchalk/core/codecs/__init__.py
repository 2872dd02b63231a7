"""Read and write picture files. Files are known by their content, never by their name."""

from yardchalk.core.codecs.gif import encode_gif
from yardchalk.core.codecs.openraster import Part, encode_openraster, merged_of
from yardchalk.core.codecs.reading import Limits, PhotoFacts, decode_photo, exif_of, inspect_photo, pages_of
from yardchalk.core.codecs.writing import SUFFIX, Tags, encode_grey, encode_picture, encode_preview, encode_tile, too_long

__all__ = [
    "SUFFIX",
    "Limits",
    "Part",
    "PhotoFacts",
    "Tags",
    "decode_photo",
    "encode_gif",
    "encode_grey",
    "encode_openraster",
    "encode_picture",
    "encode_preview",
    "encode_tile",
    "exif_of",
    "inspect_photo",
    "merged_of",
    "pages_of",
    "too_long",
]
