"""Pieces of the photos round the product's border, for the network of the close look."""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from teaching.camera import contact_shadow, grained, mirroring, packed
from teaching.scenes import CARELESS, paths_of
from yardchalk.core.close_look import TILE, open_of, what_is_shown
from yardchalk.core.colour import Float, decode, encode
from yardchalk.core.regions import disc
from yardchalk.core.second_look import look_once

_SIDE = 3 * TILE // 2  # px of a piece, so that it can be shown moved and smaller
_SOFTEST = 2 * TILE // 3  # px of a piece that is enlarged to a tile, so that its edges are softer
_OF_EACH, _OF_DRAWN = 20, 60  # pieces of each photo; there are fewer drawings
_OTHERWISE = 0.4  # share of the pieces shown on paper of another colour, and share with channels exchanged
_GLOSSY = 0.2  # share of the pieces shown with a rim that mirrors the paper
_SHADED = 0.25  # share of the pieces shown with a deep shadow where the product stands
_GRAINED = 0.15  # share on paper with more grain
_PACKED = 0.5  # and share that went through another JPEG
_ROUGH = 0.15  # share of the pieces shown with a first matte that is not the second look's
_LOOKED = 400, 880  # px; the long side that the second look had


@dataclass(frozen=True)
class Border:
    """A piece of a photo, (side, side).

    Attributes
    ----------
    pixels : uint8, coded; light : float16, the backdrop's; first : uint8, coverage by the second look, 0..255.
    truth : uint8, coverage 0..255; own : float16, the product's share of the light, premultiplied, linear.
    """

    pixels: NDArray[np.uint8]
    light: NDArray[np.float16]
    first: NDArray[np.uint8]
    truth: NDArray[np.uint8]
    own: NDArray[np.float16]


def borders(folder: Path, held_out: bool) -> list[Border]:
    """Of all that was prepared with true colours; or of what is held out."""
    paths = [path for path in paths_of(folder, held_out) if not path.stem.endswith(CARELESS)]
    # Threads of what was taught before do not outlive a fork.
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        return [border for made in pool.map(_of_photo, paths, chunksize=8) for border in made]


def _of_photo(path: Path) -> list[Border]:
    cv2.setNumThreads(1)
    r = np.random.default_rng([int(path.name[:4]), len(path.stem), ord(path.stem[-1])])
    kept = np.load(path)
    pixels, truth = kept["pixels"], kept["truth"]
    light = kept["light"].astype(np.float32)
    side = int(r.integers(*_LOOKED))
    look = look_once((kept["looked_at"], kept["steps"], kept["product"]), lambda w, h: cv2.resize(light, (w, h)), side)
    h, w = truth.shape
    look = look.enlarged((h, w))
    first = np.where(look.product, look.coverage, np.float32(0))
    soft = (truth > 3) & (truth < 252)
    places = [np.argwhere(where) for where in (soft, open_of(first))]
    if not len(places[0]):
        return []
    own, light = kept["own"], cv2.resize(light, (w, h)).astype(np.float16)
    out = []
    for i in range(_OF_DRAWN if path.stem.endswith("drawn") else _OF_EACH):
        among = places[0] if i % 4 or not len(places[1]) else places[1]
        middle = among[r.integers(len(among))] + r.integers(-16, 17, 2)
        top, left = (int(np.clip(m - _SIDE // 2, 0, size - _SIDE)) for m, size in zip(middle, (h, w), strict=True))
        at = np.s_[top : top + _SIDE, left : left + _SIDE]
        coded = np.rint(first[at] * 255).astype(np.uint8)
        out.append(Border(pixels[at].copy(), light[at].copy(), coded, truth[at].copy(), own[at].copy()))
    return out


def _tint(r: Generator) -> Float:
    """What paper of another colour is like beside the one that was rendered, three factors: vivid, or grey."""
    if r.random() < 0.6:
        out = r.uniform(0.03, 0.5, 3)
        out[r.integers(3)] = r.uniform(0.3, 0.9)
        return out.astype(np.float32)
    return np.full(3, r.uniform(0.1, 0.9), np.float32)


def shown_of(border: Border, r: Generator) -> tuple[Float, Float]:
    """What the network is shown of a piece, turned, moved and perhaps made smaller or larger, (channels, TILE, TILE); and true coverage
    there, (1, TILE, TILE).
    """
    size = TILE if r.random() < 0.6 else int(r.integers(_SOFTEST, _SIDE + 1))
    y, x = r.integers(0, _SIDE - size + 1, 2)
    turns, mirrored = int(r.integers(4)), r.random() < 0.5

    def turned(values: Any, per_unit: int = 1) -> Float:
        piece = values[y : y + size, x : x + size]
        return np.rot90(piece[:, ::-1] if mirrored else piece, turns).astype(np.float32) / np.float32(per_unit)

    seen = decode(turned(border.pixels, 255))
    parts = seen, turned(border.light), turned(border.own), turned(border.first, 255), turned(border.truth, 255)
    if size != TILE:
        how = cv2.INTER_AREA if size > TILE else cv2.INTER_LINEAR
        parts = tuple(cv2.resize(values, (TILE, TILE), interpolation=how) for values in parts)
    seen, light, own, first, truth = parts
    if r.random() < _GLOSSY:
        matt, own = own, mirroring(own, truth, light, r)
        seen = seen - matt + own
    if r.random() < _SHADED:
        behind, before = contact_shadow(truth, r.uniform(0, 2 * np.pi), r)
        seen = own * before[..., None] + (seen - own) * behind[..., None]
        own = own * before[..., None]
        if r.random() < 0.4:
            # The second look may take some of the shadow for product.
            wider = cv2.GaussianBlur(cv2.dilate(truth, disc(2 * int(r.integers(1, 4)) + 1)), (0, 0), r.uniform(0.6, 1.5))
            first = np.maximum(first, np.where(behind < 0.6, wider, 0))
    if r.random() < _GRAINED:
        seen = own + grained(seen - own, r)
    if r.random() < _OTHERWISE:
        # On paper of another colour: what is not the product's share of the light is the paper's.
        tint = _tint(r)
        seen = own + (seen - own) * (truth[..., None] + (1 - truth[..., None]) * tint)
        light = light * tint
    if r.random() < _OTHERWISE:
        channels = r.permutation(3)
        seen, light, own = seen[..., channels], light[..., channels], own[..., channels]
    pixels = np.rint(encode(np.clip(seen, 0, 1)) * 255).astype(np.uint8)
    if r.random() < _PACKED:
        pixels = packed(pixels, r)
    true = np.clip(truth, 0, 1)
    if r.random() < _ROUGH:
        # A first matte as a person's strokes and the rules give it.
        first = cv2.GaussianBlur(np.roll(true, r.integers(-1, 2, 2), (0, 1)), (0, 0), r.uniform(0.4, 2))
    return what_is_shown(pixels, light, first), true[None]
