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

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import LUMA, Coded, Float, Mask, code_table, linear_table, top
from yardchalk.core.compiled import compiled

_ROUNDS = 2
_TAIL = 1.0  # in reaches of the lens
_RED, _GREEN, _BLUE = (np.float32(weight) for weight in LUMA)
Places = NDArray[np.intp]


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
    index : int32, shape (h, w)
        For pixels in the band and one px round it, one more than their place in the lists that follow; 0 elsewhere.
    front, behind : float32, shape (n, 4)
        Linear light of the product and of the backdrop and, fourth, of its luma.
    low, high : float32, shape (n,)
        Coverage under `low` is not told from none, over 1 - `high` not from all.
    """

    alpha: Float
    index: NDArray[np.int32]
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
    alpha, index = np.zeros((h, w), np.float32), np.zeros((h, w), np.int32)
    front, behind = (np.zeros((0, 4), np.float32) for _ in range(2))
    low, high = (np.zeros(0, np.float32) for _ in range(2))
    y, x = np.flatnonzero(product.any(1)), np.flatnonzero(product.any(0))
    if y.size:
        # Nothing farther from the product than this is looked at.
        m = int(settings.flank) + 8
        at = np.s_[max(0, y[0] - m) : y[-1] + 1 + m, max(0, x[0] - m) : x[-1] + 1 + m]
        part = _solve(np.ascontiguousarray(pixels[at]), product[at], noise, settings)
        alpha[at], index[at] = part.alpha, part.index
        front, behind, low, high = part.front, part.behind, part.low, part.high
    return Solution(alpha, index, front, behind, low, high)


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
        no_light, none = np.zeros((0, 4), np.float32), np.zeros(0, np.float32)
        return Solution(alpha, np.zeros((h, w), np.int32), no_light, no_light, none, none)
    seen = _seen(pixels, rows, columns)
    behind = _nearest(pixels, backdrop, rows, columns)
    unlike = _unlike((h, w), rows, columns, seen, behind)
    thin = _thin_middles(unlike, band, core, settings.inner)
    front = _nearest(pixels, core | thin, rows, columns)
    solved, _ = _project(seen, behind, front, settings.chroma_weight)
    blur = settings.blur
    for _ in range(_ROUNDS - 1):
        alpha[band] = solved
        into, out_of = _distances(alpha)
        sure = core | (band & (into > blur))
        thin = _thin_middles(unlike, band & (into > 0), sure, blur + 1.5)
        behind = _nearest(pixels, backdrop | (band & (out_of > blur)), rows, columns)
        front = _nearest(pixels, sure | thin, rows, columns)
        solved, contrast = _project(seen, behind, front, settings.chroma_weight)
    # What noise alone can do to alpha here: below that, coverage is not believed.
    alpha[band] = solved
    into, out_of = _distances(alpha)
    doubt = np.clip(2.5 * noise * behind[:, 3] / contrast, 0.02, 0.3)
    low = doubt * np.where(out_of[band] > blur, np.float32(1), np.float32(0.4))
    # Well inside the border a half is as good as all: what lowers it there is texture.
    high = np.where(into[band] > 0.75 * blur, np.float32(0.45), doubt * np.float32(0.4))
    solved[solved < low] = 0
    solved[solved > 1 - high] = 1
    alpha[band] = solved
    # Beyond the lens's reach of anything that is really there, faint coverage is noise, and more is a contact shadow.
    there = (alpha >= 0.3).view(np.uint8)
    near = cv2.distanceTransform(1 - there, cv2.DIST_L2, 5)[band]
    solid = cv2.distanceTransform(((alpha < 0.5) & ~thin).view(np.uint8), cv2.DIST_L2, 5)[band]
    nothing = ((near > blur) & (solved < 0.1)) | (solid > _TAIL * blur)
    solved[nothing] = 0
    low[nothing] = 1.01
    alpha[band] = solved
    _drop_crumbs(alpha, settings.crumb)
    return Solution(alpha, *_with_ring((h, w), rows, columns, front, behind, low, high))


@compiled
def _with_ring(
    shape: tuple[int, int], rows: Places, columns: Places, front: Float, behind: Float, low: Float, high: Float
) -> tuple[NDArray[np.int32], Float, Float, Float, Float]:
    """The lists of the band, carried on by one px round it so that they can be interpolated; and the index to them.

    Light is the mean of that beside it in the band; low is the highest beside it; high is nothing.
    """
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
    fronts, behinds = np.zeros((n + found, 4), np.float32), np.zeros((n + found, 4), np.float32)
    lows, highs = np.zeros(n + found, np.float32), np.zeros(n + found, np.float32)
    fronts[:n], behinds[:n], lows[:n], highs[:n] = front, behind, low, high
    for j in range(found):
        y0, x0 = ring[j] // w, ring[j] % w
        count = np.float32(0)
        for y in range(max(y0 - 1, 0), min(y0 + 2, h)):
            for x in range(max(x0 - 1, 0), min(x0 + 2, w)):
                i = index[y, x] - 1
                if 0 <= i < n:
                    count += np.float32(1)
                    lows[n + j] = max(lows[n + j], lows[i])
                    for k in range(4):
                        fronts[n + j, k] += front[i, k]
                        behinds[n + j, k] += behind[i, k]
        for k in range(4):
            fronts[n + j, k] /= count
            behinds[n + j, k] /= count
    return index, fronts, behinds, lows, highs


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
    # The pixel of the analysis picture under the middle of each of ours.
    across = np.minimum(((np.arange(left, left + w) + 0.5) * sx).astype(np.intp), aw - 1)
    down = np.minimum(((np.arange(top_row, top_row + h) + 0.5) * sy).astype(np.intp), ah - 1)
    kernel = np.ones((3, 3), np.uint8)
    # Where neither this pixel nor one beside it is partly covered, there is nothing to solve.
    near = (
        (solution.alpha, solution.alpha) if (aw, ah) == frame else (cv2.dilate(solution.alpha, kernel), cv2.erode(solution.alpha, kernel))
    )
    alpha, rows, columns = _open_pixels(near[0], near[1], down, across)
    colour = _solve_pixels(
        pixels,
        linear_table(top(pixels.dtype) + 1),
        linear_table(65536),
        solution.index,
        solution.front,
        solution.behind,
        solution.low,
        solution.high,
        down,
        across,
        rows,
        columns,
        (left, top_row, sx, sy),
        np.float32(settings.chroma_weight),
        alpha,
    )
    return Cutout(alpha, rows, columns, colour)


@compiled
def _open_pixels(some: Float, all_of: Float, down: Places, across: Places) -> tuple[Float, Places, Places]:
    """Coverage where it is nothing or all, and the places where it is neither."""
    h, w = down.size, across.size
    alpha = np.empty((h, w), np.float32)
    n = 0
    for y in range(h):
        some_here, all_here = some[down[y]], all_of[down[y]]
        for x in range(w):
            a = all_here[across[x]] >= 1
            alpha[y, x] = np.float32(1) if a else np.float32(0)
            n += not a and some_here[across[x]] > 0
    rows, columns = np.empty(n, np.intp), np.empty(n, np.intp)
    n = 0
    for y in range(h):
        some_here, all_here = some[down[y]], all_of[down[y]]
        for x in range(w):
            if all_here[across[x]] < 1 and some_here[across[x]] > 0:
                rows[n], columns[n] = y, x
                n += 1
    return alpha, rows, columns


@compiled
def _solve_pixels(
    pixels: Coded,
    table: Float,
    fine_table: Float,
    index: NDArray[np.int32],
    front: Float,
    behind: Float,
    low: Float,
    high: Float,
    down: Places,
    across: Places,
    rows: Places,
    columns: Places,
    place: tuple[int, int, float, float],
    weight: np.float32,
    alpha: Float,
) -> Float:
    """Into `alpha`: the coverage of the open pixels; returns the product's own light there, (n, 3)."""
    left, top_row, sx, sy = place
    ah, aw = index.shape
    per_code = np.float32(65535 / (table.size - 1))
    out = np.empty((rows.size, 3), np.float32)
    f, b, c = np.empty(4, np.float32), np.empty(4, np.float32), np.empty(4, np.float32)
    for i in range(rows.size):
        y, x = rows[i], columns[i]
        at_y = min(max((y + top_row + 0.5) * sy - 0.5, 0.0), ah - 1.0)
        at_x = min(max((x + left + 0.5) * sx - 0.5, 0.0), aw - 1.0)
        y0, x0 = int(at_y), int(at_x)
        y1, x1 = min(y0 + 1, ah - 1), min(x0 + 1, aw - 1)
        t, s = np.float32(at_y - y0), np.float32(at_x - x0)
        f[:] = 0
        b[:] = 0
        known = np.float32(0)
        for corner in range(4):
            j = index[y1 if corner > 1 else y0, x1 if corner % 2 else x0] - 1
            share = (t if corner > 1 else 1 - t) * (s if corner % 2 else 1 - s)
            if j >= 0 and share > 0:
                known += share
                for k in range(4):
                    f[k] += share * front[j, k]
                    b[k] += share * behind[j, k]
        if known > 0:
            for k in range(4):
                f[k] /= known
                b[k] /= known
        _see(pixels, y, x, table, fine_table, per_code, c)
        a, _ = _share(c, b, f, weight)
        j = index[down[y], across[x]] - 1
        if j >= 0 and a < low[j]:
            a = np.float32(0)
        if j >= 0 and a > 1 - high[j]:
            a = np.float32(1)
        alpha[y, x] = a
        # The product's own light: solved from C where coverage is nearly full, from nearby product elsewhere.
        part = min(max((a - np.float32(0.9)) * np.float32(10), np.float32(0)), np.float32(1))
        for k in range(3):
            light = min(max(f[k], np.float32(0)), np.float32(1))
            if part > 0:
                light = part * ((c[k] - (1 - a) * b[k]) / a) + (1 - part) * light
            out[i, k] = min(max(light, np.float32(0)), np.float32(1))
    return out


@compiled
def _see(pixels: Coded, y: int, x: int, table: Float, fine_table: Float, per_code: np.float32, out: Float) -> None:
    """Into `out`: linear light of a pixel's R, G, B and of its luma."""
    r, g, b = pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2]
    out[0], out[1], out[2] = table[r], table[g], table[b]
    luma = (_RED * np.float32(r) + _GREEN * np.float32(g) + _BLUE * np.float32(b)) * per_code
    out[3] = fine_table[int(luma + np.float32(0.5))]


@compiled
def _share(seen: Float, behind: Float, front: Float, weight: np.float32) -> tuple[np.float32, np.float32]:
    """Coverage 0..1 by projection of seen - behind on front - behind, each of 4, and the contrast it rests on."""
    step, rise = front[3] - behind[3], seen[3] - behind[3]
    r, g, b = front[0] - behind[0], front[1] - behind[1], front[2] - behind[2]
    u, v, w = seen[0] - behind[0], seen[1] - behind[1], seen[2] - behind[2]
    # Chroma is what is left of the three channels without their mean.
    third = np.float32(1 / 3)
    whole = r + g + b
    hue = r * r + g * g + b * b - whole * whole * third
    shared = r * u + g * v + b * w - whole * (u + v + w) * third
    square = max(step * step + weight * hue, np.float32(1e-7))
    return min(max((step * rise + weight * shared) / square, np.float32(0)), np.float32(1)), np.sqrt(square)


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
    inside = cv2.distanceTransform(product.view(np.uint8), cv2.DIST_L2, 5)
    core = inside > settings.flank
    flank = product & ~core
    rows, columns = np.nonzero(flank)
    if rows.size == 0 or product.all():
        return product
    seen = _seen(pixels, rows, columns)
    behind = _nearest(pixels, ~product, rows, columns)
    unlike = _unlike(product.shape, rows, columns, seen, behind)
    thin = _thin_middles(unlike, flank, core, settings.flank)
    front = _nearest(pixels, core | thin, rows, columns)
    alpha, contrast = _project(seen, behind, front, settings.chroma_weight)
    weak = ~product
    # A shadow is a place, not scattered pixels: the product's texture is left out by the median.
    shaded = np.zeros(product.shape, np.uint8)
    shaded[flank] = _shaded(seen, behind, front)
    under = cv2.Sobel(inside, cv2.CV_32F, 0, 1, scale=1 / 8) < -0.5
    weak[flank] = (alpha < 0.3) & (contrast > 8 * noise * behind[:, 3])
    weak |= (cv2.boxFilter(shaded, cv2.CV_16U, (9, 9), normalize=False, borderType=cv2.BORDER_REPLICATE) > 40) & under & flank
    n, labels = cv2.connectedComponents(weak.view(np.uint8), connectivity=4)
    joined = np.zeros(n, bool)
    joined[labels[~product]] = True
    joined[0] = False
    trimmed = product & ~joined[labels]
    size = 2 * round(settings.blur) + 1
    margin = cv2.dilate(trimmed.view(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)))
    return product & (margin > 0)


@compiled
def _unlike(shape: tuple[int, ...], rows: Places, columns: Places, seen: Float, behind: Float) -> Float:
    """By how much the pixels differ from what is behind them, summed over the channels; (h, w), 0 elsewhere."""
    out = np.zeros(shape, np.float32)
    for i in range(rows.size):
        out[rows[i], columns[i]] = abs(seen[i, 0] - behind[i, 0]) + abs(seen[i, 1] - behind[i, 1]) + abs(seen[i, 2] - behind[i, 2])
    return out


@compiled
def _shaded(seen: Float, behind: Float, front: Float) -> NDArray[np.uint8]:
    """Pixels that may be backdrop in the dark of a contact shadow: next to a coloured product, and far less coloured.

    So are labels and highlights; but those lie anywhere along the border, a contact shadow under the product.
    """
    out = np.zeros(len(seen), np.uint8)
    for i in range(len(seen)):
        hue_seen, darker = _hue(seen[i], behind[i])
        if darker < 0:
            hue_front, _ = _hue(front[i], behind[i])
            out[i] = hue_front > 0.25 and hue_seen < 0.3 * hue_front
    return out


@compiled
def _hue(light: Float, behind: Float) -> tuple[float, float]:
    """How far the ratio of light to backdrop is from grey, and its mean, in log light."""
    least = np.float32(2e-3)
    r = np.log(max(light[0], least) / max(behind[0], least))
    g = np.log(max(light[1], least) / max(behind[1], least))
    b = np.log(max(light[2], least) / max(behind[2], least))
    mean = (r + g + b) * np.float32(1 / 3)
    return max(abs(r - mean), abs(g - mean), abs(b - mean)), mean


def _distances(alpha: Float) -> tuple[Float, Float]:
    """Distance into the product, and out of it, from where alpha is a half."""
    in_product = (cv2.GaussianBlur(alpha, (0, 0), 0.5) > 0.5).view(np.uint8)
    return (
        cv2.distanceTransform(in_product, cv2.DIST_L2, 5),
        cv2.distanceTransform(1 - in_product, cv2.DIST_L2, 5),
    )


def _nearest(pixels: NDArray[np.uint8], seeds: Mask, rows: Places, columns: Places) -> Float:
    """Linear light and luma of the nearest seed to each asked pixel, averaged with the seeds beside it; (n, 4)."""
    if not seeds.any():
        return _seen(pixels, rows, columns)
    _, labels = cv2.distanceTransformWithLabels((~seeds).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    return _light_of_seeds(pixels, linear_table(256), linear_table(65536), code_table(), seeds, labels, rows, columns)


@compiled
def _light_of_seeds(
    pixels: NDArray[np.uint8],
    table: Float,
    fine_table: Float,
    codes: NDArray[np.uint16],
    seeds: Mask,
    labels: NDArray[np.int32],
    rows: Places,
    columns: Places,
) -> Float:
    h, w = seeds.shape
    where = np.empty(h * w + 1, np.int32)
    for y in range(h):
        for x in range(w):
            if seeds[y, x]:
                where[labels[y, x]] = y * w + x
    # What was found for a seed is used again for all pixels that it is nearest to.
    first = np.zeros(h * w + 1, np.int32)
    out = np.empty((rows.size, 4), np.float32)
    for i in range(rows.size):
        label = labels[rows[i], columns[i]]
        if first[label]:
            out[i] = out[first[label] - 1]
            continue
        first[label] = i + 1
        y0, x0 = where[label] // w, where[label] % w
        r, g, b, count = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
        for y in range(y0 - 1, y0 + 2):
            for x in range(x0 - 1, x0 + 2):
                v, u = min(max(y, 0), h - 1), min(max(x, 0), w - 1)
                if seeds[v, u]:
                    r += table[pixels[v, u, 0]]
                    g += table[pixels[v, u, 1]]
                    b += table[pixels[v, u, 2]]
                    count += np.float32(1)
        r, g, b = r / count, g / count, b / count
        luma = _RED * codes[int(r * 65535 + 0.5)] + _GREEN * codes[int(g * 65535 + 0.5)] + _BLUE * codes[int(b * 65535 + 0.5)]
        out[i, 0], out[i, 1], out[i, 2], out[i, 3] = r, g, b, fine_table[int(luma + 0.5)]
    return out


def _seen(pixels: NDArray[np.uint8], rows: Places, columns: Places) -> Float:
    """Linear light of pixels, and of their luma, (n, 4)."""
    return _see_all(pixels, linear_table(256), linear_table(65536), rows, columns)


@compiled
def _see_all(pixels: NDArray[np.uint8], table: Float, fine_table: Float, rows: Places, columns: Places) -> Float:
    out = np.empty((rows.size, 4), np.float32)
    per_code = np.float32(65535 / (table.size - 1))
    for i in range(rows.size):
        _see(pixels, rows[i], columns[i], table, fine_table, per_code, out[i])
    return out


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


@compiled
def _project(seen: Float, behind: Float, front: Float, chroma_weight: float) -> tuple[Float, Float]:
    """Coverage (n,) and the contrast it rests on, from (n, 4) each; see `_share`."""
    alpha, contrast = np.empty(len(seen), np.float32), np.empty(len(seen), np.float32)
    for i in range(len(seen)):
        alpha[i], contrast[i] = _share(seen[i], behind[i], front[i], np.float32(chroma_weight))
    return alpha, contrast


def page_true(alpha: Float, colour: Float) -> tuple[Float, Float]:
    """Alpha and coded colour for which a browser's blend comes out as light would mix.

    Browsers blend coded values. With W the coded linear mix on white and K that on black, alpha' = 1 - mean(W - K)
    and F' = K / alpha' give both cards, up to the difference between channels, which is shared out evenly.

    Parameters
    ----------
    alpha : float32, shape (n,)
        Coverage.
    colour : float32, shape (n, 3)
        Linear light of the product, 0..1.

    Returns
    -------
    alpha : float32, shape (n,)
    colour : float32, shape (n, 3)
        sRGB-coded, 0..1, straight.
    """
    return _page_true(alpha, colour, code_table())


@compiled
def _page_true(alpha: Float, colour: Float, codes: NDArray[np.uint16]) -> tuple[Float, Float]:
    fit, coded = np.empty_like(alpha), np.empty_like(colour)
    one, scale = np.float32(1), np.float32(1 / 65535)
    gap = np.empty(3, np.float32)
    for i in range(alpha.size):
        a = alpha[i]
        for k in range(3):
            black = scale * codes[int(a * colour[i, k] * 65535 + 0.5)]
            gap[k] = scale * codes[min(int((a * colour[i, k] + one - a) * 65535 + 0.5), 65535)] - black
            coded[i, k] = black
        fit[i] = one - (gap[0] + gap[1] + gap[2]) / np.float32(3)
        for k in range(3):
            shared = max(coded[i, k] + np.float32(0.5) * (gap[k] - one + fit[i]), np.float32(0))
            coded[i, k] = min(shared / max(fit[i], np.float32(1e-4)), one)
    return fit, coded
