"""Colour: nothing where nothing is set, each setting in its own direction, and what is reported of it."""

import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from tests.pictures import Scene
from yardchalk.core.colour import Coded, decode, to_lab
from yardchalk.core.colour_settings import ColourSettings
from yardchalk.core.deliver import produce
from yardchalk.core.mending import Bench, offer_mend
from yardchalk.core.render import Render, StageCache
from yardchalk.core.settings import Marks, load_sheet, load_spec
from yardchalk.core.stages.colour import coloured, coloured_light, shifted

WHITE, SQUARE = load_sheet("white"), load_spec("square-2000")
CACHE = StageCache()
COLOURS = np.array([[[30, 60, 90], [200, 40, 40], [120, 118, 116], [10, 10, 10], [250, 248, 240], [80, 160, 60]]], np.uint8)
pixels = hnp.arrays(np.uint8, st.tuples(st.integers(1, 6), st.integers(1, 6), st.just(3)))


def change(**given: Any) -> Coded:
    return coloured(COLOURS, ColourSettings.model_validate(given))


def chroma(coded: Coded) -> np.ndarray:
    return np.hypot(*np.moveaxis(to_lab(coded)[..., 1:], -1, 0))


class ColourTest(unittest.TestCase):
    made = Scene(colour=(150, 90, 70)).made()

    def render(self, **colour: Any) -> Render:
        return Render(self.made.png, "pot", WHITE, Marks.model_validate({"colour": colour}), cache=CACHE)

    def test_settings_at_their_defaults_change_no_byte(self) -> None:
        bare = produce(Render(self.made.png, "pot", WHITE), SQUARE)
        plain = {name: value for name, value in ColourSettings().model_dump().items() if value is not None}
        self.assertEqual(produce(self.render(**plain), SQUARE).data, bare.data)
        self.assertEqual(produce(self.render(exposure=2, amount=0), SQUARE).data, bare.data)
        # Nor is the backdrop ever touched.
        strong = produce(self.render(exposure=-1, tint="#a0522d"), SQUARE)
        self.assertNotEqual(strong.data, bare.data)
        r, other = self.render(exposure=-1, tint="#a0522d"), self.render()
        off = (r.picture(1.0, r.whole(1.0)) != other.picture(1.0, other.whole(1.0))).any(2)
        self.assertFalse(off[other.coverage(1.0, other.whole(1.0)) == 0].any())
        self.assertTrue(off.any())

    @settings(max_examples=40, deadline=None)
    @given(pixels, st.floats(-1, 1), st.floats(-100, 100), st.floats(-100, 100), st.integers(0, 100))
    def test_both_depths_and_the_band_are_changed_alike(
        self, coded: Coded, exposure: float, saturation: float, warm: float, amount: int
    ) -> None:
        given_settings = ColourSettings(exposure=exposure, saturation=saturation, middles=(warm, 0, -warm), amount=amount)
        eight = coloured(coded, given_settings)
        sixteen = coloured(coded.astype(np.uint16) * 257, given_settings)
        np.testing.assert_allclose(sixteen / 257, eight, atol=0.51)
        light = coloured_light(decode(coded.reshape(-1, 3) / 255), given_settings)
        np.testing.assert_allclose(light, decode(sixteen.reshape(-1, 3) / 65535), atol=1e-3)

    def test_each_setting_goes_its_own_way(self) -> None:
        before = to_lab(COLOURS)
        np.testing.assert_allclose(decode(change(exposure=1)[0, 0] / 255), 2 * decode(COLOURS[0, 0] / 255), rtol=0.03)
        self.assertTrue((to_lab(change(brightness=40))[..., 0] >= before[..., 0] - 0.1).all())
        steeper = to_lab(change(contrast=60))[0, :, 0]
        self.assertTrue(steeper[3] <= before[0, 3, 0] and steeper[4] >= before[0, 4, 0])
        np.testing.assert_array_equal(change(curve=[[128, 200]])[0, 3], change(curve=[[128, 200]])[0, 3])
        self.assertGreater(change(curve=[[128, 200]])[0, 2, 0], 150)
        self.assertLess(float(chroma(change(saturation=-100)).max()), 1.5)
        grown = chroma(change(vibrance=60)) / chroma(COLOURS)
        # Vibrance leaves a strong red nearly as it is, and lifts a weak blue.
        self.assertGreater(grown[0, 0], 1.15)
        self.assertLess(grown[0, 1], 1.08)
        turned = to_lab(change(hue=90))[0, 1]
        self.assertGreater(turned[2] - turned[1], 40, "a red turned by a quarter lies between yellow and green")
        for name, i in (("shadows", 3), ("lights", 4)):
            warmer = change(**{name: [60, 0, -60]})
            moved = np.abs(warmer.astype(int) - COLOURS).max(2)[0]
            self.assertGreater(moved[i], 4 * moved[7 - i], name)
        tinted = to_lab(change(tint="#a0522d"))
        np.testing.assert_allclose(tinted[..., 0], before[..., 0], atol=6)
        self.assertLess(float(np.ptp(np.arctan2(tinted[0, [0, 1, 2, 5], 2], tinted[0, [0, 1, 2, 5], 1]))), 0.2)
        np.testing.assert_array_equal(change(recolour="#204060"), np.broadcast_to((32, 64, 96), COLOURS.shape))
        half = change(recolour="#204060", amount=50).astype(float)
        self.assertTrue(((half >= np.minimum(COLOURS, (32, 64, 96)) - 1) & (half <= np.maximum(COLOURS, (32, 64, 96)) + 1)).all())

    def test_what_left_srgb_and_what_lost_its_neutrality_is_measured(self) -> None:
        product = np.ones(COLOURS.shape[:2], np.float32)
        none = shifted(COLOURS, product, ColourSettings(contrast=20))
        self.assertEqual((none.left_share, round(none.neutral_shift or 0)), (0.0, 0))
        strong = shifted(COLOURS, product, ColourSettings(saturation=100))
        self.assertTrue(strong.left[0, 1])
        self.assertFalse(strong.left[0, 2])
        self.assertGreater(shifted(COLOURS, product, ColourSettings(middles=(60, 0, -60))).neutral_shift or 0, 3)

    def test_the_checks_say_so_and_offer_a_way_back(self) -> None:
        grey = Scene(colour=(120, 120, 120)).made()
        for made, colour, check in (
            (self.made, {"exposure": 1.5}, "out-of-srgb"),
            (grey, {"middles": [50, 0, -50]}, "tinted-neutral"),
        ):
            with self.subTest(check):
                r = Render(made.png, "pot", WHITE, Marks.model_validate({"colour": colour}))
                result = produce(r, SQUARE)
                (finding,) = [f for f in result.findings if f.check == check]
                self.assertGreater(finding.figure, finding.limit)
                mend = offer_mend(finding, Bench(r.marks, WHITE, r.framing, result.figures))
                assert mend is not None
                again = produce(Render(made.png, "pot", WHITE, mend.marks), SQUARE)
                self.assertEqual([f for f in again.findings if f.check == check], [])
        tinted = Render(grey.png, "pot", WHITE, Marks.model_validate({"colour": {"tint": "#a0522d"}}))
        self.assertEqual([f for f in produce(tinted, SQUARE).findings if f.check == "tinted-neutral"], [])
