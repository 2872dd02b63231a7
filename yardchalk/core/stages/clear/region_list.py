"""The ordered list of regions, put together to what is backdrop.

Values are 0..1, 1 is backdrop. A region that adds takes the greater of what was and what it says, one that takes away the
lesser of what was and what it leaves, one that intersects the lesser of both: the union, difference and intersection of
fuzzy sets (Zadeh, "Fuzzy sets", Information and Control 8, 1965). What is painted, in a region of strokes or in a box, lies
over what came before it.

Two things come of it. Regions that *find* a border (automatic, spread, box …) give the product whose border the band
then solves. Regions that *say* coverage (chalk, drawn outlines, contrast maps, ink, soft spreads) are laid over the solved
matte as they are: alpha' = scale * alpha + offset. Where one says it per pixel of the photo, it is asked again at the
size that is rendered, so that it is as sharp there as the photo.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.clear_settings import (
    AnyRegion,
    AutomaticRegion,
    BoxRegion,
    BoxRule,
    ContrastRegion,
    FamilyRegion,
    FamilyRule,
    GapsRegion,
    How,
    InkRegion,
    OutlineRegion,
    SpreadRegion,
    SpreadRule,
    StrokesRegion,
)
from yardchalk.core.colour import Float, Mask
from yardchalk.core.errors import YardError
from yardchalk.core.stages.clear.borders import near, parts_outside, thin_detail, with_cleared_border, with_flank
from yardchalk.core.stages.clear.box import box, said_by_strokes
from yardchalk.core.stages.clear.contrast import contrast
from yardchalk.core.stages.clear.family import family
from yardchalk.core.stages.clear.gaps import gaps
from yardchalk.core.stages.clear.ground import Ground
from yardchalk.core.stages.clear.ink import ink_levels, near_ink, paper_share
from yardchalk.core.stages.clear.one_ink import Ink
from yardchalk.core.stages.clear.outline import outline
from yardchalk.core.stages.clear.rules import made_for
from yardchalk.core.stages.clear.spread import spread
from yardchalk.core.stages.clear.strokes import stroke_weight

_SOFT = 10  # px of it; so far from the solved border coverage may be soft
_NEAR = 2  # px of the analysis picture; so near to its border a region that says coverage has the word on both sides
_HAND = 4  # px; so far off an edge is drawn by hand that is meant
_BESIDE = 0.9  # of a product; with so much of it outside, the line goes round another
_WHOLE = np.uint8(255)
Keep = Callable[[AnyRegion, Callable[[], Float]], Float]


@dataclass(frozen=True)
class Overlay:
    """What is laid over the solved matte: alpha' = scale * alpha + offset, then guarded strokes; uint8 (h, w), 255 is 1.

    Attributes
    ----------
    scale, offset : by analysis pixel.
    owner : uint8
        One more than the place in the list of the region that says the coverage anew at every scale; 0 for none.
    chalk, rub : weight of guarded strokes, which act only on what is nearly kept or nearly dropped.
    """

    scale: NDArray[np.uint8]
    offset: NDArray[np.uint8]
    owner: NDArray[np.uint8]
    chalk: NDArray[np.uint8]
    rub: NDArray[np.uint8]

    @property
    def maps(self) -> dict[str, NDArray[np.uint8]]:
        return {name: getattr(self, name) for name in ("scale", "offset", "owner", "chalk", "rub")}

    @cached_property
    def box(self) -> tuple[int, int, int, int]:
        """Left, top, right, bottom, px, of where anything is laid over at all."""
        touched = cv2.bitwise_not(self.scale)
        for more in (self.offset, self.chalk, self.rub):
            touched = cv2.bitwise_or(touched, more)
        x, y, w, h = cv2.boundingRect(touched)
        return int(x), int(y), int(x + w), int(y + h)

    @cached_property
    def guarded(self) -> bool:
        """Whether any stroke is."""
        return bool(self.chalk.any() or self.rub.any())


@dataclass(frozen=True)
class _Said:
    """What is said of the backdrop, float32 (h, w), and strokes over it, which are painted when somebody asks: a picture does not."""

    below: Float
    strokes: tuple[tuple[tuple[slice, slice], Float, np.float32], ...] = ()

    @cached_property
    def backdrop(self) -> Float:
        if not self.strokes:
            return self.below
        # A copy: what is below may be what a region says, which is kept.
        out = self.below.copy()
        for at, weight, goal in self.strokes:
            out[at] = out[at] * (1 - weight) + goal * weight
        return out


@dataclass(frozen=True)
class Outcome:
    """What the list comes to, on the analysis picture.

    Attributes
    ----------
    said : what all regions together say is backdrop.
    product : bool, shape (h, w)
        Whose border is to be solved.
    overlay : what is laid over the solved matte; None if nothing is.
    painted : bool, shape (h, w)
        Where strokes, or lines round a product or round a place, say by hand what is product or backdrop; None without them.
    shares : by region, what it says of the frame by itself, 0..1; None if it is off or failed.
    troubles : by region, what was wrong with it; it was left out then.
    """

    said: _Said
    product: Mask
    overlay: Overlay | None
    painted: Mask | None
    shares: list[float | None] = field(default_factory=list)
    troubles: list[str | None] = field(default_factory=list)

    @property
    def backdrop(self) -> Float:
        """float32, shape (h, w), 0..1: what all regions together say."""
        return self.said.backdrop


def union(a: Float, b: Float) -> Float:
    return np.maximum(a, b)


def without(a: Float, b: Float) -> Float:
    return np.minimum(a, 1 - b)


def intersection(a: Float, b: Float) -> Float:
    return np.minimum(a, b)


COMBINE: dict[How, Callable[[Float, Float], Float]] = {"add": union, "take": without, "intersect": intersection}


def finds(region: AnyRegion) -> bool:
    """Whether the region finds a border that is then solved, rather than saying coverage."""
    if isinstance(region, SpreadRegion | FamilyRegion | SpreadRule | FamilyRule):
        return region.softness == 0
    if isinstance(region, OutlineRegion):
        return region.edge == "found"
    if isinstance(region, ContrastRegion):
        return region.level is not None
    return not isinstance(region, StrokesRegion | InkRegion)


def says_at_every_scale(region: AnyRegion) -> bool:
    return not finds(region) and isinstance(region, OutlineRegion | ContrastRegion | InkRegion)


def goes_by_ink(region: AutomaticRegion, one_ink: Ink | None) -> bool:
    """Whether the region goes by density, too, since the photo is a print in one ink."""
    return one_ink is not None and region.ink and region.how != "intersect"


def ink_of(region: AutomaticRegion) -> InkRegion:
    """What such a region then says besides."""
    return InkRegion(kind="ink", how=region.how)


def value_of(region: AnyRegion, ground: Ground, before: Float) -> Float:
    """What a region by itself says is backdrop, 0..1, on the analysis picture; `before` is what those before it say."""
    if isinstance(region, AutomaticRegion):
        product = ground.clearing.product
        if goes_by_ink(region, ground.one_ink):
            product = product & near_ink(value_of(ink_of(region), ground, before))
        return (~product).astype(np.float32)
    if isinstance(region, SpreadRule | FamilyRule | BoxRule):
        region = made_for(region, ground)
    if isinstance(region, SpreadRegion):
        return spread(region, ground)
    if isinstance(region, FamilyRegion):
        return family(region, ground)
    if isinstance(region, BoxRegion):
        return box(region, ground)
    if isinstance(region, OutlineRegion):
        return _outline(region, ground)
    if isinstance(region, GapsRegion):
        return gaps(region, ground, before > 0.5)
    log_light = ground.backdrop.log_light(ground.plot.width, ground.plot.height)
    if isinstance(region, ContrastRegion):
        return contrast(region, ground.pixels, log_light)
    if isinstance(region, InkRegion):
        return paper_share(ground.pixels, log_light, ink_levels(region, ground))
    raise TypeError(type(region))


def _outline(region: OutlineRegion, ground: Ground) -> Float:
    value = outline(region, ground.plot)
    # A gap that is gone round is meant, however narrow it is.
    if region.edge == "drawn" or region.backdrop == "inside" or not ground.trusted:
        return value
    drawn = value < 0.5
    product = with_cleared_border(drawn, ground.cleared, _HAND, thin_detail(drawn, _HAND))
    return (~product).astype(np.float32)


def put_together(regions: Sequence[AnyRegion], ground: Ground, keep: Keep = lambda region, compute: compute()) -> Outcome:
    """What the regions together say; `keep` may give back what a region said before, since that hangs on the photo alone.

    A region that cannot be worked out, because its place lies outside the frame, is left out and says why.
    """
    state = _State(ground)
    shares: list[float | None] = []
    troubles: list[str | None] = []
    for number, region in enumerate(regions):
        share, trouble = None, None
        if region.on:
            try:
                share = state.strokes(region) if isinstance(region, StrokesRegion) else state.region(number, region, keep)
                if isinstance(region, AutomaticRegion) and goes_by_ink(region, ground.one_ink):
                    state.region(number, ink_of(region), keep, within=True)
            except YardError as error:
                trouble = error.message
        shares.append(share)
        troubles.append(trouble)
    return Outcome(state.said, state.product(regions), state.overlay, state.painted, shares, troubles)


class _State:
    """What the list says so far."""

    def __init__(self, ground: Ground) -> None:
        self.ground = ground
        self.said = _Said(np.zeros(ground.shape, np.float32))
        self.found = np.zeros(ground.shape, np.float32)
        # The same of automatic clearing, and gaps in it, alone.
        self.cleared: Float | None = None
        self.overlay: Overlay | None = None
        self.painted: Mask | None = None
        self.nothing = True

    def product(self, regions: Sequence[AnyRegion]) -> Mask:
        product = self.found < 0.5
        others = [region for region in regions if region.on and finds(region) and not isinstance(region, AutomaticRegion | GapsRegion)]
        if not others or product.all() or not product.any():
            return product
        flanked = with_flank(product)
        if self.cleared is None:
            return flanked
        # What automatic clearing found has its flank, and where nothing else was said its border is the one that was looked at closely.
        return product | (flanked & with_flank(product != (self.cleared < 0.5)))

    def region(self, number: int, region: AnyRegion, keep: Keep, within: bool = False) -> float:
        """Add a region to the list; `within`: it says nothing outside of the product that was found before it."""
        # Gaps hang on what is kept so far; all else on the photo alone.
        value = (
            value_of(region, self.ground, self.said.backdrop)
            if isinstance(region, GapsRegion)
            else keep(region, lambda: value_of(region, self.ground, self.said.backdrop))
        )
        bars = None if isinstance(region, OutlineRegion) else self.ground.bars
        if bars is not None:
            # What is no photo is no product, whatever is like it; only what is drawn goes that far.
            value = np.where(bars, np.float32(region.how != "take"), value)
        # Added to nothing it is what it says.
        combined = value if self.nothing and region.how == "add" else COMBINE[region.how](self.said.backdrop, value)
        # What somebody goes round is their word; going round a product says nothing of all the rest.
        drawn = isinstance(region, OutlineRegion) and region.backdrop == "inside" and region.how != "intersect"
        painted = value > 0.5 if drawn else self._passed_by(region, value)
        if finds(region):
            self.found = value if self.nothing and region.how == "add" else COMBINE[region.how](self.found, value)
            if isinstance(region, AutomaticRegion | GapsRegion):
                self.cleared = COMBINE[region.how](np.zeros_like(value) if self.cleared is None else self.cleared, value)
            if isinstance(region, BoxRegion) and region.how == "add" and region.strokes:
                product, backdrop = said_by_strokes(region, self.ground)
                combined, self.found = (np.where(product, np.float32(0), values) for values in (combined, self.found))
                by_strokes = product | backdrop
                painted = by_strokes if painted is None else painted | by_strokes
            if self.overlay is not None:
                _forget(self.overlay, combined != self.said.backdrop)
        else:
            said = combined != self.said.backdrop
            # Where it agrees with what was, it still has its say along its own border.
            proposal = value if region.how != "take" else 1 - value
            # And where it speaks for itself, what was soft along the solved border is no longer so.
            speaks = value < 0.5 if region.how == "intersect" else value > 0.5
            # What is drawn as backdrop says nothing of what is round it: that may be the flank of a border, not product.
            alone = isinstance(region, OutlineRegion) and region.backdrop == "inside" and region.how == "add"
            said |= (proposal == combined) & ((_near_border(value) & ~(alone & (value < 0.5))) | (speaks & _near_border(self.found, _SOFT)))
            if drawn:
                # All of it, though the solved matte may be thin there, or faintly covered, far from any border.
                said |= (proposal == combined) & (value > 0.5)
            if within:
                said &= self.found < 0.5
            o = self._overlay()
            _forget(o, said)
            o.scale[said] = 0
            o.offset[said] = np.round((1 - combined[said]) * 255)
            o.owner[said] = number + 1 if says_at_every_scale(region) else 0
            if bars is not None:
                o.owner[bars] = 0
        if self.painted is not None:
            # A later region has another word.
            self.painted = self.painted & (combined == self.said.backdrop)
        if painted is not None:
            self._paint(painted)
        self.said, self.nothing = _Said(combined), False
        return float(value.mean())

    def strokes(self, region: StrokesRegion) -> float:
        o = self._overlay()
        self.nothing = False
        touched, by_hand = np.zeros(self.ground.shape, bool), np.zeros(self.ground.shape, bool)
        painted = list(self.said.strokes)
        for stroke in region.strokes:
            at, weight = stroke_weight(stroke, self.ground)
            touched[at] |= weight > 0.5
            if stroke.guard:
                kind = o.chalk if stroke.keeps else o.rub
                kind[at] = np.maximum(kind[at], np.round(weight * 255).astype(np.uint8))
                continue
            by_hand[at] |= weight > 0.5
            left = 1 - weight
            o.scale[at] = np.round(o.scale[at] * left)
            o.offset[at] = np.round(o.offset[at] * left + (weight * 255 if stroke.keeps else 0))
            o.owner[at][weight > 0.004] = 0
            painted.append((at, weight, np.float32(0 if stroke.keeps else 1)))
        self.said = _Said(self.said.below, tuple(painted))
        self._paint(by_hand)
        return float(touched.mean())

    def _passed_by(self, region: AnyRegion, value: Float) -> Mask | None:
        """What automatic clearing finds that a line round a product leaves outside as a whole, with its light on what is near."""
        if not isinstance(region, BoxRegion | OutlineRegion) or region.how != "add":
            return None

        def passed_by() -> tuple[Mask, ...]:
            outside = ~self.ground.mask_of(region.loop) if isinstance(region, BoxRegion) else value > 0.5
            pieces, shares = parts_outside(self.ground.cleared, outside)
            beside = pieces.chosen(shares > _BESIDE)
            return (near(beside) & outside if beside.any() else beside,)

        # Strokes in a box do not change it.
        hangs_on = region.loop if isinstance(region, BoxRegion) else region
        (passed,) = self.ground.kept_masks(("passed by", hangs_on), passed_by)
        return passed if passed.any() else None

    def _paint(self, by_hand: Mask) -> None:
        self.painted = by_hand if self.painted is None else self.painted | by_hand

    def _overlay(self) -> Overlay:
        if self.overlay is None:
            none = [np.zeros(self.ground.shape, np.uint8) for _ in range(4)]
            self.overlay = Overlay(np.full(self.ground.shape, _WHOLE), *none)
        return self.overlay


def _forget(overlay: Overlay, at: Mask) -> None:
    """Nothing is laid over there any more: a later region has another word."""
    overlay.scale[at] = _WHOLE
    for values in (overlay.offset, overlay.owner, overlay.chalk, overlay.rub):
        values[at] = 0


def _near_border(value: Float, near: int = _NEAR) -> Mask:
    """Within reach of where a region changes from backdrop to product."""
    inside = (value > 0.5).view(np.uint8)
    kernel = np.ones((2 * near + 1, 2 * near + 1), np.uint8)
    out: Mask = cv2.dilate(inside, kernel) != cv2.erode(inside, kernel)
    return out
