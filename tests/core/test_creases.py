"""Creases of the backdrop: no part of the product, however sharp; what is no crease stays."""

import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.pictures import Made, Scene, iou
from yardchalk.core.codecs import encode_picture
from yardchalk.core.colour import Float, decode, to_coded
from yardchalk.core.deliver import produce
from yardchalk.core.render import Render
from yardchalk.core.settings import load_sheet, load_spec
from yardchalk.core.stages.creases import find_creases, without_creases

SCENE = Scene(width=1200, height=900).made()
# Where it begins and ends, shares of the frame; how much light it takes, how much the ridge beside it adds, and how much darker
# the sheet beyond it is.
KINDS = {
    "a fold": ((0.0, 0.35, 1.0, 0.55), 0.3, 0.1, 0.0),
    "two sheets": ((0.0, 0.5, 1.0, 0.48), 0.4, 0.0, 0.1),
    "one up to the corner": ((0.0, 0.0, 1.0, 1.0), 0.3, 0.0, 0.0),
    "one along the handle": ((0.0, 0.66, 1.0, 0.66), 0.25, 0.0, 0.0),
}


def beside(line: tuple[float, float, float, float], made: Made) -> Float:
    """How far each pixel is from a line through two places, px; its sign says on which side."""
    h, w = made.alpha.shape
    x0, y0, x1, y1 = line[0] * w, line[1] * h, line[2] * w, line[3] * h
    y, x = np.mgrid[:h, :w].astype(np.float32)
    return ((x - x0) * (y1 - y0) - (y - y0) * (x1 - x0)) / np.hypot(x1 - x0, y1 - y0)


def with_light(made: Made, factor: Float) -> bytes:
    """The photo with its backdrop's light, but not its product's, times a factor (h, w) or (h, w, 3)."""
    factor = factor if factor.ndim == 3 else factor[..., None]
    cover = made.alpha[..., None]
    return encode_picture(to_coded(decode(made.pixels / np.float32(255)) * (cover + (1 - cover) * factor), np.uint8), "jpeg", quality=93)


def rendered(data: bytes) -> Render:
    return Render(data, "creased", load_sheet("transparent"))


class CreaseTest(unittest.TestCase):
    def test_a_photo_with_a_crease_is_cleared_as_without_it(self) -> None:
        away = cv2.distanceTransform((SCENE.alpha < 0.002).astype(np.uint8), cv2.DIST_L2, 5)
        for name, (line, depth, ridge, tone) in KINDS.items():
            with self.subTest(name):
                d = beside(line, SCENE)
                factor = 1 - depth * np.exp(-(d**2) / 4) + ridge * np.exp(-((d - 4) ** 2) / 12) - tone * (d > 0)
                render = rendered(with_light(SCENE, factor.astype(np.float32)))
                alpha = render.cut(1.0, render.whole(1.0)).alpha
                self.assertGreater(iou(alpha, SCENE.alpha), 0.99)
                self.assertEqual(int((alpha[away > 6] > 0.02).sum()), 0)
                self.assertFalse([f.check for f in produce(render, load_spec("cutout")).findings if f.severity != "note"])

    @settings(max_examples=12, deadline=None)
    @given(st.floats(0, np.pi), st.floats(0.1, 0.5), st.floats(-0.2, 0.2), st.floats(0, 0.1))
    def test_smoothed_away_leaves_the_paper_as_it_was(self, angle: float, depth: float, shift: float, tone: float) -> None:
        h, w = 720, 960
        y, x = np.mgrid[:h, :w].astype(np.float32)
        d = (x - w / 2) * np.sin(angle) - (y - h / 2) * np.cos(angle) - shift * h
        thing = np.hypot(x - w / 2, y - h / 2) < 120
        paper = np.full((h, w, 3), 0.6, np.float32) * (1 + np.random.default_rng(1).normal(0, 0.01, (h, w, 1)).astype(np.float32))
        paper *= (1 - tone * (d > 0))[..., None].astype(np.float32)
        creased = paper * (1 - depth * np.exp(-(d**2) / 4))[..., None]
        clean, pixels = (to_coded(np.where(thing[..., None], 0.05, light), np.uint8) for light in (paper, creased))
        backdrop = np.full((h, w, 3), np.log(0.6), np.float32)
        found = find_creases(pixels, backdrop, thing | (np.abs(d) < 5), np.zeros((h, w), np.float32))
        self.assertEqual(len(found), 1)
        left = without_creases(pixels, found).astype(np.int16) - clean
        self.assertLess(float(np.abs(left[np.abs(d) > 2]).mean()), 1.5)
        self.assertLess(float(np.abs(left[~thing & (np.abs(d) < 1)].mean())), 0.15 * 255 * depth)
        self.assertEqual(int(np.abs(left[thing & (np.hypot(x - w / 2, y - h / 2) < 90)]).max()), 0)

    def test_what_is_no_crease_is_kept(self) -> None:
        d = np.abs(beside((0.0, 0.35, 1.0, 0.55), SCENE))
        x = np.mgrid[: d.shape[0], : d.shape[1]][1] / d.shape[1]
        wire = np.clip(2.5 - d, 0, 1)[..., None]
        kinds = {
            "a wire that ends at the product": (1 - wire * (x < 0.5)[..., None] * 0.8, 0.1),
            "a thread of another colour": (1 - wire * np.array([0.3, 0.6, 0.85]), 0.9),
            "a band of ten times that width": (1 - np.clip(12 - d, 0, 1)[..., None] * 0.6, 0.9),
        }
        for name, (factor, at) in kinds.items():
            with self.subTest(name):
                render = rendered(with_light(SCENE, factor.astype(np.float32)))
                self.assertEqual(render.creases, ())
                h, w = SCENE.alpha.shape
                alpha = render.cut(1.0, render.whole(1.0)).alpha
                middle = round((0.35 + 0.2 * at) * h)
                self.assertGreater(float(alpha[middle - 8 : middle + 9, round(at * w)].max()), 0.5)

    def test_bars_of_a_rack_are_no_creases(self) -> None:
        h, w = 900, 1200
        y, x = np.mgrid[:h, :w]
        bars = np.maximum(np.abs((x % 120) - 60) < 3, np.abs((y % 120) - 60) < 3).astype(np.float32)
        made = Scene(width=w, height=h, handle=False).made()
        self.assertEqual(rendered(with_light(made, 1 - 0.7 * cv2.GaussianBlur(bars, (0, 0), 0.8))).creases, ())


if __name__ == "__main__":
    unittest.main()
