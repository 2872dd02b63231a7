"""What it takes to weigh the pixels of a solved matte's band: how an edge looks through this lens, and what lies on either side of it."""

from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask, decode, encode
from yardchalk.core.compiled import compiled
from yardchalk.core.regions import disc, pieces_of
from yardchalk.core.stages.edge.contour import USUAL_SPREAD, coverage_at, measured_spread, signed_distance
from yardchalk.core.stages.edge.first import drop_crumbs, drop_tongues
from yardchalk.core.stages.edge.matte import (
    BEHIND_FROM,
    FRONT_FROM,
    NOTHING,
    OPEN_SPREADS,
    WIDE,
    BandSettings,
    Matte,
    Part,
    Solution,
    around,
)
from yardchalk.core.stages.edge.samples import Places, light_at, nearest_light
from yardchalk.core.stages.edge.weigh import refine

_OPEN = 3.5  # px; nearer to the outline than this, alpha is open
_DEEPER = 2.5  # px; how much deeper a second sample is taken, to see how fast they change
_LACKS, _GAP = 0.02, 0.4  # of full coverage: nothing that is seen; and coverage of what may be a gap
_HELD = 0.75  # how far coverage is held to the close look along smooth outlines, 0..1
_EXPLAINED, _RAGGED = 0.04, 0.10  # mean of what a smooth outline leaves unexplained: nothing of note, and no outline at all
_RAGGED_REACH = 9  # px
_SURELY, _GLINT = 0.6, 0.2  # coverage from which on a place may be solid, and from which on it shows no backdrop, so is no gap
_LEAST_SPREAD = 0.8  # px
_TENTH, _TENTHS_OFF = 0.1, 1.28  # of coverage; and how many spreads of an edge from its outline as much is there, or lacks
_SEEN_WITHIN = 4.5  # px; as deep inside it is seen whether an edge is out of focus
# px wide is what makes an outline uneven; px round a place that are looked at; and px² of it by px of outline, from which on that is uneven
_UNEVEN_WIDTH, _UNEVEN_REACH, _UNEVEN = 5, 41, 0.2
_ALONG = 31  # px; within which how colour changes towards the rim is taken to be the same
# Share of the product's light at the rim, by which it may differ: less is left to chance in coverage where the outline is known better.
_FRONT_SPREAD, _LOOKED_FRONT = 0.03, 0.1
_LIGHT_SPREAD = 0.02  # of what is seen, share of the backdrop's light
_SHADE_SPREAD = 0.5  # of how the backdrop changes beside the outline
_PLAIN_CONTRAST = 0.06  # share of the backdrop's light, from which on an edge is plain to see
_TONGUE = 3.0  # px; farther from all that is covered by half, what is faint is not the product's edge
_CARRIED = 10.0  # px; how far along an outline is carried on
SOLID = 0.9  # share of the outline that is not of thin detail, from which on it is carried on


def without_band(product: Mask) -> Solution:
    """A matte in which nothing is partly covered: product (h, w) and backdrop as they are."""
    none, doubt = np.zeros((0, 4), np.float32), np.zeros((0, 5), np.float32)
    distance, index = np.where(product, np.float32(_OPEN), np.float32(-_OPEN)), np.zeros(product.shape, np.int32)
    return Solution(product.astype(np.float32), distance, USUAL_SPREAD, FRONT_FROM, index, 0, none, none, doubt)


def describe_band(
    pixels: NDArray[np.uint8],
    matte: Matte,
    light: Float,
    settings: BandSettings = BandSettings(),
    at: Part | None = None,
) -> Solution:
    """What it takes to weigh the pixels of the band of a solved matte; of these rows and columns, if not of all."""
    whole = without_band(np.zeros(matte.alpha.shape, bool))
    at = at or around(matte.alpha > 0)
    if at is None:
        return whole
    looked, wider = (None if where is None else where[at] for where in (matte.looked, matte.wider))
    here = Matte(matte.alpha[at], matte.thin[at], matte.told[at], matte.spread, looked, wider)
    part = _described(np.ascontiguousarray(pixels[at]), here, light[at], settings)
    whole.alpha[at], whole.distance[at], whole.index[at] = part.alpha, part.distance, part.index
    return replace(part, alpha=whole.alpha, distance=whole.distance, index=whole.index)


def _described(pixels: NDArray[np.uint8], matte: Matte, light: Float, settings: BandSettings) -> Solution:
    alpha, thin, told = matte.alpha, matte.thin, matte.told
    outline = signed_distance(alpha)
    distance = _continued(pixels, outline, thin, settings.solid)
    open_ = _OPEN if matte.spread <= WIDE else OPEN_SPREADS * matte.spread
    wide = max(open_, settings.clean + 1.5)
    soft = cv2.dilate(((alpha > 0) & (alpha < 1)).view(np.uint8), np.ones((3, 3), np.uint8)) > 0
    looked = np.zeros(alpha.shape, bool) if matte.looked is None else matte.looked
    band = ((distance > -open_) & (distance < wide)) | ((thin | looked) & soft)
    rows, columns = np.nonzero(band)
    full, empty = thin & (alpha > 0.97), thin & (alpha < NOTHING)
    # A wide edge has its own colours only farther off.
    clean, away = settings.clean, BEHIND_FROM
    if matte.spread > WIDE:
        clean, away = max(clean, open_ - 1.5), open_ - 1.0
    front = nearest_light(pixels, (distance > clean) | full, rows, columns)
    deeper = nearest_light(pixels, (distance > clean + _DEEPER) | full, rows, columns)
    behind = nearest_light(pixels, (distance < -away) | empty, rows, columns)
    farther = nearest_light(pixels, (distance < -away - _DEEPER) | empty, rows, columns)
    fine = thin[rows, columns]
    spread = settings.spread or USUAL_SPREAD
    d = distance[rows, columns]
    seen = light_at(pixels, rows, columns)[:, 3]
    drawn = settings.mixing == "codes"
    if drawn:
        # From here to the end, codes stand for light.
        front, deeper, behind, farther, seen = (encode(values) for values in (front, deeper, behind, farther, seen))
    if rows.size and settings.spread is None:
        contrast = np.abs(front[:, 3] - behind[:, 3])
        unshaded = np.abs(behind[:, 1] / np.maximum(light[rows, columns, 1], 1e-3) - 1) < 0.1
        spread = measured_spread(d, seen, behind[:, 3], front[:, 3], (contrast > 0.15) & unshaded & ~fine)
    share = np.where(looked[rows, columns], np.float32(_LOOKED_FRONT), np.float32(_FRONT_SPREAD))
    of_front = share * front[:, 3] + 0.004 + 0.5 * np.abs(front[:, 3] - deeper[:, 3])
    if settings.clean > FRONT_FROM:
        # The farther in colours are to be taken from, the less the border's own are believed.
        of_front *= max(0.0, 1 - (settings.clean - FRONT_FROM) / 4)
    if clean <= FRONT_FROM:
        # Towards the rim a surface is seen ever more aslant: as it changes within, so it goes on, and shiny ones grow bright there.
        slope = np.where(fine[:, None], np.float32(0), front - deeper)
        front = np.clip(front + np.float32(FRONT_FROM / _DEEPER) * _along(alpha.shape, rows, columns, slope), 0, 1)
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
    # Bristles and wires reach far out; a solid product's border does not, but folds and shadows that meet it look as if it did.
    solid = fine.sum() < (1 - SOLID) * fine.size if settings.solid is None else settings.solid
    if solid and settings.width is None:
        drop_tongues(weighed, max(_TONGUE, OPEN_SPREADS * spread), settings.crumb, matte.wider)
    filled = _fill_pinholes(weighed, thin, settings.crumb) | _fill_within(weighed, spread, matte.wider)
    # Where nothing is left, nothing comes back at another size; nor does what was filled.
    near = cv2.dilate((weighed > 0).view(np.uint8), np.ones((3, 3), np.uint8)) > 0
    index = np.where(near & ~filled, index, 0)
    beyond = np.where(weighed > 0.5, np.float32(wide), np.float32(-open_))
    return replace(made, alpha=weighed, index=index, distance=np.where(index > 0, distance, beyond))


def _fill_within(alpha: Float, spread: float, wider: Mask | None) -> Mask:
    """Fill what lies farther inside an even outline than the lens spreads an edge, and so cannot be mixed with any backdrop; in place.

    Pale sides and glints look as if something behind them showed. Where an edge is out of focus, the outline is soft all along it. Where
    an outline is not even, as that of fibres and folds, paper may well show between them; and where a person says that detail is. Returns
    what was filled, bool (h, w).
    """
    pieces = pieces_of(alpha <= 0.5, diagonal=True)
    gap = np.zeros(pieces.area.size, bool)
    gap[pieces.labels[alpha <= _GLINT]] = True
    gap[0] = False
    inside = 1 - pieces.chosen(gap).view(np.uint8)
    into = cv2.distanceTransform(inside, cv2.DIST_L2, 5)
    spread = max(spread, _LEAST_SPREAD)
    deep = (into > OPEN_SPREADS * spread) & ((alpha > _SURELY) | (pieces.labels > 0)) & (alpha < 1)
    if wider is not None:
        deep &= ~wider
    rows, columns = np.nonzero(deep)
    opened, closed = (cv2.morphologyEx(inside, how, disc(_UNEVEN_WIDTH)) for how in (cv2.MORPH_OPEN, cv2.MORPH_CLOSE))
    soft_beyond = (alpha > _TENTH) & (inside == 0)
    soft_within = (alpha < 1 - _TENTH) & (into > 0) & (into < _SEEN_WITHIN)
    outline = inside - cv2.erode(inside, np.ones((3, 3), np.uint8))
    beyond, within, uneven, along = (
        cv2.boxFilter(mask.view(np.uint8), cv2.CV_16U, (_UNEVEN_REACH, _UNEVEN_REACH), normalize=False)[rows, columns].astype(np.float32)
        for mask in (soft_beyond, soft_within, closed - opened, outline)
    )
    here = np.maximum(beyond, within) / (_TENTHS_OFF * np.maximum(along, 1))
    solid = (into[rows, columns] > OPEN_SPREADS * np.maximum(here, spread)) & (uneven <= _UNEVEN * along)
    deep[rows, columns] = solid
    alpha[deep] = 1
    return deep


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


def _continued(pixels: NDArray[np.uint8], distance: Float, thin: Mask, solid: bool | None) -> Float:
    """The distance to an outline that goes on smoothly where product and backdrop cannot be told apart.

    White on white has stretches without any edge: what was found there is noise. The outline of the stretches on either
    side is carried on, as far as a weighted mean of the distances nearby does it.
    """
    near = (np.abs(distance) < _OPEN) & ~thin
    rows, columns = np.nonzero(near)
    # Of thin detail the outline is all corners.
    if solid is None:
        solid = bool(rows.size >= SOLID * np.count_nonzero(np.abs(distance) < _OPEN))
    if not (solid and rows.size):
        return distance
    front = nearest_light(pixels, distance > FRONT_FROM, rows, columns)
    behind = nearest_light(pixels, distance < -BEHIND_FROM, rows, columns)
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
