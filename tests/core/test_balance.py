"""Balance: what a place says of the light, temperature and tint, and the one table that tones are."""

import unittest
from typing import Literal

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.pictures import Scene
from yardchalk.core.codecs import encode_picture
from yardchalk.core.colour import decode, encode, to_coded
from yardchalk.core.errors import UnusableSample, YardError
from yardchalk.core.pixels import Region
from yardchalk.core.render import Render
from yardchalk.core.settings import BalanceMarks, FrameMarks, LiftMarks, Marks, load_sheet
from yardchalk.core.settings_base import Stroke
from yardchalk.core.stages.balance import Gains, cast_of, from_temperature, gains_for, keeping_lightness, take_sample, to_temperature
from yardchalk.core.stages.lift import make_tone

channel = st.floats(0.05, 0.9)


class LightTest(unittest.TestCase):
    @given(st.tuples(channel, channel, channel))
    def test_the_gains_of_a_light_make_it_grey_of_the_same_luminance(self, light: tuple[float, float, float]) -> None:
        gains = keeping_lightness(*gains_for(light))
        after = np.array(light) * gains.array
        self.assertLess(float(np.ptp(after) / after.max()), 1e-5)
        self.assertAlmostEqual(float(after[0]), float(np.dot(light, (0.2126729, 0.7151522, 0.0721750))), places=5)

    @given(st.floats(3500, 20000), st.floats(-15, 10))
    def test_temperature_and_tint_of_lights_within_srgb_come_back(self, temperature: float, tint: float) -> None:
        back = to_temperature(*from_temperature(temperature, tint))
        self.assertAlmostEqual(1e6 / back[0], 1e6 / temperature, delta=1.5)
        self.assertAlmostEqual(back[1], tint, delta=0.6)

    def test_the_white_of_srgb_is_daylight_without_tint(self) -> None:
        temperature, tint = to_temperature(1, 1)
        self.assertAlmostEqual(temperature, 6504, delta=25)
        self.assertAlmostEqual(tint, 0, delta=0.05)
        warm, cool = from_temperature(3200, 0), from_temperature(12000, 0)
        self.assertTrue(warm[0] < 1 < warm[1] and cool[1] < 1 < cool[0], "a warm light is made neutral by more blue")
        green = from_temperature(6504, 20)
        self.assertTrue(green[0] > 1 and green[1] > 1, "a greenish light by less green")

    def test_a_sample_that_says_nothing_of_the_light_is_refused_with_the_reason(self) -> None:
        rng = np.random.default_rng(2)
        plain = (np.array([210, 196, 180]) + rng.normal(0, 2, (40, 40, 3))).astype(np.uint8)
        sample = take_sample(plain)
        self.assertEqual(sample.count, 1600)
        self.assertLess(sample.spread, 3)
        self.assertGreater(sample.cast, 5)
        self.assertLess(cast_of(sample.light, keeping_lightness(*gains_for(sample.light))), 0.05)
        for pixels, reason in (
            (np.full((9, 9, 3), 255, np.uint8), "clipped"),
            (np.zeros((9, 9, 3), np.uint8), "dark"),
            (rng.integers(20, 240, (40, 40, 3), np.uint8), "uneven"),
            (np.zeros((0, 5, 3), np.uint8), "no pixel"),
        ):
            with self.assertRaisesRegex(UnusableSample, reason):
                take_sample(pixels)


class ToneTest(unittest.TestCase):
    @given(
        st.integers(128, 255), st.integers(0, 100), st.floats(0.2, 5), st.lists(st.integers(0, 255), min_size=2, max_size=2, unique=True)
    )
    def test_tones_never_fall_and_reach_black_and_white_where_they_must(
        self, white: int, black: int, mid: float, across: list[int]
    ) -> None:
        (x0, x1), (y0, y1) = sorted(across), sorted(across, key=lambda v: (v * 7) % 256)
        curve = ((x0, min(y0, y1)), (x1, max(y0, y1)))
        table = make_tone(None, Gains(), white=white, black=black, mid=mid, curve=curve).tables[0].astype(int)
        self.assertTrue((np.diff(table) >= 0).all())
        light = np.round(decode(np.array([black, white]) / 255) * 65535).astype(int)
        # One step of light beyond, since 16 bits are coarse near black.
        low, high = (255 * float(encode(np.array(table[v] / 65535))) for v in (max(light[0] - 1, 0), min(light[1] + 1, 65535)))
        self.assertAlmostEqual(low, curve[0][1] if x0 == 0 else 0, delta=1)
        self.assertAlmostEqual(high, curve[1][1] if x1 == 255 else 255, delta=1)

    def test_settings_at_their_defaults_change_nothing(self) -> None:
        self.assertTrue(make_tone(None, Gains()).plain)
        self.assertFalse(make_tone(None, Gains(), mid=1.1).plain)

    def test_a_curve_goes_through_its_points(self) -> None:
        table = make_tone(None, Gains(), curve=((64, 80), (192, 180))).tables[1]
        for level, wanted in ((64, 80), (192, 180)):
            light = round(float(decode(np.array(level / 255))) * 65535)
            self.assertAlmostEqual(255 * float(encode(np.array(table[light] / 65535))), wanted, delta=0.3)

    def test_a_photo_of_the_empty_set_evens_the_light_where_the_model_cannot(self) -> None:
        made = Scene(gradient=0.1).made()
        y, x = np.mgrid[0:480, 0:640]
        # A lamp's pool of light, far from any low-order surface.
        pool = (1 - 0.35 * np.exp(-((x - 520) ** 2 + (y - 90) ** 2) / (2 * 60**2)))[..., None]
        lit, bare = (to_coded((light * pool).astype(np.float32), np.uint8) for light in (decode(made.pixels / 255), made.backdrop))
        empty = encode_picture(bare, "png")
        whole = Region(0, 480, 0, 640)
        spread = {}
        for name, given_empty in (("model", None), ("empty set", empty)):
            render = Render(
                encode_picture(lit, "png"), "pot", load_sheet("white"), Marks(lift=LiftMarks(white_point=255)), empty=given_empty
            )
            spread[name] = float(np.std(render.toned(1.0, whole)[20:160, 460:620, 1].astype(float)))
        self.assertLess(spread["empty set"], 0.5 * spread["model"])
        smaller = Render(Scene(width=320, height=240).made().png, "small.png", load_sheet("white"), empty=empty)
        with self.assertRaisesRegex(YardError, "640 x 480 px, but small.png has 320 x 240"):
            smaller.toned(1.0, Region(0, 240, 0, 320))

    def test_lift_acts_where_it_was_painted_hard_there_and_soft_round_the_product(self) -> None:
        made = Scene().made()
        whole, lift = Region(0, 480, 0, 640), LiftMarks(white_point=180, even=0)

        def shown(strokes: tuple[Stroke, ...], scope: Literal["photo", "backdrop"] = "photo", frame: FrameMarks | None = None) -> Render:
            marks = Marks(lift=lift.model_copy(update={"strokes": strokes or None, "scope": scope}), frame=frame)
            return Render(made.png, "pot", load_sheet("white"), marks)

        everywhere, nowhere = shown(()).toned(1.0, whole), made.pixels
        away = Stroke(adds=False, size=0.1, points=((0.1, 0.1), (0.3, 0.1)))
        painted = shown((away,)).toned(1.0, whole)
        np.testing.assert_array_equal(painted[40:56, 64:192], nowhere[40:56, 64:192])
        np.testing.assert_array_equal(painted[120:, 500:], everywhere[120:, 500:])
        back = shown((away, Stroke(size=0.2, points=((0.2, 0.1),)))).toned(1.0, whole)
        np.testing.assert_array_equal(back[40:56, 110:146], everywhere[40:56, 110:146], "the later stroke wins")
        # Only the backdrop: the product stays, and the border to it is soft.
        reach = shown((), "backdrop").lift_reach(1.0, whole)
        self.assertLess(float(reach[made.alpha == 1].max()), 0.1)
        self.assertEqual(float(reach[:20].min()), 1.0)
        self.assertLess(float(np.abs(np.diff(reach, axis=1)).max()), 0.25)
        # A part of the product is lifted after all, in the picture and in its band alike.
        some = shown((Stroke(size=0.3, points=((0.5, 0.5),)),), "backdrop").picture(1.0, whole)
        self.assertGreater(float(some[240, 320].mean()), float(nowhere[240, 320].mean()) + 10)
        # Strokes lie on the photo, whatever the crop.
        cropped = shown((away,), frame=FrameMarks(crop=(0.05, 0.05, 1, 1)))
        part = cropped.toned(1.0, Region(10, 26, 50, 120))
        np.testing.assert_array_equal(part, nowhere[34:50, 82:152])

    def test_a_balanced_photo_has_a_neutral_backdrop_and_lift_of_the_backdrop_alone_leaves_the_rest(self) -> None:
        made = Scene(lamp=(1.0, 0.88, 0.72)).made()
        sheet = load_sheet("white")
        whole = Region(0, 480, 0, 640)

        def shown(marks: Marks) -> Render:
            return Render(made.png, "pot", sheet, marks)

        shot = shown(Marks())
        red, blue = gains_for(shot.backdrop_light)
        balanced = shown(Marks(balance=BalanceMarks(red=red, blue=blue), lift=LiftMarks(even=0, white_point=255)))
        corner = balanced.toned(1.0, whole)[:40, :40].reshape(-1, 3).mean(0)
        self.assertLess(float(np.ptp(corner)), 1.5)
        own = shown(Marks(lift=LiftMarks(scope="backdrop")))
        inside = made.alpha == 1
        np.testing.assert_array_equal(own.picture(1.0, whole)[inside], made.pixels[inside])
        self.assertGreater(np.abs(shot.picture(1.0, whole)[inside].astype(int) - made.pixels[inside]).mean(), 5)


if __name__ == "__main__":
    unittest.main()
