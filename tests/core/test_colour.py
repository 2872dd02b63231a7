import unittest

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from yardchalk.core import colour
from yardchalk.core.stages.edge.page_true import page_true

unit = st.floats(0, 1, width=32)


class TransferTest(unittest.TestCase):
    def test_every_code_survives_linear_light(self) -> None:
        for dtype in (np.uint8, np.uint16):
            codes = np.arange(np.iinfo(dtype).max + 1, dtype=dtype).reshape(1, -1, 1).repeat(3, 2)
            back = colour.to_coded(colour.to_linear(codes), dtype)
            # 16-bit codes near black are finer than the table's step in light.
            worst = np.abs(back.astype(int) - codes.astype(int)).max()
            self.assertLessEqual(worst, 0 if dtype == np.uint8 else 8)

    @given(hnp.arrays(np.float32, 20, elements=unit))
    def test_encode_undoes_decode(self, values: colour.Float) -> None:
        np.testing.assert_allclose(colour.encode(colour.decode(values)), values, atol=2e-6)

    def test_half_black_half_white_averages_to_half_the_light(self) -> None:
        checks = np.indices((64, 64)).sum(0) % 2 * 255
        small = colour.resize_linear(checks.astype(np.uint8)[..., None].repeat(3, 2), 16, 16)
        self.assertTrue((np.abs(small.astype(int) - 188) <= 1).all(), "a mean of coded values would give 128")

    def test_newly_clipped_counts_the_channels_that_had_not_been(self) -> None:
        before = np.array([[[255, 250, 10], [255, 255, 255], [240, 240, 240], [255, 10, 10]]], np.uint8)
        after = np.array([[[255, 255, 10], [255, 255, 255], [255, 255, 255], [255, 20, 20]]], np.uint8)
        full, none = colour.newly_clipped(before, after)
        self.assertEqual(full.tolist(), [[1, 0, 3, 0]])
        self.assertEqual(none.tolist(), [[0, 0, 0, 0]])
        self.assertEqual(colour.newly_clipped(255 - before, 255 - after)[1].tolist(), [[1, 0, 3, 0]])
        self.assertEqual(colour.open_peak(before).tolist(), [[250, 0, 240, 10]])

    def test_lab_agrees_with_opencv(self) -> None:
        rng = np.random.default_rng(3)
        pixels = rng.integers(0, 256, (8, 8, 3), np.uint8)
        theirs = cv2.cvtColor(pixels.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
        np.testing.assert_allclose(colour.to_lab(pixels), theirs, atol=0.6)


class PageTrueTest(unittest.TestCase):
    @given(hnp.arrays(np.float32, 30, elements=st.floats(0.03125, 1, width=32)), hnp.arrays(np.float32, (30, 1), elements=unit))
    def test_a_browsers_blend_of_greys_is_what_light_would_mix(self, alpha: colour.Float, grey: colour.Float) -> None:
        light = np.repeat(grey, 3, 1)
        a, coded = page_true(alpha, light)
        for card in (0.0, 1.0):
            blended = a[:, None] * coded + (1 - a[:, None]) * card
            true = colour.encode(alpha[:, None] * light + (1 - alpha[:, None]) * card)
            np.testing.assert_allclose(blended, true, atol=0.004)

    def test_a_products_colours_come_out_far_closer_than_plain_coverage(self) -> None:
        rng = np.random.default_rng(5)
        alpha = rng.uniform(0.05, 1, 400).astype(np.float32)
        light = (rng.uniform(0.05, 0.8, (400, 1)) * rng.uniform(0.85, 1.15, (400, 3))).astype(np.float32)
        a, coded = page_true(alpha, light)
        for card in (0.0, 1.0):
            true = colour.encode(alpha[:, None] * light + (1 - alpha[:, None]) * card)
            ours = np.clip(a[:, None] * coded + (1 - a[:, None]) * card, 0, 1)
            plain = alpha[:, None] * colour.encode(light) + (1 - alpha[:, None]) * card
            off, plain_off = (
                colour.delta_e(*(colour.to_lab((v * 65535).astype(np.uint16)[None]) for v in (picture, true))).mean()
                for picture in (ours, plain)
            )
            self.assertLess(off, plain_off / 2)
