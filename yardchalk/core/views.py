"""What the bench shows of a photo: the finished picture, and pictures that make visible what cannot be seen on white."""

from functools import cache
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.cards import Card
from yardchalk.core.colour import Coded, Float, Mask, darkest, top
from yardchalk.core.compiled import compiled
from yardchalk.core.pixels import Picture, Region
from yardchalk.core.render import Render

Behind = Card | NDArray[np.uint8]
View = Literal["picture", "before", "clip", "white", "matte", "reach", "removed", "map", "edge"]
# Views in which every level counts; the others may be sent through a lossy codec.
EXACT: frozenset[View] = frozenset({"white", "matte"})

_BLUE, _YELLOW, _PINK, _TEAL = (np.array(c, np.float32) for c in ((44, 90, 160), (236, 196, 84), (194, 56, 111), (47, 133, 122)))
_LINE = (44, 90, 160)
_SURROUND = 166.0
_HATCH = 7  # px between the hatch's lines
_CELL = 16  # px between pairs of strokes
_SHOWS = 0.35  # how far what is removed shows through
_PART = 512  # px
_DOT = 5  # px; an off pixel is drawn at least this wide


def view(render: Render, name: View, scale: float, region: Region, card: Behind = "white", level: int = 255) -> NDArray[np.uint8]:
    """A region at a scale as the bench shows it: uint8, shape (h, w, 3), sRGB-coded.

    Parameters
    ----------
    name : which view
        picture: finished, on the card. before: as it came in. clip: what Lift does, before anything is cut out. white:
        the white check. matte: coverage in greys. reach: where Lift acts, the rest hatched. removed: the finished picture on the
        card with what was removed showing through, marked by strokes and a line round it. map: the contrast map or the paper's
        share of the last region that has one. edge: the photo's own pixels, dimmed but for the band; the band tinted teal where a
        close look told product from backdrop, blue where the known backdrop did, yellow where the colours alone; the outline as a line.
    card : as `Render.picture` takes it.
    level : of the white check: what reaches it in every channel passes for white.
    """
    if name == "picture":
        return _eight(render.picture(scale, region, card))
    if name == "before":
        return _eight(render.part(scale, region).pixels)
    if name == "matte":
        grey = np.round(render.coverage(scale, region) * 255).astype(np.uint8)
        return np.repeat(grey[..., None], 3, axis=2)
    if name == "reach":
        return _reach(render, scale, region)
    if name == "removed":
        return _removed(render, scale, region, card)
    if name == "map":
        grey = np.round(render.contrast_map(scale, region) * 255).astype(np.uint8)
        return np.repeat(grey[..., None], 3, axis=2)
    if name == "edge":
        return _edge(render, scale, region)
    return _clip(render, scale, region) if name == "clip" else _white_check(render, scale, region, level)


def _eight(pixels: NDArray[np.uint8] | NDArray[np.uint16]) -> NDArray[np.uint8]:
    return Picture(pixels).eight_bit().pixels.astype(np.uint8, copy=False)


def _clip(render: Render, scale: float, region: Region) -> NDArray[np.uint8]:
    """Exactly white: fine blue hatch. Backdrop short of white: yellow. Product lost to white by lifting: solid pink."""
    toned = render.toned(scale, region)
    before = render.part(scale, region).pixels
    alpha = render.coverage(scale, region)
    out = _eight(toned).copy()
    _mark_clipped(out, toned, before, alpha, top(toned.dtype), top(before.dtype), *_clip_colours(), region.top, region.left)
    return out


@compiled
def _mark_clipped(
    out: NDArray[np.uint8],
    toned: Coded,
    before: Coded,
    alpha: Float,
    full: int,
    full_before: int,
    yellowed: NDArray[np.uint8],
    hatch: NDArray[np.uint8],
    pink: NDArray[np.uint8],
    first_row: int,
    first_column: int,
) -> None:
    for i in range(out.shape[0]):
        for j in range(out.shape[1]):
            reached, lost = 0, False
            for k in range(3):
                if toned[i, j, k] == full:
                    reached += 1
                    lost |= before[i, j, k] < full_before
            if lost and alpha[i, j] > 0.5:
                for k in range(3):
                    out[i, j, k] = pink[k]
            elif reached == 3:
                if (i + first_row + j + first_column) % _HATCH == 0:
                    for k in range(3):
                        out[i, j, k] = hatch[k]
            elif alpha[i, j] == 0:
                for k in range(3):
                    out[i, j, k] = yellowed[out[i, j, k], k]


def _reach(render: Render, scale: float, region: Region) -> NDArray[np.uint8]:
    """The lifted photo; slate hatch where Lift does not act, thinner where it does in part."""
    out = _eight(render.toned(scale, region)).copy()
    held = 1 - render.lift_reach(scale, region)
    y = np.arange(region.top, region.bottom)[:, None]
    x = np.arange(region.left, region.right)[None]
    out[(x + y) % _HATCH < np.round(3 * held)] = (59, 66, 71)
    return out


def _removed(render: Render, scale: float, region: Region, card: Behind) -> NDArray[np.uint8]:
    """What is removed shows through the card, with pairs of short chalk strokes on it and a line round it.

    The strokes are light on dark and dark on light, so that they are seen on every card.
    """
    alpha = render.coverage(scale, region)
    removed = (alpha < 0.5).view(np.uint8)
    # 1 just inside the border of what is removed, 2 just outside.
    kernel = np.ones((3, 3), np.uint8)
    line = removed - cv2.erode(removed, kernel, borderValue=1) + 2 * (cv2.dilate(removed, kernel) - removed)
    out = _eight(render.picture(scale, region, card)).copy()
    _chalked(out, _eight(render.part(scale, region).pixels), alpha, line, region.top, region.left)
    return out


@compiled
def _chalked(
    out: NDArray[np.uint8], photo: NDArray[np.uint8], alpha: Float, line: NDArray[np.uint8], first_row: int, first_column: int
) -> None:
    for i in range(out.shape[0]):
        y = i + first_row
        down = y % _CELL
        shift = (_CELL // 2) if (y // _CELL) % 2 else 0
        for j in range(out.shape[1]):
            if line[i, j]:
                for k in range(3):
                    out[i, j, k] = 255 if line[i, j] == 1 else _LINE[k]
                continue
            gone = np.float32(1) - alpha[i, j]
            if gone <= 0:
                continue
            share = np.float32(_SHOWS) * gone
            total = np.float32(0)
            for k in range(3):
                value = (np.float32(1) - share) * out[i, j, k] + share * photo[i, j, k]
                out[i, j, k] = np.uint8(value)
                total += value
            # Two strokes side by side in each cell of a lattice that is shifted from row to row.
            slant = ((j + first_column + shift) % _CELL + down) % _CELL
            if gone > 0.5 and 3 < down < 11 and (slant == 4 or slant == 8):
                dark = total < np.float32(330)
                for k in range(3):
                    chalk = np.float32(164) if dark else np.float32(0.65) * _LINE[k]
                    out[i, j, k] = np.uint8(chalk + (np.float32(0.3) if dark else np.float32(0.35)) * out[i, j, k])


def _edge(render: Render, scale: float, region: Region) -> NDArray[np.uint8]:
    """The band as a ribbon over the photo's own pixels, and the outline where coverage is a half."""
    out = _eight(render.part(scale, region).pixels).astype(np.float32)
    ribbon = render.ribbon(scale, region)
    out[ribbon == 0] = 0.45 * out[ribbon == 0] + 0.55 * _SURROUND
    for number, colour in ((1, _BLUE), (2, _YELLOW), (3, _TEAL)):
        there = ribbon == number
        out[there] = 0.6 * out[there] + 0.4 * colour
    width, height = render.size_at(scale)
    wide = Region(max(region.top - 1, 0), min(region.bottom + 1, height), max(region.left - 1, 0), min(region.right + 1, width))
    inside = (render.cut(scale, wide).alpha > 0.5).view(np.uint8)
    here = np.s_[region.top - wide.top : region.bottom - wide.top, region.left - wide.left : region.right - wide.left]
    kernel = np.ones((3, 3), np.uint8)
    out[(cv2.dilate(inside, kernel) > inside)[here]] = 255
    out[(cv2.erode(inside, kernel) < inside)[here]] = _LINE
    return out.round().astype(np.uint8)


@cache
def _clip_colours() -> tuple[NDArray[np.uint8], NDArray[np.uint8], NDArray[np.uint8]]:
    """What each level becomes under the yellow, which lets the paper's texture through; the hatch; the pink."""
    yellowed = 0.3 * np.arange(256)[:, None] + 0.7 * _YELLOW
    return yellowed.astype(np.uint8), (0.45 * _BLUE + 0.55 * 255).astype(np.uint8), _PINK.astype(np.uint8)


def _white_check(render: Render, scale: float, region: Region, level: int) -> NDArray[np.uint8]:
    """Everything in quiet greys, but every stray pixel that does not reach the level as a dot in a ring."""
    finished = _eight(render.picture(scale, region, "white"))
    grey = cv2.cvtColor(finished, cv2.COLOR_RGB2GRAY).astype(np.float32)
    out = np.repeat((150 + grey * 0.3).astype(np.uint8)[..., None], 3, axis=2)
    out[darkest(finished) >= level] = 238
    off = off_pixels(render)
    dots, rings = _dots(off[off[:, 2] < level], scale, region)
    out[rings] = (255, 255, 255)
    out[dots] = _PINK.astype(np.uint8)
    return out


def off_pixels(render: Render) -> NDArray[np.intp]:
    """Row and column in px of the framed original, and level of the darkest channel on white: shape (n, 3), of what is visible apart
    from the product.

    These are pixels meant as backdrop that are not exactly white: ghosts, and pieces smaller than a hundredth of the
    largest, farther from every larger piece than an edge may reach (3 px of the analysis picture).
    """
    return render.cache.get((render.digest, "off", render.mended_key), lambda: _find_off(render))


def _find_off(render: Render) -> NDArray[np.intp]:
    alpha = render.coverage(1.0, render.whole(1.0))
    at = np.argwhere(apart(alpha > 0, alpha > 0.5, round(3 / render.analysis_scale)))
    levels = np.zeros(len(at), np.intp)
    h, w = alpha.shape
    # Only the blocks that hold some are finished at full size.
    blocks, block_of = np.unique(at // _PART, axis=0, return_inverse=True)
    for i, (row, column) in enumerate(blocks * _PART):
        here = block_of.ravel() == i
        part = Region(int(row), min(int(row) + _PART, h), int(column), min(int(column) + _PART, w))
        levels[here] = darkest(_eight(render.picture(1.0, part, "white")))[at[here, 0] - row, at[here, 1] - column]
    found = np.column_stack([at, levels])
    return found[levels < 255]


def apart(visible: Mask, solid: Mask, reach: int) -> Mask:
    """What is visible farther than `reach` px from every piece of `solid` of at least a hundredth of the largest."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(solid.view(np.uint8), connectivity=8)
    area = stats[:, cv2.CC_STAT_AREA].copy()
    area[0] = 0
    main = (area >= 0.01 * area.max(initial=1))[labels]
    near = cv2.dilate(main.view(np.uint8), np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)) > 0
    return visible & ~near


def _dots(off: NDArray[np.intp], scale: float, region: Region) -> tuple[Mask, Mask]:
    h, w = region.shape
    mask = np.zeros((h, w), np.uint8)
    size = max(1, round(scale))
    for dy in range(size):
        for dx in range(size):
            y = (off[:, 0] * scale).astype(np.intp) + dy - region.top
            x = (off[:, 1] * scale).astype(np.intp) + dx - region.left
            # A dot whose middle lies just outside still reaches in.
            near = (y >= -_DOT) & (y < h + _DOT) & (x >= -_DOT) & (x < w + _DOT)
            mask[np.clip(y[near], 0, h - 1), np.clip(x[near], 0, w - 1)] = 1
    dots = cv2.dilate(mask, np.ones((_DOT, _DOT), np.uint8)) > 0
    rings = (cv2.dilate(mask, np.ones((_DOT + 8, _DOT + 8), np.uint8)) > 0) & (
        cv2.dilate(mask, np.ones((_DOT + 4, _DOT + 4), np.uint8)) == 0
    )
    return dots, rings
