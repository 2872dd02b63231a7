"""What the networks are taught on: the photo and its truth are of one another, and every lesson can be made again."""

import unittest

import cv2
import numpy as np
import simplejpeg
from hypothesis import given, settings
from hypothesis import strategies as st

from teaching.camera import Carelessness, Layers, Taken, cast_shadow, contact_shadow, grained, layers_of, mirroring, photo_of
from teaching.drawings import a_print, an_icon
from teaching.inks import cut_out, printed
from tests.pictures import Scene
from yardchalk.core.colour import Float, decode

SEEDS = settings(max_examples=12, deadline=None)
some_seed = given(seed=st.integers(0, 10_000))


def layers() -> Layers:
    made = Scene(width=240, height=180, noise=0).made()
    return Layers(made.product * made.alpha[..., None], made.alpha, made.backdrop)


def light_of(taken: Taken) -> Float:
    return decode(simplejpeg.decode_jpeg(taken.data, "RGB") / np.float32(255))


class LessonTest(unittest.TestCase):
    def assert_true(self, taken: Taken) -> None:
        """Where the product covers all, the photo shows its share of the light alone; where it covers nothing, it has none."""
        self.assertGreaterEqual(float(taken.coverage.min()), 0)
        self.assertLessEqual(float(taken.coverage.max()), 1)
        self.assertLess(float(taken.product[taken.coverage == 0].max(initial=0)), 1e-3)
        # Away from edges, which JPEG smears.
        whole = cv2.erode((taken.coverage > 0.999).view(np.uint8), np.ones((9, 9), np.uint8)) > 0
        if whole.sum() > 500:
            self.assertLess(float(np.median(np.abs(light_of(taken) - taken.product)[whole])), 0.06)

    @SEEDS
    @some_seed
    def test_a_photo_is_of_its_truth_and_is_the_same_again(self, seed: int) -> None:
        with_print, with_shadow = 0.5 * (seed % 3), 0.5 * (seed % 2)
        taken, again = (
            photo_of(layers(), 236, np.random.default_rng(seed), print_share=with_print, flat=seed % 2 > 0, shadow_share=with_shadow)
            for _ in range(2)
        )
        self.assertEqual(taken.data, again.data)
        self.assert_true(taken)
        seen = light_of(taken)
        free = taken.coverage == 0
        self.assertTrue(60 <= np.median(255 * seen[free][:, 1] ** (1 / 2.2)) <= 252, "exposed for the paper")

    @SEEDS
    @some_seed
    def test_a_careless_photo_has_its_product_where_its_truth_says(self, seed: int) -> None:
        made = layers()
        pot = Layers(np.float32(0.25) * made.product, made.coverage, made.backdrop)  # so dark that no exposure takes it for paper
        how = Carelessness.any(np.random.default_rng(seed))
        taken, again = (photo_of(pot, 236, np.random.default_rng(seed), how) for _ in range(2))
        self.assertEqual(taken.data, again.data)
        seen = light_of(taken)[..., 1]
        whole, free = taken.coverage > 0.99, taken.coverage == 0
        self.assertLess(float(np.median(seen[whole])), float(np.median(seen[free])))
        # What moves an edge without moving its truth would be a lie: there would be paper where it says product. Where it says
        # paper, a shadow may be as dark as half of the step.
        step = np.median(seen[free]) - np.median(seen[whole])
        light = seen > np.median(seen[free]) - step / 2
        well_inside = cv2.erode((taken.coverage > 0.95).view(np.uint8), np.ones((3, 3), np.uint8)) > 0
        self.assertLess(float(light[well_inside].mean()), 0.002)

    @SEEDS
    @some_seed
    def test_print_lies_on_what_is_solid_and_gives_back_no_more_than_white(self, seed: int) -> None:
        made = layers()
        bare = printed(made.product, made.coverage, made.backdrop, np.random.default_rng(seed))
        changed = np.abs(bare - made.product).max(2) > 1e-5
        self.assertTrue((made.coverage[changed] > 0.99).all())
        self.assertLess(float(bare.max()), 1.4 * float(made.backdrop.max()))
        if changed.any():
            self.assertGreater(float(bare[changed].min()), -1e-6)

    @SEEDS
    @some_seed
    def test_holes_show_the_backdrop_in_their_shade_and_nothing_of_the_product(self, seed: int) -> None:
        made = layers()
        product, coverage, backdrop = cut_out(made.product, made.coverage, made.backdrop, np.random.default_rng(seed))
        self.assertTrue((coverage <= made.coverage).all() and (product <= made.product).all() and (backdrop <= made.backdrop).all())
        self.assertTrue((made.coverage[coverage < made.coverage] > 0.99).all(), "away from the border")
        np.testing.assert_allclose(product * made.coverage[..., None], made.product * coverage[..., None], atol=1e-5)
        open_ = (coverage == 0) & (made.coverage > 0.99)
        if open_.any():
            self.assertGreater(float(backdrop[open_].min()), 0.1 * float(made.backdrop.min()))

    @SEEDS
    @some_seed
    def test_drawings_are_of_their_truth(self, seed: int) -> None:
        for drawn in (a_print, an_icon):
            taken, again = (drawn(np.random.default_rng(seed), 160) for _ in range(2))
            self.assertEqual(taken.data, again.data)
            self.assert_true(taken)

    @SEEDS
    @some_seed
    def test_shadow_gloss_and_grain_add_no_light_of_their_own(self, seed: int) -> None:
        made, r = layers(), np.random.default_rng(seed)
        for factors in contact_shadow(made.coverage, np.pi / 2, r):
            self.assertTrue(0 < factors.min() <= factors.max() <= 1)
        thrown = cast_shadow(made.coverage, r)
        self.assertTrue(0.1 <= thrown.min() < 0.95 and thrown.max() <= 1)
        self.assertAlmostEqual(float(np.median(thrown[made.coverage == 0])), 1, delta=0.01, msg="most of the paper lies in no shadow")
        glossy = mirroring(made.product, made.coverage, made.backdrop, r)
        most = np.maximum(made.product, 1.1 * made.coverage[..., None] * made.backdrop)
        self.assertTrue((glossy >= -1e-6).all() and (glossy <= most + 1e-5).all())
        self.assertAlmostEqual(float(np.log(grained(made.backdrop, r) / made.backdrop).mean()), 0, delta=0.01)

    def test_what_was_rendered_is_parted_into_what_it_was_made_of(self) -> None:
        made = layers()
        behind = made.backdrop * (1 - made.coverage)[..., None]
        parted = layers_of(np.dstack([made.product + behind, made.coverage, made.product]).astype(np.float32))
        np.testing.assert_array_equal(parted.coverage, made.coverage)
        seen = made.coverage < 0.5
        self.assertLess(float(np.abs(parted.backdrop - made.backdrop)[seen].mean()), 0.01)
        self.assertLess(float(np.abs(parted.product - made.product).mean()), 0.01)
