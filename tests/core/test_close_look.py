"""The close look: what it is good for, on photos that it was not taught on, and what holds whatever it sees."""

import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from bench.quality import photos, unit
from yardchalk.core.close_look import look_closely, open_of
from yardchalk.core.colour import Float
from yardchalk.core.render import Render
from yardchalk.core.settings import load_sheet
from yardchalk.core.stages.edge.between import paper_between

UNSEEN = {photo.stem[:7]: (photo, truth) for photo, truth in photos("unseen")}


def seen(number: str) -> tuple[Render, Float, Float, Float]:
    """A photo, its backdrop's light, its first matte by the second look, and true coverage."""
    photo, truth = UNSEEN[number]
    render = Render(photo.read_bytes(), photo.stem, load_sheet("transparent"))
    h, w = render.analysis.shape[:2]
    look = render.second_look
    return render, render.decisions.backdrop.light(w, h), np.where(look.product, look.coverage, np.float32(0)), unit(truth)


class CloseLookTest(unittest.TestCase):
    def test_partial_coverage_is_nearer_to_the_truth_than_before_it(self) -> None:
        for number in ("PW-3019", "PW-3103"):
            with self.subTest(number):
                render, light, first, true = seen(number)
                alpha = look_closely(render.analysis, light, first)
                soft = (true > 0.02) & (true < 0.98)
                before, after = (float(np.abs(values - true)[soft].mean()) for values in (first, alpha))
                self.assertLess(after, 0.7 * before)

    def test_between_fibres_it_sees_farther_in_but_not_into_what_is_like_paper(self) -> None:
        render, light, first, true = seen("PW-8007")  # twine on grey
        between = paper_between(render.analysis, light, first)
        fuzz = between & (first > 0.5) & (true < 0.5)
        self.assertGreater(int(fuzz.sum()), 2000)
        near, far = (np.abs(look_closely(render.analysis, light, first, None, wider) - true) for wider in (None, between))
        self.assertLess(float(far[between].mean()), 0.8 * float(near[between].mean()))
        for number in ("PW-8101", "PW-3151"):  # white plates, pale stone, both on white
            render, light, first, _ = seen(number)
            self.assertFalse(paper_between(render.analysis, light, first).any())

    def test_where_tiles_meet_nothing_is_seen(self) -> None:
        render, light, first, _ = seen("PW-3019")
        at = np.s_[16:, 30:]  # by even numbers: the network takes pixels two by two
        whole = look_closely(render.analysis, light, first)
        moved = look_closely(np.ascontiguousarray(render.analysis[at]), light[at], np.ascontiguousarray(first[at]))
        off = np.abs(whole[at] - moved)[40:-40, 40:-40]
        soft = ((first[at] > 0.02) & (first[at] < 0.98))[40:-40, 40:-40]
        self.assertLess(float(off[soft].mean()), 0.01)
        self.assertLess(float(np.quantile(off[soft], 0.99)), 0.08)

    def test_nothing_faint_is_shut_in_where_the_product_is_sure(self) -> None:
        for number in ("PW-3067", "PW-3115"):
            with self.subTest(number):
                render, light, first, _ = seen(number)
                alpha = look_closely(render.analysis, light, first)
                count, labels = cv2.connectedComponents((alpha < 0.98).view(np.uint8))
                ways_out = np.unique(labels[(alpha < 0.1) | ((first < 0.8) & (first > 0))])
                self.assertEqual(set(range(1, count)) - set(ways_out.tolist()), set())

    @settings(max_examples=12, deadline=None)
    @given(st.integers(3, 150), st.integers(3, 150), st.integers(0, 2**32 - 1))
    def test_any_picture_gets_a_matte_that_is_the_first_one_away_from_borders(self, width: int, height: int, seed: int) -> None:
        r = np.random.default_rng(seed)
        small = r.integers(0, 256, (5, 6, 4), np.uint8)
        made = cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC).reshape(height, width, 4)
        pixels, first = np.ascontiguousarray(made[..., :3]), np.clip(made[..., 3] / np.float32(100) - 1, 0, 1).astype(np.float32)
        light = np.full((height, width, 3), 0.8, np.float32)
        alpha = look_closely(pixels, light, first)
        self.assertEqual(alpha.shape, first.shape)
        self.assertTrue(((alpha >= 0) & (alpha <= 1)).all())
        np.testing.assert_array_equal(alpha[~open_of(first)], first[~open_of(first)] > 0.5)


if __name__ == "__main__":
    unittest.main()
