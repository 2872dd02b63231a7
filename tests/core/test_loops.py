"""The compiled loops against slow and plain ways to the same result."""

import unittest

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from yardchalk.core.codecs import decode_photo, encode_picture
from yardchalk.core.colour import (
    Float,
    Mask,
    area_mean,
    area_taps,
    codes_of_light,
    darkest,
    encode,
    light_of_codes,
    open_peak,
    resize_linear,
    to_linear,
)
from yardchalk.core.filing import sufficient_quality
from yardchalk.core.regions import HELD, Flood, pieces_of
from yardchalk.core.stages.edge.matte import Cutout
from yardchalk.core.stages.edge.samples import light_at, nearest_light
from yardchalk.core.stages.edge.smaller import made_smaller

masks = hnp.arrays(np.bool_, hnp.array_shapes(min_dims=2, max_dims=2, min_side=1, max_side=24))
IDENTITY = np.arange(65536).astype(np.uint16)


class RegionsTest(unittest.TestCase):
    @given(masks, st.booleans())
    def test_pieces_are_the_connected_components(self, mask: Mask, diagonal: bool) -> None:
        pieces = pieces_of(mask, diagonal=diagonal)
        n, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8 if diagonal else 4)
        self.assertEqual(pieces.area.size, n)
        # The same pieces, whatever their numbers.
        for i in range(1, n):
            theirs = labels == i
            ours = set(np.unique(pieces.labels[theirs]).tolist())
            self.assertEqual(len(ours), 1)
            (k,) = ours
            self.assertEqual(int(pieces.area[k]), int(theirs.sum()))
            self.assertEqual(list(pieces.rect(k)), stats[i, :4].tolist())
        values = np.dstack([mask * 3.0, labels.astype(float)]).astype(np.float32)
        np.testing.assert_allclose(pieces.means(values)[1:, 0], 3)
        np.testing.assert_array_equal(pieces.chosen(np.arange(n) % 2 == 1), pieces.labels % 2 == 1)

    @given(hnp.arrays(np.uint8, (14, 17), elements=st.integers(0, 9)), st.lists(st.integers(1, 10), min_size=1, max_size=5))
    def test_a_flood_in_rounds_reaches_what_one_of_its_last_level_would(self, cost: np.ndarray, levels: list[int]) -> None:
        seeds = np.zeros(cost.shape, bool)
        seeds[0, 0] = seeds[7, 9] = True
        flood = Flood(cost.astype(np.float32), seeds)
        for level in sorted(levels):
            flood.rise(level)
            flood.settle()
        pieces = pieces_of((cost < max(levels)) | seeds, diagonal=False)
        chosen = np.zeros(pieces.area.size, bool)
        chosen[pieces.labels[seeds]] = True
        np.testing.assert_array_equal(flood.reached, pieces.chosen(chosen))

    def test_what_is_held_is_not_crossed_in_later_rounds(self) -> None:
        cost = np.ones((5, 9), np.float32)
        cost[:, 4] = 5
        seeds = np.zeros(cost.shape, bool)
        seeds[:, 0] = True
        flood = Flood(cost, seeds)
        self.assertEqual(flood.rise(2), 15)
        flood.settle()
        self.assertEqual(flood.rise(6), 25)
        flood.state[:, 4:] = HELD
        flood.settle()
        self.assertEqual(flood.rise(9), 0)
        np.testing.assert_array_equal(flood.reached, np.arange(9)[None] < np.full((5, 1), 4))


class PixelsTest(unittest.TestCase):
    @given(st.integers(1, 40), st.integers(1, 40), st.integers(1, 4), st.floats(0.05, 1), st.integers(0, 1000))
    def test_the_area_mean_keeps_the_mean_and_a_region_is_a_piece_of_the_whole(
        self, w: int, h: int, channels: int, share: float, seed: int
    ) -> None:
        values = np.random.default_rng(seed).integers(0, 65536, (h, w, channels), np.uint16)
        width, height = max(1, round(w * share)), max(1, round(h * share))
        whole = area_mean(values, IDENTITY, IDENTITY, width, height)
        self.assertEqual(whole.shape, (height, width, channels))
        np.testing.assert_allclose(whole.mean((0, 1)), values.mean((0, 1)), atol=1.5)
        rows, columns = slice(height // 3, height), slice(width // 4, width)
        np.testing.assert_array_equal(area_mean(values, IDENTITY, IDENTITY, width, height, (rows, columns)), whole[rows, columns])

    def test_whole_numbers_of_pixels_average_exactly(self) -> None:
        values = np.random.default_rng(1).integers(0, 65536, (12, 20, 3), np.uint16)
        plain = values.reshape(4, 3, 5, 4, 3).mean((1, 3))
        np.testing.assert_allclose(area_mean(values, IDENTITY, IDENTITY, 5, 4), plain, atol=0.51)

    @given(st.integers(1, 30), st.integers(1, 30), st.sampled_from([np.uint8, np.uint16]), st.floats(1, 60), st.integers(0, 1000))
    def test_enlarging_is_cubic_convolution_in_light_and_a_region_is_a_piece_of_the_whole(
        self, w: int, h: int, dtype: type, factor: float, seed: int
    ) -> None:
        values = np.random.default_rng(seed).integers(0, np.iinfo(dtype).max + 1, (h, w, 3), dtype)
        width, height = round(w * factor) + 1, round(h * factor) + 1
        whole = resize_linear(values, width, height)
        light = light_of_codes(np.dtype(dtype))
        plain = codes_of_light(np.dtype(dtype))[cv2.resize(light[values], (width, height), interpolation=cv2.INTER_CUBIC)]
        # Rounded to 16 bits of light, which near black are coarser than codes.
        np.testing.assert_allclose(light[whole].astype(int), light[plain].astype(int), atol=600 if dtype == np.uint8 else 4)
        self.assertLessEqual(np.count_nonzero(whole != plain), 3 + 0.02 * whole.size)
        rows, columns = slice(height // 3, height), slice(width // 4, width)
        np.testing.assert_array_equal(resize_linear(values, width, height, (rows, columns)), whole[rows, columns])

    @given(hnp.arrays(np.uint8, (6, 7, 4)))
    def test_darkest_and_open_peak(self, pixels: np.ndarray) -> None:
        np.testing.assert_array_equal(darkest(pixels), pixels[..., :3].min(2))
        np.testing.assert_array_equal(open_peak(pixels), np.where(pixels[..., :3] == 255, 0, pixels[..., :3]).max(2))


class QualityTest(unittest.TestCase):
    def test_the_quality_found_on_the_mixed_blocks_is_the_one_that_whole_files_show(self) -> None:
        for seed, shape in ((1, (90, 130)), (2, (64, 64)), (3, (77, 41))):
            pixels, away = self._spotted(seed, shape)
            found = sufficient_quality(pixels, away, 80)
            for quality in (80, 95, 97, 99, 100):
                low = int(decode_photo(encode_picture(pixels, "jpeg", quality=quality), "x").pixels.min(2)[away].min())
                if low >= 250 or quality == 100:
                    self.assertEqual(found, quality)
                    break
        white = np.full((40, 40, 3), 255, np.uint8)
        self.assertEqual(sufficient_quality(white, np.ones((40, 40), bool), 80), 80)

    def _spotted(self, seed: int, shape: tuple[int, int]) -> tuple[np.ndarray, Mask]:
        rng = np.random.default_rng(seed)
        spots: Float = cv2.GaussianBlur(rng.random(shape).astype(np.float32), (0, 0), 5)
        inside = spots > np.quantile(spots, 0.8)
        pixels = np.full((*shape, 3), 255, np.uint8)
        pixels[inside] = rng.integers(0, 200, (int(inside.sum()), 3), np.uint8)
        return pixels, cv2.dilate(inside.astype(np.uint8), np.ones((7, 7), np.uint8)) == 0


if __name__ == "__main__":
    unittest.main()


class EdgeTest(unittest.TestCase):
    @given(hnp.arrays(np.uint8, (9, 11, 3)), hnp.arrays(np.bool_, (9, 11)))
    def test_the_nearest_seeds_light_is_that_of_it_and_the_seeds_beside_it(self, pixels: np.ndarray, seeds: Mask) -> None:
        rows, columns = np.nonzero(~seeds)
        found = nearest_light(pixels, seeds, rows, columns)
        light = to_linear(pixels)
        if not seeds.any():
            np.testing.assert_allclose(found, light_at(pixels, rows, columns))
            return
        # Beyond the frame lies what lies along it.
        light, there, places = np.pad(light, ((1, 1), (1, 1), (0, 0)), "edge"), np.pad(seeds, 1, "edge"), np.argwhere(seeds)
        for at, told in zip(np.stack([rows, columns], 1), found, strict=True):
            off = np.hypot(*(places - at).T)
            # Distances by a mask of 5 x 5 are good to a few hundredths; of those as near, any may be it.
            told_by = []
            for y, x in places[off <= 1.03 * off.min() + 0.05]:
                near = np.s_[y : y + 3, x : x + 3]
                told_by.append(light[near][there[near]].mean(0))
            self.assertLess(float(np.abs(np.array(told_by) - told[:3]).max(1).min()), 1e-4)

    @given(
        hnp.arrays(np.uint8, (12, 15, 3)),
        hnp.arrays(np.float32, (12, 15), elements=st.floats(0, 1, width=16)),
        st.integers(1, 12),
        st.booleans(),
    )
    def test_what_is_made_smaller_keeps_its_coverage_and_its_light(self, pixels: np.ndarray, alpha: Float, width: int, drawn: bool) -> None:
        rows, columns = np.nonzero((alpha > 0) & (alpha < 1))
        own = np.random.default_rng(1).random((rows.size, 3), np.float32)
        small = made_smaller(Cutout(alpha, rows, columns, own, drawn), pixels, width, 4)
        # As it is mixed: in light, or in codes if it was drawn.
        whole: Float = (pixels / np.float32(255) if drawn else to_linear(pixels)).astype(np.float32)
        whole[rows, columns] = encode(own) if drawn else own
        (left, across), (above, down) = area_taps(15, width, 0, width), area_taps(12, 4, 0, 4)

        def mean(values: Float, y: int, x: int) -> Float:
            part = values[above[y] : above[y] + down.shape[0], left[x] : left[x] + across.shape[0]]
            return np.einsum("v,u,vu...->...", down[: part.shape[0], y], across[: part.shape[1], x], part)

        listed = {(y, x): colour for y, x, colour in zip(small.rows, small.columns, small.colour, strict=True)}
        for y in range(4):
            for x in range(width):
                covered = float(mean(alpha, y, x))
                # Next to none is none, and next to all is all.
                self.assertAlmostEqual(float(small.alpha[y, x]), covered, delta=1e-5 if 0.0101 < covered < 0.9959 else 0.0101)
                if (y, x) in listed and covered > 0.05:
                    light = encode(listed[y, x]) if drawn else listed[y, x]
                    np.testing.assert_allclose(light * covered, mean(whole * alpha[..., None], y, x), atol=0.003)
