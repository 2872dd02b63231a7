"""What the bench shows of a photo, pixel by pixel."""

import unittest

import cv2
import numpy as np

from tests.pictures import Scene
from yardchalk.core.codecs import encode_picture
from yardchalk.core.pixels import Region
from yardchalk.core.render import Render
from yardchalk.core.settings import EdgeMarks, LiftMarks, Marks, load_sheet
from yardchalk.core.settings_base import Length
from yardchalk.core.views import apart, off_pixels, view

PINK, YELLOW = (194, 56, 111), (236, 196, 84)


class WhiteCheckTest(unittest.TestCase):
    def test_a_crumb_in_a_large_photo_is_seen_at_fit_to_window(self) -> None:
        # Cut out already, and not well: clearing would have dropped the crumb.
        made = Scene(width=3200, height=2400).made()
        pixels = np.dstack([made.pixels, (made.alpha * 255).astype(np.uint8)])
        cv2.circle(pixels, (2800, 500), 14, (60, 50, 40, 255), -1)
        render = Render(encode_picture(pixels, "png"), "crumb", load_sheet("white"), Marks(edge=EdgeMarks(specks=Length(value=0))))
        self.assertTrue(len(off_pixels(render)))
        shown = view(render, "white", 0.25, Region(0, 600, 0, 800))
        dots = (shown == PINK).all(-1)
        rows, columns = np.nonzero(dots)
        self.assertLess(abs(int(rows.mean()) - 125) + abs(int(columns.mean()) - 700), 6)
        self.assertGreaterEqual(int(columns.max() - columns.min()), 5, "at least 5 px wide on the screen")

    def test_one_pixel_of_24_megapixels_is_seen_at_fit_to_window_and_hidden_by_a_lower_level(self) -> None:
        pixels = np.zeros((4000, 6000, 4), np.uint8)
        pixels[1500:2500, 2000:4000] = (150, 60, 40, 255)
        pixels[700, 5200] = (240, 255, 255, 255)
        marks = Marks(edge=EdgeMarks(specks=Length(value=0)))  # else clean-up drops it
        render = Render(encode_picture(pixels, "png"), "single", load_sheet("transparent"), marks)
        self.assertEqual(off_pixels(render).tolist(), [[700, 5200, 240]])
        fitted = Region(0, 500, 0, 750)
        rows, columns = np.nonzero((view(render, "white", 0.125, fitted) == PINK).all(-1))
        self.assertEqual((rows.min(), rows.max(), columns.min(), columns.max()), (85, 89, 648, 652), "5 px each way, round it")
        self.assertFalse((view(render, "white", 0.125, fitted, level=240) == PINK).all(-1).any())

    def test_single_pixels_apart_from_the_product_count_and_its_own_edge_does_not(self) -> None:
        solid = np.zeros((200, 200), bool)
        solid[50:150, 50:150] = True
        visible = solid.copy()
        visible[48:152, 48:152] = True  # a soft edge
        visible[10, 20] = True
        self.assertEqual(np.argwhere(apart(visible, solid, 3)).tolist(), [[10, 20]])


class ClipTest(unittest.TestCase):
    def test_what_is_white_what_is_short_and_what_is_lost(self) -> None:
        made = Scene(width=800, height=600, level=236, colour=(200, 196, 190), shadow=0.4).made()
        for level, white, lost in ((255, 0.0, 0.0), (170, 0.7, 0.2)):
            render = Render(made.png, "pot", load_sheet("white"), Marks(lift=LiftMarks(white_point=level)))
            shown = view(render, "clip", 1.0, Region(0, 600, 0, 800))
            plain, inside = made.alpha == 0, made.alpha == 1
            # Fine hatch on white: six of seven pixels stay white.
            share = float((shown[plain] == 255).all(-1).mean())
            self.assertGreaterEqual(share, white * 6 / 7)
            self.assertLess(share, 0.01 if white == 0 else 1)
            self.assertGreaterEqual(float((shown[inside] == PINK).all(-1).mean()), lost)
        # Yellow lets the paper through: 30 % of it.
        shown = view(
            Render(made.png, "pot", load_sheet("white"), Marks(lift=LiftMarks(white_point=255))), "clip", 1.0, Region(0, 40, 0, 40)
        )
        self.assertLess(np.abs(shown.astype(int).mean((0, 1)) - (np.array(YELLOW) * 0.7 + 0.3 * 225)).max(), 12)
