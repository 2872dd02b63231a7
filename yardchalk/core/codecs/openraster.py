"""OpenRaster 0.0.6: a layered picture for later work, a ZIP of PNG files and a list of them."""

import io
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray

_NOON = (1980, 1, 1, 0, 0, 0)  # the same bytes whenever it is written
_THUMBNAIL = 256


@dataclass(frozen=True)
class Part:
    """One part of a layered file.

    Attributes
    ----------
    name : what a person reads.
    png : the part as a PNG file.
    shown : whether it is seen.
    """

    name: str
    png: bytes
    shown: bool = True


def encode_openraster(parts: Sequence[Part], merged: bytes, thumbnail: bytes, size: tuple[int, int], dpi: float) -> bytes:
    """Encode parts of one size, the topmost first.

    Parameters
    ----------
    merged, thumbnail : PNG files of all that is shown together; the thumbnail no larger than 256 px.
    size : width and height, px.
    """
    image = ElementTree.Element(
        "image", {"version": "0.0.6", "w": str(size[0]), "h": str(size[1]), "xres": f"{dpi:.0f}", "yres": f"{dpi:.0f}"}
    )
    stack = ElementTree.SubElement(image, "stack")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        # The first entry, not squeezed, says what the file is.
        _add(archive, "mimetype", b"image/openraster")
        for number, part in enumerate(parts):
            path = f"data/part{number}.png"
            ElementTree.SubElement(
                stack,
                "layer",
                {
                    "name": part.name,
                    "src": path,
                    "x": "0",
                    "y": "0",
                    "opacity": "1.0",
                    "composite-op": "svg:src-over",
                    "visibility": "visible" if part.shown else "hidden",
                },
            )
            _add(archive, path, part.png)
        _add(archive, "stack.xml", ElementTree.tostring(image, encoding="utf-8", xml_declaration=True))
        _add(archive, "mergedimage.png", merged)
        _add(archive, "Thumbnails/thumbnail.png", thumbnail)
    return out.getvalue()


def _add(archive: zipfile.ZipFile, path: str, data: bytes) -> None:
    archive.writestr(zipfile.ZipInfo(path, _NOON), data)


def merged_of(data: bytes) -> bytes:
    """The PNG of all that is shown together, from a file that we wrote."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return archive.read("mergedimage.png")


def thumbnail_of(pixels: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A small copy, every n-th pixel averaged away, no larger than 256 px."""
    import cv2

    h, w = pixels.shape[:2]
    s = min(1.0, _THUMBNAIL / max(h, w))
    return cv2.resize(pixels, (max(1, round(w * s)), max(1, round(h * s))), interpolation=cv2.INTER_AREA).astype(np.uint8)
