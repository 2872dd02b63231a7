"""What product is told from backdrop by: shade, chroma and steps, against what was put into the picture."""

import unittest

import cv2
import numpy as np

from tests.pictures import Made, Scene
from yardchalk.core.backdrop import fit_backdrop
from yardchalk.core.colour import Coded, Mask
from yardchalk.core.stages.clear.evidence import Evidence, gather_evidence, without_noise

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

    def test_noise_is_taken_from_a_picture_and_not_what_is_fainter_than_a_level(self) -> None:
        h, w = 800, 800
        light = np.stack([np.full((h, w), 200.0), np.broadcast_to(np.linspace(200, 210, w), (h, w)), np.full((h, w), 190.0)], -1)
        light[200:600, 300:500] -= 6
        noise = np.random.default_rng(7).normal(0, 2.5, light.shape)
        pixels = np.clip(np.round(light + noise), 0, 255).astype(np.uint8)
        backdrop = fit_backdrop(pixels)
        quiet = without_noise(pixels, backdrop)
        error = quiet.measured * (255 / np.iinfo(quiet.measured.dtype).max) - light
        inside = np.ones((h, w), bool)
        inside[190:610, 290:510] = False
        self.assertLess(float(error[inside].std()), 0.3 * 2.5)
        self.assertLess(abs(float(error[250:550, 350:450].mean())), 0.5, "a pale product")
        still = np.clip(np.round(light + noise / 5), 0, 255).astype(np.uint8)
        self.assertIs(without_noise(still, backdrop).measured, still, "what is quiet stays as it is")

    def test_the_close_look_gets_as_much_noise_as_it_sees_through_and_borders_that_are_sharp(self) -> None:
        light = np.full((1600, 1600, 3), 200.0)
        light[400:1200, 600:1000] = 120
        noise = cv2.GaussianBlur(np.random.default_rng(7).normal(0, 1, light.shape), (0, 0), 0.8)
        for loud, as_it_is in ((2, True), (9, False)):
            with self.subTest(loud=loud):
                pixels = np.clip(np.round(light + noise * loud), 0, 255).astype(np.uint8)
                quiet = without_noise(pixels, fit_backdrop(pixels))
                self.assertEqual(bool((quiet.closely == pixels).all()), as_it_is)
                left, softened = (
                    abs(picture[450:1150, 598:602].astype(float) - light[450:1150, 598:602]).mean()
                    for picture in (quiet.closely, quiet.looked_at)
                )
                if not as_it_is:
                    on_paper = [float((picture[450:1150, 50:500] - light[450:1150, 50:500]).std()) for picture in (pixels, quiet.closely)]
                    self.assertLess(on_paper[1], 0.7 * on_paper[0])
                    self.assertLess(left, 0.8 * softened)

    def test_noise_that_a_curve_has_made_louder_in_a_shadow_is_taken_there_too(self) -> None:
        down = np.interp(np.arange(800), (200, 600), (0, 1))
        light, loud = (np.broadcast_to((a + (b - a) * down)[:, None, None], (800, 800, 3)) for a, b in ((215, 110), (2.5, 7.5)))
        pixels = np.clip(np.round(light + np.random.default_rng(8).normal(0, 1, light.shape) * loud), 0, 255).astype(np.uint8)
        quiet = without_noise(pixels, fit_backdrop(pixels)).measured
        error = (quiet * (255 / np.iinfo(quiet.dtype).max) - light) / loud
        for rows in (slice(50, 180), slice(620, 750)):
            self.assertLess(float(error[rows].std()), 0.3)

    def test_a_weave_is_no_noise_of_the_shadows(self) -> None:
        y, x = np.mgrid[0:800, 0:800]
        weave = 12 * np.sin(y / 1.5) * np.sin(x / 1.5)
        cloth = np.zeros((800, 800), bool)
        cloth[250:550, 250:550] = True
        light = np.repeat(np.where(cloth, 110 + weave, 215.0)[..., None], 3, axis=2)
        pixels = np.clip(np.round(light + np.random.default_rng(9).normal(0, 2.5, light.shape)), 0, 255).astype(np.uint8)
        quiet = without_noise(pixels, fit_backdrop(pixels)).measured * (255 / np.iinfo(np.uint16).max)
        inside = np.s_[270:530, 270:530, 1]
        self.assertGreater(float(quiet[inside].std()), 0.9 * float(light[inside].std()))
        self.assertLess(float((quiet - light)[50:200].std()), 0.3 * 2.5)


if __name__ == "__main__":
    unittest.main()
