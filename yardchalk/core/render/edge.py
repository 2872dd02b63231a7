"""The matte of any region at any scale: solved in the band, as regions have it, cleaned up."""

import hashlib
import math
from collections.abc import Callable
from dataclasses import replace
from functools import cached_property, partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.clear_settings import AutomaticRegion, ContrastRegion, InkRegion, OutlineRegion
from yardchalk.core.colour import Coded, Float, Mask, decode, linear_table, top
from yardchalk.core.pixels import Picture, Region
from yardchalk.core.regions import disc
from yardchalk.core.render.clearing import ClearedPhoto, Decisions
from yardchalk.core.render.photo import ANALYSIS_SIDE
from yardchalk.core.second_look import FLANK
from yardchalk.core.settings import EdgeSettings
from yardchalk.core.stages.clear.contrast import contrast
from yardchalk.core.stages.clear.ink import paper_share
from yardchalk.core.stages.clear.one_ink import Ink
from yardchalk.core.stages.clear.outline import outline
from yardchalk.core.stages.clear.region_list import Overlay, ink_of
from yardchalk.core.stages.edge.describe import SOLID, describe_band, without_band
from yardchalk.core.stages.edge.finish import Finish, Tidying, apply_changes, cropped, less_freed, shaped, tidying, with_coverage
from yardchalk.core.stages.edge.glass import seen_through
from yardchalk.core.stages.edge.matte import BandSettings, Cutout, Matte, Mixing, Part, Solution
from yardchalk.core.stages.edge.overlay import lay_over
from yardchalk.core.stages.edge.patch import patched, places_of_change
from yardchalk.core.stages.edge.smaller import made_smaller
from yardchalk.core.stages.edge.solve import solve_matte
from yardchalk.core.stages.edge.stretches import TOLD, Stretch, outline_stretches
from yardchalk.core.stages.edge.weigh import refine
from yardchalk.core.stages.lift import region_of
from yardchalk.core.stages.plot import Plot

_AT_HAND = ANALYSIS_SIDE**2  # px of a region whose matte is kept for the next stroke to be laid over
SEE_THROUGH = 0.8  # of glass, where nothing else is said


class EdgedPhoto(ClearedPhoto):
    """With its matte."""

    _before: Decisions | None = None

    def adopt(self, decided: Decisions) -> None:
        """Take what was decided before for this photo, frame and clearing settings."""
        self._decided = decided
        if decided.solution is not None and decided.solution.whole:
            # The border stays solved when something is laid over it.
            self.cache.get((self.digest, "solution", decided.product_key, self.band_key), lambda: decided.solution)

    def start_from(self, before: Decisions) -> None:
        """Solve the matte only where the product is another than the one decided before, for the same photo and band settings.

        Quick, and good to look at; what is delivered is solved as a whole.
        """
        self._before = before

    @cached_property
    def edge(self) -> EdgeSettings:
        """What holds for this photo's edge: the run sheet's settings with the photo's own in their place."""
        return self.marks.edge.over(self.sheet.edge)

    @cached_property
    def matte_key(self) -> tuple[Any, ...]:
        """Stands for how coverage in the band is solved."""
        return self.edge.solver, self.edge.width, self.marks.edge.wider

    @cached_property
    def band_key(self) -> tuple[Any, ...]:
        """Stands for that and for where the band's colours are taken from."""
        return (*self.matte_key, self.edge.fringe_width, self.edge.mixing)

    @cached_property
    def edge_key(self) -> str:
        """Stands for all that the finished matte hangs on besides clearing; short, since strokes may be in it."""
        own = self.edge.model_dump_json(exclude={"shadow", "shadow_strength", "shadow_softness", "page_true"})
        marks = self.marks.edge.model_dump_json(include={"wider", "glass", "see_through"})
        return hashlib.sha256((own + marks).encode()).hexdigest()

    @property
    def solution(self) -> Solution:
        """The matte on the analysis picture."""
        d = self.decisions
        if d.solution is not None:
            return d.solution
        if self.only_ink or d.product.all():
            # Density says what is covered, or everything is.
            return self.cache.get((self.digest, "no band", d.product_key), lambda: without_band(d.product))
        # By what it is solved for, not by the regions: a stroke laid over it leaves it as it is.
        key = (self.digest, "solution", d.product_key, self.band_key)
        before = self._before
        if before is not None and self.cache.peek(key) is None:
            near = self.cache.get((*key, "from", before.product_key), lambda: self._patched(before))
            if near is not None:
                return near
        return self.cache.get(key, self._solve)

    @property
    def _band_settings(self) -> BandSettings:
        edge, plain = self.edge, BandSettings()
        return BandSettings(
            solver=edge.solver,
            width=None if edge.width is None else max(self.length(edge.width, self.analysis_scale), 1.0),
            clean=plain.clean + self.length(edge.fringe_width, self.analysis_scale),
            mixing=self._mixing,
        )

    @property
    def _mixing(self) -> Mixing:
        if self.edge.mixing != "auto":
            return self.edge.mixing
        return "light" if self.drawing is None else "codes"

    def _solve(self) -> Solution:
        d, settings = self.decisions, self._band_settings
        light = d.backdrop.light(*d.product.shape[::-1])
        matte = self.cache.get((self.digest, "matte", d.product_key, self.matte_key), lambda: self._matte(settings, light))
        return describe_band(self.uncreased, matte, light, settings).in_half_precision()

    def _matte(self, settings: BandSettings, light: Float, at: Part | None = None) -> Matte:
        """All of it, or of rows and columns."""
        d, strokes = self.decisions, self.marks.edge.wider
        wider = self._stroked(strokes, self.analysis_scale, self.whole(self.analysis_scale)) > 0.5 if strokes else None
        look = None if self.given_alpha else self.second_look
        quiet = None if look is None else self._without_noise(creased=not self.creases).closely
        matte = solve_matte(self.uncreased, d.product, d.noise, light, settings, wider, look, at, quiet=quiet)
        if self.drawing is None:
            return matte
        # Beside what a person has otherwise, what was found ended with a flank that is of another border now.
        other = cv2.dilate((self._automatic.product != d.product).view(np.uint8), disc(2 * FLANK + 1)) > 0
        known = ~self.drawing.border & ~other
        if wider is not None:
            known &= ~wider
        return replace(matte, alpha=np.where(known, self.drawing.coverage, matte.alpha))

    def _patched(self, before: Decisions) -> Solution | None:
        """What was solved before, with the places where the product is another solved anew; None if that is not worth it."""
        d, solution = self.decisions, before.solution
        if solution is None:
            return None
        places = places_of_change(before.product, d.product, solution, self.painted)
        if places is None:
            return None
        light = d.backdrop.light(*d.product.shape[::-1])
        # What is measured over the whole stays as it was.
        mixing: Mixing = "codes" if solution.drawn else "light"
        settings = replace(self._band_settings, spread=solution.spread, mixing=mixing, solid=solution.thin_share < 1 - SOLID)
        for inner, outer in places:
            part = describe_band(self.uncreased, self._matte(settings, light, outer), light, settings, outer)
            solution = patched(solution, part.in_half_precision(), inner)
        return solution

    @property
    def stretches(self) -> list[Stretch]:
        """The outline in stretches, with figures; none where the file brought its own transparency."""
        if self.given_alpha:
            return []
        scale = self.analysis_scale
        plain = self.finish(scale).plain
        finished = None if plain else (self.clear_key, self.edge_key)
        key = (self.digest, "stretches", self.decisions.product_key, self.band_key, self.edge.fringe, finished)

        def along() -> list[Stretch]:
            shown = None if plain else self.cut(scale, self.whole(scale)).alpha
            return outline_stretches(self.solution, self.analysis, scale, self.edge.fringe, shown=shown)

        return self.cache.get(key, along)

    def ribbon(self, scale: float, region: Region) -> NDArray[np.uint8]:
        """The band on a region at a scale: 1 where the known backdrop told, 2 where the colours alone did, 3 where the close look did,
        0 elsewhere.
        """
        solution = self.solution
        small = np.zeros(solution.alpha.shape, np.uint8)
        at = solution.band
        told, looked = solution.doubt[solution.index[at] - 1, 3:].T
        small[at] = np.where(looked >= 0, 3, np.where(told > TOLD, 1, 2))
        return small[self._pixels_under(small.shape, scale, region)]

    @property
    def tidying(self) -> Tidying:
        """Which specks and holes clean-up removes."""
        return self.cache.get((self.digest, "tidying", self.clear_key, self.edge_key), self._tidy)

    def _tidy(self) -> Tidying:
        scale = self.analysis_scale
        alpha = self._solved_cut(scale, self.whole(scale)).alpha
        return tidying(alpha, self.length(self.edge.specks, scale), self.length(self.edge.holes, scale))

    def finish(self, scale: float) -> Finish:
        """The clean-up in force, in px at a scale."""
        edge = self.edge
        return Finish(
            smooth=self.length(edge.smooth, scale),
            grow=self.length(edge.grow, scale),
            feather=self.length(edge.feather, scale),
            black=edge.black / 100,
            white=edge.white / 100,
            density=edge.density,
            fringe=edge.fringe,
            spread=max(self.solution.spread * scale / self.analysis_scale, 0.3),
        )

    def cut(self, scale: float, region: Region) -> Cutout:
        """The finished matte and the freed colours of a region at a scale, without a shadow."""
        return self.cache.get(self._cut_key(scale, region), lambda: self._finished_cut(scale, region))

    def _cut_key(self, scale: float, region: Region) -> tuple[Any, ...]:
        return self.digest, "cut", self.clear_key, self.edge_key, *self.size_at(scale), region

    def let_go(self, scale: float, region: Region) -> None:
        super().let_go(scale, region)
        self.cache.forget(self._cut_key(scale, region))

    def _finished_cut(self, scale: float, region: Region) -> Cutout:
        finish = self.finish(scale)
        width, height = self.size_at(scale)
        m = finish.margin
        wide = Region(max(region.top - m, 0), min(region.bottom + m, height), max(region.left - m, 0), min(region.right + m, width))
        cut = self._solved_cut(scale, wide)
        pixels = self.part(scale, wide).pixels
        if finish.fringe < 1:
            cut = less_freed(cut, pixels, finish.fringe)
        if self.tidying.specks or self.tidying.holes:
            # Nothing else is made of what is to be dropped or filled, so no colour is missing then.
            alpha = self._tidied(cut.alpha, scale, wide)
            left = alpha[cut.rows, cut.columns] > 0
            cut = replace(cut, alpha=alpha, rows=cut.rows[left], columns=cut.columns[left], colour=cut.colour[left])
        if not finish.plain:
            alpha = shaped(cut.alpha, finish, self._region_of(self._thin, scale, wide) if finish.density else None)
            cut = with_coverage(cut, alpha, pixels)
        if m:
            inner = (slice(region.top - wide.top, region.bottom - wide.top), slice(region.left - wide.left, region.right - wide.left))
            cut = cropped(cut, inner)
            pixels = pixels[inner]
        if self.marks.edge.glass:
            strength = self._stroked(self.marks.edge.glass, scale, region) * np.float32(
                SEE_THROUGH if self.marks.edge.see_through is None else self.marks.edge.see_through
            )
            light = np.exp(np.minimum(self._region_of(self.decisions.backdrop.small_log_light, scale, region), 0))
            cut = seen_through(cut, pixels, light, strength)
        return cut

    @property
    def _thin(self) -> Float:
        """1 where detail is thin, on the analysis picture."""
        solution = self.solution
        at = solution.band
        fine = np.zeros(solution.alpha.shape, np.float32)
        fine[at] = solution.doubt[solution.index[at] - 1, 2]
        return cv2.dilate(fine, np.ones((3, 3), np.uint8)).astype(np.float32, copy=False)

    def before_shaping(self) -> tuple[Float, Float]:
        """Coverage on the analysis picture without specks and holes but as it was solved, and where detail is thin."""
        scale = self.analysis_scale
        whole = self.whole(scale)
        return self._tidied(self._solved_cut(scale, whole).alpha, scale, whole), self._thin

    def _tidied(self, alpha: Float, scale: float, region: Region) -> Float:
        tidy = self.tidying
        if not (tidy.specks or tidy.holes):
            return alpha
        change = np.full(tidy.dropped.shape, 255, np.uint8)
        change[tidy.filled] = 1
        if tidy.specks:
            # At another size a speck may reach a little farther; but not into what is kept.
            kept = cv2.dilate((self._kept_apart(tidy)).view(np.uint8), np.ones((3, 3), np.uint8)) > 0
            change[(cv2.dilate(tidy.dropped.view(np.uint8), np.ones((3, 3), np.uint8)) > 0) & (~kept | tidy.dropped)] = 0
        # In place, but for what is kept: the analysis picture's own and what was made of it.
        out = alpha.copy() if scale <= self.analysis_scale else alpha
        down, across = (places.ravel() for places in self._pixels_under(change.shape, scale, region))
        apply_changes(out, change, down, across)
        return out

    def _kept_apart(self, tidy: Tidying) -> Mask:
        scale = self.analysis_scale
        return (self._solved_cut(scale, self.whole(scale)).alpha > 0) & ~tidy.dropped

    def _solved_cut(self, scale: float, region: Region) -> Cutout:
        """The matte as it is solved, and as regions have it, before clean-up."""
        width, height = self.size_at(scale)
        key = self.digest, "solved cut", self.clear_key, self.band_key, width, height
        if scale < self.analysis_scale:
            return cropped(self.cache.get(key, lambda: self._made_smaller(width, height)), region.index)
        if scale > self.analysis_scale:
            # Only the finished one is kept: two of a large photo would be too much.
            return self._cut(width, height, region, scale)
        return self.cache.get((*key, region), lambda: self._cut(width, height, region, scale))

    def _made_smaller(self, width: int, height: int) -> Cutout:
        scale = self.analysis_scale
        whole = self.whole(scale)
        return made_smaller(self._solved_cut(scale, whole), self.part(scale, whole).pixels, width, height)

    def _cut(self, width: int, height: int, region: Region, scale: float) -> Cutout:
        photo = self.part(scale, region)
        if photo.alpha is not None and self.sheet.clear.on and not self.by_regions:
            return _given(photo)
        if photo.alpha is not None and self.sheet.clear.on:
            # The file's own soft edges stay; what regions took away is gone.
            cut = _given(photo)
            kept = self._region_of(self.decisions.product.astype(np.float32), scale, region) > 0
            cut = replace(cut, alpha=np.where(kept, cut.alpha, np.float32(0)))
        elif self.decisions.overlay is not None and math.prod(region.shape) <= _AT_HAND:
            # What the next stroke is laid over too.
            key = (self.digest, "refined", self.decisions.product_key, self.band_key, width, height, region)
            cut = self.cache.get(key, lambda: self._refined(photo, width, height, region))
        else:
            cut = self._refined(photo, width, height, region)
        overlay = self.decisions.overlay
        return cut if overlay is None else self._laid_over(cut, overlay, photo.pixels, (height, width), region)

    def _refined(self, photo: Picture, width: int, height: int, region: Region) -> Cutout:
        return refine(self.solution, photo.pixels, (width, height), region.left, region.top)

    def _laid_over(self, cut: Cutout, overlay: Overlay, pixels: Coded, frame: tuple[int, int], region: Region) -> Cutout:
        """With what regions say of coverage, asked anew at this size where they say it by pixel."""
        small = self.decisions.backdrop.small_log_light
        whole = Plot.of(self.framing, frame[1], frame[0])

        def backdrop(at: Part) -> Float:
            return region_of(small, frame, *at)

        def seen(at: Part) -> Coded:
            return pixels[at[0].start - region.top : at[0].stop - region.top, at[1].start - region.left : at[1].stop - region.left]

        said: dict[int, Callable[[Part], Float]] = {}
        freed: dict[int, Callable[[Part], Float]] = {}
        printed: dict[int, Callable[[Part], Float]] = {}
        for number in np.unique(overlay.owner[overlay.owner > 0]).tolist():
            made = self.regions[number - 1]
            if isinstance(made, AutomaticRegion):
                made = ink_of(made)
            value: Callable[[Part], Float]
            if isinstance(made, OutlineRegion):
                value = partial(_outlined, made, whole)
            elif isinstance(made, ContrastRegion):
                value = partial(_contrasted, made, seen, backdrop)
            elif isinstance(made, InkRegion):
                value = partial(_paper, self.ink_levels(made), seen, backdrop)
                if made.colour is not None:
                    printed[number] = partial(_coloured, made.colour)
                elif self.one_ink is not None:
                    printed[number] = partial(_inked, self.one_ink, self.ink_levels(made)[1], backdrop)
            else:
                continue
            said[number] = value if made.how == "take" else partial(_less, value)
            if not isinstance(made, OutlineRegion):
                freed[number] = lambda at: np.exp(np.minimum(backdrop(at), 0))
        return lay_over(cut, overlay, pixels, frame, region.index, said, freed, printed)


def _outlined(made: OutlineRegion, whole: Plot, at: Part) -> Float:
    return outline(made, whole.part(*at))


def _contrasted(made: ContrastRegion, seen: Callable[[Part], Coded], backdrop: Callable[[Part], Float], at: Part) -> Float:
    return contrast(made, seen(at), backdrop(at))


def _paper(levels: tuple[float, float], seen: Callable[[Part], Coded], backdrop: Callable[[Part], Float], at: Part) -> Float:
    return paper_share(seen(at), backdrop(at), levels)


def _coloured(colour: str, at: Part) -> Float:
    light = decode(np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)]) / 255).astype(np.float32)
    return np.broadcast_to(light, (at[0].stop - at[0].start, at[1].stop - at[1].start, 3))


def _inked(ink: Ink, full: float, backdrop: Callable[[Part], Float], at: Part) -> Float:
    """Of one ink what lies thinner covers less, it is not paler: everywhere its light is that of full density."""
    left = 1 - np.array(ink, np.float32) * np.float32(1 - 10**-full)
    return left * np.exp(np.minimum(backdrop(at), 0))


def _less(value: Callable[[Part], Float], at: Part) -> Float:
    return 1 - value(at)


def _given(photo: Picture) -> Cutout:
    """As the file has it, which is how pages blend it."""
    assert photo.alpha is not None
    alpha = photo.alpha.astype(np.float32) / np.float32(top(photo.alpha.dtype))
    rows, columns = np.nonzero((alpha > 0) & (alpha < 1))
    return Cutout(alpha, rows, columns, linear_table(top(photo.pixels.dtype) + 1)[photo.pixels[rows, columns]], drawn=True)
