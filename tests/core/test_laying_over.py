"""What regions say of coverage, laid over the solved matte."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from yardchalk.core.colour import to_linear
from yardchalk.core.stages.clear.region_list import Overlay
from yardchalk.core.stages.edge.matte import Cutout
from yardchalk.core.stages.edge.overlay import lay_over

H, W = 60, 80
WHOLE = slice(0, H), slice(0, W)


def made_up(seed: int) -> tuple[Cutout, Overlay, np.ndarray]:
    """A matte with a soft border and freed colours in it, an overlay at half its size, and coded pixels."""
    r = np.random.default_rng(seed)
    across = np.linspace(-1, 2, W, dtype=np.float32)[None] + r.normal(0, 0.05, (H, 1)).astype(np.float32)
    alpha = np.clip(across, 0, 1)
    rows, columns = np.nonzero((alpha > 0) & (alpha < 1))
    cut = Cutout(alpha, rows, columns, r.random((rows.size, 3), np.float32))
    nothing = np.zeros((H // 2, W // 2), np.uint8)
    overlay = Overlay(np.full_like(nothing, 255), nothing, nothing, nothing, nothing)
    return cut, overlay, r.integers(0, 256, (H, W, 3), np.uint8)


def laid(cut: Cutout, overlay: Overlay, pixels: np.ndarray, at: tuple[slice, slice] = WHOLE) -> Cutout:
    rows, columns = at
    inside = (cut.rows >= rows.start) & (cut.rows < rows.stop) & (cut.columns >= columns.start) & (cut.columns < columns.stop)
    part = Cutout(cut.alpha[at], cut.rows[inside] - rows.start, cut.columns[inside] - columns.start, cut.colour[inside])
    return lay_over(part, overlay, np.ascontiguousarray(pixels[at]), (H, W), at, {}, {}, {})


class LayingOverTest(unittest.TestCase):
    @given(st.integers(0, 99))
    def test_where_nothing_is_said_the_solved_matte_stands(self, seed: int) -> None:
        cut, overlay, pixels = made_up(seed)
        after = laid(cut, overlay, pixels)
        np.testing.assert_array_equal(after.alpha, cut.alpha)
        np.testing.assert_array_equal(after.colour, cut.colour)

    @given(st.integers(0, 99), st.integers(6, H // 2 - 6), st.integers(6, W // 2 - 6))
    def test_what_is_kept_or_dropped_is_that_and_the_rest_stays(self, seed: int, y: int, x: int) -> None:
        cut, overlay, pixels = made_up(seed)
        for said in (255, 0):
            scale, offset = overlay.scale.copy(), overlay.offset.copy()
            scale[y - 4 : y + 4, x - 4 : x + 4], offset[y - 4 : y + 4, x - 4 : x + 4] = 0, said
            alpha = laid(cut, replace(overlay, scale=scale, offset=offset), pixels).alpha
            within = np.s_[2 * y - 6 : 2 * y + 6, 2 * x - 6 : 2 * x + 6]
            np.testing.assert_array_equal(alpha[within], said / 255)
            beyond = np.ones((H, W), bool)
            beyond[2 * y - 10 : 2 * y + 10, 2 * x - 10 : 2 * x + 10] = False
            np.testing.assert_array_equal(alpha[beyond], cut.alpha[beyond])

    @given(st.integers(0, 99), st.integers(0, H - 20), st.integers(0, W - 20))
    @settings(max_examples=30)
    def test_a_region_is_a_piece_of_the_whole(self, seed: int, top: int, left: int) -> None:
        cut, overlay, pixels = made_up(seed)
        r = np.random.default_rng(seed)
        scale, offset = (r.integers(0, 256, overlay.scale.shape, np.uint8) for _ in range(2))
        overlay = replace(overlay, scale=scale, offset=offset)
        at = slice(top, top + 20), slice(left, left + 20)
        whole, part = laid(cut, overlay, pixels), laid(cut, overlay, pixels, at)
        np.testing.assert_allclose(part.alpha, whole.alpha[at], atol=1e-6)

    @given(st.integers(0, 99))
    def test_half_kept_where_the_matte_had_nothing_has_the_photos_colour_or_freed_the_products(self, seed: int) -> None:
        cut, overlay, pixels = made_up(seed)
        half = replace(
            overlay, scale=np.zeros_like(overlay.scale), offset=np.full_like(overlay.offset, 128), owner=np.ones_like(overlay.owner)
        )
        light = to_linear(pixels)
        behind = np.full((H, W, 3), 0.5, np.float32)
        for freed in ({}, {1: lambda at: behind[at]}):
            after = lay_over(replace(cut, alpha=np.zeros_like(cut.alpha)), half, pixels, (H, W), WHOLE, {}, freed, {})
            alpha = after.alpha[after.rows, after.columns][:, None]
            colour = light[after.rows, after.columns]
            mixed = alpha * after.colour + (1 - alpha) * behind[after.rows, after.columns]
            # Freed, it comes to the photo again over what was behind it, as far as there is such a colour.
            possible = (after.colour > 0) & (after.colour < 1)
            np.testing.assert_allclose((mixed if freed else after.colour)[possible], colour[possible], atol=1e-5)


if __name__ == "__main__":
    unittest.main()
