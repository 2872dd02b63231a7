"""What product is told from backdrop by: shade, chroma and steps, against what was put into the picture."""

import unittest

import cv2
import numpy as np

from tests.pictures import Made, Scene
from yardchalk.core.backdrop import fit_backdrop
from yardchalk.core.colour import Coded, Mask
from yardchalk.core.stages.clear.evidence import Evidence, gather_evidence

BORDER = 19.0  # units of noise; a border that is lower holds no flood back to the end


def seen(pixels: Coded) -> Evidence:
    return gather_evidence(pixels, fit_backdrop(pixels), pixels)


def paper(made: Made) -> Mask:
    """What is backdrop, well away from the product."""
    return cv2.dilate((made.alpha > 0).view(np.uint8), np.ones((25, 25), np.uint8)) == 0


def outline(made: Made) -> Mask:
    return np.abs(made.alpha - 0.5) < 0.2


class EvidenceTest(unittest.TestCase):
    def test_chroma_is_the_products_against_the_backdrop_whatever_the_lamp(self) -> None:
        scene = Scene(noise=0.003)
        product = scene.made().alpha == 1
        white, warm = (seen(scene.but(lamp=lamp).made().pixels).features[product].mean(0) for lamp in ((1, 1, 1), (1, 0.85, 0.6)))
        np.testing.assert_allclose(white[1:], warm[1:], atol=0.03)
        self.assertGreater(float(white[1]), 0.5, "red over green, of a red pot")

    def test_noise_is_measured_as_it_was_put(self) -> None:
        less, more = (seen(Scene(noise=noise).made().pixels).shade_noise for noise in (0.01, 0.02))
        self.assertTrue(0.006 < less < 0.012, less)
        self.assertTrue(1.7 < more / less < 2.3, more / less)

    def test_a_products_border_is_steep_and_a_soft_shadows_is_not(self) -> None:
        for seed in range(3):
            with self.subTest(seed=seed):
                made = Scene(shadow=0.5, seed=seed).made()
                steps = seen(made.pixels).steps
                self.assertGreater(float(np.percentile(steps[outline(made)], 5)), 2 * BORDER)
                self.assertLess(float(np.percentile(steps[paper(made)], 99)), BORDER / 2)


if __name__ == "__main__":
    unittest.main()
