"""Fill from surroundings: what to put into an area is decided once, at a size at which it is small enough, and holds at every size."""

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from yardchalk.core.colour import Float, Mask, decode, encode
from yardchalk.core.stages.mend.layer import Piece
from yardchalk.core.stages.mend.synthesis import Source, filled_from, synthesise

By = Literal["auto", "smooth", "pieces"]
DECIDED_SIDE = 64  # px; an area is decided on at full size, or at the first halving at which it is no larger
_SURROUNDINGS = 0.75  # of the area's size, to each side
_LEAST_ROUND = 20  # px
_BIHARMONIC, _INPAINT = 80, 600  # px of area up to which a smooth fill is made so
_INPAINT_REACH = 4  # px
_PLAIN = 0.006  # coded noise up to which what is round it counts as plain


@dataclass(frozen=True)
class Fill:
    """What was decided for an area.

    Attributes
    ----------
    scale : at which it was decided; 1 is full size.
    top, left : of the window in the whole picture at that scale, px.
    before, after : the window, before and after.
    hole : bool, shape of the window.
    source : int32 (h, w, 2), row and column of the window that each pixel is copied from; None if it was filled smoothly.
    """

    scale: float
    top: int
    left: int
    before: Piece
    after: Piece
    hole: Mask
    source: Source | None


def decided_scale(side: float) -> float:
    """The scale at which an area whose longer side has so many px at full size is decided."""
    scale = 1.0
    while side * scale > DECIDED_SIDE:
        scale /= 2
    return scale


def surroundings(side: float) -> int:
    """How much round an area of so many px its fill looks, px."""
    return int(np.ceil(max(_LEAST_ROUND, _SURROUNDINGS * side)))


def fill(piece: Piece, hole: Mask, by: By = "auto", seed: int = 0) -> tuple[Piece, Source | None]:
    """The piece with its hole filled, and where each pixel of it was copied from, if it was.

    Where nothing but the hole is known the piece comes back as it was.
    """
    if not hole.any() or hole.all():
        return piece, None
    coded = encode(piece.colour)
    if by == "smooth" or (by == "auto" and int(hole.sum()) <= _INPAINT and _grain(coded, hole) < _PLAIN and _even(piece, hole)):
        return _smooth(piece, coded, hole), None
    values = np.dstack([coded, piece.alpha])
    source = synthesise(values, hole, seed)
    if source is None:
        return _smooth(piece, coded, hole), None
    colour = filled_from(coded, hole, source)
    alpha = piece.alpha.copy()
    at = source[hole]
    alpha[hole] = piece.alpha[at[:, 0], at[:, 1]]
    after = piece.colour.copy()
    after[hole] = decode(np.clip(colour[hole], 0, 1))
    return Piece(after, alpha), source


def _grain(coded: Float, hole: Mask) -> float:
    """How rough what is round the hole is: a robust spread of coded values about their local mean."""
    ring = (cv2.dilate(hole.view(np.uint8), np.ones((21, 21), np.uint8)) > 0) & ~hole
    if not ring.any():
        return 0.0
    known = (~hole).astype(np.float32)
    mean = cv2.GaussianBlur(coded * known[..., None], (0, 0), 1.5) / np.maximum(cv2.GaussianBlur(known, (0, 0), 1.5), 1e-3)[..., None]
    return float(1.4826 * np.median(np.abs(coded - mean)[ring]))


def _even(piece: Piece, hole: Mask) -> bool:
    """Whether coverage is the same all round."""
    ring = (cv2.dilate(hole.view(np.uint8), np.ones((9, 9), np.uint8)) > 0) & ~hole
    return bool(ring.any()) and float(np.ptp(piece.alpha[ring])) < 0.02


def _smooth(piece: Piece, coded: Float, hole: Mask) -> Piece:
    """From the border: by biharmonic equations where it is tiny, along isophotes where it is small, else by heat flow."""
    area = int(hole.sum())
    values = np.dstack([coded, piece.alpha]).astype(np.float32)
    if area <= _BIHARMONIC:
        from skimage.restoration import inpaint_biharmonic  # takes a while to load, and few photos are mended

        out = np.asarray(inpaint_biharmonic(values, hole, channel_axis=-1), np.float32)
    elif area <= _INPAINT:
        # In 8 bits, so only the difference from the mean is filled: a plain paper spans few levels.
        known = values[~hole]
        low, span = known.min(0), np.maximum(np.ptp(known, axis=0), 1 / 255)
        eight = np.round((values - low) / span * 255).clip(0, 255).astype(np.uint8)
        mask = hole.view(np.uint8)
        filled = cv2.inpaint(np.ascontiguousarray(eight[..., :3]), mask, _INPAINT_REACH, cv2.INPAINT_NS)
        cover = cv2.inpaint(np.ascontiguousarray(eight[..., 3]), mask, _INPAINT_REACH, cv2.INPAINT_NS)
        out = np.dstack([filled, cover]).astype(np.float32) / 255 * span + low
    else:
        out = _flown(values, hole)
    out = np.where(hole[..., None], np.clip(out, 0, 1), values)
    colour = np.where(hole[..., None], decode(out[..., :3]), piece.colour).astype(np.float32)
    return Piece(colour, np.where(hole, out[..., 3], piece.alpha).astype(np.float32))


def _flown(values: Float, hole: Mask) -> Float:
    """Solve Laplace's equation in the hole, from coarse to fine."""
    h, w = hole.shape
    if min(h, w) > 16 and hole.sum() > 64:
        size = ((w + 1) // 2, (h + 1) // 2)
        known = (~hole).astype(np.float32)
        share = cv2.resize(known, size, interpolation=cv2.INTER_AREA)
        small = cv2.resize(values * known[..., None], size, interpolation=cv2.INTER_AREA) / np.maximum(share, 1e-3)[..., None]
        guess = cv2.resize(_flown(small.astype(np.float32), share < 0.5), (w, h), interpolation=cv2.INTER_LINEAR)
    else:
        guess = np.broadcast_to(values[~hole].mean(0), values.shape)
    out = np.where(hole[..., None], guess, values).astype(np.float32)
    for _ in range(40):
        out = np.where(hole[..., None], cv2.blur(out, (3, 3)), values)
    return out.astype(np.float32)


def at_size(made: Fill, scale: float, top: int, left: int, piece: Piece, ratio: tuple[float, float], detail: Piece | None) -> Piece:
    """A region of the picture with the fill in it, without regard to how far it counts.

    Parameters
    ----------
    scale : of the region; top, left : its place in the whole picture at that scale, px.
    piece : the region as it is.
    ratio : px of the fill's size for one px of the region's, across and down.
    detail : the fill's window as it is at the region's scale, where that is larger and pixels are copied.
    """
    if made.scale == scale:
        h, w = piece.alpha.shape
        rows, columns = top - made.top, left - made.left
        inside = np.s_[max(rows, 0) : rows + h, max(columns, 0) : columns + w]
        colour, alpha = piece.colour.copy(), piece.alpha.copy()
        there = made.hole[inside]
        y, x = max(-rows, 0), max(-columns, 0)
        here = np.s_[y : y + there.shape[0], x : x + there.shape[1]]
        colour[here][there] = made.after.colour[inside][there]
        alpha[here][there] = made.after.alpha[inside][there]
        return Piece(colour, alpha)
    if scale < made.scale:
        return _resampled(made, top, left, piece, ratio)
    return _detailed(made, top, left, piece, ratio, detail)


def _shares(first: float, ratio: float, count: int, size: int) -> Float:
    """How much of each of `size` px lies under each of `count` px that are `ratio` of them wide and begin at `first`: (count, size)."""
    edge = first + np.arange(count + 1) * ratio
    at = np.arange(size)
    over = np.minimum(edge[1:, None], at + 1) - np.maximum(edge[:-1, None], at)
    return (np.clip(over, 0, None) / ratio).astype(np.float32)


def _resampled(made: Fill, top: int, left: int, piece: Piece, ratio: tuple[float, float]) -> Piece:
    """With the difference that the fill makes, averaged over each pixel as light is."""
    h, w = piece.alpha.shape
    down = _shares(top * ratio[1] - made.top, ratio[1], h, made.hole.shape[0])
    across = _shares(left * ratio[0] - made.left, ratio[0], w, made.hole.shape[1])
    change = np.dstack([made.after.colour - made.before.colour, made.after.alpha - made.before.alpha])
    change = np.einsum("ij,jkc,lk->ilc", down, change, across, optimize=True)
    return Piece(np.clip(piece.colour + change[..., :3], 0, 1), np.clip(piece.alpha + change[..., 3], 0, 1))


def _detailed(made: Fill, top: int, left: int, piece: Piece, ratio: tuple[float, float], detail: Piece | None) -> Piece:
    """At a larger size: the fill as it was decided and, with the window at this size, the fine detail of the places that it was
    copied from.
    """
    h, w = piece.alpha.shape
    # Places in the window at its own size, in px with middles at whole numbers.
    y = (np.arange(top, top + h) + 0.5) * ratio[1] - made.top - 0.5
    x = (np.arange(left, left + w) + 0.5) * ratio[0] - made.left - 0.5

    def looked(values: Float, a: Float, b: Float, way: int) -> Float:
        return np.asarray(cv2.remap(values, a, b, way, borderMode=cv2.BORDER_REPLICATE), np.float32)

    gx, gy = (np.ascontiguousarray(side, np.float32) for side in np.broadcast_arrays(x[None], y[:, None]))
    colour = looked(made.after.colour, gx, gy, cv2.INTER_CUBIC)
    cover = looked(made.after.alpha, gx, gy, cv2.INTER_LINEAR)
    if made.source is not None and detail is not None:
        rows = np.clip(np.round(y).astype(int), 0, made.hole.shape[0] - 1)
        columns = np.clip(np.round(x).astype(int), 0, made.hole.shape[1] - 1)
        source = made.source[np.ix_(rows, columns)].astype(np.float32)
        fx, fy = source[..., 1] + (x - columns)[None].astype(np.float32), source[..., 0] + (y - rows)[:, None].astype(np.float32)
        coarse = looked(made.before.colour, fx, fy, cv2.INTER_CUBIC)
        px, py = ((fx + 0.5) / ratio[0] - 0.5).astype(np.float32), ((fy + 0.5) / ratio[1] - 0.5).astype(np.float32)
        colour += looked(detail.colour, px, py, cv2.INTER_LINEAR) - coarse
        cover = looked(detail.alpha, px, py, cv2.INTER_LINEAR)
    inside = looked(made.hole.astype(np.float32), gx, gy, cv2.INTER_LINEAR) > 0.25
    colour = np.where(inside[..., None], np.clip(colour, 0, 1), piece.colour).astype(np.float32)
    return Piece(colour, np.where(inside, np.clip(cover, 0, 1), piece.alpha).astype(np.float32))
