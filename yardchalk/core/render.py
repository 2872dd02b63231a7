"""The pull: a render asks for a region at a scale, and each stage computes what that needs.

Decisions that look at the whole photo are made once, on the analysis picture, and are the same for a preview tile and
for a delivered file. Everything computed is kept in a cache under the hash of all that went in, so that a changed
setting recomputes its own stage and those after it, nothing before.
"""

import hashlib
import math
import threading
from collections import Counter, OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import Any, Literal, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.backdrop import BackdropModel, fit_backdrop
from yardchalk.core.clear_settings import AnyRegion, AutomaticRegion, ContrastRegion, InkRegion, OutlineRegion
from yardchalk.core.codecs import decode_photo, inspect_photo
from yardchalk.core.codecs.reading import Limits as ReadLimits
from yardchalk.core.codecs.reading import PhotoFacts
from yardchalk.core.colour import Coded, Float, Mask, decode, encode, linear_table, to_linear, to_log, top
from yardchalk.core.colour_settings import ColourSettings
from yardchalk.core.compose import cut_out, lit, mixed, mixed_band, on_card, toned
from yardchalk.core.errors import YardError
from yardchalk.core.mend_settings import MOST_MENDS, AnyMend
from yardchalk.core.pixels import Picture
from yardchalk.core.pixels import Region as Region
from yardchalk.core.second_look import Look, look_again
from yardchalk.core.settings import EdgeSettings, FrameMarks, FrameSettings, LiftSettings, Marks, RunSheet
from yardchalk.core.settings_base import Length, Stroke
from yardchalk.core.stages.balance import Gains, cast_of, from_temperature, gains_for, keeping_lightness, lit_by_a_lamp
from yardchalk.core.stages.clear.advice import Overlap, overlap_of_colours
from yardchalk.core.stages.clear.automatic import Clearing, clear_automatically, corrected
from yardchalk.core.stages.clear.contrast import contrast
from yardchalk.core.stages.clear.evidence import Evidence, gather_evidence
from yardchalk.core.stages.clear.ground import Ground
from yardchalk.core.stages.clear.ink import ink_levels, paper_share
from yardchalk.core.stages.clear.outline import outline
from yardchalk.core.stages.clear.region_list import Outcome, Overlay, put_together
from yardchalk.core.stages.colour import Shifted, coloured, coloured_light, shifted
from yardchalk.core.stages.edge.band import BandSettings, Cutout, Matte, Solution, describe_band, refine, solve_matte
from yardchalk.core.stages.edge.finish import Finish, Tidying, apply_changes, cropped, less_freed, shaped, tidying, with_coverage
from yardchalk.core.stages.edge.glass import seen_through
from yardchalk.core.stages.edge.overlay import lay_over
from yardchalk.core.stages.edge.shadow import drawn_shadow, kept_shadow, shaded
from yardchalk.core.stages.edge.stretches import TOLD, Stretch, outline_stretches
from yardchalk.core.stages.frame import Framing, crop_to_set, make_framing
from yardchalk.core.stages.lift import GiveAndTake, Tone, evening_from_empty, evening_map, give_and_take, lift_mask, make_tone, region_of
from yardchalk.core.stages.mend.dust import Speck, find_dust
from yardchalk.core.stages.mend.layer import Layer
from yardchalk.core.stages.mend.mender import Mender, Traces
from yardchalk.core.stages.place import product_box
from yardchalk.core.stages.plot import Plot

ANALYSIS_SIDE = 1600
_ANALYSIS_NEAR = 0.9
_AT_HAND = ANALYSIS_SIDE**2  # px of a region whose matte is kept for the next stroke to be laid over
_LAST = 4  # mends that are done anew on what was shown before them
SEE_THROUGH = 0.8  # of glass, where nothing else is said
_SHADE = 0.04  # log light below the backdrop model from which on a backdrop pixel lies in shadow
Card = Literal["white", "black", "grey", "vivid", "checks"]
_CARD_LEVELS: dict[str, tuple[int, int, int]] = {
    "white": (255, 255, 255),
    "black": (0, 0, 0),
    "grey": (128, 128, 128),
    "vivid": (214, 32, 140),
}
Rows = tuple[slice, slice]
T = TypeVar("T")


class StageCache:
    """Results by the hash of what went in; the longest unused go first when it is full. Safe among threads.

    What several results have in common is counted once.
    """

    def __init__(self, max_bytes: int = 600_000_000) -> None:
        self.max_bytes = max_bytes
        self._kept: OrderedDict[str, tuple[Any, dict[int, int]]] = OrderedDict()
        self._holders: Counter[int] = Counter()
        self._size = 0
        self._lock = threading.Lock()

    def get(self, key: tuple[Any, ...], compute: Callable[[], T]) -> T:
        """The result under the key, computed if it is not there."""
        digest = hashlib.sha256(repr(key).encode()).hexdigest()
        with self._lock:
            if digest in self._kept:
                self._kept.move_to_end(digest)
                found: T = self._kept[digest][0]
                return found
        value = compute()
        buffers = _buffers_of(value)
        with self._lock:
            if digest not in self._kept:
                self._kept[digest] = (value, buffers)
                self._size += sum(size for buffer, size in buffers.items() if not self._holders[buffer])
                self._holders.update(buffers.keys())
            while self._size > self.max_bytes and len(self._kept) > 1:
                self._let_go(next(iter(self._kept)))
        return value

    def peek(self, key: tuple[Any, ...]) -> Any:
        """The result under the key, or None if it is not there."""
        digest = hashlib.sha256(repr(key).encode()).hexdigest()
        with self._lock:
            return self._kept[digest][0] if digest in self._kept else None

    def forget_large(self, least: int = 40_000_000) -> None:
        """Let go of what takes at least so many bytes: full-size pictures, once they are on the canvas."""
        with self._lock:
            for digest in [digest for digest, (_, buffers) in self._kept.items() if sum(buffers.values()) >= least]:
                self._let_go(digest)

    def _let_go(self, digest: str) -> None:
        for buffer, size in self._kept.pop(digest)[1].items():
            self._holders[buffer] -= 1
            if not self._holders[buffer]:
                del self._holders[buffer]
                self._size -= size


def _buffers_of(value: Any) -> dict[int, int]:
    """What a result holds in memory: each array's or file's identity and bytes. A view holds all of what it is a view of."""
    if isinstance(value, np.ndarray):
        while isinstance(value.base, np.ndarray):
            value = value.base
        return {id(value): int(value.nbytes)}
    if isinstance(value, bytes):
        return {id(value): len(value)}
    if isinstance(value, (tuple, list)):
        return {buffer: size for item in value for buffer, size in _buffers_of(item).items()}
    return _buffers_of(list(vars(value).values())) if hasattr(value, "__dict__") else {}


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
    """

    product: Mask
    backdrop: BackdropModel
    noise: float
    solution: Solution | None = None
    overlay: Overlay | None = None

    @cached_property
    def product_key(self) -> str:
        """Stands for the product: what hangs on that alone is the same, whatever regions it came from."""
        return hashlib.sha256(np.packbits(self.product).tobytes()).hexdigest()


class Render:
    """One photo under one run sheet.

    Parameters
    ----------
    data : bytes
        The original file.
    name : str
        What to call it in messages.
    sheet, marks :
        The settings.
    cache : StageCache, optional
        Shared between renders; a cache of its own by default.
    empty : bytes, optional
        A photo file of the empty set from the same camera place, whose light is evened out in place of the model's.
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
        self._decided: Decisions | None = None
        self.file_digest = digest or hashlib.sha256(data).hexdigest()

    def with_marks(self, marks: Marks, sheet: RunSheet | None = None) -> "Render":
        """The same photo under other settings; what both have in common is computed once."""
        return Render(
            self.data, self.name, sheet or self.sheet, marks,
            cache=self.cache, limits=self.limits, digest=self.file_digest, empty=self.empty,
        )  # fmt: skip

    @property
    def facts(self) -> PhotoFacts:
        """Of the file; its width and height are those of the whole photo."""
        return self.cache.get((self.file_digest, "facts"), lambda: inspect_photo(self.data, self.name, self.limits))

    @cached_property
    def _empty_digest(self) -> str | None:
        return None if self.empty is None else hashlib.sha256(self.empty).hexdigest()

    @cached_property
    def frame(self) -> FrameMarks | None:
        """The photo's own frame, or what the run sheet makes of it."""
        if self.marks.frame is not None:
            return self.marks.frame
        turned = FrameMarks(turns=self.sheet.frame.turns) if self.sheet.frame.turns else None
        if self.sheet.frame.crop == "none":
            return turned
        return self.cache.get((self.file_digest, "set", self.sheet.clear, self.sheet.frame.turns), lambda: self._crop_to_set(turned))

    def _crop_to_set(self, turned: FrameMarks | None) -> FrameMarks | None:
        plain = self.sheet.model_copy(update={"frame": FrameSettings()})
        whole = self.with_marks(Marks(frame=turned), plain)
        crop = crop_to_set(whole.clearing.surroundings, whole.clearing.product)
        return turned if crop is None else FrameMarks(turns=self.sheet.frame.turns, crop=crop)

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

    # The photo at a scale -------------------------------------------------------------------------------------------

    def size_at(self, scale: float) -> tuple[int, int]:
        """Width and height of the framed photo at a scale, px."""
        return max(1, round(self.framing.width * scale)), max(1, round(self.framing.height * scale))

    def _decoded(self, scale: float) -> Picture:
        """The framed photo at a codec scale that is no less; one serves every smaller size, so few are ever decoded."""
        full = max(self.facts.width, self.facts.height)
        least = round(full * max(scale, self.analysis_scale))
        shrink = next((s for s in (8, 4, 2) if full // s >= least), 1)
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
        source = self._decoded(scale)
        if (source.width, source.height) == (width, height):
            return source.part(region.index)
        return self.cache.get((self.digest, "photo", width, height, region), lambda: source.resized(width, height, region.index))

    @property
    def analysis_scale(self) -> float:
        """Of the analysis picture: a scale at which the codec decodes, if one comes close, else 1,600 px and no less."""
        longest = max(self.framing.width, self.framing.height)
        if self.facts.format == "JPEG" and self.framing.plain:
            near = [s for s in (8, 4, 2) if _ANALYSIS_NEAR * ANALYSIS_SIDE <= longest / s <= ANALYSIS_SIDE and longest % s == 0]
            if near:
                return 1 / near[0]
        return min(1.0, ANALYSIS_SIDE / longest)

    @property
    def analysis(self) -> NDArray[np.uint8]:
        """The analysis picture: coded (h, w, 3), long side 1,600 px at most, 8 bits."""
        return self.photo(self.analysis_scale).eight_bit().pixels.astype(np.uint8, copy=False)

    # Decisions ------------------------------------------------------------------------------------------------------

    @property
    def evidence(self) -> Evidence:
        return self.cache.get((self.digest, "evidence"), lambda: gather_evidence(self.analysis, self.decisions_backdrop))

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
        """Whether regions say what is backdrop, the photo's own or the run sheet's, and not automatic clearing alone."""
        return self.marks.clear is not None or (self.sheet.clear.on and bool(self.sheet.clear.regions))

    @property
    def ground(self) -> Ground:
        """What regions are decided on."""
        return self.cache.get((self.digest, "ground"), self._ground)

    def _ground(self) -> Ground:
        # A copy that stays with the cache, so it must not hold on to this render's marks.
        plain = self.with_marks(Marks(frame=self.frame))
        plot = Plot.of(self.framing, *self.size_at(self.analysis_scale))
        return Ground(self.analysis, self.decisions_backdrop, plot, lambda: plain.evidence, lambda: plain._automatic)

    @property
    def outcome(self) -> Outcome:
        """What the regions come to."""
        return self.cache.get((self.digest, "outcome", self.clear_key), self._put_together)

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
        return corrected(self._by_rules, self.evidence, self.second_look)

    @property
    def _by_rules(self) -> Clearing:
        return self.cache.get((self.digest, "rules"), lambda: clear_automatically(self.evidence))

    @property
    def second_look(self) -> Look:
        """The second look at what the rules found, on the analysis picture."""

        def look() -> Look:
            return look_again(self.analysis, self.decisions_backdrop, self.evidence.steps, self._by_rules.product)

        return self.cache.get((self.digest, "second look"), look).enlarged(self.analysis.shape)

    def _given_clearing(self, product: Mask) -> Clearing:
        """The product where nothing was cleared."""
        nothing = np.zeros(product.shape, bool)
        return Clearing(product, nothing, nothing, np.zeros((*product.shape, 3), np.float32), 0.0)

    def adopt(self, decided: Decisions) -> None:
        """Take what was decided before for this photo, frame and clearing settings."""
        self._decided = decided
        if decided.solution is not None:
            # The border stays solved when something is laid over it.
            self.cache.get((self.digest, "solution", decided.product_key, self.band_key), lambda: decided.solution)

    @property
    def decisions(self) -> Decisions:
        if self._decided is None:
            # With regions, what was cleared is asked for less often than this.
            product, overlay = (self.outcome.product, self.outcome.overlay) if self.by_regions else (self.clearing.product, None)
            self._decided = Decisions(product, self.decisions_backdrop, self.evidence.shade_noise, overlay=overlay)
        return self._decided

    @property
    def solution(self) -> Solution:
        """The matte on the analysis picture."""
        d = self.decisions
        if d.solution is not None:
            return d.solution
        # By what it is solved for, not by the regions: a stroke laid over it leaves it as it is.
        return self.cache.get((self.digest, "solution", d.product_key, self.band_key), self._solve)

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

    def length(self, length: Length, scale: float) -> float:
        """px at a scale of a length on the photo."""
        if length.unit == "px":
            return length.value * scale
        if length.unit == "%":
            return length.value / 100 * self.framing.longest * scale
        if not self.facts.dpi:
            raise YardError("does not say how many px an inch has", where=self.name, remedy="Give the length in px or %")
        return length.value / 25.4 * self.facts.dpi * scale

    def _solve(self) -> Solution:
        d, edge = self.decisions, self.edge
        h, w = d.product.shape
        plain = BandSettings()
        settings = BandSettings(
            solver=edge.solver,
            width=None if edge.width is None else max(self.length(edge.width, self.analysis_scale), 1.0),
            clean=plain.clean + self.length(edge.fringe_width, self.analysis_scale),
            mixing=edge.mixing,
        )
        light = d.backdrop.light(w, h)

        def solve() -> Matte:
            strokes = self.marks.edge.wider
            wider = self._stroked(strokes, self.analysis_scale, self.whole(self.analysis_scale)) > 0.5 if strokes else None
            look = None if self.given_alpha else self.second_look
            return solve_matte(self.analysis, d.product, d.noise, light, settings, wider, look)

        matte = self.cache.get((self.digest, "matte", d.product_key, self.matte_key), solve)
        return describe_band(self.analysis, matte, light, settings).in_half_precision()

    def _stroked(self, strokes: tuple[Stroke, ...], scale: float, region: Region) -> Float:
        """Where strokes lie on a region, 0..1, later ones winning: float32 (h, w)."""
        width, height = self.size_at(scale)
        plot = Plot.of(self.framing, width, height).part(*region.index)
        out = np.zeros(region.shape, np.float32)
        for stroke in strokes:
            drawn = plot.brushed(stroke.points, plot.length(stroke.size)) / np.float32(255)
            out = np.maximum(out, drawn) if stroke.adds else np.minimum(out, 1 - drawn)
        return out

    @cached_property
    def mended_key(self) -> tuple[Any, ...]:
        """Stands for all that coverage hangs on besides the framed photo."""
        return (self.tone_key, self._mend_keys[-1]) if self.mends else (self.clear_key, self.edge_key)

    @cached_property
    def _mend_keys(self) -> list[str]:
        """Stand for the first mend, the first two, and so on."""
        so_far, out = hashlib.sha256(), []
        for mend in self.mends:
            so_far.update(mend.model_dump_json(exclude={"name"}).encode())
            out.append(so_far.hexdigest())
        return out

    @property
    def tone_key(self) -> tuple[Any, ...]:
        """Stands for all that the toned and cut out picture hangs on."""
        return self.clear_key, self.edge_key, self.lift, self.marks.lift.strokes, self.gains, self.white_point, self._empty_digest

    @cached_property
    def mends(self) -> tuple[AnyMend, ...]:
        """The mends in force, in order: dust that was found, if that is asked for, and the photo's own."""
        own = tuple(mend for mend in self.marks.mend.entries if mend.on)
        wanted = self.sheet.mend.dust if self.marks.mend.dust is None else self.marks.mend.dust
        return (*self._dust_mends()[: MOST_MENDS - len(own)], *own) if wanted else own

    @property
    def colour(self) -> ColourSettings:
        """What holds for this photo's colours."""
        return self.marks.colour.over(self.sheet.colour)

    @cached_property
    def mender(self) -> Mender:
        """The mends in force, at work."""

        def keep(key: tuple[Any, ...], compute: Callable[[], Any]) -> Any:
            return self.cache.get((self.digest, "mend", self.tone_key, *key), compute)

        return Mender(
            self.mends,
            self.size_at,
            lambda scale: Plot.of(self.framing, *self.size_at(scale)),
            self._before_mends,
            self._original,
            keep,
        )

    def _before_mends(self, scale: float, region: Region) -> Layer:
        """The toned picture and its matte; not to be changed."""
        cut = self.cut(scale, region)
        mask = self.lift_mask
        if mask is None or not self.lift.on or not self.marks.lift.strokes:
            tone, pixels = self.product_tone, self.part(scale, region).pixels
            factors = self._factors(tone, scale, region)
            return Layer(toned(pixels, factors, tone), lit(cut, factors, tone))
        here = self._region_of(mask, scale, region)
        return Layer(
            self.toned(scale, region), mixed_band(cut, self._factors(self.tone, scale, region), self.tone, self.balance_tone, here)
        )

    def _original(self, tones: str, scale: float, region: Region) -> Float:
        """Linear light of a region: as it came in, or balanced."""
        pixels = self.part(scale, region).pixels
        return to_linear(pixels if tones == "as-shot" else toned(pixels, np.ones((1, 1), np.float32), self.balance_tone))

    def mended(self, scale: float, region: Region) -> Layer:
        """The toned region with all mends done, before Colour."""
        if not self.mends:
            return self._before_mends(scale, region)
        if scale == self.analysis_scale and region == self.whole(scale):
            return self.traces.layer
        width, height = self.size_at(scale)

        def add(begun: tuple[Layer, int] | None) -> Layer:
            return self.mender.layer(scale, region, begun=begun)

        return self._gone_on(("mended", width, height, region), add)

    def _gone_on(self, key: tuple[Any, ...], add: Callable[[tuple[T, int] | None], T]) -> T:
        """What hangs on the mends in force. A person adds mend after mend: what is kept of before the last few is gone on from."""

        def keyed(done: int) -> tuple[Any, ...]:
            return self.digest, self.tone_key, self._mend_keys[done - 1], *key

        def compute() -> T:
            for done in range(len(self.mends) - 1, max(0, len(self.mends) - _LAST), -1):
                before = self.cache.peek(keyed(done))
                if before is not None:
                    return add((before, done))
            return add(None)

        return self.cache.get(keyed(len(self.mends)), compute)

    def coverage(self, scale: float, region: Region) -> Float:
        """By the finished product, mends included: float32 (h, w)."""
        return self.mended(scale, region).cut.alpha if self.mends else self.cut(scale, region).alpha

    @property
    def traces(self) -> Traces:
        """What the mends in force did, on the analysis picture."""
        return self._gone_on(("traces",), lambda begun: self.mender.traces(self.analysis_scale, begun))

    @property
    def touched_shares(self) -> list[float]:
        """What share of the product each of the mends in force changed, 0..1."""
        return self.cache.get((self.digest, "touched", self.mended_key), self._measure_touched) if self.mends else []

    def _measure_touched(self) -> list[float]:
        scale = self.analysis_scale
        whole = self.whole(scale)
        product = np.maximum(self.cut(scale, whole).alpha, self.coverage(scale, whole))
        return self.traces.shares(product, len(self.mends))

    @property
    def touched_at_all(self) -> Mask | None:
        """Where any mend changed something, on the analysis picture; None without mends."""
        return self.traces.where() if self.mends else None

    @property
    def touched_share(self) -> float:
        """Of the product, 0..1, by all mends together."""
        where = self.touched_at_all
        alpha = self.coverage(self.analysis_scale, self.whole(self.analysis_scale))
        return 0.0 if where is None else float(alpha[where].sum()) / max(float(alpha.sum()), 1.0)

    @property
    def shifted(self) -> Shifted | None:
        """What Colour did to the product; None if it does nothing."""
        if self.colour.plain:
            return None
        return self.cache.get((self.digest, "shifted", self.tone_key, self.mended_key, self.colour), self._measure_colour)

    def _measure_colour(self) -> Shifted:
        layer = self.mended(self.analysis_scale, self.whole(self.analysis_scale))
        return shifted(Picture(layer.pixels).eight_bit().pixels.astype(np.uint8, copy=False), layer.cut.alpha, self.colour)

    @property
    def dust(self) -> list[Speck]:
        """Specks on the backdrop and on the product, the surest first, in the picture before any mend."""
        return self.cache.get((self.digest, "dust", self.tone_key), self._find_dust)

    def _find_dust(self) -> list[Speck]:
        whole = self.whole(1.0)
        small = self._before_mends(self.analysis_scale, self.whole(self.analysis_scale))

        def lifted(region: Region) -> Coded:
            return np.ascontiguousarray(self.toned(1.0, region))

        plot = Plot.of(self.framing, *self.size_at(1.0))
        shown = lifted if self.lift.on or not self.gains.none else None
        return find_dust(self.part(1.0, whole).pixels, shown, small.cut.alpha, self.clearing.surroundings, plot)

    def _dust_mends(self) -> tuple[AnyMend, ...]:
        return tuple(speck.mend for speck in self.dust if speck.on == "backdrop")

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

    @property
    def stretches(self) -> list[Stretch]:
        """The outline in stretches, with figures; none where the file brought its own transparency."""
        if self.given_alpha:
            return []
        key = (self.digest, "stretches", self.decisions.product_key, self.band_key, self.edge.fringe)
        return self.cache.get(key, lambda: outline_stretches(self.solution, self.analysis, self.analysis_scale, self.edge.fringe))

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

    @property
    def given_alpha(self) -> bool:
        """Whether the file brought its own transparency, and that is what is cleared by."""
        return self.facts.has_alpha and self.sheet.clear.on

    @property
    def shadow(self) -> Float | None:
        """The shadow layer's opacity on the analysis picture; None if there is none."""
        edge = self.edge
        if edge.shadow == "drop" or not edge.shadow_strength:
            return None
        key = (self.digest, "shadow", self.mended_key, edge.shadow, edge.shadow_strength, edge.shadow_softness)
        return self.cache.get(key, self._find_shadow)

    def _find_shadow(self) -> Float:
        edge, scale = self.edge, self.analysis_scale
        alpha = self.coverage(scale, self.whole(scale))
        if edge.shadow == "draw":
            return drawn_shadow(alpha, edge.shadow_strength, self.length(edge.shadow_softness, scale))
        h, w = alpha.shape
        d = self.decisions
        return kept_shadow(self.analysis, alpha, d.backdrop.light(w, h), d.noise, edge.shadow_strength)

    def shadow_of(self, scale: float, region: Region) -> Float | None:
        """The shadow layer's opacity on a region at a scale, float32 (h, w); None if there is none."""
        small = self.shadow
        return None if small is None else self._region_of(small, scale, region)

    @property
    def lift(self) -> LiftSettings:
        """What holds for this photo: the run sheet's tones with the photo's own in their place."""
        own = self.marks.lift.model_dump(exclude_none=True, exclude={"strokes"})
        return self.sheet.lift.model_copy(update=own) if own else self.sheet.lift

    @property
    def gains(self) -> Gains:
        """What Balance multiplies linear light by: the photo's own gains, or the run sheet's."""
        own = self.marks.balance or self.sheet.balance.light
        if own is not None:
            if own.red is not None and own.blue is not None:
                return keeping_lightness(own.red, own.blue)
            return keeping_lightness(*from_temperature(own.temperature or 6500, own.tint or 0))
        if self.sheet.balance.neutral == "backdrop":
            return keeping_lightness(*gains_for(self.backdrop_light))
        return Gains()

    @property
    def backdrop_light(self) -> tuple[float, float, float]:
        """Mean linear light of the backdrop where it was seen, as shot."""
        return self.decisions.backdrop.mean_light

    @property
    def cast(self) -> float | None:
        """How far the backdrop is from neutral after Balance, ΔE00; None where it says nothing of the light: it has a colour of its
        own, or a person balanced by something else.
        """
        if (
            self.marks.balance is not None
            or self.sheet.balance.light is not None
            or not self.decisions.backdrop.support.any()
            or not lit_by_a_lamp(self.backdrop_light)
        ):
            return None
        return cast_of(self.backdrop_light, self.gains)

    @property
    def colours(self) -> Overlap:
        """How far the colours of product and backdrop are the same."""
        d = self.decisions
        return self.cache.get((self.digest, "colours", d.product_key), lambda: overlap_of_colours(self.analysis, d.backdrop, ~d.product))

    @property
    def graph(self) -> GiveAndTake:
        """The give-and-take graph, after balancing and evening."""
        key = (self.digest, "graph", self.decisions.product_key, self.lift.on, self.lift.even, self.gains, self._empty_digest)
        return self.cache.get(key, self._measure)

    def _measure(self) -> GiveAndTake:
        product = self.decisions.product
        ratio = np.ones((5, 5), np.uint8)
        sure = cv2.erode(product.astype(np.uint8), ratio, iterations=2) > 0
        away = cv2.dilate(product.astype(np.uint8), ratio) == 0
        evening = self._evening
        h, w = product.shape
        lit = self.decisions.backdrop.log_light(w, h)[..., 1]
        shade = to_log(np.ascontiguousarray(self.analysis[..., 1])) - np.minimum(lit, 0)
        return give_and_take(self.analysis, sure, away, shade < -max(_SHADE, 4 * self.decisions.noise), evening, self.gains)

    @property
    def white_point(self) -> int:
        """The white point in force: the photo's own, the run sheet's, or the offered one."""
        lift = self.lift
        if not lift.on:
            return 255
        return self.graph.offer if lift.white_point == "auto" else lift.white_point

    @property
    def tone(self) -> Tone:
        """What Balance and Lift do to the photo."""
        key = (self.digest, "tone", self.lift, self.clear_key, self.gains, self.white_point, self._empty_digest)
        return self.cache.get(key, self._tone)

    @property
    def balance_tone(self) -> Tone:
        """What Balance alone does."""
        return self.cache.get((self.digest, "balanced", self.gains), lambda: make_tone(None, self.gains))

    @property
    def product_tone(self) -> Tone:
        """What they do to the product: with Lift limited to the backdrop, its own tones stay and only Balance acts."""
        return self.tone if self.lift.scope == "photo" or not self.sheet.clear.on else self.balance_tone

    @property
    def lift_mask(self) -> Float | None:
        """Where Lift acts, 0..1, at low resolution over the frame; None if it is everywhere."""
        strokes, scope = self.marks.lift.strokes or (), self.lift.scope
        if not self.lift.on or (scope == "photo" and not strokes):
            return None
        key = (self.digest, "lift mask", self.clear_key, self.band_key, scope, strokes)
        return self.cache.get(key, lambda: lift_mask(self.solution.alpha, scope, strokes, self.framing))

    def before_lift(self, light: tuple[float, float, float], region: Region) -> Float:
        """Coded values (3,), 0..1, of a light of a full-size region when it reaches the white point: balanced and evened."""
        evening = self._evening
        factor = 1.0 if evening is None else float(make_tone(evening, Gains()).factors(self.size_at(1.0)[::-1], *region.index).mean())
        return encode(np.clip(np.array(light) * self.gains.array * factor, 0, 1))

    def _tone(self) -> Tone:
        lift = self.lift
        if not lift.on:
            return make_tone(None, self.gains)
        return make_tone(self._evening, self.gains, white=self.white_point, black=lift.black_point, mid=lift.mid, curve=lift.curve)

    @property
    def _evening(self) -> Float | None:
        lift = self.lift
        if not lift.on or lift.even == 0:
            return None
        if self.empty is not None:
            key = (self.digest, "evening", lift.even, self._empty_digest)
            return self.cache.get(key, lambda: self._evening_from_empty(lift.even))
        return self.cache.get((self.digest, "evening", lift.even), lambda: evening_map(self.decisions.backdrop, lift.even))

    def _evening_from_empty(self, strength: float) -> Float:
        assert self.empty is not None
        facts = inspect_photo(self.empty, "The photo of the empty set", self.limits)
        if (facts.width, facts.height) != (self.facts.width, self.facts.height):
            raise YardError(
                f"has {facts.width} x {facts.height} px, but {self.name} has {self.facts.width} x {self.facts.height}",
                where="The photo of the empty set",
                remedy="Choose one from the same camera, or none",
            )
        empty = decode_photo(self.empty, "The photo of the empty set", self.limits, 640)
        return evening_from_empty(self.framing.apply(empty).pixels, strength)

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Left, top, right, bottom of the visible product as shares of the frame."""
        return self.cache.get((self.digest, "box", self.mended_key), self._find_box)

    def _find_box(self) -> tuple[float, float, float, float]:
        return product_box(self.coverage(self.analysis_scale, self.whole(self.analysis_scale)))

    # Regions --------------------------------------------------------------------------------------------------------

    def cut(self, scale: float, region: Region) -> Cutout:
        """The finished matte and the freed colours of a region at a scale, without a shadow."""
        width, height = self.size_at(scale)
        key = (self.digest, "cut", self.clear_key, self.edge_key, width, height, region)
        return self.cache.get(key, lambda: self._finished_cut(scale, region))

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
        # In place, but for the analysis picture's own, which is kept.
        out = alpha.copy() if scale == self.analysis_scale else alpha
        down, across = (places.ravel() for places in self._pixels_under(change.shape, scale, region))
        apply_changes(out, change, down, across)
        return out

    def _kept_apart(self, tidy: Tidying) -> Mask:
        scale = self.analysis_scale
        return (self._solved_cut(scale, self.whole(scale)).alpha > 0) & ~tidy.dropped

    def _solved_cut(self, scale: float, region: Region) -> Cutout:
        """The matte as it is solved, and as regions have it, before clean-up."""
        width, height = self.size_at(scale)
        if scale != self.analysis_scale:
            # Only the finished one is kept: two of a large photo would be too much.
            return self._cut(width, height, region, scale)
        key = (self.digest, "solved cut", self.clear_key, self.band_key, width, height, region)
        return self.cache.get(key, lambda: self._cut(width, height, region, scale))

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

        def backdrop(at: Rows) -> Float:
            return region_of(small, frame, *at)

        def seen(at: Rows) -> Coded:
            return pixels[at[0].start - region.top : at[0].stop - region.top, at[1].start - region.left : at[1].stop - region.left]

        said: dict[int, Callable[[Rows], Float]] = {}
        freed: dict[int, Callable[[Rows], Float]] = {}
        printed: dict[int, Float] = {}
        for number in np.unique(overlay.owner[overlay.owner > 0]).tolist():
            made = self.regions[number - 1]
            value: Callable[[Rows], Float]
            if isinstance(made, OutlineRegion):
                value = partial(_outlined, made, whole)
            elif isinstance(made, ContrastRegion):
                value = partial(_contrasted, made, seen, backdrop)
            elif isinstance(made, InkRegion):
                value = partial(_paper, self.ink_levels(made), seen, backdrop)
                if made.colour is not None:
                    printed[number] = decode(np.array([int(made.colour[k : k + 2], 16) for k in (1, 3, 5)]) / 255)
            else:
                continue
            said[number] = value if made.how == "take" else partial(_less, value)
            if not isinstance(made, OutlineRegion):
                freed[number] = lambda at: np.exp(np.minimum(backdrop(at), 0))
        return lay_over(cut, overlay, pixels, frame, region.index, said, freed, printed)

    def toned(self, scale: float, region: Region) -> Coded:
        """The balanced and lifted photo, not cut out: coded, the dtype of the photo."""
        pixels = self.part(scale, region).pixels
        lifted = toned(pixels, self._factors(self.tone, scale, region), self.tone)
        mask = self.lift_mask
        if mask is None:
            return lifted
        return mixed(lifted, toned(pixels, np.ones((1, 1), np.float32), self.balance_tone), self._region_of(mask, scale, region))

    def picture(self, scale: float, region: Region, card: Card | NDArray[np.uint8] = "white") -> Coded:
        """The finished region on a card, mixed in linear light; exactly the card where the product covers nothing.

        A card of one's own is uint8 (h, w, 3), of the region's size, or (1, 1, 3) for one colour.
        """
        return on_card(*self._product(scale, region), card if isinstance(card, np.ndarray) else _card(card, region))

    def cutout(self, scale: float, region: Region) -> Coded:
        """The finished region as straight RGBA, coded; edges page-true if the run sheet says so."""
        return cut_out(*self._product(scale, region), for_pages=self.edge.page_true)

    def _product(self, scale: float, region: Region) -> tuple[Coded, Float, Tone, Cutout]:
        """Pixels, factors on their light, the tone they are still to get, and the matte."""
        shadow = self.shadow_of(scale, region)
        strokes = self.lift_mask is not None and self.lift.on and bool(self.marks.lift.strokes)
        if not (strokes or self.mends) and self.colour.plain:
            cut, tone = self.cut(scale, region), self.product_tone
            cut = cut if shadow is None else shaded(cut, shadow)
            return self.part(scale, region).pixels, self._factors(tone, scale, region), tone, cut
        layer = self.mended(scale, region)
        cut = replace(layer.cut, colour=coloured_light(layer.cut.colour, self.colour))
        cut = cut if shadow is None else shaded(cut, shadow)
        return coloured(layer.pixels, self.colour), np.ones((1, 1), np.float32), make_tone(None, Gains()), cut

    def lift_reach(self, scale: float, region: Region) -> Float:
        """How far Lift acts on each pixel of a region, 0..1: float32 (h, w)."""
        mask = self.lift_mask
        return np.ones(region.shape, np.float32) if mask is None else self._region_of(mask, scale, region)

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

    def ink_levels(self, made: InkRegion) -> tuple[float, float]:
        """Floor and full density in force for a region of ink."""
        return self.cache.get((self.digest, "ink", made.floor, made.full), lambda: ink_levels(made, self.ground))

    def _region_of(self, small: Float, scale: float, region: Region) -> Float:
        width, height = self.size_at(scale)
        return region_of(small, (height, width), *region.index)

    def _factors(self, tone: Tone, scale: float, region: Region) -> Float:
        width, height = self.size_at(scale)
        return tone.factors((height, width), *region.index)


def _outlined(made: OutlineRegion, whole: Plot, at: Rows) -> Float:
    return outline(made, whole.part(*at))


def _contrasted(made: ContrastRegion, seen: Callable[[Rows], Coded], backdrop: Callable[[Rows], Float], at: Rows) -> Float:
    return contrast(made, seen(at), backdrop(at))


def _paper(levels: tuple[float, float], seen: Callable[[Rows], Coded], backdrop: Callable[[Rows], Float], at: Rows) -> Float:
    return paper_share(seen(at), backdrop(at), levels)


def _less(value: Callable[[Rows], Float], at: Rows) -> Float:
    return 1 - value(at)


def _given(photo: Picture) -> Cutout:
    """As the file has it, which is how pages blend it."""
    assert photo.alpha is not None
    alpha = photo.alpha.astype(np.float32) / np.float32(top(photo.alpha.dtype))
    rows, columns = np.nonzero((alpha > 0) & (alpha < 1))
    return Cutout(alpha, rows, columns, linear_table(top(photo.pixels.dtype) + 1)[photo.pixels[rows, columns]], drawn=True)


def _card(card: Card, region: Region) -> NDArray[np.uint8]:
    if card != "checks":
        return np.array(_CARD_LEVELS[card], np.uint8)[None, None]
    y = (np.arange(region.top, region.bottom) // 12)[:, None]
    x = (np.arange(region.left, region.right) // 12)[None]
    grey = np.where((x + y) % 2 == 0, 255, 214).astype(np.uint8)
    return np.repeat(grey[..., None], 3, axis=2)
