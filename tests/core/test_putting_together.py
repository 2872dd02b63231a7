"""Laws of what pixels are put together from: where the outline runs, the blend on a card and as RGBA, and pieces that fill a hole."""

import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from yardchalk.core.colour import Coded, decode, encode
from yardchalk.core.compose import cut_out, mixed, on_card, toned
from yardchalk.core.stages.edge.contour import USUAL_SPREAD, coverage_at, measured_spread, signed_distance
from yardchalk.core.stages.edge.matte import Cutout
from yardchalk.core.stages.lift import Tone
from yardchalk.core.stages.mend.synthesis import filled_from, synthesise

SEEDS = st.integers(0, 2**32 - 1)
EVEN = np.ones((1, 1), np.float32)
LINE = np.arange(65536, dtype=np.uint16)
PLAIN = Tone(None, np.stack([LINE] * 3), plain=True)
HALF = Tone(None, np.stack([LINE // 2] * 3), plain=False)


def cutout(r: np.random.Generator, shape: tuple[int, int]) -> Cutout:
    """Product in the middle, a band of any coverage and colour round it, backdrop beyond."""
    y, x = np.mgrid[: shape[0], : shape[1]]
    away = np.hypot(y - shape[0] / 2, x - shape[1] / 2)
    alpha = (away < 8).astype(np.float32)
    rows, columns = np.nonzero((away >= 8) & (away < 12))
    alpha[rows, columns] = r.choice([0, 1, *r.random(5)], rows.size)
    return Cutout(alpha, rows, columns, r.random((rows.size, 3), np.float32))


class OutlineTest(unittest.TestCase):
    @given(st.floats(0, 2 * np.pi), st.floats(-12, 12), st.sampled_from([0.45, 0.75, 1.1, 2.0]))
    def test_distance_is_that_to_a_straight_outline_wherever_it_runs(self, angle: float, offset: float, spread: float) -> None:
        y, x = np.mgrid[-40:41, -40:41].astype(np.float32)
        true = x * np.cos(angle) + y * np.sin(angle) - offset
        found = signed_distance(coverage_at(true, spread))
        # Not where the picture's own border is nearer than the outline could go on.
        sure = (np.abs(true) < 10) & (np.hypot(x, y) < 28)
        self.assertLess(float(np.abs(found - true)[sure].max()), 0.5)
        self.assertLess(float(np.abs(found - true)[sure].mean()), 0.3)

    def test_where_nothing_is_covered_the_outline_is_as_far_as_is_told(self) -> None:
        self.assertEqual(float(signed_distance(np.zeros((20, 30), np.float32)).max()), -64)

    @given(SEEDS, st.sampled_from([0.45, 0.75, 1.1, 1.6, 2.5]))
    def test_the_spread_of_edges_is_measured_in_noise(self, seed: int, spread: float) -> None:
        r = np.random.default_rng(seed)
        d = r.uniform(-6, 6, 3000).astype(np.float32)
        behind, front = r.uniform(0.6, 0.9, d.size).astype(np.float32), r.uniform(0.02, 0.3, d.size).astype(np.float32)
        seen = behind + (front - behind) * coverage_at(d, spread) + r.normal(0, 0.01, d.size).astype(np.float32)
        everywhere = np.ones(d.size, bool)
        self.assertAlmostEqual(measured_spread(d, seen, behind, front, everywhere), spread, delta=0.16 * spread)
        self.assertEqual(measured_spread(d, seen, behind, front, d > 9), USUAL_SPREAD, "too little to measure by")


class BlendTest(unittest.TestCase):
    @given(SEEDS, st.sampled_from([np.uint8, np.uint16]), st.sampled_from([PLAIN, HALF]))
    def test_rgba_laid_on_a_card_is_what_the_card_view_shows(self, seed: int, dtype: type, tone: Tone) -> None:
        r = np.random.default_rng(seed)
        full = float(np.iinfo(dtype).max)
        pixels: Coded = r.integers(0, int(full) + 1, (30, 34, 3)).astype(dtype)
        card = r.integers(0, 256, (30, 34, 3)).astype(np.uint8)
        cut = cutout(r, (30, 34))
        shown = on_card(pixels, EVEN, tone, cut, card)
        rgba = cut_out(pixels, EVEN, tone, cut, for_pages=False)
        alpha = rgba[..., 3:] / np.float32(full)
        light = alpha * decode(rgba[..., :3] / np.float32(full)) + (1 - alpha) * decode(card / np.float32(255))
        off = np.abs(encode(light) * 255 - shown / np.float32(full) * 255)
        # Coverage is stored in as many steps as colour: dark light over a light card changes by more than a code with each.
        self.assertLess(float(off.max()), 4)
        self.assertLess(float(off.mean()), 0.3)
        np.testing.assert_array_equal(shown[cut.alpha == 0], card[cut.alpha == 0] * (dtype(full) // 255))
        self.assertFalse(rgba[cut.alpha == 0].any(), "nothing is left where nothing is covered")
        inside = cut.alpha == 1
        inside[cut.rows, cut.columns] = False
        np.testing.assert_array_equal(shown[inside], toned(pixels, EVEN, tone)[inside])
        if tone.plain:
            np.testing.assert_array_equal(rgba[inside][:, :3], pixels[inside], "the very codes of the photo")

    @given(SEEDS)
    def test_what_is_mixed_lies_between_and_is_exact_at_either_end(self, seed: int) -> None:
        r = np.random.default_rng(seed)
        a, b = r.integers(0, 256, (2, 12, 12, 3)).astype(np.uint8)
        mask = r.choice(np.array([0, 0.3, 0.8, 1], np.float32), (12, 12))
        out = mixed(a, b, mask)
        np.testing.assert_array_equal(out[mask == 1], a[mask == 1])
        np.testing.assert_array_equal(out[mask == 0], b[mask == 0])
        self.assertTrue(((out >= np.minimum(a, b)) & (out <= np.maximum(a, b))).all())


class PiecesTest(unittest.TestCase):
    @settings(max_examples=15)
    @given(st.integers(0, 5), st.integers(3, 9), st.integers(3, 9))
    def test_a_hole_in_a_pattern_gets_the_pattern_from_what_is_known(self, seed: int, half_height: int, half_width: int) -> None:
        values = self.pattern()
        hole = np.zeros(values.shape[:2], bool)
        hole[32 - half_height : 32 + half_height, 40 - half_width : 40 + half_width] = True
        spoiled = np.where(hole[..., None], np.float32(0.5), values)
        source = synthesise(spoiled, hole, seed)
        assert source is not None
        from_there = source[hole]
        self.assertFalse(hole[from_there[:, 0], from_there[:, 1]].any(), "nothing is copied from the hole")
        np.testing.assert_array_equal(source[~hole], np.argwhere(~hole))
        np.testing.assert_array_equal(source, synthesise(spoiled, hole, seed), "the same each time")
        filled = filled_from(spoiled, hole, source)
        np.testing.assert_array_equal(filled[~hole], values[~hole])
        self.assertLess(float(np.abs(filled - values)[hole].mean()), 0.04)

    def test_where_no_whole_piece_is_known_nothing_is_made_up(self) -> None:
        hole = np.ones((20, 20), bool)
        hole[:5] = False
        self.assertIsNone(synthesise(np.zeros((20, 20, 4), np.float32), hole))

    def pattern(self) -> NDArray[np.float32]:
        y, x = np.mgrid[:64, :80]
        stripes = ((x + 2 * y) % 10 < 5).astype(np.float32)
        colour = np.dstack([0.2 + 0.6 * stripes, 0.7 - 0.3 * stripes, np.full_like(stripes, 0.4)])
        return np.dstack([cv2.GaussianBlur(colour, (0, 0), 0.8), np.ones_like(stripes)])


if __name__ == "__main__":
    unittest.main()
