"""Read and write picture files. Files are known by their content, never by their name."""

from yardchalk.core.codecs.reading import Limits, PhotoFacts, decode_photo, inspect_photo
from yardchalk.core.codecs.writing import SUFFIX, encode_grey, encode_picture, encode_preview, encode_tile

__all__ = [
    "SUFFIX",
    "Limits",
    "PhotoFacts",
    "decode_photo",
    "encode_grey",
    "encode_picture",
    "encode_preview",
    "encode_tile",
    "inspect_photo",
]
