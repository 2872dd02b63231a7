"""Bars along the frame: a border drawn round a photo and what fills it up to another aspect are no part of it."""

import unittest

import cv2
import numpy as np

from tests.pictures import Scene, iou
from yardchalk.core.clear_settings import ClearMarks, InkRegion
from yardchalk.core.codecs import encode_picture
from yardchalk.core.colour import Coded
from yardchalk.core.deliver import produce
from yardchalk.core.render import Render
from yardchalk.core.settings import FrameMarks, Marks, load_sheet, load_spec
from yardchalk.core.stages.bars import NO_BARS, find_bars

SCENE = Scene(width=800, height=640).made()
# Left, top, right, bottom, px, and the coded level.
KINDS = {
    "a hairline": ((2, 2, 2, 2), 0),
    "a black frame": ((9, 9, 9, 9), 0),
    "a white frame": ((12, 12, 12, 12), 255),
    "black above and below": ((0, 80, 0, 80), 0),
    "white to the left and right": ((90, 0, 90, 0), 255),
    "a scan's edge": ((0, 0, 20, 30), 8),
}


def barred(pixels: Coded, widths: tuple[int, int, int, int], level: int) -> Coded:
    left, top, right, bottom = widths
    h, w = pixels.shape[:2]
    out = np.full_like(pixels, level)
    out[top : h - bottom, left : w - right] = pixels[top : h - bottom, left : w - right]
    return out


class BarsTest(unittest.TestCase):
    def test_a_photo_with_bars_is_cleared_as_without_them(self) -> None:
        for name, (widths, level) in KINDS.items():
            with self.subTest(name):
                data = encode_picture(barred(SCENE.pixels, widths, level), "jpeg", quality=90)
                render = Render(data, name, load_sheet("white"))
                for found, true in zip(render.bars, widths, strict=True):
                    self.assertLessEqual(true, found)
                    self.assertLessEqual(found, true + 5 if true else 0)
                self.assertGreater(iou(render.cut(1.0, render.whole(1.0)).alpha, SCENE.alpha), 0.98)
                self.assertFalse([f.check for f in produce(render, load_spec("square-2000")).findings if f.severity == "fix"])

    def test_ink_and_black_bars_are_told_apart(self) -> None:
        print_ = np.full((600, 800, 3), 244, np.uint8)
        cv2.circle(print_, (400, 300), 120, (30, 30, 60), 9, cv2.LINE_AA)
        alone, marks = encode_picture(print_, "png"), Marks(clear=ClearMarks(regions=(InkRegion(kind="ink"),)))
        with_bars = encode_picture(barred(print_, (9, 9, 9, 9), 0), "png")
        first, second = (Render(data, "print", load_sheet("transparent"), marks) for data in (alone, with_bars))
        np.testing.assert_array_equal(second.cut(1.0, second.whole(1.0)).alpha > 0.5, first.cut(1.0, first.whole(1.0)).alpha > 0.5)

    def test_what_is_cut_off_by_a_bar_is_said(self) -> None:
        pixels = barred(SCENE.pixels, (0, 0, 290, 0), 0)
        spec = load_spec("cutout")
        found = [
            f for f in produce(Render(encode_picture(pixels, "png"), "half", load_sheet("white")), spec).findings if f.check == "cut-off"
        ]
        self.assertEqual([f.message for f in found], ["The product is cut off by the frame at the right"])
        assert found[0].place is not None
        self.assertAlmostEqual(found[0].place.original[0], 800 - 290, delta=12)

    def test_what_is_no_bar(self) -> None:
        rug = np.full((600, 800, 3), 255, np.uint8)
        rug[24:576, 32:] = 120, 60, 40
        tray = np.full((600, 800, 3), 250, np.uint8)
        tray[150:450, 150:650] = 230
        for name, pixels in {"a photo": SCENE.pixels, "a rug on white that is cut off": rug, "a tray": tray, "all black": rug * 0}.items():
            with self.subTest(name):
                self.assertEqual(find_bars(pixels), NO_BARS)

    def test_a_person_may_crop_them(self) -> None:
        data = encode_picture(barred(SCENE.pixels, (9, 9, 9, 9), 0), "png")
        cropped = Render(data, "framed", load_sheet("white"), Marks(frame=FrameMarks(crop=(0.02, 0.02, 0.98, 0.98))))
        self.assertEqual(cropped.bars, NO_BARS)


if __name__ == "__main__":
    unittest.main()
