"""What of the framed photo is backdrop: decided once, on the analysis picture."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.backdrop import BackdropModel, fit_backdrop
from yardchalk.core.clear_settings import AnyRegion, AutomaticRegion, ContrastRegion, InkRegion
from yardchalk.core.colour import Float, Mask
from yardchalk.core.pixels import Region
from yardchalk.core.regions import pieces_of
from yardchalk.core.render.photo import ANALYSIS_SIDE, FramedPhoto
from yardchalk.core.second_look import Look, look_again
from yardchalk.core.settings import FrameMarks, FrameSettings, Marks
from yardchalk.core.stages.bars import NO_BARS, Bars, find_bars, painted_over
from yardchalk.core.stages.clear.advice import Overlap, overlap_of_colours
from yardchalk.core.stages.clear.automatic import Clearing, clear_automatically
from yardchalk.core.stages.clear.automatic.correction import corrected, without_highlights
from yardchalk.core.stages.clear.contrast import contrast
from yardchalk.core.stages.clear.drawing import Drawing, find_drawing
from yardchalk.core.stages.clear.evidence import Evidence, WithoutNoise, gather_evidence, without_noise
from yardchalk.core.stages.clear.ground import Ground
from yardchalk.core.stages.clear.ink import ink_levels, paper_share
from yardchalk.core.stages.clear.one_ink import Ink
from yardchalk.core.stages.clear.region_list import Outcome, Overlay, goes_by_ink, put_together
from yardchalk.core.stages.creases import Crease, find_creases, without_creases
from yardchalk.core.stages.edge.matte import Solution
from yardchalk.core.stages.edge.shadow import kept_shadow
from yardchalk.core.stages.frame import crop_close, crop_to_set
from yardchalk.core.stages.plot import Plot

_CLOSER = 1.2  # times as large: what is seen under a close crop, if it is to be worth it
_DOUBTED = 1e-4  # of the photo; what the rules alone found, and is larger, is not left out of a close crop
_SHADOW = 0.02  # opacity


@dataclass(frozen=True)
class Decisions:
    """What was decided on the analysis picture, enough to render any region at any scale.

    Attributes
    ----------
    product : bool, shape (h, w)
        On the analysis picture.
    backdrop : the backdrop model.
    noise : standard deviation of log light on the backdrop.
    solution : the matte, if it was solved.
    overlay : what regions say of coverage, if any does.
    ink : what the one ink of a print takes of the paper's light, relative to what it takes most of; None if it is no such print.
    """

    product: Mask
    backdrop: BackdropModel
    noise: float
    solution: Solution | None = None
    overlay: Overlay | None = None
    ink: Ink | None = None

    @cached_property
    def product_key(self) -> str:
        """Stands for the product: what hangs on that alone is the same, whatever regions it came from."""
        return hashlib.sha256(np.packbits(self.product).tobytes()).hexdigest()


class ClearedPhoto(FramedPhoto):
    """With what is product and what is backdrop."""

    _decided: Decisions | None = None

    @cached_property
    def frame(self) -> FrameMarks | None:
        """The photo's own frame, or what the run sheet makes of it, cropped if that is asked for."""
        turned, crop = super().frame, self.sheet.frame.crop
        if self.marks.frame is not None or crop == "none":
            return turned
        plain = self.sheet.model_copy(update={"frame": FrameSettings()})
        key = self.file_digest, "crop", self.sheet.frame, self.sheet.clear

        def find() -> FrameMarks | None:
            whole = self.with_marks(Marks(frame=turned), plain)
            found = crop_to_set(whole.clearing.surroundings, whole.clearing.product) if crop == "set" else whole.close_crop
            return turned if found is None else FrameMarks(turns=self.sheet.frame.turns, crop=found)

        return self.cache.get(key, find)

    @property
    def finds_frame(self) -> bool:
        """Whether the photo has to be cleared to find its frame."""
        crop = self.sheet.frame.crop
        return self.marks.frame is None and (crop == "set" or (crop == "close" and self._has_pixels_to_spare))

    def adopt_frame(self, frame: FrameMarks | None) -> None:
        """Take the frame that was found before for this photo under the run sheet's frame and clearing."""
        self.frame = frame

    @property
    def _has_pixels_to_spare(self) -> bool:
        return max(self.facts.width, self.facts.height) > _CLOSER * ANALYSIS_SIDE

    @property
    def close_crop(self) -> tuple[float, float, float, float] | None:
        """Of a photo without a crop, the one close round a product that is small in the frame; None if no more could be seen under it.

        Only where clearing is automatic: what a run sheet's regions find may hang on all of the frame. And not of a drawing, which loses
        nothing by being looked at small.
        """
        clear = self.sheet.clear
        if not self._has_pixels_to_spare or self.facts.has_alpha or not clear.on or clear.regions or self.drawing is not None:
            return None
        cleared, (h, w) = self._automatic, self.analysis.shape[:2]
        # What the rules found and the second look did not, too: a crop must not settle what is doubted.
        doubted = pieces_of(self._by_rules.product & ~cleared.surroundings, diagonal=True)
        there = doubted.chosen(doubted.area >= _DOUBTED * h * w) | cleared.product
        # Shadows are soft: a picture half as large shows them.
        half = max(1, w // 2), max(1, h // 2)
        pixels, covered = (cv2.resize(values, half, interpolation=cv2.INTER_AREA) for values in (self.analysis, there.astype(np.float32)))
        shadow = kept_shadow(pixels, covered, self.decisions_backdrop.light(*half), self.evidence.shade_noise, 1.0) > _SHADOW
        crop = crop_close(there, shadow)
        if crop is None:
            return None
        closer = self.with_marks(Marks(frame=(self.frame or FrameMarks()).model_copy(update={"crop": crop})))
        if closer.analysis_scale < _CLOSER * self.analysis_scale:
            return None
        # Seen closer it may be larger than it was thought to be.
        product = closer._automatic.product
        sides = product[:, 0], product[0], product[:, -1], product[-1]
        return None if any(0 < at < 1 and side.any() for at, side in zip(crop, sides, strict=True)) else crop

    @property
    def bars(self) -> Bars:
        """Bars along the photo's frame."""
        return self.cache.get((self.digest, "bars"), self._find_bars)

    def _find_bars(self) -> Bars:
        # What lies beside a drawing is no bar.
        return NO_BARS if self.facts.has_alpha or self.drawing is not None else find_bars(super().analysis)

    @property
    def drawing(self) -> Drawing | None:
        """What is drawn, if the picture is no photo."""
        if self.facts.has_alpha:
            return None
        return self.cache.get((self.digest, "drawing"), lambda: find_drawing(super(ClearedPhoto, self).analysis))

    @property
    def analysis(self) -> NDArray[np.uint8]:
        """The analysis picture, with bars along its frame painted over: coded (h, w, 3), uint8."""
        whole = super().analysis
        if self.bars == NO_BARS:
            return whole
        return self.cache.get((self.digest, "without bars"), lambda: painted_over(whole, self.bars))

    @property
    def creases(self) -> tuple[Crease, ...]:
        """Creases of the backdrop, on the analysis picture; a drawing has none, nor has what says itself what is see-through."""
        if self.facts.has_alpha or self.drawing is not None:
            return ()
        return self.cache.get((self.digest, "creases"), self._find_creases)

    def _find_creases(self) -> tuple[Crease, ...]:
        h, w = self.analysis.shape[:2]
        product, steps = self._rules(creased=True).product, self._evidence(creased=True).steps
        return find_creases(self.analysis, self.decisions_backdrop.log_light(w, h), product, steps)

    @property
    def uncreased(self) -> NDArray[np.uint8]:
        """The analysis picture with creases smoothed away: what is cleared by."""
        creases = self.creases
        return self.cache.get((self.digest, "uncreased"), lambda: without_creases(self.analysis, creases)) if creases else self.analysis

    @property
    def given_alpha(self) -> bool:
        """Whether the file brought its own transparency, and that is what is cleared by."""
        return self.facts.has_alpha and self.sheet.clear.on

    @property
    def evidence(self) -> Evidence:
        return self._evidence(creased=not self.creases)

    def _evidence(self, *, creased: bool) -> Evidence:
        """With the creases that the photo has, or without them; the same of what follows."""
        pixels = self.analysis if creased else self.uncreased

        def gather() -> Evidence:
            return gather_evidence(pixels, self.decisions_backdrop, self._without_noise(creased=creased).measured)

        return self.cache.get((self.digest, "evidence", creased), gather)

    def _without_noise(self, *, creased: bool) -> WithoutNoise:
        pixels = self.analysis if creased else self.uncreased
        return self.cache.get((self.digest, "without noise", creased), lambda: without_noise(pixels, self.decisions_backdrop))

    def _rules(self, *, creased: bool) -> Clearing:
        def clear() -> Clearing:
            return self._without_highlights(clear_automatically(self._evidence(creased=creased)))

        return self.cache.get((self.digest, "rules", creased), clear)

    @property
    def decisions_backdrop(self) -> BackdropModel:
        if self._decided is not None:
            return self._decided.backdrop
        return self.cache.get((self.digest, "backdrop"), lambda: fit_backdrop(self.analysis))

    @cached_property
    def clear_key(self) -> tuple[Any, ...]:
        """Stands for what clearing hangs on besides the framed photo; short, since many a painted stroke may be in it."""
        own = self.marks.clear
        return self.sheet.clear, None if own is None else hashlib.sha256(own.model_dump_json().encode()).hexdigest()

    @cached_property
    def regions(self) -> tuple[AnyRegion, ...]:
        """The regions in force: the photo's own, or what the run sheet makes of it."""
        if self.marks.clear is not None:
            return self.marks.clear.regions
        return self.sheet.clear.regions or (AutomaticRegion(kind="automatic", on=self.sheet.clear.on),)

    @property
    def by_regions(self) -> bool:
        """Whether regions say what is backdrop, the photo's own or the run sheet's or ink, and not automatic clearing alone."""
        if self.marks.clear is not None:
            return True
        return self.sheet.clear.on and (bool(self.sheet.clear.regions) or self.one_ink is not None)

    @property
    def one_ink(self) -> Ink | None:
        """What the one ink takes of the paper's light, if the photo is a print in one."""
        if self._decided is not None:
            return self._decided.ink
        return None if self.facts.has_alpha else self.ground.one_ink

    @property
    def ground(self) -> Ground:
        """What regions are decided on."""
        return self.cache.get((self.digest, "ground"), self._ground)

    def _ground(self) -> Ground:
        # A copy that stays with the cache, so it must not hold on to this render's marks.
        plain = self.with_marks(Marks(frame=self.frame))
        plot = Plot.of(self.framing, *self.size_at(self.analysis_scale))
        bars = None if self.bars == NO_BARS else self.bars.mask(self.analysis.shape)
        return Ground(self.uncreased, self.decisions_backdrop, plot, lambda: plain.evidence, lambda: plain._automatic, bars)

    @property
    def outcome(self) -> Outcome:
        """What the regions come to."""
        return self.cache.get((self.digest, "outcome", self.clear_key), self._put_together)

    @property
    def painted(self) -> Mask | None:
        """Where strokes or outlines of regions say, by hand, what is product or backdrop; None without them."""
        return self.outcome.painted if self.by_regions else None

    def _put_together(self) -> Outcome:
        def keep(region: AnyRegion, compute: Callable[[], Float]) -> Float:
            plain = region.model_copy(update={"name": "", "on": True, "how": "add"})
            return self.cache.get((self.digest, "region", plain), compute)

        return put_together(self.regions, self.ground, keep)

    @property
    def clearing(self) -> Clearing:
        """What was cleared: by itself, or as the photo's own regions have it; everything is product if the stage is off."""
        if self.by_regions:
            return self.cache.get((self.digest, "clearing", self.clear_key), self._cleared_by_regions)
        return self._automatic if self.sheet.clear.on else self._given_clearing(np.ones(self.analysis.shape[:2], bool))

    def _cleared_by_regions(self) -> Clearing:
        product = self.outcome.backdrop < 0.5
        found = self._looked_over() if self._automatic.tolerance == 0 else self._automatic
        return replace(found, product=product, gaps=found.gaps & ~product, surroundings=found.surroundings & ~product)

    @property
    def _automatic(self) -> Clearing:
        """What automatic clearing finds, whatever the run sheet says."""
        return self.cache.get((self.digest, "automatic"), self._clear)

    def _clear(self) -> Clearing:
        alpha = self.photo(self.analysis_scale).alpha
        # A file that says what is see-through is believed, not guessed again.
        return self._looked_over() if alpha is None else self._given_clearing(alpha > 0)

    def _looked_over(self) -> Clearing:
        if self.drawing is not None:
            return self._given_clearing(self.second_look.product)
        found = self._without_highlights(corrected(self._by_rules, self.evidence, self.second_look))
        if self.bars == NO_BARS:
            return found
        bars = self.bars.mask(found.product.shape)
        return replace(found, product=found.product & ~bars, gaps=found.gaps & ~bars, surroundings=found.surroundings | bars)

    @property
    def _by_rules(self) -> Clearing:
        return self._rules(creased=not self.creases)

    def _without_highlights(self, found: Clearing) -> Clearing:
        return without_highlights(found, self.analysis, self.decisions_backdrop)

    @property
    def second_look(self) -> Look:
        """The second look at what the rules found, on the analysis picture; of a drawing, what is drawn."""

        def look() -> Look:
            if self.drawing is not None:
                nowhere = np.zeros(self.drawing.coverage.shape, bool)
                return Look(self.drawing.coverage, nowhere, nowhere, nowhere, self.drawing.may_be_print)
            quiet = self._without_noise(creased=not self.creases)
            return look_again(quiet.looked_at, self.decisions_backdrop, self.evidence.steps, self._by_rules.product, self.soft)

        return self.cache.get((self.digest, "second look"), lambda: look().enlarged(self.analysis.shape))

    def _given_clearing(self, product: Mask) -> Clearing:
        """The product where nothing was cleared."""
        nothing = np.zeros(product.shape, bool)
        return Clearing(product, nothing, nothing, np.zeros((*product.shape, 3), np.float32), 0.0)

    @property
    def decisions(self) -> Decisions:
        if self._decided is None:
            # With regions, what was cleared is asked for less often than this.
            product, overlay = (self.outcome.product, self.outcome.overlay) if self.by_regions else (self.clearing.product, None)
            # Nor is a print looked for where no region goes by ink.
            may_be = any(region.on and isinstance(region, AutomaticRegion | InkRegion) for region in self.regions)
            ink = self.one_ink if may_be else None
            self._decided = Decisions(product, self.decisions_backdrop, self.evidence.shade_noise, overlay=overlay, ink=ink)
        return self._decided

    @property
    def backdrop_light(self) -> tuple[float, float, float]:
        """Mean linear light of the backdrop where it was seen, as shot."""
        return self.decisions.backdrop.mean_light

    @property
    def colours(self) -> Overlap:
        """How far the colours of product and backdrop are the same."""
        d = self.decisions
        return self.cache.get((self.digest, "colours", d.product_key), lambda: overlap_of_colours(self.analysis, d.backdrop, ~d.product))

    def contrast_map(self, scale: float, region: Region) -> Float:
        """What the last region with a contrast map or ink says of a part, 0..1, 1 is backdrop; the backdrop distance without one."""
        made = next(
            (r for r in reversed(self.regions) if r.on and isinstance(r, ContrastRegion | InkRegion)), ContrastRegion(kind="contrast")
        )
        pixels = self.part(scale, region).pixels
        log_light = self._region_of(self.decisions_backdrop.small_log_light, scale, region)
        if isinstance(made, InkRegion):
            return paper_share(pixels, log_light, self.ink_levels(made))
        return contrast(made.model_copy(update={"level": None}), pixels, log_light)

    @property
    def inked(self) -> bool:
        """Whether a region takes ink on paper, or automatic clearing does."""
        return self.found_inked or (self.by_regions and any(region.on and isinstance(region, InkRegion) for region in self.regions))

    @property
    def found_inked(self) -> bool:
        """Whether automatic clearing takes the photo for a print in one ink."""
        automatic = (region for region in self.regions if region.on and isinstance(region, AutomaticRegion))
        return self.by_regions and any(goes_by_ink(region, self.one_ink) for region in automatic)

    @property
    def only_ink(self) -> bool:
        """Whether it does, and nothing else says what the product is."""
        return self.found_inked and all(isinstance(region, AutomaticRegion) for region in self.regions if region.on)

    def ink_levels(self, made: InkRegion) -> tuple[float, float]:
        """Floor and full density in force for a region of ink."""
        return self.cache.get((self.digest, "ink", made.floor, made.full), lambda: ink_levels(made, self.ground))
