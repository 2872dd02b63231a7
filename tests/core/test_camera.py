"""Pictures for teaching: what is made of a scene still fits its truth."""

import unittest

import cv2
import numpy as np

from teaching.camera import Layers, contact_shadow, grained, mirroring, packed, photo_of
from yardchalk.core.codecs import decode_photo
from yardchalk.core.colour import decode

SIZE = 200


def _disc() -> np.ndarray:
    there = np.zeros((SIZE, SIZE), np.uint8)
    cv2.circle(there, (SIZE * 4, SIZE * 4), SIZE * 2, 255, -1, cv2.LINE_AA, 3)
    return (there / np.float32(255)).astype(np.float32)


class CameraTest(unittest.TestCase):
    def test_a_contact_shadow_deepens_towards_the_product_on_its_own_side(self) -> None:
        coverage = _disc()
        above, below = SIZE // 4, 3 * SIZE // 4
        for seed in range(20):
            behind, before = contact_shadow(coverage, np.pi / 2, np.random.default_rng(seed))
            for factors in (behind, before):
                self.assertTrue(((factors > 0) & (factors <= 1)).all())
            middle = behind[:, SIZE // 2]
            self.assertTrue((np.diff(middle[below + 2 : -8]) >= -1e-6).all())
            self.assertLess(middle[below + 2], middle[above - 2])
            self.assertGreater(middle[above - 2], 0.7)

    def test_what_is_the_products_stays_within_its_coverage(self) -> None:
        coverage = _disc()
        light = np.full((SIZE, SIZE, 3), 0.8, np.float32)
        own = coverage[..., None] * np.array([0.1, 0.3, 0.2], np.float32)
        for seed in range(20):
            made = mirroring(own, coverage, light, np.random.default_rng(seed))
            self.assertTrue((made[coverage == 0] == 0).all())
            self.assertTrue((made <= coverage[..., None] * 0.88 + 1e-6).all())
            np.testing.assert_allclose(made[SIZE // 2, SIZE // 2], own[SIZE // 2, SIZE // 2], atol=1e-3)

    def test_grain_leaves_the_papers_light_as_it_is_on_the_whole(self) -> None:
        paper = np.full((SIZE, SIZE, 3), 0.5, np.float32)
        for seed in range(20):
            made = grained(paper, np.random.default_rng(seed))
            self.assertAlmostEqual(float(made.mean()), 0.5, delta=0.02)
            self.assertLess(float(made.std()), 0.05)

    def test_another_jpeg_changes_little_but_the_colour_beside_a_border(self) -> None:
        pixels = np.where(_disc()[..., None] > 0.5, np.array([190, 60, 30], np.uint8), np.array([215, 215, 215], np.uint8))
        for seed in range(20):
            made = packed(pixels, np.random.default_rng(seed)).astype(np.float32)
            self.assertLess(float(np.abs(made.mean(2) - pixels.mean(2)).mean()), 4)
            self.assertLess(float(np.abs(made[:20] - 215).max()), 4)

    def test_a_photo_shows_what_its_truth_says(self) -> None:
        coverage = _disc()
        layers = Layers(coverage[..., None] * np.array([0.3, 0.1, 0.05], np.float32), coverage, np.full((SIZE, SIZE, 3), 0.8, np.float32))
        for seed in range(20):
            taken = photo_of(layers, 235, np.random.default_rng(seed))
            seen = decode(decode_photo(taken.data, "made").pixels / np.float32(255))
            inside, outside = taken.coverage == 1, taken.coverage == 0
            self.assertLess(float(np.abs(seen - taken.product)[inside].mean()), 0.01)
            self.assertLess(float(taken.product[outside].max()), 1e-3)
            self.assertTrue((taken.product <= taken.coverage[..., None] + 1e-3).all())
            self.assertAlmostEqual(float(np.median(seen[outside][:, 1])), float(decode(np.array(235 / 255))), delta=0.2)
