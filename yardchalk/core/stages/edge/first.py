"""A first matte along the product's border by projection, to start the solving from.

A pixel shows F (product) over B (backdrop) with coverage alpha: C = alpha F + (1 - alpha) B, in linear light. B is taken
from the nearest sure backdrop, shadow included, F from the nearest sure product; alpha is the projection of C - B on F - B.
The projection is made in the light of the luma, where JPEG keeps full resolution; chroma, which it halves, counts only
where luma tells product and backdrop badly apart. Solved in rounds: each gives a sharper idea of where the border is, so
that F and B can be taken from closer by.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask
from yardchalk.core.compiled import compiled
from yardchalk.core.regions import disc, pieces_of
from yardchalk.core.stages.edge.samples import Places, light_at, nearest_light

_ROUNDS = 2
_TAIL = 1.0  # in reaches of the lens


@dataclass(frozen=True)
class FirstSettings:
    """Widths in px of the analysis picture, and how noise is treated."""

    flank: float = 24.0  # how far outside the product's true border the found one may lie
    inner: float = 8.0  # how far inside the trimmed border the product is sure
    outer: float = 1.5  # how far outside it the backdrop is sure
    blur: float = 2.6  # how far the lens spreads an edge to either side
    chroma_weight: float = 0.05
    crumb: float = 60.0  # px² covered; solved pieces of less are left-overs of the solving


def first_matte(pixels: NDArray[np.uint8], product: Mask, noise: float, settings: FirstSettings = FirstSettings()) -> Float:
    """Coverage 0..1, float32 (h, w), from what was cleared.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        Coded.
    product : bool, shape (h, w)
        The cleared product with the outer flank of its border.
    noise : float
        Standard deviation of the log light on the backdrop, for telling faint coverage from noise.
    """
    product = _trim(pixels, np.ascontiguousarray(product), noise, settings)
    core = cv2.distanceTransform(product.view(np.uint8), cv2.DIST_L2, 5) > settings.inner
    backdrop = cv2.distanceTransform((~product).view(np.uint8), cv2.DIST_L2, 5) > settings.outer
    alpha = _between(pixels, core, backdrop, noise, settings)
    drop_crumbs(alpha, settings.crumb)
    return alpha


def _between(pixels: NDArray[np.uint8], core: Mask, backdrop: Mask, noise: float, settings: FirstSettings = FirstSettings()) -> Float:
    """Coverage between sure product and sure backdrop: bool (h, w) each."""
    h, w = core.shape
    band = ~(core | backdrop)
    rows, columns = np.nonzero(band)
    alpha = core.astype(np.float32)
    if rows.size == 0 or not backdrop.any():
        alpha[band] = 1
        return alpha
    seen = light_at(pixels, rows, columns)
    behind = nearest_light(pixels, backdrop, rows, columns)
    unlike = _unlike((h, w), rows, columns, seen, behind)
    thin = _thin_middles(unlike, band, core, settings.inner)
    front = nearest_light(pixels, core | thin, rows, columns)
    solved, _ = _project(seen, behind, front, settings.chroma_weight)
    blur = settings.blur
    for _ in range(_ROUNDS - 1):
        alpha[band] = solved
        into, out_of = _distances(alpha)
        sure = core | (band & (into > blur))
        thin = _thin_middles(unlike, band & (into > 0), sure, blur + 1.5)
        behind = nearest_light(pixels, backdrop | (band & (out_of > blur)), rows, columns)
        front = nearest_light(pixels, sure | thin, rows, columns)
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
    solved[((near > blur) & (solved < 0.1)) | (solid > _TAIL * blur)] = 0
    alpha[band] = solved
    return alpha


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


def drop_crumbs(alpha: Float, least: float) -> None:
    """Clear the pieces that cover less than `least`, px², in all: what is faint counts for little; in place."""
    pieces = pieces_of(alpha > 0, diagonal=True)
    crumb = pieces.area * pieces.means(alpha[..., None])[:, 0] < least
    crumb[0] = False
    alpha[pieces.chosen(crumb)] = 0


def drop_tongues(alpha: Float, reach: float, least: float, meant: Mask | None = None) -> None:
    """Clear what is faint and farther than `reach`, px, from all that is covered by half, in pieces of less than `least`, px² covered,
    but for those that touch what is meant; in place.
    """
    off = cv2.distanceTransform((alpha < 0.5).view(np.uint8), cv2.DIST_L2, 5)
    pieces = pieces_of((alpha > 0) & (off > reach), diagonal=True)
    tongue = pieces.area * pieces.means(alpha[..., None])[:, 0] < least
    tongue[0] = False
    if meant is not None:
        tongue[np.unique(pieces.labels[meant])] = False
    alpha[pieces.chosen(tongue)] = 0


def _trim(pixels: NDArray[np.uint8], product: Mask, noise: float, settings: FirstSettings) -> Mask:
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
    seen = light_at(pixels, rows, columns)
    behind = nearest_light(pixels, ~product, rows, columns)
    unlike = _unlike(product.shape, rows, columns, seen, behind)
    thin = _thin_middles(unlike, flank, core, settings.flank)
    front = nearest_light(pixels, core | thin, rows, columns)
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
    margin = cv2.dilate(trimmed.view(np.uint8), disc(size))
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
    closed = cv2.morphologyEx(strong.view(np.uint8), cv2.MORPH_CLOSE, disc(5))
    inner = cv2.erode(closed, np.ones((3, 3), np.uint8)) > 0
    return (strong & crest) | (inner & band & ~beside)


@compiled
def _project(seen: Float, behind: Float, front: Float, chroma_weight: float) -> tuple[Float, Float]:
    """Coverage (n,) and the contrast it rests on, from (n, 4) each; see `_share`."""
    alpha, contrast = np.empty(len(seen), np.float32), np.empty(len(seen), np.float32)
    for i in range(len(seen)):
        alpha[i], contrast[i] = _share(seen[i], behind[i], front[i], np.float32(chroma_weight))
    return alpha, contrast
