"""A region of the product layer: its own colour and its coverage, as they are mended."""

from dataclasses import dataclass, replace

import cv2
import numpy as np

from yardchalk.core.colour import Coded, Float, Mask, to_coded, to_linear
from yardchalk.core.stages.edge.matte import Cutout

Rows = tuple[slice, slice]
_CHANGED = 1 / 1024  # of coverage or weight; less is nothing


@dataclass(frozen=True)
class Piece:
    """Colour, linear light float32 (h, w, 3), and coverage, float32 (h, w); the colour is the product's own, freed of the backdrop."""

    colour: Float
    alpha: Float


@dataclass
class Layer:
    """A region of the toned picture and its matte.

    Attributes
    ----------
    pixels : coded (h, w, 3); also where nothing covers.
    cut : the matte; its band's colours are toned too.
    """

    pixels: Coded
    cut: Cutout

    @property
    def shape(self) -> tuple[int, int]:
        return self.pixels.shape[0], self.pixels.shape[1]

    def copy(self) -> "Layer":
        """One that can be changed; the band's lists are never changed in place."""
        cut = self.cut
        return Layer(self.pixels.copy(), replace(cut, alpha=cut.alpha.copy()))

    def part(self, at: Rows) -> "Layer":
        """Rows and columns of it, sharing its arrays."""
        inside = self._inside(at)
        cut = self.cut
        rows, columns = cut.rows[inside] - at[0].start, cut.columns[inside] - at[1].start
        return Layer(self.pixels[at], replace(cut, alpha=cut.alpha[at], rows=rows, columns=columns, colour=cut.colour[inside]))

    def piece(self) -> Piece:
        """All of it, dense."""
        colour = to_linear(np.ascontiguousarray(self.pixels))
        colour[self.cut.rows, self.cut.columns] = self.cut.colour
        return Piece(colour, self.cut.alpha)

    def put(self, at: Rows, piece: Piece, changed: Mask) -> None:
        """Have a piece in the place of what is there, in the pixels that are changed; all else stays to the last bit."""
        if not changed.any():
            return
        pixels, alpha, cut = self.pixels[at], self.cut.alpha[at], self.cut
        pixels[changed] = to_coded(piece.colour[changed], pixels.dtype)
        alpha[changed] = np.clip(piece.alpha[changed], 0, 1)
        kept = ~self._inside(at)
        here = np.flatnonzero(~kept)
        kept[here] = ~changed[cut.rows[here] - at[0].start, cut.columns[here] - at[1].start]
        rows, columns = np.nonzero(changed & (alpha > 0) & (alpha < 1))
        self.cut = replace(
            cut,
            rows=np.concatenate([cut.rows[kept], rows + at[0].start]),
            columns=np.concatenate([cut.columns[kept], columns + at[1].start]),
            colour=np.concatenate([cut.colour[kept], np.clip(piece.colour[rows, columns], 0, 1)]),
        )

    def _inside(self, at: Rows) -> Mask:
        rows, columns = self.cut.rows, self.cut.columns
        return (rows >= at[0].start) & (rows < at[0].stop) & (columns >= at[1].start) & (columns < at[1].stop)


def blended(under: Piece, over: Piece, weight: Float) -> Piece:
    """From one to the other by a weight (h, w), 0..1: light and coverage mixed as they add up."""
    w = weight[..., None]
    alpha = under.alpha + weight * (over.alpha - under.alpha)
    light = (1 - w) * under.alpha[..., None] * under.colour + w * over.alpha[..., None] * over.colour
    plain = under.colour + w * (over.colour - under.colour)
    seen = alpha > _CHANGED
    colour = np.where(seen[..., None], light / np.maximum(alpha, _CHANGED)[..., None], plain)
    return Piece(colour.astype(np.float32), alpha.astype(np.float32))


def laid_over(under: Piece, over: Piece, weight: Float) -> Piece:
    """One over the other, covering as far as it does itself and the weight lets it."""
    above = over.alpha * weight
    below = (1 - above) * under.alpha
    alpha = above + below
    colour = (above[..., None] * over.colour + below[..., None] * under.colour) / np.maximum(alpha, _CHANGED)[..., None]
    return Piece(np.where((alpha > _CHANGED)[..., None], colour, under.colour).astype(np.float32), alpha.astype(np.float32))


def sampled(source: Piece, x: Float, y: Float) -> Piece:
    """The source at places x, y, in px of it (the middle of the first pixel is 0, 0): float32 (h, w) each.

    Light is interpolated by Lanczos' kernel, weighted by coverage where that is partial; coverage linearly, so that it never
    leaves 0..1.
    """
    border = cv2.BORDER_REPLICATE
    alpha = np.asarray(cv2.remap(source.alpha, x, y, cv2.INTER_LINEAR, borderMode=border), np.float32)
    plain = np.asarray(cv2.remap(source.colour, x, y, cv2.INTER_LANCZOS4, borderMode=border), np.float32)
    partial = (alpha > _CHANGED) & (alpha < 1 - _CHANGED)
    if partial.any():
        weighed = cv2.remap(source.colour * source.alpha[..., None], x, y, cv2.INTER_LINEAR, borderMode=border)
        plain[partial] = weighed[partial] / alpha[partial, None]
    return Piece(np.clip(plain, 0, 1), alpha)


def differs(before: Piece, after: Piece) -> Mask:
    """Which pixels a mend changed to be seen: bool (h, w)."""
    seen = np.maximum(before.alpha, after.alpha) > _CHANGED
    colour = (np.abs(before.colour - after.colour) > 0.002).any(2)
    out: Mask = (np.abs(before.alpha - after.alpha) > 0.004) | (seen & colour)
    return out
