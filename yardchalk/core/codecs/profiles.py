"""Colour profiles (ICC.1): the one that we write, one that cameras mean without saying it, and what a profile calls itself."""

import struct
from functools import cache

import pyvips

_D50 = (0.9642, 1.0, 0.8249)
# opRGB (IEC 61966-2-5): the exponent, and the primaries adapted to D50.
_EXPONENT = 563 / 256
_PRIMARIES = {b"rXYZ": (0.60974, 0.31111, 0.01947), b"gXYZ": (0.20528, 0.62567, 0.06087), b"bXYZ": (0.14919, 0.06322, 0.74457)}
_NAME = b"opRGB, as its Exif data says"
_UNNAMED = "embedded profile"


@cache
def srgb_profile() -> bytes:
    """The profile that we write: nothing is to be converted from it."""
    empty = pyvips.Image.black(1, 1, bands=3).copy(interpretation="srgb")
    written = pyvips.Image.new_from_buffer(empty.pngsave_buffer(profile="srgb"), "")
    return bytes(written.get("icc-profile-data"))


@cache
def op_rgb_profile() -> bytes:
    """opRGB (IEC 61966-2-5), as a display profile of version 2: matrix and one exponent."""
    curve = b"curv" + bytes(4) + struct.pack(">IH", 1, round(_EXPONENT * 256)) + bytes(2)
    tags = {
        b"desc": b"desc" + bytes(4) + struct.pack(">I", len(_NAME) + 1) + _NAME + bytes(1 + 8 + 3 + 67),
        b"cprt": b"text" + bytes(4) + b"No copyright, use freely" + bytes(1),
        b"wtpt": _xyz(_D50),
        **{signature: _xyz(primary) for signature, primary in _PRIMARIES.items()},
        **dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve),
    }
    at = 128 + 4 + 12 * len(tags)
    table, body = struct.pack(">I", len(tags)), b""
    for signature, content in tags.items():
        table += struct.pack(">4sII", signature, at + len(body), len(content))
        body += content + bytes(-len(content) % 4)
    head = struct.pack(">I4xI4s4s4s12x4s28x", at + len(body), 0x02100000, b"mntr", b"RGB ", b"XYZ ", b"acsp") + _xyz(_D50)[8:]
    return head + bytes(128 - len(head)) + table + body


def _xyz(values: tuple[float, float, float]) -> bytes:
    return b"XYZ " + bytes(4) + struct.pack(">3i", *(round(65536 * value) for value in values))


def profile_name(icc: bytes) -> str:
    """The description in an ICC profile: the `desc` tag, in its version 2 (ASCII) or version 4 (UTF-16) form."""
    try:
        (count,) = struct.unpack(">I", icc[128:132])
        for i in range(min(count, 100)):
            signature, offset, size = struct.unpack(">4sII", icc[132 + 12 * i : 144 + 12 * i])
            if signature == b"desc":
                tag = icc[offset : offset + size]
                if tag[:4] == b"mluc":
                    length, start = struct.unpack(">II", tag[20:28])
                    return _plain(tag[start : start + length].decode("utf-16-be"))
                (length,) = struct.unpack(">I", tag[8:12])
                return _plain(tag[12 : 12 + length].decode("latin-1"))
    except (struct.error, UnicodeDecodeError):
        pass
    return _UNNAMED


def _plain(text: str) -> str:
    """Up to the end that a NUL marks, which may come before that of the tag."""
    return "".join(c for c in text.lstrip("\0").partition("\0")[0] if c.isprintable()).strip()[:100] or _UNNAMED
