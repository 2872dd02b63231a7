"""A picture in memory."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, resize_cover, resize_linear


@dataclass(frozen=True)
class Region:
    """A rectangle of the photo at a scale: rows and columns of the whole photo at that scale, in px."""

    top: int
    bottom: int
    left: int
    right: int

    @property
    def shape(self) -> tuple[int, int]:
        return self.bottom - self.top, self.right - self.left

    @property
    def index(self) -> tuple[slice, slice]:
        return slice(self.top, self.bottom), slice(self.left, self.right)

    def within(self, other: "Region") -> tuple[slice, slice]:
        """Rows and columns of another region, which holds it, that it has."""
        return (
            slice(self.top - other.top, self.bottom - other.top),
            slice(self.left - other.left, self.right - other.left),
        )

    def holds(self, other: "Region") -> bool:
        return self.top <= other.top and self.bottom >= other.bottom and self.left <= other.left and self.right >= other.right

    def common(self, other: "Region") -> "Region | None":
        """What both have; None if that is nothing."""
        both = Region(max(self.top, other.top), min(self.bottom, other.bottom), max(self.left, other.left), min(self.right, other.right))
        return both if both.top < both.bottom and both.left < both.right else None


@dataclass(frozen=True)
class Picture:
    """Pixels as they are worked on: upright, in sRGB.

    Attributes
    ----------
    pixels : uint8 or uint16, shape (h, w, 3)
        sRGB-coded colour, straight (not multiplied by alpha).
    alpha : same dtype, shape (h, w), or None
        Opacity, if the file had any transparency.
    scale : float
        Pixels of this picture for one pixel of the original; 1 is full size.
    """

    pixels: Coded
    alpha: NDArray[Any] | None = None
    scale: float = 1.0

    @property
    def height(self) -> int:
        return int(self.pixels.shape[0])

    @property
    def width(self) -> int:
        return int(self.pixels.shape[1])

    def part(self, at: tuple[slice, slice]) -> "Picture":
        """Rows and columns of it, contiguous in memory."""
        alpha = None if self.alpha is None else np.ascontiguousarray(self.alpha[at])
        return Picture(np.ascontiguousarray(self.pixels[at]), alpha, self.scale)

    def resized(self, width: int, height: int, region: tuple[slice, slice] | None = None) -> "Picture":
        """The same picture at another size, or a region of that: colour averaged in linear light, alpha as coverage."""
        alpha = None if self.alpha is None else resize_cover(self.alpha, width, height, region)
        return Picture(resize_linear(self.pixels, width, height, region), alpha, self.scale * width / self.width)

    def eight_bit(self) -> "Picture":
        """The same picture in 8 bits a channel."""
        if self.pixels.dtype == np.uint8:
            return self
        alpha = None if self.alpha is None else _to_eight(self.alpha)
        return Picture(_to_eight(self.pixels), alpha, self.scale)


def _to_eight(values: NDArray[Any]) -> NDArray[np.uint8]:
    return ((values.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)
