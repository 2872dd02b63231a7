"""The framed photo: decoded no larger than is asked for, turned, straightened and cropped, a region at a scale."""

import hashlib
from functools import cached_property
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from yardchalk.core.codecs import decode_photo, inspect_photo
from yardchalk.core.codecs.reading import Limits as ReadLimits
from yardchalk.core.codecs.reading import PhotoFacts
from yardchalk.core.colour import Float, Mask
from yardchalk.core.errors import YardError
from yardchalk.core.pixels import Picture, Region
from yardchalk.core.render.cache import StageCache
from yardchalk.core.settings import FrameMarks, Marks, RunSheet
from yardchalk.core.settings_base import Length, Stroke
from yardchalk.core.softness import blur_of_edges
from yardchalk.core.stages.frame import Framing, make_framing
from yardchalk.core.stages.lift import region_of
from yardchalk.core.stages.plot import Plot

ANALYSIS_SIDE = 1600  # px
_ANALYSIS_NEAR = 0.9  # of that: a codec's scale that comes so close is taken as it is
# px; a photo whose edges are more blurred than the one is looked at so small that they are as sharp as the other, but no smaller than that.
_SOFT, _SHARP, _LEAST_SIDE = 1.75, 0.75, 400


class FramedPhoto:
    """A photo file under its frame, and what all layers of a render need: settings, cache, lengths, places.

    The parameters are those of `Render`.
    """

    def __init__(
        self,
        data: bytes,
        name: str,
        sheet: RunSheet,
        marks: Marks | None = None,
        *,
        cache: StageCache | None = None,
        limits: ReadLimits | None = None,
        digest: str | None = None,
        empty: bytes | None = None,
    ) -> None:
        self.data, self.name, self.sheet, self.marks = data, name, sheet, marks or Marks()
        self.cache = cache or StageCache()
        self.limits = limits or ReadLimits()
        self.empty = empty
        self.file_digest = digest or hashlib.sha256(data).hexdigest()

    def with_marks(self, marks: Marks, sheet: RunSheet | None = None) -> Self:
        """The same photo under other settings; what both have in common is computed once."""
        return type(self)(
            self.data, self.name, sheet or self.sheet, marks,
            cache=self.cache, limits=self.limits, digest=self.file_digest, empty=self.empty,
        )  # fmt: skip

    @property
    def facts(self) -> PhotoFacts:
        """Of the file; its width and height are those of the whole photo."""
        return self.cache.get((self.file_digest, "facts"), lambda: inspect_photo(self.data, self.name, self.limits))

    @cached_property
    def frame(self) -> FrameMarks | None:
        """The photo's own frame, or what the run sheet makes of it."""
        if self.marks.frame is not None:
            return self.marks.frame
        return FrameMarks(turns=self.sheet.frame.turns) if self.sheet.frame.turns else None

    @cached_property
    def framing(self) -> Framing:
        return make_framing(self.facts.width, self.facts.height, self.frame)

    @cached_property
    def digest(self) -> str:
        """What everything after the frame is kept under: the content's digest and the frame."""
        return (
            self.file_digest
            if self.frame is None or self.framing.plain
            else f"{self.file_digest} {self.frame.model_dump_json(exclude_defaults=True)}"
        )

    def size_at(self, scale: float) -> tuple[int, int]:
        """Width and height of the framed photo at a scale, px."""
        return max(1, round(self.framing.width * scale)), max(1, round(self.framing.height * scale))

    def _decoded(self, scale: float) -> Picture:
        """The framed photo at a codec scale that is no less; one serves every smaller size, so few are ever decoded."""
        full = max(self.facts.width, self.facts.height)
        least = round(full * max(scale, self._sharp_scale))
        shrink = next((s for s in (8, 4, 2) if full // s >= least), 1) if self.facts.format == "JPEG" else 1
        picture = self.cache.get(
            (self.file_digest, "decoded", shrink),
            lambda: decode_photo(self.data, self.name, self.limits, full // shrink if shrink > 1 else None),
        )
        if self.framing.plain:
            return picture
        return self.cache.get((self.digest, "framed", shrink), lambda: self.framing.apply(picture))

    def photo(self, scale: float) -> Picture:
        """The whole framed photo at a scale (1 is full size), as it came in."""
        return self.part(scale, self.whole(scale))

    def whole(self, scale: float) -> Region:
        """All of the framed photo at a scale."""
        width, height = self.size_at(scale)
        return Region(0, height, 0, width)

    def part(self, scale: float, region: Region) -> Picture:
        """A region of the photo at a scale, as it came in: exactly that part of the whole."""
        width, height = self.size_at(scale)
        key = self._part_key(width, height, region)
        # First, since what it was made of may have been let go since.
        if (made := self.cache.peek(key)) is not None:
            known: Picture = made
            return known
        source = self._decoded(scale)
        if (source.width, source.height) == (width, height):
            return source.part(region.index)
        return self.cache.get(key, lambda: source.resized(width, height, region.index))

    def _part_key(self, width: int, height: int, region: Region) -> tuple[Any, ...]:
        return self.digest, "photo", width, height, region

    def let_go(self, scale: float, region: Region) -> None:
        """Keep nothing of a region that is done with."""
        self.cache.forget(self._part_key(*self.size_at(scale), region))

    @property
    def _sharp_scale(self) -> float:
        """Of the analysis picture of a sharp photo: a scale at which the codec decodes, if one comes close, else 1,600 px and no less."""
        longest = max(self.framing.width, self.framing.height)
        if self.facts.format == "JPEG" and self.framing.plain:
            near = [s for s in (8, 4, 2) if _ANALYSIS_NEAR * ANALYSIS_SIDE <= longest / s <= ANALYSIS_SIDE and longest % s == 0]
            if near:
                return 1 / near[0]
        return min(1.0, ANALYSIS_SIDE / longest)

    @property
    def blur(self) -> float | None:
        """How far its steepest edges are spread, px of the photo (standard deviation); None without one, or if the file has alpha."""
        if self.facts.has_alpha:
            return None

        def measure() -> float | None:
            scale = self._sharp_scale
            found = blur_of_edges(self.photo(scale).eight_bit().pixels.astype(np.uint8, copy=False))
            return None if found is None else found / scale

        return self.cache.get((self.digest, "blur"), measure)

    @property
    def soft(self) -> bool:
        """Whether even the steepest edges are blurred on the analysis picture of a sharp photo."""
        return (self.blur or 0.0) * self._sharp_scale > _SOFT

    @property
    def analysis_scale(self) -> float:
        """Of the analysis picture: of a photo that is soft, a scale at which it is as sharp as others are."""
        scale, blur = self._sharp_scale, self.blur
        if blur is None or not self.soft:
            return scale
        return min(scale, max(_SHARP / blur, _LEAST_SIDE / max(self.framing.width, self.framing.height)))

    @property
    def analysis(self) -> NDArray[np.uint8]:
        """The analysis picture: coded (h, w, 3), long side 1,600 px at most, 8 bits."""
        return self.photo(self.analysis_scale).eight_bit().pixels.astype(np.uint8, copy=False)

    def length(self, length: Length, scale: float) -> float:
        """px at a scale of a length on the photo."""
        if length.unit == "px":
            return length.value * scale
        if length.unit == "%":
            return length.value / 100 * self.framing.longest * scale
        if not self.facts.dpi:
            raise YardError("does not say how many px an inch has", where=self.name, remedy="Give the length in px or %")
        return length.value / 25.4 * self.facts.dpi * scale

    def _stroked(self, strokes: tuple[Stroke, ...], scale: float, region: Region) -> Float:
        """Where strokes lie on a region, 0..1, later ones winning: float32 (h, w)."""
        width, height = self.size_at(scale)
        plot = Plot.of(self.framing, width, height).part(*region.index)
        out = np.zeros(region.shape, np.float32)
        for stroke in strokes:
            drawn = plot.brushed(stroke.points, plot.length(stroke.size)) / np.float32(255)
            out = np.maximum(out, drawn) if stroke.adds else np.minimum(out, 1 - drawn)
        return out

    def _pixels_under(self, shape: tuple[int, ...], scale: float, region: Region) -> tuple[NDArray[np.intp], ...]:
        """Rows and columns of the analysis picture under a region's pixels, as an open mesh."""
        width, height = self.size_at(scale)
        down = np.minimum(((np.arange(region.top, region.bottom) + 0.5) * (shape[0] / height)).astype(np.intp), shape[0] - 1)
        across = np.minimum(((np.arange(region.left, region.right) + 0.5) * (shape[1] / width)).astype(np.intp), shape[1] - 1)
        return np.ix_(down, across)

    def under(self, mask: Mask, scale: float, region: Region) -> Mask:
        """A mask of the analysis picture on a region at a scale."""
        found: Mask = mask[self._pixels_under(mask.shape, scale, region)]
        return found

    def _region_of(self, small: Float, scale: float, region: Region) -> Float:
        width, height = self.size_at(scale)
        return region_of(small, (height, width), *region.index)
