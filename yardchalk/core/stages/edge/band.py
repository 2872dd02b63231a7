"""The matte in the band along the product's border, where the backdrop is known.

A pixel of the band shows F (product) over B (backdrop) with coverage alpha: C = alpha F + (1 - alpha) B, in linear
light. B is taken from the nearest sure backdrop, shadow included, F from the nearest sure product; alpha is the
projection of C - B on F - B. The projection is made in the light of the luma, where JPEG keeps full resolution; chroma,
which it halves, counts only where luma tells product and backdrop badly apart. Solved in rounds: each gives a
sharper idea of where the border is, so that F and B can be taken from closer by.

That is decided once, on the analysis picture. At any other size only the last step is made anew, pixel by pixel: B, F
and what noise allows are read from the decision, C from the photo at that size. So an edge is as sharp as the photo has
it, a tile is exactly a piece of the whole, and a preview has the edges of the delivery.

Everything is computed for the band's pixels alone; the rest of the photo is never turned into floating point.
"""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import LUMA, Coded, Float, Mask, encode_quickly, linear_table, luma_light, top

_ROUNDS = 2
_TAIL = 1.0  # in reaches of the lens
_PIECE = 1 << 18  # band pixels


@dataclass(frozen=True)
class BandSettings:
    """Widths in px of the analysis picture, and how noise is treated."""

    flank: float = 24.0  # how far outside the product's true border the found one may lie
    inner: float = 8.0  # how far inside the trimmed border the product is sure
    outer: float = 1.5  # how far outside it the backdrop is sure
    blur: float = 2.6  # how far the lens spreads an edge to either side
    chroma_weight: float = 0.05
    crumb: float = 60.0  # px²; solved pieces smaller than this are left-overs of the solving


@dataclass(frozen=True)
class Solution:
    """The matte as decided on the analysis picture, and what it takes to solve its band at another size.

    Attributes
    ----------
    alpha : float32, shape (h, w)
        Coverage by the product, 0..1.
    front, behind : float32, shape (h, w, 4)
        Linear light of the product and of the backdrop and, fourth, of its luma, in the band and one px round it; 0
        elsewhere.
    low, high : float32, shape (h, w)
        Coverage under `low` is not told from none, over 1 - `high` not from all.
    """

    alpha: Float
    front: Float
    behind: Float
    low: Float
    high: Float


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
    """

    alpha: Float
    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    colour: Float


def solve_band(pixels: NDArray[np.uint8], product: Mask, noise: float, settings: BandSettings = BandSettings()) -> Solution:
    """Solve the matte on the analysis picture.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        The analysis picture, coded.
    product : bool, shape (h, w)
        The cleared product with the outer flank of its border.
    noise : float
        Standard deviation of the log light on the backdrop, for telling faint coverage from noise.
    """
    h, w = product.shape
    alpha, low, high = (np.zeros((h, w), np.float32) for _ in range(3))
    front, behind = (np.zeros((h, w, 4), np.float32) for _ in range(2))
    y, x = np.flatnonzero(product.any(1)), np.flatnonzero(product.any(0))
    if y.size:
        # Nothing farther from the product than this is looked at.
        m = int(settings.flank) + 8
        at = np.s_[max(0, y[0] - m) : y[-1] + 1 + m, max(0, x[0] - m) : x[-1] + 1 + m]
        part = _solve(np.ascontiguousarray(pixels[at]), product[at], noise, settings)
        alpha[at], front[at], behind[at], low[at], high[at] = part.alpha, part.front, part.behind, part.low, part.high
    return Solution(alpha, front, behind, low, high)


def _solve(pixels: NDArray[np.uint8], product: Mask, noise: float, settings: BandSettings) -> Solution:
    """The solution of a piece of the analysis picture that holds the product."""
    h, w = product.shape
    product = _trim(pixels, np.ascontiguousarray(product), noise, settings)
    inside = cv2.distanceTransform(product.view(np.uint8), cv2.DIST_L2, 5)
    core = inside > settings.inner
    outside = cv2.distanceTransform((~product).view(np.uint8), cv2.DIST_L2, 5)
    backdrop = outside > settings.outer
    band = ~(core | backdrop)
    rows, columns = np.nonzero(band)
    alpha = core.astype(np.float32)
    if rows.size == 0 or not backdrop.any():
        alpha[band] = 1
        nothing = np.zeros((h, w), np.float32)
        return Solution(alpha, cv2.merge([nothing] * 4), cv2.merge([nothing] * 4), nothing, nothing)
    table = linear_table(256)
    seen = _seen(pixels, rows, columns)
    behind = _nearest(pixels, table, backdrop, rows, columns)
    unlike = np.zeros((h, w), np.float32)
    unlike[band] = np.abs(seen - behind)[:, :3].sum(1)
    thin = _thin_middles(unlike, band, core, settings.inner)
    front = _nearest(pixels, table, core | thin, rows, columns)
    solved, _ = _project(seen, behind, front, settings.chroma_weight)
    blur = settings.blur
    for _ in range(_ROUNDS - 1):
        alpha[band] = solved
        into, out_of = _distances(alpha)
        sure = core | (band & (into > blur))
        thin = _thin_middles(unlike, band & (into > 0), sure, blur + 1.5)
        behind = _nearest(pixels, table, backdrop | (band & (out_of > blur)), rows, columns)
        front = _nearest(pixels, table, sure | thin, rows, columns)
        solved, contrast = _project(seen, behind, front, settings.chroma_weight)
    # What noise alone can do to alpha here: below that, coverage is not believed.
    alpha[band] = solved
    into, out_of = _distances(alpha)
    doubt = np.clip(2.5 * noise * behind[:, 3] / contrast, 0.02, 0.3)
    low, high = np.zeros((h, w), np.float32), np.zeros((h, w), np.float32)
    low[band] = doubt * np.where(out_of[band] > blur, 1.0, 0.4)
    # Well inside the border a half is as good as all: what lowers it there is texture.
    high[band] = np.where(into[band] > 0.75 * blur, 0.45, doubt * 0.4)
    solved[solved < low[band]] = 0
    solved[solved > 1 - high[band]] = 1
    alpha[band] = solved
    # Beyond the lens's reach of anything that is really there, faint coverage is noise, and more is a contact shadow.
    there = (alpha >= 0.3).view(np.uint8)
    near = cv2.distanceTransform(1 - there, cv2.DIST_L2, 5)[band]
    solid = cv2.distanceTransform(((alpha < 0.5) & ~thin).view(np.uint8), cv2.DIST_L2, 5)[band]
    nothing = ((near > blur) & (solved < 0.1)) | (solid > _TAIL * blur)
    solved[nothing] = 0
    low[band] = np.where(nothing, 1.01, low[band])
    alpha[band] = solved
    _drop_crumbs(alpha, settings.crumb)
    # What is asked just outside the band is held to what holds beside it.
    low = np.where(band, low, cv2.dilate(low, np.ones((3, 3), np.uint8)))
    return Solution(alpha, _field(band, front), _field(band, behind), low, high)


def _field(band: Mask, light: Float) -> Float:
    """Light of the band's pixels (n, 4) as a dense field (h, w, 4), carried one px beyond it so that it can be interpolated."""
    field = np.zeros((*band.shape, 4), np.float32)
    field[band] = light
    share = cv2.blur(band.astype(np.float32), (3, 3))
    ring = (share > 0) & ~band
    field[ring] = cv2.blur(field, (3, 3))[ring] / share[ring, None]
    return field


def refine(
    solution: Solution, pixels: Coded, frame: tuple[int, int], left: int, top_row: int, settings: BandSettings = BandSettings()
) -> Cutout:
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
    same = (aw, ah) == frame
    move = np.array([[sx, 0, (left + 0.5) * sx - 0.5], [0, sy, (top_row + 0.5) * sy - 0.5]])
    kernel = np.ones((3, 3), np.uint8)

    def there(values: Float, how: int) -> Float:
        if same:
            return np.ascontiguousarray(values[top_row : top_row + h, left : left + w])
        return cv2.warpAffine(values, move, (w, h), flags=how | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE)

    # Where neither this pixel nor one beside it is partly covered, there is nothing to solve.
    some, all_of = (solution.alpha, solution.alpha) if same else (cv2.dilate(solution.alpha, kernel), cv2.erode(solution.alpha, kernel))
    some, all_of = there(some, cv2.INTER_NEAREST), there(all_of, cv2.INTER_NEAREST)
    alpha = (all_of >= 1).astype(np.float32)
    rows, columns = np.nonzero((some > 0) & (all_of < 1))
    if rows.size == 0:
        return Cutout(alpha, rows, columns, np.zeros((0, 3), np.float32))
    colour = np.empty((rows.size, 3), np.float32)
    # Piece by piece: a rack at 24 megapixels has millions of band pixels.
    for first in range(0, rows.size, _PIECE):
        r, c = rows[first : first + _PIECE], columns[first : first + _PIECE]
        seen = _seen(pixels, r, c)
        x = ((c + left + 0.5) * sx - 0.5).astype(np.float32)
        y = ((r + top_row + 0.5) * sy - 0.5).astype(np.float32)
        front, behind = _sampled(solution.front, x, y, same), _sampled(solution.behind, x, y, same)
        solved, _ = _project(seen, behind, front, settings.chroma_weight)
        solved[solved < _sampled(solution.low, x, y, True)] = 0
        solved[solved > 1 - _sampled(solution.high, x, y, True)] = 1
        alpha[r, c] = solved
        colour[first : first + _PIECE] = _freed(seen, behind, front, solved)
    return Cutout(alpha, rows, columns, colour)


def _sampled(values: Float, x: Float, y: Float, nearest: bool) -> Float:
    """Values (h, w) or (h, w, 3) at places (n,); between pixels by bilinear interpolation, or the nearest."""
    h, w = values.shape[:2]
    if nearest:
        return values[np.clip(np.rint(y).astype(np.intp), 0, h - 1), np.clip(np.rint(x).astype(np.intp), 0, w - 1)]
    # cv2.remap takes no line longer than 32,767.
    width = 8192
    n = x.size
    short = -n % width
    lines_x, lines_y = (np.pad(v, (0, short)).reshape(-1, width) for v in (x, y))
    out = cv2.remap(values, lines_x, lines_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return out.reshape(-1, *values.shape[2:])[:n]


def _drop_crumbs(alpha: Float, least: float) -> None:
    """Clear the pieces with less area than `least`, px²."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats((alpha > 0).view(np.uint8), connectivity=8)
    crumb = stats[:, cv2.CC_STAT_AREA] < least
    crumb[0] = False
    alpha[crumb[labels]] = 0


def _trim(pixels: NDArray[np.uint8], product: Mask, noise: float, settings: BandSettings) -> Mask:
    """The product without the flank that the clearing left on it.

    Clearing stops where the steps begin, up to a JPEG block of halved chroma before the border. What lies there and is
    much more like the backdrop beside it than like the product behind it, is backdrop.
    """
    table = linear_table(256)
    inside = cv2.distanceTransform(product.view(np.uint8), cv2.DIST_L2, 5)
    core = inside > settings.flank
    flank = product & ~core
    rows, columns = np.nonzero(flank)
    if rows.size == 0 or product.all():
        return product
    seen = _seen(pixels, rows, columns)
    behind = _nearest(pixels, table, ~product, rows, columns)
    unlike = np.zeros(product.shape, np.float32)
    unlike[flank] = np.abs(seen - behind)[:, :3].sum(1)
    thin = _thin_middles(unlike, flank, core, settings.flank)
    front = _nearest(pixels, table, core | thin, rows, columns)
    alpha, contrast = _project(seen, behind, front, settings.chroma_weight)
    weak = ~product
    # A shadow is a place, not scattered pixels: the product's texture is left out by the median.
    shaded = np.zeros(product.shape, np.uint8)
    shaded[flank] = _shaded(seen, behind, front)
    under = cv2.Sobel(inside, cv2.CV_32F, 0, 1, scale=1 / 8) < -0.5
    weak[flank] = (alpha < 0.3) & (contrast > 8 * noise * behind[:, 3])
    weak |= (cv2.medianBlur(shaded, 9) > 0) & under & flank
    n, labels = cv2.connectedComponents(weak.view(np.uint8), connectivity=4)
    joined = np.zeros(n, bool)
    joined[labels[~product]] = True
    joined[0] = False
    trimmed = product & ~joined[labels]
    size = 2 * round(settings.blur) + 1
    margin = cv2.dilate(trimmed.view(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)))
    return product & (margin > 0)


def _shaded(seen: Float, behind: Float, front: Float) -> Mask:
    """Pixels that may be backdrop in the dark of a contact shadow: next to a coloured product, and far less coloured.

    So are labels and highlights; but those lie anywhere along the border, a contact shadow under the product.
    """
    hue_seen, darker = _hue(seen, behind)
    hue_front, _ = _hue(front, behind)
    return (hue_front > 0.25) & (hue_seen < 0.3 * hue_front) & (darker < 0)


def _hue(light: Float, behind: Float) -> tuple[Float, Float]:
    """How far the ratio of light to backdrop is from grey, and its mean, in log light; (n,) each."""
    ratio = np.log(np.maximum(light[:, :3], 2e-3)) - np.log(np.maximum(behind[:, :3], 2e-3))
    mean = ratio.mean(1)
    return np.abs(ratio - mean[:, None]).max(1), mean


def _distances(alpha: Float) -> tuple[Float, Float]:
    """Distance into the product, and out of it, from where alpha is a half."""
    in_product = (cv2.GaussianBlur(alpha, (0, 0), 0.5) > 0.5).view(np.uint8)
    return (
        cv2.distanceTransform(in_product, cv2.DIST_L2, 5),
        cv2.distanceTransform(1 - in_product, cv2.DIST_L2, 5),
    )


def _nearest(pixels: Coded, table: Float, seeds: Mask, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> Float:
    """Linear light and luma of the nearest seed to each asked pixel, averaged with the seeds beside it; (n, 4)."""
    h, w = seeds.shape
    if not seeds.any():
        return _seen(pixels, rows, columns)
    _, labels = cv2.distanceTransformWithLabels((~seeds).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    where = np.zeros(int(labels.max()) + 1, np.intp)
    flat = np.flatnonzero(seeds)
    where[labels.ravel()[flat]] = flat
    used, back = np.unique(where[labels[rows, columns]], return_inverse=True)
    y, x = np.divmod(used, w)
    total = np.zeros((used.size, 3), np.float32)
    count = np.zeros((used.size, 1), np.float32)
    for dy in (-1, 0, 1):
        for dx in (-1, 0, 1):
            yy, xx = np.clip(y + dy, 0, h - 1), np.clip(x + dx, 0, w - 1)
            there = seeds[yy, xx, None]
            total += np.where(there, table[pixels[yy, xx]], 0)
            count += there
    light = total / count
    return np.column_stack([light, luma_light(light)])[back]


def _seen(pixels: Coded, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> Float:
    """Linear light of pixels, and of their luma, (n, 4)."""
    coded = pixels[rows, columns]
    luma = coded @ (LUMA * np.float32(65535 / top(pixels.dtype)))
    return np.column_stack([linear_table(top(pixels.dtype) + 1)[coded], linear_table(65536)[(luma + 0.5).astype(np.uint16)]])


def _thin_middles(unlike: Float, band: Mask, sure: Mask, reach: float) -> Mask:
    """Middles of wires and bristles, too thin to hold sure product: where the band is most unlike the backdrop.

    Only farther than `reach` (px of the analysis picture) from sure product, and not where something much more unlike
    the backdrop lies within that reach: that would be a faint flank, not a wire.
    """
    crest = unlike >= 0.92 * cv2.dilate(unlike, np.ones((5, 5), np.uint8))
    size = 2 * round(reach) + 1
    wide = np.ones((size, size), np.uint8)
    beside = cv2.dilate(sure.view(np.uint8), wide) > 0
    strong = band & ~beside & (unlike > 0.5 * cv2.dilate(unlike, wide))
    # Wires shine: between two dark flanks lies a light as light as paper. What flanks enclose belongs to the wire.
    closed = cv2.morphologyEx(strong.view(np.uint8), cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (5, 5)))
    inner = cv2.erode(closed, np.ones((3, 3), np.uint8)) > 0
    return (strong & crest) | (inner & band & ~beside)


def _project(seen: Float, behind: Float, front: Float, chroma_weight: float) -> tuple[Float, Float]:
    """Coverage 0..1 (n,) by projection of seen - behind on front - behind, each (n, 4), and the contrast it rests on."""
    whole, part = front - behind, seen - behind
    step, rise = whole[:, 3], part[:, 3]
    whole, part = whole[:, :3], part[:, :3]
    # Chroma is what is left of the three channels without their mean.
    sum_whole = whole.sum(1)
    hue = np.einsum("ij,ij->i", whole, whole) - sum_whole * sum_whole / 3
    shared = np.einsum("ij,ij->i", whole, part) - sum_whole * part.sum(1) / 3
    square = np.maximum(step * step + chroma_weight * hue, 1e-7)
    product = step * rise + chroma_weight * shared
    return np.clip(product / square, 0, 1).astype(np.float32), np.sqrt(square).astype(np.float32)


def _freed(seen: Float, behind: Float, front: Float, alpha: Float) -> Float:
    """The product's own light (n, 3): solved from C where coverage is nearly full, from nearby product elsewhere."""
    out = np.clip(front[:, :3], 0, 1)
    full = np.flatnonzero(alpha > 0.9)
    a = alpha[full, None]
    solved = (seen[full, :3] - (1 - a) * behind[full, :3]) / a
    share = np.clip((a - 0.9) * 10, 0, 1)
    out[full] = np.clip(share * solved + (1 - share) * out[full], 0, 1)
    return out.astype(np.float32)


def page_true(alpha: Float, colour: Float) -> tuple[Float, Float]:
    """Alpha and coded colour for which a browser's blend comes out as light would mix.

    Browsers blend coded values. With W the coded linear mix on white and K that on black, alpha' = 1 - mean(W - K)
    and F' = K / alpha' give both cards, up to the difference between channels, which is shared out evenly.

    Parameters
    ----------
    alpha : float32, shape (n,)
        Coverage.
    colour : float32, shape (n, 3)
        Linear light of the product.

    Returns
    -------
    alpha : float32, shape (n,)
    colour : float32, shape (n, 3)
        sRGB-coded, 0..1, straight.
    """
    a = alpha[:, None]
    white = encode_quickly(a * colour + 1 - a)
    black = encode_quickly(a * colour)
    fit = 1 - (white - black).mean(1, keepdims=True)
    shared = np.maximum(black + 0.5 * ((white - black) - (1 - fit)), 0)
    coded: Any = np.clip(shared / np.maximum(fit, 1e-4), 0, 1)
    return fit[:, 0].astype(np.float32), coded.astype(np.float32)
