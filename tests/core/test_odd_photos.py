"""Photos that are hardly photos: each comes out as the listing asks, and says what is wrong; nothing fails, none takes all memory."""

import unittest

import cv2
import numpy as np

from tests.pictures import Scene
from yardchalk.core.codecs import decode_photo, encode_picture
from yardchalk.core.colour import Coded
from yardchalk.core.deliver import Result, produce
from yardchalk.core.render import Render
from yardchalk.core.settings import load_sheet, load_spec

SHAPE = (120, 160, 3)
POT = Scene(width=320, height=240).made().pixels


def _with_alpha(alpha: int) -> Coded:
    return np.dstack([POT, np.full(POT.shape[:2], alpha, np.uint8)])


NOTHING = {
    "white": np.full(SHAPE, 255, np.uint8),
    "black": np.zeros(SHAPE, np.uint8),
    "grey": np.full(SHAPE, 128, np.uint8),
    "one pixel": np.full((1, 1, 3), 200, np.uint8),
    "a dot": cv2.circle(np.full((600, 800, 3), 250, np.uint8), (400, 300), 2, (200, 10, 10), -1),
    "see-through": _with_alpha(0),
}
ODD = {
    # What is taken for product may be a single pixel, enlarged a thousand times.
    "noise": np.random.default_rng(0).integers(0, 256, (600, 800, 3), np.uint8),
    "squares": np.kron(np.indices((12, 16)).sum(0) % 2 * 255, np.ones((10, 10)))[..., None].repeat(3, 2).astype(np.uint8),
    "a line": cv2.line(np.full((300, 400, 3), 250, np.uint8), (50, 50), (350, 250), (20, 20, 20), 1),
    "three rows": POT[100:103],
    "two columns": POT[:, 150:152],
    "a panorama": cv2.resize(POT, (3000, 60)),
    "a thumbnail": cv2.resize(POT, (12, 9), interpolation=cv2.INTER_AREA),
    "nearly black": POT // 8,
    "on black": 255 - POT,
    "all opaque": _with_alpha(255),
    "16 bits": POT.astype(np.uint16) * 257,
}


def made(pixels: Coded, sheet: str, spec: str) -> Result:
    return produce(Render(encode_picture(pixels, "png"), "odd", load_sheet(sheet)), load_spec(spec))


class OddPhotoTest(unittest.TestCase):
    def test_where_nothing_is_that_is_what_is_found(self) -> None:
        for name, pixels in NOTHING.items():
            with self.subTest(name):
                result = made(pixels, "white", "square-2000")
                self.assertEqual([(f.check, f.severity) for f in result.findings if f.severity == "fix"], [("missing-part", "fix")])
                self.assertTrue((decode_photo(result.data, name).pixels == 255).all(), "nothing on white is white")

    def test_whatever_it_is_it_fits_the_listing(self) -> None:
        for name, pixels in ODD.items():
            for sheet, spec in (("white", "square-2000"), ("transparent", "cutout")):
                with self.subTest(name, spec=spec):
                    result = made(pixels, sheet, spec)
                    back = decode_photo(result.data, name)
                    self.assertEqual((back.width, back.height), (result.width, result.height))
                    self.assertFalse([f for f in result.findings if f.check == "file"])
                    if spec == "square-2000":
                        self.assertEqual((result.width, result.height), (2000, 2000))
