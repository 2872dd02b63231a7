"""Creases of the backdrop: straight lines where paper was folded or two sheets meet, from one side of the frame to another.

A crease is as sharp as a product's border, so the flood that finds the backdrop stops at it, and it would be kept as a thin
tail of the product. Unlike a wire or a thread it goes on behind the product, and it has the backdrop's hue. So the analysis
picture has creases smoothed away: where one shows, light is divided by its profile, so that the paper's grain stays.
"""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from yardchalk.core.colour import Float, Mask, encode, off_hue, to_log
from yardchalk.core.regions import disc, pieces_of

_THIN = 13  # px of half the analysis picture; narrower than that, flanks included, a crease is among what is not backdrop
_STEEP = 6.0  # in units of the backdrop's noise; what is less stops no flood
_LONG, _LEAST_LONG = 0.06, 32  # of the longer side, and px; shorter pieces are no line to go by
_CANDIDATES = 12
_SLENDER = 0.06  # deviation across a piece, of that along it
_REACH = 24  # px of the analysis picture looked at on either side of a line
_FLANK = 7  # px of these beside the crease that show the paper
_WIDEST = 10  # px, half of a crease
_ALONG, _PROFILE = 15, 41  # px over which what is beside it, and its profile, are averaged
_BEND = 1.5  # px off a straight line
_DEPTH = 0.02, 1.2  # log light; a crease is that much darker or lighter than the paper at its sides
_HUE, _HUE_OF_DEPTH = 0.08, 0.35  # log light, or share of its depth; it is hardly of another hue
_TONES = 0.25  # log light; two sheets hardly differ more
_LIKENESS, _LIKE_ITSELF = 9, (0.35, 2.5)  # px along it; and, averaged over these, of its usual depth, where it shows
_GOES_ON, _GOES_ON_FOR = 0.5, 120  # of its depth, off what it was where it last showed; and px of its length
_SHOWS, _AT_AN_END = 0.7, 0.5  # share of it outside the product's body, and of its ends, along which it shows
_END = 0.04  # of its length
_LEAST = 0.15  # of its length, that lies outside the body
_SOFT = 3  # px on which what is smoothed away fades out
_MOST = 3  # creases; with more straight lines the product may be made of them

Point = NDArray[np.float64]


@dataclass(frozen=True)
class Crease:
    """A crease on the analysis picture.

    Attributes
    ----------
    begin, direction : float64, shape (2,)
        Where it meets the frame, x and y in px, and in which direction (of length 1) it goes on.
    change : float32, shape (n, 2 * reach + 1, 3)
        What it does to log light, by px along and across it; 0 where it does not show.
    """

    begin: Point
    direction: Point
    change: Float

    def places(self, x: Float, y: Float) -> tuple[Float, Float]:
        """How far along it and how far beside it places are, px."""
        right, down = x - np.float32(self.begin[0]), y - np.float32(self.begin[1])
        u, v = (np.float32(part) for part in self.direction)
        return right * u + down * v, down * u - right * v


def find_creases(pixels: NDArray[np.uint8], backdrop: Float, product: Mask, steps: Float) -> tuple[Crease, ...]:
    """The creases of a backdrop.

    Parameters
    ----------
    pixels : uint8, shape (h, w, 3)
        The analysis picture, coded.
    backdrop : float32, shape (h, w, 3)
        Log light of the backdrop model.
    product : bool, shape (h, w)
        What is not backdrop to a flood that creases stop.
    steps : float32, shape (h, w)
        Steepness in units of the backdrop's noise.
    """
    h, w = product.shape
    small = cv2.resize(product.view(np.uint8), ((w + 1) // 2, (h + 1) // 2), interpolation=cv2.INTER_NEAREST)
    body = cv2.morphologyEx(small, cv2.MORPH_OPEN, disc(_THIN))
    steep = cv2.resize(cv2.dilate(steps, disc(3)), small.shape[::-1], interpolation=cv2.INTER_NEAREST) > _STEEP
    body = cv2.dilate(body, disc(5))
    least = max(_LEAST_LONG, _LONG * max(h, w)) / 2
    # Faint ones the flood crosses, but the second look may stop at them.
    lines = [line for thin in ((small > 0) & (body == 0), steep & (small == 0)) for line in _straight_pieces(thin, least)]
    if not lines:
        return ()
    body = cv2.resize(body, (w, h), interpolation=cv2.INTER_NEAREST)
    found: list[Crease] = []
    for middle, direction in lines:
        if any(abs(float(crease.places(*(2 * middle).astype(np.float32))[1])) < _REACH for crease in found):
            continue
        crease = _crease_along(pixels, backdrop, body, 2 * middle, direction)
        if crease is not None:
            found.append(crease)
    return tuple(found) if len(found) <= _MOST else ()


def without_creases(pixels: NDArray[np.uint8], creases: tuple[Crease, ...]) -> NDArray[np.uint8]:
    """A picture with its creases smoothed away: coded, uint8 (h, w, 3)."""
    h, w = pixels.shape[:2]
    y, x = np.mgrid[:h, :w].astype(np.float32)
    out = pixels.copy()
    for crease in creases:
        along, beside = crease.places(x, y)
        change = cv2.remap(crease.change, beside + _REACH, along, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
        there = np.abs(change).max(2) > 0
        light = np.exp(to_log(out[there][None])[0] - change[there])
        out[there] = np.round(255 * encode(np.minimum(light, 1))).astype(np.uint8)
    return out


def _straight_pieces(thin: Mask, least: float) -> list[tuple[Point, Point]]:
    """Middle and direction (x, y) of pieces that are slender and at least so long, the longest first."""
    pieces = pieces_of(thin, diagonal=True)
    found = []
    for i in 1 + np.flatnonzero(pieces.area[1:] >= least):
        x, y, wide, high = pieces.rect(int(i))
        if np.hypot(wide, high) < least:
            continue
        rows, columns = np.nonzero(pieces.labels[pieces.box(int(i))] == i)
        points = np.stack([columns + x, rows + y], 1).astype(np.float64)
        middle = points.mean(0)
        spreads, axes = np.linalg.eigh(np.cov((points - middle).T))
        if np.sqrt(max(spreads[0], 0.0)) < _SLENDER * np.sqrt(spreads[1]):
            found.append((float(spreads[1]), middle, axes[:, 1]))
    found.sort(key=lambda line: -line[0])
    return [(middle, direction) for _, middle, direction in found[:_CANDIDATES]]


def _crease_along(pixels: NDArray[np.uint8], backdrop: Float, body: NDArray[np.uint8], middle: Point, direction: Point) -> Crease | None:
    """The crease that goes through a place in a direction, if there is one."""
    strip = _Strip.along(pixels, backdrop, body, middle, direction)
    bend = strip.bend()
    if bend is None:
        return None
    shift, slope = bend
    normal = np.array([-strip.direction[1], strip.direction[0]])
    strip = _Strip.along(pixels, backdrop, body, strip.begin + shift * normal, strip.direction + slope * normal)
    change = strip.change()
    return None if change is None else Crease(strip.begin, strip.direction, change)


@dataclass(frozen=True)
class _Strip:
    """What lies along a straight line through the whole frame, `_REACH` px to either side.

    Attributes
    ----------
    begin, direction : float64, shape (2,), x and y.
    covered : bool, shape (n,)
        Where the product's body lies on it.
    log, between : float32, shape (n, 2 * reach + 1, 3)
        Log light, less the backdrop model's; and that of the paper on either side, carried across.
    paper : bool, shape (n,)
        Where both sides look like paper.
    """

    begin: Point
    direction: Point
    covered: Mask
    log: Float
    between: Float
    paper: Mask

    @classmethod
    def along(cls, pixels: NDArray[np.uint8], backdrop: Float, body: NDArray[np.uint8], middle: Point, direction: Point) -> "_Strip":
        direction = direction / np.hypot(*direction)
        begin, length = _through_the_frame(middle, direction, body.shape)
        across = np.arange(-_REACH, _REACH + 1)
        t, d = np.arange(length)[:, None], across[None]
        x = (begin[0] + t * direction[0] - d * direction[1]).astype(np.float32)
        y = (begin[1] + t * direction[1] + d * direction[0]).astype(np.float32)
        covered = cv2.remap(body, x, y, cv2.INTER_NEAREST)[:, np.abs(across) <= _WIDEST].any(1)
        colours = cv2.remap(pixels, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        log = to_log(colours) - cv2.remap(backdrop, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        beside = (np.abs(across) > _WIDEST) & (np.abs(across) <= _WIDEST + _FLANK)
        before, after = (_averaged(log[:, beside & side].mean(1), _ALONG) for side in (across < 0, across > 0))
        share = np.clip((across / _WIDEST + 1) / 2, 0, 1)[None, :, None]
        between = (1 - share) * before[:, None] + share * after[:, None]
        paper = (np.abs(before - after).max(1) < _TONES) & (off_hue(before) < _HUE) & (off_hue(after) < _HUE)
        return cls(begin, direction, covered, log, between.astype(np.float32), paper)

    @cached_property
    def off(self) -> Float:
        return self.log - self.between

    @property
    def free(self) -> Mask:
        """Where paper, and none of the product's body, lies on it."""
        return self.paper & ~self.covered

    def _shade(self, length: int) -> Float:
        """How much lighter it is than the paper beside it, averaged over a length: (n, 2 * _WIDEST + 1)."""
        return _averaged(self.off[:, _REACH - _WIDEST : _REACH + _WIDEST + 1].mean(2), length)

    def bend(self) -> tuple[float, float] | None:
        """How far beside the strip's middle the line begins and how it goes on from there; None if there is no straight one."""
        shade = self._shade(_ALONG)
        at = np.flatnonzero(self.free)
        if at.size < _LEAST * self.paper.size:
            return None
        usual = np.median(shade[at], axis=0)
        sign = np.sign(usual[np.argmax(np.abs(usual))])
        place = np.argmax(sign * shade[at], axis=1)
        height = sign * shade[at, place]
        kept = height > _LIKE_ITSELF[0] * np.median(height)
        for _ in range(2):
            if np.count_nonzero(kept) < _LEAST * self.paper.size:
                return None
            slope, shift = np.polyfit(at[kept], place[kept] - _WIDEST, 1)
            away = np.abs(place - _WIDEST - (shift + slope * at))
            kept = away < 2 * _BEND
        return (float(shift), float(slope)) if np.median(away) < _BEND else None

    def change(self) -> Float | None:
        """What the crease along the strip's middle does to log light, as a `Crease` has it; None if it is none."""
        open_to_view = ~self.covered
        if open_to_view.mean() < _LEAST or not self.free.any():
            return None
        profile = np.median(self.off[self.free], axis=0)
        middle = profile[_REACH - 1 : _REACH + 2].mean(0)
        depth = float(middle.mean())
        if not _DEPTH[0] < abs(depth) < _DEPTH[1] or off_hue(middle) > max(_HUE, _HUE_OF_DEPTH * abs(depth)):
            return None
        like = self._shade(_LIKENESS)[:, _WIDEST - 1 : _WIDEST + 2].mean(1) / depth
        shows = self.paper & (like > _LIKE_ITSELF[0]) & (like < _LIKE_ITSELF[1])
        end = max(1, round(_END * shows.size))
        # Not where a table or the product itself reaches the frame.
        ends = [shows[at][open_to_view[at]].mean() for at in (np.s_[:end], np.s_[-end:]) if open_to_view[at].any()]
        if not ends or min(ends) < _AT_AN_END or shows[open_to_view].mean() < _SHOWS:
            return None
        # What looks like it within the body may be paper too, inside a handle; but not a px here and there.
        within = cv2.morphologyEx((shows & self.covered).view(np.uint8)[:, None], cv2.MORPH_OPEN, np.ones((_PROFILE, 1), np.uint8))
        shows &= open_to_view | (within[:, 0] > 0)
        weight = _averaged(shows.astype(np.float32), _PROFILE)
        change = _averaged(self.off * shows[:, None, None], _PROFILE) / np.maximum(weight, 1e-3)[:, None, None]
        across = np.abs(np.arange(-_REACH, _REACH + 1))
        change *= np.clip((_WIDEST + 1 - across) / _SOFT, 0, 1)[None, :, None]
        return self._carried_on(change.astype(np.float32), shows, _GOES_ON * abs(depth))

    def _carried_on(self, change: Float, shows: Mask, off: float) -> Float:
        """The change where it shows, and, where no paper shows on one side, where light is as it last made it, but for so much."""
        at, shown = np.arange(shows.size), np.flatnonzero(shows)
        nearest = shown[np.argmin(np.abs(at[:, None] - shown[None]), axis=1)]
        left = cv2.blur((self.log - self.between[nearest] - change[nearest]).mean(2), (3, 3))
        as_before = (np.abs(left) < off) & (np.abs(at - nearest) < _GOES_ON_FOR)[:, None]
        return np.where(shows[:, None, None] | as_before[..., None], change[nearest], 0).astype(np.float32)


def _through_the_frame(point: Point, direction: Point, shape: tuple[int, ...]) -> tuple[Point, int]:
    """Where a line enters a frame (h, w), and its length there, px."""
    enters, leaves = -np.inf, np.inf
    for at, step, size in zip(point, direction, shape[1::-1], strict=True):
        if abs(step) > 1e-6:
            one, other = sorted((-at / step, (size - 1 - at) / step))
            enters, leaves = max(enters, one), min(leaves, other)
    return point + enters * direction, max(1, int(leaves - enters) + 1)


def _averaged(values: Float, length: int) -> Float:
    """Mean over a length of the first axis; shape as given."""
    flat = np.ascontiguousarray(values, dtype=np.float32).reshape(values.shape[0], -1)
    return cv2.blur(flat, (1, length), borderType=cv2.BORDER_REPLICATE).reshape(values.shape)
