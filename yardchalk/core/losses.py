"""What a format loses on a very picture: the canvas encoded and decoded again, beside the canvas itself."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.codecs import Tags, too_long
from yardchalk.core.colour import Coded, Float, Mask, decode, delta_e, encode, to_lab, top
from yardchalk.core.deliver import Laid, on_canvas
from yardchalk.core.errors import YardError
from yardchalk.core.filing import written
from yardchalk.core.listing import SEE_THROUGH, FileKind, ListingSpec
from yardchalk.core.pixels import Picture
from yardchalk.core.render import Render
from yardchalk.core.stages.place import place

COMPARED: tuple[FileKind, ...] = ("jpeg", "png", "webp", "tiff", "gif")
_MOST_PIXELS = 25_000_000
_CLOSE = 96  # px; side of the place that is shown close by
_GREY: Float = (np.array([128, 128, 128]) / 255).astype(np.float32)
_WHITE: Float = np.ones(3, np.float32)


@dataclass(frozen=True)
class Loss:
    """What one format makes of the picture.

    Attributes
    ----------
    file, bytes, quality : as it would be written.
    mean, worst : difference to the canvas where the product is, ΔE00; the worst is the 99.9th percentile.
    edge : the greatest difference in coverage that pixels of the edge have, 99th percentile, %; None where nothing is see-through.
    flattened : whether the canvas is see-through and the format cannot be.
    bits : a channel, in the file; `bits_before` on the canvas.
    place : x, y, width, height, px, where the colours differ most; in the product where they do not.
    before, after : the place on both, uint8 (h, w, 3), see-through laid on grey.
    """

    file: FileKind
    bytes: int
    quality: int | None
    mean: float
    worst: float
    edge: float | None
    flattened: bool
    bits: int
    bits_before: int
    place: tuple[int, int, int, int]
    before: NDArray[np.uint8]
    after: NDArray[np.uint8]

    @property
    def words(self) -> list[str]:
        """What is lost, for a person; nothing if nothing is."""
        said = []
        if self.flattened:
            said.append("Transparency is laid on white")
        if self.edge is not None and self.edge > 1:
            said.append(f"The soft edge becomes hard: coverage up to {self.edge:.0f} % off")
        if self.mean >= 0.05 or self.worst >= 1:
            said.append(f"Colours are {self.mean:.2f} ΔE off on average, up to {self.worst:.1f}")
        if self.bits < self.bits_before:
            said.append(f"{self.bits_before} bits a channel become {self.bits}")
        return said


def losses(render: Render, spec: ListingSpec, kinds: tuple[FileKind, ...] = COMPARED) -> list[Loss]:
    """What each of these formats would lose on this photo under this spec, the spec's own settings otherwise kept; those that hold no side
    as long are left out.

    Raises
    ------
    YardError
        The canvas is larger than can be compared while somebody waits.
    """
    placing = place(render.marks.place.over(spec), *render.size_at(1.0), render.box)
    if placing.width * placing.height > _MOST_PIXELS:
        raise YardError(
            f"gives {placing.width:,} x {placing.height:,} px, and formats are compared up to {_MOST_PIXELS // 1_000_000} megapixels",
            where=spec.title or spec.name,
            remedy="Compare them with a smaller canvas",
        )
    deep = spec.model_copy(update={"file": "png", "bits": spec.bits or (16 if render.facts.bits == 16 else 8)})
    canvas = on_canvas(render, deep, placing)
    longest = max(placing.width, placing.height)
    return [_loss(render, spec, canvas, kind, placing.scale) for kind in kinds if not too_long(kind, longest)]


def _loss(render: Render, spec: ListingSpec, canvas: Laid, kind: FileKind, scale: float) -> Loss:
    clear = spec.background == "transparent"
    held = clear and kind in SEE_THROUGH
    asked = spec.model_copy(update={"file": kind, "background": spec.background if held or not clear else "white", "bits": None})
    pixels = canvas.pixels
    if clear and not held:
        pixels = _laid(pixels, _WHITE)
    if kind not in ("png", "tiff"):
        pixels = Picture(pixels).eight_bit().pixels if pixels.dtype == np.uint16 else pixels
    file = written(pixels, canvas.alpha, canvas.covered, asked, Tags(spec.dpi))
    back = file.back.pixels if file.back.alpha is None else np.dstack([file.back.pixels, file.back.alpha])
    edge = None
    if held:
        full = float(top(canvas.pixels.dtype))
        now = np.ones(canvas.alpha.shape) if file.back.alpha is None else file.back.alpha / float(top(file.back.alpha.dtype))
        soft = (canvas.alpha > 0) & (canvas.alpha < 1)
        off = np.abs(canvas.pixels[..., 3] / full - now)[soft]
        edge = 100 * float(np.percentile(off, 99)) if off.size else 0.0
    # See-through is compared on grey where the format holds it, else on the white that it is laid on.
    card = _GREY if held else _WHITE
    first, second = _laid(canvas.pixels, card), _laid(back, card)
    covered = canvas.covered > 0
    apart = _difference(first, second, covered)
    inside = apart[covered]
    at = _worst_place(apart if apart.any() else canvas.covered)
    return Loss(
        file=kind,
        bytes=len(file.data),
        quality=file.quality,
        mean=float(inside.mean()) if inside.size else 0.0,
        worst=float(np.percentile(inside, 99.9)) if inside.size else 0.0,
        edge=edge,
        flattened=clear and not held,
        bits=16 if back.dtype == np.uint16 else 8,
        bits_before=16 if canvas.pixels.dtype == np.uint16 else 8,
        place=(at[1].start, at[0].start, at[1].stop - at[1].start, at[0].stop - at[0].start),
        before=_eight(first[at]),
        after=_eight(second[at]),
    )


def _laid(pixels: Coded, card: Float) -> Coded:
    """On a plain card of coded values 0..1, as light mixes; (h, w, 3) in the same depth."""
    if pixels.shape[2] == 3:
        return pixels
    full = float(top(pixels.dtype))
    alpha = pixels[..., 3:].astype(np.float32) / np.float32(full)
    light = alpha * decode(pixels[..., :3].astype(np.float32) / np.float32(full)) + (1 - alpha) * decode(card)
    return np.round(encode(light) * full).astype(pixels.dtype)


def _eight(pixels: Coded) -> NDArray[np.uint8]:
    return np.ascontiguousarray(Picture(pixels).eight_bit().pixels.astype(np.uint8, copy=False))


def _difference(a: Coded, b: Coded, where: Mask) -> Float:
    """ΔE00 (h, w) of two pictures where asked and they differ at all; 0 elsewhere."""
    a, b = (pixels if pixels.dtype == np.uint16 else pixels.astype(np.uint16) * 257 for pixels in (a, b))
    at = np.nonzero(where & (a != b).any(2))
    out = np.zeros(where.shape, np.float32)
    out[at] = delta_e(to_lab(a[at]), to_lab(b[at]))
    return out


def _worst_place(apart: Float) -> tuple[slice, slice]:
    """A square round where the differences are largest together."""
    h, w = apart.shape
    size = min(_CLOSE, h, w)
    middle = divmod(int(np.argmax(cv2.boxFilter(apart, -1, (size, size)))), w)
    y, x = (int(np.clip(c - size // 2, 0, side - size)) for c, side in zip(middle, (h, w), strict=True))
    return slice(y, y + size), slice(x, x + size)
