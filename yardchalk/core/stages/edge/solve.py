"""Solving the matte on the analysis picture.

A first matte, by the second look or by projection; over it a close look. Where a person asks for it otherwise, and of photos
that are out of focus, closed-form matting between what the first matte is sure of instead, steadied by the known backdrop
where hue tells it from the product, or where thin detail lies on it.
"""

import math
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.close_look import look_closely
from yardchalk.core.colour import Float, Mask, to_linear
from yardchalk.core.regions import disc
from yardchalk.core.second_look import Look
from yardchalk.core.stages.edge.between import paper_between
from yardchalk.core.stages.edge.closed_form import ColourLines
from yardchalk.core.stages.edge.contour import USUAL_SPREAD, measured_spread, signed_distance
from yardchalk.core.stages.edge.first import drop_crumbs, first_matte
from yardchalk.core.stages.edge.hue import hue_share
from yardchalk.core.stages.edge.matte import ALL, BEHIND_FROM, NOTHING, OPEN_SPREADS, WIDE, BandSettings, Matte, Part, around
from yardchalk.core.stages.edge.samples import Places, light_at, nearest_light

_THIN_FIRM = 1e-2  # weight of the known backdrop's word where detail is thin
_MOSTLY = 0.7  # share of the band that is thin, from which on the colours alone say nothing
_HUE_FIRM = 1e-2  # and where hue tells
_USUAL_WIDTH = 8.0  # px; how far alpha is unknown at least, to either side
_SOFT = 0.1  # from nothing and from all; what lies between is soft
_LOOKED_WIDTH = 6.0  # px; the same after a second look
_OTHERWISE = 49  # px; how far round a place that was cleared otherwise the second look is not believed
_FAINT_REACH = 9  # px
_DARK = 0.02  # linear light; what is darker is told by noise
_FIBRE = 9  # px; what is wider is no fibre
_RIDGE, _RIDGE_NOISE = 0.12, 6.0  # log light, and times the backdrop's noise: the least that a fibre stands out by


def solve_matte(
    pixels: NDArray[np.uint8],
    product: Mask,
    noise: float,
    light: Float,
    settings: BandSettings = BandSettings(),
    wider: Mask | None = None,
    look: Look | None = None,
    at: Part | None = None,
    quiet: NDArray[np.uint8] | None = None,
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
    at : rows and columns that are solved, if not all round the product.
    quiet : uint8, shape (h, w, 3), optional
        The analysis picture for the close look, with less noise.
    """
    blank = np.zeros(product.shape, np.float32)
    whole = Matte(blank, np.zeros(product.shape, bool), blank.copy(), USUAL_SPREAD)
    at = at or around(product if wider is None else product | wider)
    if at is None:
        return whole
    part = np.ascontiguousarray(pixels[at])
    first, near = _first(part, product, noise, look, at)
    inside = (first > 0.5).view(np.uint8)
    into, out_of = (cv2.distanceTransform(mask, cv2.DIST_L2, 5) for mask in (inside, 1 - inside))
    spread = settings.spread or _first_spread(part, into - out_of, light[at])
    wide, looked = usual_width(spread, looked=False), usual_width(spread, looked=True)
    width = np.where(near, np.float32(wide), np.float32(looked)) if settings.width is None else np.float32(settings.width)
    core, backdrop = into > width, out_of > width
    fine = settled = None
    if wider is not None:
        fine = wider[at]
        fibres = np.where(fine, _fibres(part, light[at], noise), np.float32(0))
        # Of what lies farther from all that was found than the close look sees, it knows nothing.
        missed = cv2.dilate(((fibres > 0.5) & (out_of > _LOOKED_WIDTH)).view(np.uint8), disc(_FIBRE)) > 0
        missed &= fine & (out_of > 1)
        near = near | missed
        first = np.where(missed, np.maximum(first, fibres), first)
        core &= ~fine
        backdrop &= ~fine
    if look is not None:
        # What is soft in the look is open, however wide it is.
        soft = cv2.dilate(((first > _SOFT) & (first < 1 - _SOFT)).view(np.uint8), np.ones((5, 5), np.uint8)) > 0
        core &= ~soft
        backdrop &= ~soft
        # A soft photo has wider borders than the close look was taught; and where a person sets a width, that is solved.
        if settings.solver == "auto" and settings.width is None and spread <= WIDE:
            # Where a person cleared otherwise than the second look would, the networks' word is not asked for.
            settled = ~near
            deeper = paper_between(part, light[at], first)
            if fine is not None:
                deeper |= fine
            first = np.where(settled, look_closely(part if quiet is None else quiet[at], light[at], first, settled, deeper), first)
    settings = replace(settings, width=settings.width or float(wide if near.all() else looked))
    found = solve_between(part, core, backdrop, first, light[at], settings, fine, settled)
    whole.alpha[at], whole.thin[at], whole.told[at] = found.alpha, found.thin, found.told
    if settled is not None:
        where = np.zeros(product.shape, bool)
        where[at] = settled
        whole = replace(whole, looked=where)
    return replace(whole, spread=spread, wider=wider)


def _fibres(pixels: NDArray[np.uint8], light: Float, noise: float) -> Float:
    """How surely a pixel is of a thin line that differs from the backdrop, 0..1: what a brush over missed fibres starts from.

    A top-hat (Serra, "Image analysis and mathematical morphology", 1982) of the log light's difference from the backdrop model: a
    shadow is too wide for it, and a gap differs less than what is round it.
    """
    off = np.abs(np.log(to_linear(pixels) + _DARK) - np.log(light + _DARK)).max(-1).astype(np.float32)
    ridge = cv2.morphologyEx(off, cv2.MORPH_TOPHAT, disc(_FIBRE))
    least = max(_RIDGE_NOISE * noise, _RIDGE)
    return np.clip((ridge - least) / least, 0, 1).astype(np.float32)


def usual_width(spread: float, looked: bool) -> float:
    """How far alpha is unknown at least, to either side of the outline, where nobody says; px of the analysis picture.

    Parameters
    ----------
    spread : of edges, px.
    looked : whether a second look was taken there.
    """
    if spread > WIDE:
        return max(_USUAL_WIDTH, OPEN_SPREADS * spread + 2)
    return _LOOKED_WIDTH if looked else _USUAL_WIDTH


def _first(pixels: NDArray[np.uint8], product: Mask, noise: float, look: Look | None, at: Part) -> tuple[Float, Mask]:
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
        # Where there is no sure product, or no sure backdrop, it is as far as can be.
        farthest = np.float32(sum(first.shape))
        out_of = np.minimum(cv2.distanceTransform((~backdrop).view(np.uint8), cv2.DIST_L2, 5), farthest)
        into = np.minimum(cv2.distanceTransform((~core).view(np.uint8), cv2.DIST_L2, 5), farthest)
        ramp = out_of / np.maximum(out_of + into, np.float32(1e-3))
        alpha = lines.solve(np.where(thin, first, ramp), first, firm)
        if settings.solver == "auto":
            distance = signed_distance(alpha)
            # The band that is weighed may reach a little into what is sure.
            reach = 2 * math.ceil(width) + 1
            asked = cv2.dilate(unknown.view(np.uint8), np.ones((reach, reach), np.uint8)) > 0
            said = alpha.copy()
            said[asked], told[asked] = hue_share(
                pixels, core | (distance > BEHIND_FROM), backdrop | (distance < -BEHIND_FROM), light, asked
            )
            weight = np.where(thin, firm, np.float32(_HUE_FIRM) * told)
            alpha = lines.solve(said, np.where(thin, first, said), weight)
            told = np.where(thin, np.float32(1), told)
    else:
        told[:] = 1
    if settled is not None:
        alpha = np.where(settled, first, alpha)
    alpha[alpha < NOTHING] = 0
    alpha[alpha > ALL] = 1
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
