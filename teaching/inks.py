"""Print on products, as on packages: lettering, patches, dots, rings and stripes, white as the paper and in colours; and cut-outs.

What is printed is product, whatever it looks like; without having seen that, a network takes what is plain and as pale as paper, with a
border all round, for a gap that paper shows in. Of the same shapes are the holes cut in thin things, and those do show it: in the light
of the paper, or in the shade of their rim.
"""

from collections.abc import Callable, Iterator

import cv2
import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask

_LEAST = 400  # px; a product that has less that is solid bears no print
_CLEAR = 5  # px; how far print mostly keeps from the border
_PAPER = 0.82  # what paper gives back of the light
_FONTS = (cv2.FONT_HERSHEY_SIMPLEX, cv2.FONT_HERSHEY_DUPLEX, cv2.FONT_HERSHEY_TRIPLEX, cv2.FONT_HERSHEY_SCRIPT_SIMPLEX)
_LETTERS = np.array(list("ABCDEFGHIKLMNOPRSTUVWXYZabcdefghiklmnoprstuvwz0123456789"))

Codes = NDArray[np.uint8]
Place = tuple[int, int, float, Generator]  # x, y, px; how much room there is, px from there; and what decides the rest


def printed(product: Float, coverage: Float, backdrop: Float, r: Generator) -> Float:
    """The product's share of the light, premultiplied (h, w, 3), with print on where it is solid; lit as what it is printed on.

    `backdrop` is the light of the paper behind it (h, w, 3).
    """
    solid = _solid(coverage, r)
    if np.count_nonzero(solid) < _LEAST:
        return product
    lit = _irradiance(product, solid, float(np.median(backdrop[..., 1])) / _PAPER)
    out = product.copy()
    ink = _ink(r)
    for mask, another in _shapes(solid, _KINDS, r):
        share = (cv2.GaussianBlur(mask, (0, 0), r.uniform(0.4, 0.9)) * solid).astype(np.float32)[..., None] / 255
        ink = _ink(r) if another else ink
        out = out * (1 - share) + ink * lit[..., None] * share
    return out


def cut_out(product: Float, coverage: Float, backdrop: Float, r: Generator) -> tuple[Float, Float, Float]:
    """Product, coverage and backdrop, shaped as they came, with holes cut through where it is solid, clean ones as in card.

    The backdrop behind a hole lies in the shade of its rim, on most photos.
    """
    solid = _solid(coverage, r)
    if np.count_nonzero(solid) < _LEAST:
        return product, coverage, backdrop
    hole = np.zeros(coverage.shape, np.uint8)
    for mask, _another in _shapes(solid, _OPENINGS, r):
        hole = np.maximum(hole, mask * solid)
    shade = np.ones(coverage.shape, np.float32)
    if r.random() < 0.7:
        # The rim throws a shadow over one side of the hole, and what is left is darker the less light comes in.
        angle, thick = r.uniform(0, 2 * np.pi), np.exp(r.uniform(*np.log((0.7, 12))))
        moved = np.array([[1, 0, thick * np.cos(angle)], [0, 1, thick * np.sin(angle)]], np.float32)
        lit = cv2.warpAffine(hole, moved, hole.shape[::-1]).astype(np.float32) / 255
        lit = cv2.GaussianBlur(lit, (0, 0), max(0.5, thick * r.uniform(0.1, 0.6)))
        shade = np.float32(1 - r.uniform(0, 0.3)) * (1 - np.float32(r.uniform(0.1, 0.8)) * (1 - lit))
    left = 1 - cv2.GaussianBlur(hole, (0, 0), r.uniform(0.4, 0.9)).astype(np.float32) / 255
    within = (cv2.dilate(hole, np.ones((7, 7), np.uint8)) > 0)[..., None]
    return product * left[..., None], coverage * left, np.where(within, backdrop * shade[..., None], backdrop)


def _solid(coverage: Float, r: Generator) -> Codes:
    """Where there is room for print: 1 in the product, away from its border."""
    clear = _CLEAR if r.random() < 0.85 else 1
    return cv2.erode((coverage > 0.995).view(np.uint8), np.ones((2 * clear + 1, 2 * clear + 1), np.uint8)).astype(np.uint8)


def _shapes(solid: Codes, kinds: tuple[Callable[[Codes, Place], None], ...], r: Generator) -> Iterator[tuple[Codes, bool]]:
    """A few masks (h, w), 0..255, and whether one is of another kind than the one before it."""
    room = cv2.distanceTransform(solid, cv2.DIST_L2, 5)
    draw, another = kinds[int(r.integers(len(kinds)))], False
    for _ in range(int(r.integers(1, 7))):
        if room.max() < 4:
            break
        # Where there is much room mostly, and not twice in one place.
        places = np.argwhere(room > r.uniform(0.2, 0.95) * room.max())
        y, x = (int(v) for v in places[r.integers(len(places))])
        reach = float(room[y, x])
        mask = np.zeros(solid.shape, np.uint8)
        draw(mask, (x, y, reach, r))
        yield mask, another
        room[max(0, y - int(reach)) : y + int(reach), max(0, x - int(reach)) : x + int(reach)] = 0
        another = r.random() < 0.3
        if another:
            draw = kinds[int(r.integers(len(kinds)))]


def _irradiance(product: Float, solid: NDArray[np.uint8], paper: float) -> Float:
    """What white there would give back, (h, w): the product's own shades, smooth, the brightest of them as bright as white by the paper."""
    there: Mask = solid > 0
    reach = max(3.0, 0.03 * max(solid.shape))
    mean = cv2.GaussianBlur(product.mean(2) * there, (0, 0), reach) / np.maximum(
        cv2.GaussianBlur(there.astype(np.float32), (0, 0), reach), np.float32(1e-3)
    )
    shade = mean / max(float(np.quantile(mean[there], 0.85)), 1e-4)
    out: Float = (paper * np.clip(shade, 0.25, 1.1)).astype(np.float32)
    return out


def _ink(r: Generator) -> Float:
    """Colour of an ink, linear light: white more often than not, for white is what is taken for paper."""
    kind = r.random()
    if kind < 0.55:
        return (r.uniform(0.6, 0.97) * (1 + r.normal(0, 0.015, 3))).astype(np.float32)
    if kind < 0.8:
        return np.clip(r.uniform(0.65, 0.95) * (1 + r.normal(0, 0.14, 3)), 0, 1).astype(np.float32)
    return np.asarray(r.uniform(0.01, 0.9, 3) ** 1.5, np.float32)


def _words(mask: Codes, place: Place) -> None:
    x, y, reach, r = place
    font, text = int(r.choice(_FONTS)), "".join(r.choice(_LETTERS, int(r.integers(1, 8))))
    scale = 1.0
    for _ in range(2):
        thick = max(1, round(scale * r.uniform(1, 3)))
        (width, height), _low = cv2.getTextSize(text, font, scale, thick)
        scale *= float(2 * reach * r.uniform(0.6, 1.2) / max(width, height))
    cv2.putText(mask, text, (x - int(width * scale / 2), y + int(height / 2)), font, scale, 255, thick, cv2.LINE_AA)


def _dot(mask: Codes, place: Place) -> None:
    x, y, reach, r = place
    axes = max(2, int(reach * r.uniform(0.15, 0.8))), max(2, int(reach * r.uniform(0.15, 0.8)))
    axes = axes if r.random() < 0.4 else (axes[0], axes[0])
    cv2.ellipse(mask, (x, y), axes, float(r.uniform(0, 180)), 0, 360, 255, -1, cv2.LINE_AA)


def _ring(mask: Codes, place: Place) -> None:
    x, y, reach, r = place
    size = max(4, int(reach * r.uniform(0.4, 0.9)))
    cv2.circle(mask, (x, y), size, 255, max(2, int(size * r.uniform(0.1, 0.5))), cv2.LINE_AA)


def _sheet(mask: Codes, place: Place) -> None:
    x, y, reach, r = place
    sides = (2 * reach * r.uniform(0.25, 0.95), 2 * reach * r.uniform(0.15, 0.7))
    corners = cv2.boxPoints(((float(x), float(y)), sides, float(r.choice([0, 0, 90, r.uniform(-30, 30)]))))
    cv2.fillConvexPoly(mask, np.rint(corners).astype(np.int32), 255, cv2.LINE_AA)


def _patch(mask: Codes, place: Place) -> None:
    _sheet(mask, place)
    r = place[-1]
    if r.random() < 0.4:
        # Lines of lettering on it.
        x, y, width, height = cv2.boundingRect(mask)
        for row in np.arange(y + height / 6, y + height * 5 / 6, max(4.0, height / 5)):
            start, end = (int(x + width * share) for share in (r.uniform(0.1, 0.4), r.uniform(0.6, 0.9)))
            cv2.line(mask, (start, int(row)), (end, int(row)), 0, max(1, height // 14), cv2.LINE_AA)


def _stripes(mask: Codes, place: Place) -> None:
    x, y, reach, r = place
    angle, count = float(r.choice([0, np.pi / 2, r.uniform(0, np.pi)])), int(r.integers(1, 6))
    along = np.array([np.cos(angle), np.sin(angle)]) * reach * r.uniform(0.8, 3)
    beside = np.array([-np.sin(angle), np.cos(angle)]) * 2 * reach / count
    thick = max(2, int(2 * reach / count * r.uniform(0.2, 0.6)))
    for i in range(count):
        middle = np.array([x, y]) + beside * (i - (count - 1) / 2)
        start, end = (tuple(np.rint(middle + way * along).astype(int).tolist()) for way in (-1, 1))
        cv2.line(mask, start, end, 255, thick, cv2.LINE_AA)


_KINDS: tuple[Callable[[Codes, Place], None], ...] = (_words, _words, _dot, _ring, _patch, _patch, _stripes)
_OPENINGS: tuple[Callable[[Codes, Place], None], ...] = (_dot, _dot, _sheet, _stripes)
