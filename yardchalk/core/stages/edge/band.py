"""The matte in the band along the product's border.

Decided once, on the analysis picture: a first matte, by the second look or by projection; over it a close look. Where a
person asks for it otherwise, and of photos that are out of focus, closed-form matting between what the first matte is sure
of instead, steadied by the known backdrop where hue tells it from the product, or where thin detail lies on it. And from
the outline so found, how an edge looks through this lens.

At any size each pixel is then weighed by itself: C = alpha F + (1 - alpha) B, with what is expected of alpha from its
distance to the outline or, where no smooth outline explains it, from the close look; of F from the product nearby, and of B
from the backdrop nearby, each with a spread. Alpha and F are made most likely in turn (Chuang, Curless, Salesin and
Szeliski, A Bayesian approach to digital matting, CVPR 2001). So an edge is as sharp as the photo has it, a tile is exactly
a piece of the whole, and a preview has the edges of the delivery.

Everything is computed for the band's pixels alone; the rest of the photo is never turned into floating point.
"""

import math
from dataclasses import dataclass, replace
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.close_look import look_closely
from yardchalk.core.colour import Coded, Float, Mask, decode, encode, linear_table, top
from yardchalk.core.compiled import compiled
from yardchalk.core.regions import pieces_of
from yardchalk.core.second_look import Look
from yardchalk.core.stages.edge.closed_form import ColourLines
from yardchalk.core.stages.edge.contour import USUAL_SPREAD, coverage_at, measured_spread, signed_distance
from yardchalk.core.stages.edge.drawn import is_drawn
from yardchalk.core.stages.edge.first import drop_crumbs, first_matte, matte_between
from yardchalk.core.stages.edge.hue import hue_share
from yardchalk.core.stages.edge.samples import Places, light_at, nearest_light, see

Solver = Literal["auto", "known", "open"]
Mixing = Literal["auto", "light", "codes"]

_OPEN = 3.5  # px; nearer to the outline than this, alpha is open
_FRONT_FROM, _BEHIND_FROM = 2.0, 2.5  # px; from the outline, where product and backdrop are themselves
_DEEPER = 2.5  # px; how much deeper a second sample is taken, to see how fast they change
_THIN_FIRM = 1e-2  # weight of the known backdrop's word where detail is thin
_MOSTLY = 0.7  # share of the band that is thin, from which on the colours alone say nothing
_HUE_FIRM = 1e-2  # and where hue tells
_THIN_SPREAD = 0.3  # of alpha where detail is thin
_LOOKED_SPREAD = 0.01  # of alpha by the close look, at its own size
_LOOKED_ALL = 0.035  # of what it lacks of full coverage: full
_LACKS, _GAP = 0.02, 0.4  # of full coverage: nothing that is seen; and coverage of what may be a gap
_HELD = 0.75  # how far coverage is held to the close look along smooth outlines, 0..1
_EXPLAINED, _RAGGED = 0.04, 0.10  # mean of what a smooth outline leaves unexplained: nothing of note, and no outline at all
_RAGGED_REACH = 9  # px
_ALONG = 31  # px; within which how colour changes towards the rim is taken to be the same
_PLACE, _LOOKED_PLACE = 0.3, 0.12  # px; how exactly the outline is known, and by the close look
# Share of the product's light at the rim, by which it may differ: less is left to chance in coverage where the outline is known better.
_FRONT_SPREAD, _LOOKED_FRONT = 0.03, 0.1
_ALPHA_FLOOR = 0.03
_LIGHT_SPREAD = 0.02  # of what is seen, share of the backdrop's light
_SHADE_SPREAD = 0.5  # of how the backdrop changes beside the outline
_PIXEL = 0.3  # px; spread of an edge by the pixels themselves
_CHROMA = np.float32(0.05)  # weight of chroma, which JPEG halves, against luma; in the product's own light too
_TURNS = 3
_PLAIN_CONTRAST = 0.06  # share of the backdrop's light, from which on an edge is plain to see
_CARRIED = 10.0  # px; how far along an outline is carried on
_SOLID = 0.9  # share of the outline that is not of thin detail, from which on it is carried on
_USUAL_WIDTH = 8.0  # px; how far alpha is unknown at least, to either side
_SOFT = 0.1  # from nothing and from all; what lies between is soft
_LOOKED_WIDTH = 6.0  # px; the same after a second look
_OTHERWISE = 49  # px; how far round a place that was cleared otherwise the second look is not believed
_OPEN_SPREADS = 2.6  # spreads of an edge within which alpha is open
_WIDE = 2.5  # px; spread of edges, measured roughly, from which on a photo counts as soft
_FAINT_REACH = 9  # px
_STRIP = 512  # rows
_MARGIN = 32  # px; nothing farther from the product is looked at
_FAR_OUT = 2.0  # spreads of an edge
_NOTHING, _ALL = 0.01, 0.996  # coverage that is taken for none and for full


@dataclass(frozen=True)
class BandSettings:
    """How the band is solved; widths in px of the analysis picture.

    Attributes
    ----------
    solver : auto looks closely and, where it does not, takes along what is known of the backdrop where it tells; known is the
        projection alone; open never looks at the backdrop model.
    width : to either side of the first matte's outline, how far alpha is unknown; from the measured spread of edges if None.
    clean : how far inside the outline the product's colour may still be tinged by the backdrop.
    crumb : px² covered; solved pieces of less are left-overs of the solving.
    mixing : what is mixed at an edge, light or codes; auto is codes where flat colours show that the picture was drawn.
    """

    solver: Solver = "auto"
    width: float | None = None
    clean: float = _FRONT_FROM
    crumb: float = 60.0
    mixing: Mixing = "auto"


@dataclass(frozen=True)
class Matte:
    """A solved matte: coverage, float32 (h, w); where detail is thin, bool (h, w); how well the known backdrop told, float32;
    how far edges are spread, px, as a first measurement has it; and where coverage is the close look's, bool (h, w), if there was one.
    """

    alpha: Float
    thin: Mask
    told: Float
    spread: float
    looked: Mask | None = None


@dataclass(frozen=True)
class Solution:
    """The matte as decided on the analysis picture, and what it takes to weigh its band's pixels at another size.

    Attributes
    ----------
    alpha : float32, shape (h, w)
        Coverage by the product, 0..1.
    distance : float32, shape (h, w)
        To the outline, px, positive inside; at and near the listed pixels, elsewhere just one of either sign.
    spread : float
        Of an edge, px.
    clean : float
        How far inside the outline the product's colour is its own, px.
    index : int32, shape (h, w)
        For pixels in the band and one px round it, one more than their place in the lists that follow; 0 elsewhere.
    own : int
        How many of the listed are in the band; the others lie round it.
    front, behind : float32, shape (n, 4)
        Linear light of the product and of the backdrop nearby and, fourth, of its luma.
    doubt : float32, shape (n, 5)
        Spread of the front's light, spread of what is seen (standard deviations), 1 where detail is thin, how well the known backdrop
        told product from backdrop, 0..1, and how far the close look is to be held to, 0..1, less than nothing where there was none.
    drawn : bool
        Whether edges are mixed in codes, as in what was drawn, not in light.
    """

    alpha: Float
    distance: Float
    spread: float
    clean: float
    index: NDArray[np.int32]
    own: int
    front: Float
    behind: Float
    doubt: Float
    drawn: bool = False

    @property
    def band(self) -> tuple[Places, Places]:
        """Rows and columns of the band's pixels, in the order of the lists."""
        at = np.flatnonzero((self.index > 0) & (self.index <= self.own))
        at = at[np.argsort(self.index.ravel()[at])]
        return np.divmod(at, self.index.shape[1])

    def in_half_precision(self) -> "Solution":
        """With what is listed rounded to float16, as it is kept: what is read back is then the same to the last bit."""
        listed = np.flatnonzero(self.index)

        def half(values: Float) -> Float:
            return values.astype(np.float16).astype(np.float32)

        alpha, distance = self.alpha.copy(), self.distance.copy()
        for values in (alpha, distance):
            values.flat[listed] = half(values.flat[listed])
        front, behind, doubt = (half(values) for values in (self.front, self.behind, self.doubt))
        return replace(self, alpha=alpha, distance=distance, front=front, behind=behind, doubt=doubt)


@dataclass(frozen=True)
class Cutout:
    """A region, cut out.

    Attributes
    ----------
    alpha : float32, shape (h, w)
        Coverage by the product, 0..1.
    rows, columns : intp, shape (n,)
        The band's pixels; elsewhere alpha is exactly 0 or 1.
    colour : float32, shape (n, 3)
        Linear light of the product in the band's pixels, freed of the backdrop.
    drawn : bool
        Whether coverage mixes codes, as in what was drawn, not light.
    """

    alpha: Float
    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    colour: Float
    drawn: bool = False


def solve_matte(
    pixels: NDArray[np.uint8],
    product: Mask,
    noise: float,
    light: Float,
    settings: BandSettings = BandSettings(),
    wider: Mask | None = None,
    look: Look | None = None,
) -> Matte:
    """Solve the matte on the analysis picture.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        The analysis picture, coded.
    product : bool, shape (h, w)
        The cleared product with the outer flank of its border.
    noise : float
        Standard deviation of the log light on the backdrop, for telling faint coverage from noise.
    light : float32, shape (h, w, 3)
        Linear light of the backdrop model.
    wider : bool, shape (h, w), optional
        Where alpha is unknown however far from the outline.
    look : the second look, on a picture of that shape, if there was one; believed where it agrees with the product.
    """
    blank = np.zeros(product.shape, np.float32)
    whole = Matte(blank, np.zeros(product.shape, bool), blank.copy(), USUAL_SPREAD)
    at = _around(product)
    if at is None:
        return whole
    part = np.ascontiguousarray(pixels[at])
    first, near = _first(part, product, noise, look, at)
    inside = (first > 0.5).view(np.uint8)
    into, out_of = (cv2.distanceTransform(mask, cv2.DIST_L2, 5) for mask in (inside, 1 - inside))
    spread = _first_spread(part, into - out_of, light[at])
    wide, looked = usual_width(spread, looked=False), usual_width(spread, looked=True)
    width = np.where(near, np.float32(wide), np.float32(looked)) if settings.width is None else np.float32(settings.width)
    core, backdrop = into > width, out_of > width
    settled = None
    if look is not None:
        # What is soft in the look is open, however wide it is.
        soft = cv2.dilate(((first > _SOFT) & (first < 1 - _SOFT)).view(np.uint8), np.ones((5, 5), np.uint8)) > 0
        core &= ~soft
        backdrop &= ~soft
        # A soft photo has wider borders than the close look was taught; and where a person sets a width, that is solved.
        if settings.solver == "auto" and settings.width is None and spread <= _WIDE:
            # Where a person cleared otherwise than the second look would, the networks' word is not asked for.
            settled = ~near
            first = np.where(settled, look_closely(part, light[at], first), first)
    settings = replace(settings, width=settings.width or float(wide if near.all() else looked))
    fine = None
    if wider is not None:
        fine = wider[at]
        core &= ~fine
        backdrop &= ~fine
        first = np.where(fine, matte_between(part, core, backdrop, noise), first)
        settled = None if settled is None else settled & ~fine
    found = solve_between(part, core, backdrop, first, light[at], settings, fine, settled)
    whole.alpha[at], whole.thin[at], whole.told[at] = found.alpha, found.thin, found.told
    if settled is not None:
        where = np.zeros(product.shape, bool)
        where[at] = settled
        whole = replace(whole, looked=where)
    return replace(whole, spread=spread)


def usual_width(spread: float, looked: bool) -> float:
    """How far alpha is unknown at least, to either side of the outline, where nobody says; px of the analysis picture.

    Parameters
    ----------
    spread : of edges, px.
    looked : whether a second look was taken there.
    """
    if spread > _WIDE:
        return max(_USUAL_WIDTH, _OPEN_SPREADS * spread + 2)
    return _LOOKED_WIDTH if looked else _USUAL_WIDTH


def _first(pixels: NDArray[np.uint8], product: Mask, noise: float, look: Look | None, at: tuple[slice, slice]) -> tuple[Float, Mask]:
    """A matte to start from, on a part of the picture, and where that is not the second look's: bool (h, w)."""
    if look is None:
        return first_matte(pixels, product[at], noise), np.ones(pixels.shape[:2], bool)
    # Slivers are what enlarging both rounds differently.
    other = cv2.morphologyEx((look.product != product)[at].view(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0
    seen = np.where(product[at], look.coverage[at], np.float32(0))
    if not other.any():
        return seen, other
    near = cv2.dilate(other.view(np.uint8), np.ones((_OTHERWISE, _OTHERWISE), np.uint8)) > 0
    return np.where(near, first_matte(pixels, product[at], noise), seen), near


def _first_spread(pixels: NDArray[np.uint8], distance: Float, light: Float) -> float:
    """How far edges are spread, px, by the distance to a rough outline."""
    rows, columns = np.nonzero(np.abs(distance) < _USUAL_WIDTH)
    if not rows.size:
        return USUAL_SPREAD
    far = _USUAL_WIDTH
    return _measured(pixels, distance, light, rows, columns, distance > far, distance < -far, np.zeros(rows.size, bool))


def _measured(
    pixels: NDArray[np.uint8], distance: Float, light: Float, rows: Places, columns: Places, core: Mask, backdrop: Mask, fine: Mask
) -> float:
    """The spread at pixels of the band, by those of good contrast that lie in no shadow."""
    front, behind = nearest_light(pixels, core, rows, columns), nearest_light(pixels, backdrop, rows, columns)
    seen = light_at(pixels, rows, columns)[:, 3]
    unshaded = np.abs(behind[:, 1] / np.maximum(light[rows, columns, 1], 1e-3) - 1) < 0.1
    plain = (np.abs(front[:, 3] - behind[:, 3]) > 0.15) & unshaded & ~fine
    return measured_spread(distance[rows, columns], seen, behind[:, 3], front[:, 3], plain)


def solve_between(
    pixels: NDArray[np.uint8],
    core: Mask,
    backdrop: Mask,
    first: Float,
    light: Float,
    settings: BandSettings = BandSettings(),
    fine: Mask | None = None,
    settled: Mask | None = None,
) -> Matte:
    """Solve the matte where sure product and sure backdrop (h, w) are given, and a first matte between them.

    Far from sure product, and where `fine` says so, detail is taken to be thin: bristles, fibres, wires. Where the first matte
    is `settled`, it is kept as it is; if it is everywhere, nothing is solved.
    """
    width = _USUAL_WIDTH if settings.width is None else settings.width
    thin = cv2.distanceTransform((~core).view(np.uint8), cv2.DIST_L2, 5) > 2 * width + 1
    if fine is not None:
        thin |= fine
    alpha, told = first.copy(), np.zeros(first.shape, np.float32)
    unknown = ~(core | backdrop)
    mostly_thin = np.count_nonzero(thin & unknown) > _MOSTLY * np.count_nonzero(unknown)
    # Of a rack or a print there is hardly a window that holds but two colours.
    if settled is not None and (settled | ~unknown).all():
        pass
    elif settings.solver == "open" or (settings.solver == "auto" and not mostly_thin):
        lines = ColourLines.of(pixels, *_sides(core, backdrop, first, settled))
        firm = np.where(thin, np.float32(_THIN_FIRM if settings.solver == "auto" else 0), np.float32(0))
        out_of = cv2.distanceTransform((~backdrop).view(np.uint8), cv2.DIST_L2, 5)
        into = cv2.distanceTransform((~core).view(np.uint8), cv2.DIST_L2, 5)
        ramp = out_of / np.maximum(out_of + into, np.float32(1e-3))
        alpha = lines.solve(np.where(thin, first, ramp), first, firm)
        if settings.solver == "auto":
            distance = signed_distance(alpha)
            # The band that is weighed may reach a little into what is sure.
            reach = 2 * math.ceil(width) + 1
            asked = cv2.dilate(unknown.view(np.uint8), np.ones((reach, reach), np.uint8)) > 0
            said = alpha.copy()
            said[asked], told[asked] = hue_share(
                pixels, core | (distance > _BEHIND_FROM), backdrop | (distance < -_BEHIND_FROM), light, asked
            )
            weight = np.where(thin, firm, np.float32(_HUE_FIRM) * told)
            alpha = lines.solve(said, np.where(thin, first, said), weight)
            told = np.where(thin, np.float32(1), told)
    else:
        told[:] = 1
    if settled is not None:
        alpha = np.where(settled, first, alpha)
    alpha[alpha < _NOTHING] = 0
    alpha[alpha > _ALL] = 1
    # Thin detail is somewhere more than half there, and so is an edge that is seen closely; what is faint all over is what is left of a
    # shadow.
    there = cv2.dilate((alpha > 0.5).view(np.uint8), np.ones((_FAINT_REACH, _FAINT_REACH), np.uint8)) > 0
    alpha[(thin if settled is None else thin | settled) & ~there] = 0
    drop_crumbs(alpha, settings.crumb)
    return Matte(alpha, thin, told, USUAL_SPREAD)


def _sides(core: Mask, backdrop: Mask, first: Float, settled: Mask | None) -> tuple[Mask, Mask]:
    """Sure product and sure backdrop; where the first matte is settled, every pixel is one or the other."""
    if settled is None:
        return core, backdrop
    return core | (settled & (first > 0.5)), backdrop | (settled & (first <= 0.5))


def describe_band(pixels: NDArray[np.uint8], matte: Matte, light: Float, settings: BandSettings = BandSettings()) -> Solution:
    """What it takes to weigh the pixels of the band of a solved matte, at any size."""
    whole = _nothing(matte.alpha.shape)
    at = _around(matte.alpha > 0)
    if at is None:
        return whole
    here = Matte(matte.alpha[at], matte.thin[at], matte.told[at], matte.spread)
    if matte.looked is not None:
        here = replace(here, looked=matte.looked[at])
    part = _described(np.ascontiguousarray(pixels[at]), here, light[at], settings)
    whole.alpha[at], whole.distance[at], whole.index[at] = part.alpha, part.distance, part.index
    return replace(part, alpha=whole.alpha, distance=whole.distance, index=whole.index)


def _around(product: Mask) -> tuple[slice, slice] | None:
    """Rows and columns of the product with as much round it as is looked at; None without a product."""
    rows, columns = np.flatnonzero(product.any(1)), np.flatnonzero(product.any(0))
    if not rows.size:
        return None
    m = _MARGIN
    return slice(max(0, rows[0] - m), rows[-1] + 1 + m), slice(max(0, columns[0] - m), columns[-1] + 1 + m)


def _described(pixels: NDArray[np.uint8], matte: Matte, light: Float, settings: BandSettings) -> Solution:
    alpha, thin, told = matte.alpha, matte.thin, matte.told
    outline = signed_distance(alpha)
    distance = _continued(pixels, outline, thin, told)
    open_ = _OPEN if matte.spread <= _WIDE else _OPEN_SPREADS * matte.spread
    wide = max(open_, settings.clean + 1.5)
    soft = cv2.dilate(((alpha > 0) & (alpha < 1)).view(np.uint8), np.ones((3, 3), np.uint8)) > 0
    looked = np.zeros(alpha.shape, bool) if matte.looked is None else matte.looked
    band = ((distance > -open_) & (distance < wide)) | ((thin | looked) & soft)
    rows, columns = np.nonzero(band)
    full, empty = thin & (alpha > 0.97), thin & (alpha < _NOTHING)
    # A wide edge has its own colours only farther off.
    clean, away = settings.clean, _BEHIND_FROM
    if matte.spread > _WIDE:
        clean, away = max(clean, open_ - 1.5), open_ - 1.0
    front = nearest_light(pixels, (distance > clean) | full, rows, columns)
    deeper = nearest_light(pixels, (distance > clean + _DEEPER) | full, rows, columns)
    behind = nearest_light(pixels, (distance < -away) | empty, rows, columns)
    farther = nearest_light(pixels, (distance < -away - _DEEPER) | empty, rows, columns)
    fine = thin[rows, columns]
    spread = USUAL_SPREAD
    d = distance[rows, columns]
    seen = light_at(pixels, rows, columns)[:, 3]
    drawn = is_drawn(pixels, distance) if settings.mixing == "auto" else settings.mixing == "codes"
    if drawn:
        # From here to the end, codes stand for light.
        front, deeper, behind, farther, seen = (encode(values) for values in (front, deeper, behind, farther, seen))
    if rows.size:
        contrast = np.abs(front[:, 3] - behind[:, 3])
        unshaded = np.abs(behind[:, 1] / np.maximum(light[rows, columns, 1], 1e-3) - 1) < 0.1
        spread = measured_spread(d, seen, behind[:, 3], front[:, 3], (contrast > 0.15) & unshaded & ~fine)
    share = np.where(looked[rows, columns], np.float32(_LOOKED_FRONT), np.float32(_FRONT_SPREAD))
    of_front = share * front[:, 3] + 0.004 + 0.5 * np.abs(front[:, 3] - deeper[:, 3])
    if settings.clean > _FRONT_FROM:
        # The farther in colours are to be taken from, the less the border's own are believed.
        of_front *= max(0.0, 1 - (settings.clean - _FRONT_FROM) / 4)
    if clean <= _FRONT_FROM:
        # Towards the rim a surface is seen ever more aslant: as it changes within, so it goes on, and shiny ones grow bright there.
        slope = np.where(fine[:, None], np.float32(0), front - deeper)
        front = np.clip(front + np.float32(_FRONT_FROM / _DEEPER) * _along(alpha.shape, rows, columns, slope), 0, 1)
    of_light = np.hypot(_LIGHT_SPREAD * (0.1 + behind[:, 3]), _SHADE_SPREAD * np.abs(behind[:, 3] - farther[:, 3]))
    # Flat colours tell coverage to the code.
    least = 0.0 if drawn else _HELD
    close = np.where(looked[rows, columns], np.where(fine, np.float32(1), _trusted(alpha, outline, band, spread, least)), np.float32(-1))
    doubt = np.column_stack([of_front, of_light, fine, told[rows, columns], close]).astype(np.float32)
    if drawn:
        front, behind = decode(front), decode(behind)
    # At this size too, the matte is what weighing its pixels makes of it.
    index, front, behind, doubt = _with_ring(alpha.shape, rows, columns, front, behind, doubt)
    made = Solution(alpha, distance, spread, settings.clean, index, rows.size, front, behind, doubt, drawn)
    weighed = refine(made, pixels, (alpha.shape[1], alpha.shape[0]), 0, 0).alpha
    drop_crumbs(weighed, settings.crumb)
    filled = _fill_pinholes(weighed, thin, settings.crumb)
    # Where nothing is left, nothing comes back at another size; nor does what was filled.
    near = cv2.dilate((weighed > 0).view(np.uint8), np.ones((3, 3), np.uint8)) > 0
    index = np.where(near & ~filled, index, 0)
    beyond = np.where(weighed > 0.5, np.float32(wide), np.float32(-open_))
    return replace(made, alpha=weighed, index=index, distance=np.where(index > 0, distance, beyond))


def _fill_pinholes(alpha: Float, thin: Mask, least: float) -> Mask:
    """Fill the places within the product that lack less than `least`, px², in all and may be no gap; in place.

    A gap shows the backdrop somewhere; a glint on a rim does not. Returns what was filled, bool (h, w).
    """
    pieces = pieces_of((alpha < 1 - _LACKS) & (alpha > 0), diagonal=True)
    values = np.dstack([1 - alpha, (alpha < _GAP) | thin]).astype(np.float32)
    lacking, open_ = (pieces.means(values) * pieces.area[:, None]).T
    glint = (lacking < least) & (open_ == 0)
    glint[0] = False
    # What lies beside bare backdrop is the border itself.
    bare = cv2.dilate((alpha == 0).view(np.uint8), np.ones((3, 3), np.uint8)) > 0
    glint[np.unique(pieces.labels[bare])] = False
    filled = pieces.chosen(glint)
    alpha[filled] = 1
    return filled


def _along(shape: tuple[int, ...], rows: Places, columns: Places, values: Float) -> Float:
    """Means along the outline, of values (n, k) of the band's pixels."""
    reach = _ALONG, _ALONG
    spread = np.zeros(shape, np.float32)
    spread[rows, columns] = 1
    count = cv2.blur(spread, reach)[rows, columns]
    out = np.empty_like(values)
    for k in range(values.shape[1]):
        spread[rows, columns] = values[:, k]
        out[:, k] = cv2.blur(spread, reach)[rows, columns] / count
    return out


def _trusted(alpha: Float, distance: Float, band: Mask, spread: float, least: float) -> Float:
    """How far the close look is to be held to, 0..1: `least` along smooth outlines, wholly among detail that none explains, as bristles
    are. In the order of the band.
    """
    off = np.where(band, np.abs(alpha - coverage_at(distance, spread)), np.float32(0))
    reach = _RAGGED_REACH, _RAGGED_REACH
    mean = cv2.blur(off, reach)[band] / np.maximum(cv2.blur(band.astype(np.float32), reach)[band], np.float32(1e-3))
    return np.clip((mean - _EXPLAINED) / (_RAGGED - _EXPLAINED), least, 1)


def _continued(pixels: NDArray[np.uint8], distance: Float, thin: Mask, told: Float) -> Float:
    """The distance to an outline that goes on smoothly where product and backdrop cannot be told apart.

    White on white has stretches without any edge: what was found there is noise. The outline of the stretches on either
    side is carried on, as far as a weighted mean of the distances nearby does it.
    """
    near = (np.abs(distance) < _OPEN) & ~thin
    rows, columns = np.nonzero(near)
    # Of thin detail the outline is all corners.
    if rows.size < _SOLID * np.count_nonzero(np.abs(distance) < _OPEN):
        return distance
    front = nearest_light(pixels, distance > _FRONT_FROM, rows, columns)
    behind = nearest_light(pixels, distance < -_BEHIND_FROM, rows, columns)
    contrast = np.abs(front - behind).max(1) / np.maximum(behind[:, 3], np.float32(0.05))
    weight = np.zeros(distance.shape, np.float32)
    weight[rows, columns] = np.clip(contrast / _PLAIN_CONTRAST, 0, 1) ** 2
    if (weight[rows, columns] >= 1).all():
        return distance
    sure = cv2.GaussianBlur(weight, (0, 0), 2.0) / np.maximum(cv2.GaussianBlur(near.astype(np.float32), (0, 0), 2.0), np.float32(1e-3))
    clipped = np.clip(distance, -_CARRIED, _CARRIED)
    firm = np.clip(sure, 0.05, 1)
    mean = cv2.GaussianBlur(clipped * firm, (0, 0), _CARRIED) / cv2.GaussianBlur(firm, (0, 0), _CARRIED)
    keep = np.clip(sure, 0, 1)
    carried = keep * distance + (1 - keep) * mean
    # Farther off than it reaches, nothing is moved.
    far = np.clip((np.abs(distance) - _CARRIED) / 4, 0, 1)
    return (far * distance + (1 - far) * carried).astype(np.float32)


def _nothing(shape: tuple[int, ...]) -> Solution:
    none = np.zeros((0, 4), np.float32)
    blank = np.zeros(shape, np.float32)
    far, index, doubt = np.full(shape, -_OPEN, np.float32), np.zeros(shape, np.int32), np.zeros((0, 5), np.float32)
    return Solution(blank, far, USUAL_SPREAD, _FRONT_FROM, index, 0, none, none, doubt)


def _with_ring(shape: tuple[int, ...], rows: Places, columns: Places, *lists: Float) -> tuple[Any, ...]:
    """The lists of the band, (n, k) each, carried on by one px round it so that they can be interpolated; first the index to them.

    There they are the means of those beside it in the band.
    """
    widths = [values.shape[1] for values in lists]
    index, joined = _carried_on(shape, rows, columns, np.ascontiguousarray(np.concatenate(lists, axis=1), dtype=np.float32))
    return index, *(np.ascontiguousarray(part) for part in np.split(joined, np.cumsum(widths)[:-1], axis=1))


@compiled
def _carried_on(shape: tuple[int, ...], rows: Places, columns: Places, values: Float) -> tuple[NDArray[np.int32], Float]:
    h, w = shape
    n = rows.size
    index = np.zeros((h, w), np.int32)
    for i in range(n):
        index[rows[i], columns[i]] = i + 1
    ring = np.empty(8 * n, np.int32)
    found = 0
    for i in range(n):
        for y in range(max(rows[i] - 1, 0), min(rows[i] + 2, h)):
            for x in range(max(columns[i] - 1, 0), min(columns[i] + 2, w)):
                if index[y, x] == 0:
                    ring[found] = y * w + x
                    found += 1
                    index[y, x] = n + found
    out = np.zeros((n + found, values.shape[1]), np.float32)
    out[:n] = values
    for j in range(found):
        y0, x0 = ring[j] // w, ring[j] % w
        count = np.float32(0)
        for y in range(max(y0 - 1, 0), min(y0 + 2, h)):
            for x in range(max(x0 - 1, 0), min(x0 + 2, w)):
                i = index[y, x] - 1
                if 0 <= i < n:
                    count += np.float32(1)
                    for k in range(values.shape[1]):
                        out[n + j, k] += values[i, k]
        for k in range(values.shape[1]):
            out[n + j, k] /= count
    return index, out


def refine(solution: Solution, pixels: Coded, frame: tuple[int, int], left: int, top_row: int) -> Cutout:
    """The matte of a region of the photo at any size.

    Parameters
    ----------
    solution : of the analysis picture.
    pixels : uint8 or uint16, shape (h, w, 3)
        Coded colour of the region.
    frame : width and height of the whole photo at that size, px.
    left, top_row : of the region in it, px.
    """
    h, w = pixels.shape[:2]
    ah, aw = solution.alpha.shape
    sx, sy = aw / frame[0], ah / frame[1]
    # The pixel of the analysis picture under the middle of each of ours.
    across = np.minimum(((np.arange(left, left + w) + 0.5) * sx).astype(np.intp), aw - 1)
    down = np.minimum(((np.arange(top_row, top_row + h) + 0.5) * sy).astype(np.intp), ah - 1)
    # What the lens did at the analysis picture's size, without what its pixels did, and with what ours do.
    lens = max(solution.spread**2 - _PIXEL**2, 0.2**2)
    spread = math.sqrt(lens / (sx * sy) + _PIXEL**2) if sx < 1 else math.sqrt(solution.spread**2 / (sx * sy) + _PIXEL**2 * (1 - 1 / sx**2))
    clean = solution.clean if solution.clean > _FRONT_FROM else min(_FRONT_FROM, _FAR_OUT * solution.spread)
    tables = linear_table(top(pixels.dtype) + 1), linear_table(65536)
    front, behind = solution.front, solution.behind
    if solution.drawn:
        tables = _codes(top(pixels.dtype) + 1), _codes(65536)
        front, behind = encode(front), encode(behind)
    alpha = np.empty((h, w), np.float32)
    parts: list[tuple[Places, Places, Float]] = []
    # In strips, and of what was open only what is partly covered or of another colour is kept: so memory stays small.
    for start in range(0, h, _STRIP):
        strip = slice(start, min(start + _STRIP, h))
        rows, columns = _open_pixels(solution.alpha, solution.index, solution.own, down[strip], across, alpha[strip])
        colour, changed = _weigh_pixels(
            pixels[strip],
            *tables,
            solution.alpha,
            solution.distance,
            solution.index,
            front,
            behind,
            solution.doubt,
            rows,
            columns,
            (left, top_row + start, sx, sy),
            spread * math.sqrt(sx * sy),
            clean,
            # What was seen closely holds at that size, and less at others.
            max(0.0, 1 - abs(math.log2(sx * sy)) / 2),
            alpha[strip],
        )
        parts.append((rows[changed] + start, columns[changed], colour[changed]))
    rows, columns, colour = (np.concatenate(values) for values in zip(*parts, strict=True))
    return Cutout(alpha, rows, columns, decode(colour) if solution.drawn else colour, solution.drawn)


def _codes(levels: int) -> Float:
    return np.linspace(0, 1, levels, dtype=np.float32)


@compiled
def _open_pixels(solved: Float, index: NDArray[np.int32], own: int, down: Places, across: Places, alpha: Float) -> tuple[Places, Places]:
    """Into `alpha`: coverage where it is nothing or all; returns the places where it is open."""
    h, w = down.size, across.size
    n = 0
    for y in range(h):
        for x in range(w):
            at = index[down[y], across[x]]
            alpha[y, x] = np.float32(1) if solved[down[y], across[x]] > 0.5 else np.float32(0)
            n += 0 < at <= own
    rows, columns = np.empty(n, np.intp), np.empty(n, np.intp)
    n = 0
    for y in range(h):
        for x in range(w):
            at = index[down[y], across[x]]
            if 0 < at <= own:
                rows[n], columns[n] = y, x
                n += 1
    return rows, columns


@compiled
def _weigh_pixels(
    pixels: Coded,
    table: Float,
    fine_table: Float,
    solved: Float,
    distance: Float,
    index: NDArray[np.int32],
    front: Float,
    behind: Float,
    doubt: Float,
    rows: Places,
    columns: Places,
    place: tuple[int, int, float, float],
    spread: float,
    clean: float,
    alike: float,
    alpha: Float,
) -> tuple[Float, Mask]:
    """Into `alpha`: the coverage of the open pixels; returns the product's own light there, (n, 3), and for which it matters.

    `spread` is that of an edge, `clean` how far inside it colour is the product's own, in px of the analysis picture; `alike`, 0..1,
    is how near this size comes to that picture's.
    """
    left, top_row, sx, sy = place
    ah, aw = index.shape
    per_code = np.float32(65535 / (table.size - 1))
    out = np.empty((rows.size, 3), np.float32)
    changed = np.empty(rows.size, np.bool_)
    f, b, c, own = np.empty(4, np.float32), np.empty(4, np.float32), np.empty(4, np.float32), np.empty(4, np.float32)
    q = np.empty(5, np.float32)
    one = np.float32(1)
    for i in range(rows.size):
        y, x = rows[i], columns[i]
        at_y = min(max((y + top_row + 0.5) * sy - 0.5, 0.0), ah - 1.0)
        at_x = min(max((x + left + 0.5) * sx - 0.5, 0.0), aw - 1.0)
        y0, x0 = int(at_y), int(at_x)
        y1, x1 = min(y0 + 1, ah - 1), min(x0 + 1, aw - 1)
        t, s = np.float32(at_y - y0), np.float32(at_x - x0)
        f[:] = 0
        b[:] = 0
        q[:] = 0
        known, d, guess = np.float32(0), np.float32(0), np.float32(0)
        for corner in range(4):
            v, u = y1 if corner > 1 else y0, x1 if corner % 2 else x0
            share = (t if corner > 1 else one - t) * (s if corner % 2 else one - s)
            d += share * distance[v, u]
            guess += share * solved[v, u]
            j = index[v, u] - 1
            if j >= 0 and share > 0:
                known += share
                for k in range(4):
                    f[k] += share * front[j, k]
                    b[k] += share * behind[j, k]
                for k in range(5):
                    q[k] += share * doubt[j, k]
        for k in range(4):
            f[k] /= known
            b[k] /= known
        for k in range(5):
            q[k] /= known
        thin, close = q[2], max(q[4], np.float32(0)) * np.float32(alike)
        expected = np.float32(0.5 * (1 + math.erf(d / spread * 0.7071067811865476)))
        exact = _PLACE if q[4] < 0 else _LOOKED_PLACE
        steep = np.float32(exact * 0.3989423 / spread * math.exp(-0.5 * (d / spread) ** 2) + _ALPHA_FLOOR)
        expected = thin * guess + (one - thin) * expected
        steep = thin * np.float32(_THIN_SPREAD) + (one - thin) * steep
        expected = close * guess + (one - close) * expected
        steep = close * np.float32(_LOOKED_SPREAD) + (one - close) * steep
        see(pixels, y, x, table, fine_table, per_code, c)
        a = _most_likely(c, f, b, expected, steep * steep, q[0] * q[0], q[1] * q[1], own)
        # Farther out than the lens spreads an edge, faint coverage is noise; farther in, what lowers it a little is texture.
        far_out, far_in = d < -_FAR_OUT * spread, d > _FAR_OUT * spread
        noise = min(max(q[1] / max(abs(f[3] - b[3]), np.float32(1e-3)), np.float32(_NOTHING)), np.float32(0.3))
        low = thin * noise + (one - thin) * np.float32(0.1 if far_out else _NOTHING)
        high = thin * noise + (one - thin) * np.float32(0.1 if far_in else 1 - _ALL)
        if a < close * np.float32(_NOTHING) + (one - close) * low:
            a = np.float32(0)
        if a > one - (close * np.float32(_LOOKED_ALL) + (one - close) * high):
            a = one
        changed[i] = a > 0 and (a < 1 or d <= clean)
        alpha[y, x] = a
        for k in range(3):
            out[i, k] = min(max(own[k], np.float32(0)), one)
    return out, changed


@compiled
def _most_likely(
    seen: Float,
    front: Float,
    behind: Float,
    expected: np.float32,
    of_alpha: np.float32,
    of_front: np.float32,
    of_light: np.float32,
    own: Float,
) -> np.float32:
    """Coverage 0..1 and, into `own`, the product's light, of 4, that are most likely together; the others are variances."""
    one, third = np.float32(1), np.float32(1 / 3)
    own[:] = front
    a = expected
    for _ in range(_TURNS):
        # Chroma is what is left of the three channels without their mean.
        r, g, bl = own[0] - behind[0], own[1] - behind[1], own[2] - behind[2]
        u, v, w = seen[0] - behind[0], seen[1] - behind[1], seen[2] - behind[2]
        whole = r + g + bl
        step, rise = own[3] - behind[3], seen[3] - behind[3]
        square = step * step + _CHROMA * (r * r + g * g + bl * bl - whole * whole * third)
        shared = step * rise + _CHROMA * (r * u + g * v + bl * w - whole * (u + v + w) * third)
        a = min(max((shared * of_alpha + expected * of_light) / (square * of_alpha + of_light), np.float32(0)), one)
        luma = a * of_front / (a * a * of_front + of_light)
        chroma = a * _CHROMA * of_front / (a * a * _CHROMA * of_front + of_light)
        mean = np.float32(0)
        for k in range(3):
            own[k] = seen[k] - a * front[k] - (one - a) * behind[k]
            mean += own[k] * third
        for k in range(3):
            own[k] = min(max(front[k] + luma * mean + chroma * (own[k] - mean), np.float32(0)), one)
        own[3] = min(max(front[3] + luma * (seen[3] - a * front[3] - (one - a) * behind[3]), np.float32(0)), one)
    return a
