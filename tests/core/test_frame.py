"""Frame: turns, straightening, crops; what is offered; and that everything downstream follows."""

import unittest
from typing import ClassVar

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.pictures import Made, Scene, iou
from yardchalk.core.checks import Finding
from yardchalk.core.checks.finding import Place
from yardchalk.core.checks.unframed import unframed
from yardchalk.core.codecs import decode_photo, encode_picture
from yardchalk.core.colour import Mask, decode, to_coded
from yardchalk.core.deliver import produce
from yardchalk.core.pixels import Picture, Region
from yardchalk.core.render import Render
from yardchalk.core.settings import FrameMarks, FrameSettings, Marks, load_sheet, load_spec
from yardchalk.core.stages.frame import angle_of_base, angle_of_symmetry, crop_close, crop_to_set, level_along, make_framing

WHITE = load_sheet("white")


def mug(angle: float) -> Mask:
    """A symmetric vessel on a flat base, turned clockwise by an angle."""
    mask = np.zeros((600, 800), np.uint8)
    cv2.fillPoly(mask, [np.array([[300, 180], [500, 180], [470, 420], [330, 420]], np.int32)], 1)
    move = cv2.getRotationMatrix2D((400, 300), -angle, 1)
    return cv2.warpAffine(mask, move, (800, 600), flags=cv2.INTER_NEAREST) > 0


class FramingTest(unittest.TestCase):
    made: ClassVar[Made]

    @classmethod
    def setUpClass(cls) -> None:
        cls.made = Scene(width=500, height=400).made()

    @given(st.integers(0, 3), st.floats(-45, 45), st.integers(300, 900), st.integers(300, 900))
    def test_a_straightened_frame_holds_nothing_from_outside_the_photo(self, turns: int, angle: float, width: int, height: int) -> None:
        framing = make_framing(width, height, FrameMarks(turns=turns, angle=angle))
        w, h = (height, width) if turns % 2 else (width, height)
        c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
        for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1)):
            px, py = x * framing.width / 2, y * framing.height / 2
            self.assertLessEqual(abs(px * c + py * s), w / 2 + 1)
            self.assertLessEqual(abs(-px * s + py * c), h / 2 + 1)
        self.assertAlmostEqual(framing.width / framing.height, w / h, delta=0.06 * w / h)

    def test_four_quarter_turns_are_none_and_two_are_upside_down(self) -> None:
        picture = Picture(self.made.pixels)
        h, w = self.made.pixels.shape[:2]
        once = make_framing(w, h, FrameMarks(turns=1)).apply(picture)
        self.assertEqual((once.width, once.height), (h, w))
        np.testing.assert_array_equal(once.pixels[0, -1], picture.pixels[0, 0], "clockwise: the upper left goes to the upper right")
        np.testing.assert_array_equal(make_framing(w, h, FrameMarks(turns=2)).apply(picture).pixels, picture.pixels[::-1, ::-1])

    def test_straightening_undoes_a_tilt(self) -> None:
        h, w = self.made.pixels.shape[:2]
        tilted = cv2.warpAffine(self.made.pixels, cv2.getRotationMatrix2D((w / 2, h / 2), 6, 1), (w, h), borderMode=cv2.BORDER_REPLICATE)
        framing = make_framing(w, h, FrameMarks(angle=6))
        back = framing.apply(Picture(tilted)).pixels.astype(int)
        y, x = (h - framing.height) // 2, (w - framing.width) // 2
        off = np.abs(back - self.made.pixels[y : y + framing.height, x : x + framing.width].astype(int)).mean()
        self.assertLess(off, 3)

    @given(st.integers(0, 3), st.sampled_from([0.0, -7.5, 20.0]), st.floats(0, 0.4), st.floats(0.45, 0.55), st.floats(0.45, 0.55))
    def test_reports_have_places_on_the_photo_as_it_came_in(self, turns: int, angle: float, start: float, x: float, y: float) -> None:
        framing = make_framing(900, 600, FrameMarks(turns=turns, angle=angle, crop=(start, start / 2, 0.9, 1)))
        left, top = framing.to_frame @ (x, y, 1) * (framing.width, framing.height)
        spot = Place(original=(int(left) - 4, int(top) - 4, 8, 8), outline=[[(left, top), (left + 4, top)]])
        found = Finding(check="ghosts", severity="look", message="", place=spot, figure=1, limit=0, unit="px", stage="edge")
        (moved,) = unframed([found], framing)
        assert moved.place is not None and moved.place.outline is not None
        (left, top, width, height), (first, _) = moved.place.original, moved.place.outline[0]
        np.testing.assert_allclose((left + width / 2, top + height / 2), (900 * x, 600 * y), atol=2.5 if angle else 1.1)
        np.testing.assert_allclose(first, (900 * x, 600 * y), atol=1.0 if angle else 0.2)
        self.assertTrue(8 <= width <= 12 and 8 <= height <= 12, (width, height))
        self.assertEqual(unframed([found], make_framing(900, 600, None)), [found])

    def test_everything_downstream_works_on_the_frame(self) -> None:
        crop = FrameMarks(turns=1, crop=(0.1, 0.2, 0.9, 1.0))
        render = Render(self.made.png, "pot", WHITE, Marks(frame=crop))
        width, height = render.size_at(1.0)
        self.assertEqual((width, height), (320, 400))
        whole = Region(0, height, 0, width)
        truth = np.ascontiguousarray(np.rot90(self.made.alpha, -1)[100:, 40:360])
        self.assertGreater(iou(render.cut(1.0, whole).alpha, truth), 0.97)
        tile = Region(120, 260, 60, 200)
        np.testing.assert_array_equal(render.picture(1.0, tile), render.picture(1.0, whole)[tile.index])
        done = produce(render, load_spec("square-2000").model_copy(update={"canvas": None}), whole_frame=True)
        self.assertEqual((done.width, done.height), (320, 400))

    def test_a_sheet_that_crops_to_the_set_does_so_where_the_photo_has_no_frame_of_its_own(self) -> None:
        pixels = self.made.pixels.copy()
        # A table at two sides holds half of the frame's edge.
        pixels[:, 470:] = (70, 60, 50)
        pixels[370:] = (70, 60, 50)
        photo = encode_picture(pixels, "png")
        cropping = WHITE.model_copy(update={"frame": FrameSettings(crop="set")})
        width, height = Render(photo, "pot", cropping).size_at(1.0)
        self.assertTrue(430 < width <= 470 and 330 < height <= 370, (width, height))
        self.assertEqual(Render(photo, "pot", cropping, Marks(frame=FrameMarks())).size_at(1.0), (500, 400))
        self.assertEqual(Render(photo, "pot", WHITE).size_at(1.0), (500, 400))


class CloseTest(unittest.TestCase):
    """A product that is small in a large photo is looked at under a crop close round it."""

    small = Scene(width=2800, height=2100, room=2.5)
    plain = WHITE.model_copy(update={"frame": FrameSettings()})

    def test_thin_detail_of_it_is_found_and_delivered_where_it_is(self) -> None:
        made = self.small.made()
        wires = np.zeros(made.alpha.shape, np.uint8)
        for x in range(1500, 1660, 16):
            cv2.line(wires, (x, 1080), (x + 200, 620), 255, 4, cv2.LINE_AA)
        wire = cv2.GaussianBlur(wires.astype(np.float32) / 255, (0, 0), 0.7)
        light = decode(made.pixels / 255) * (1 - wire[..., None]) + wire[..., None] * np.array([0.05, 0.04, 0.03])
        photo, truth = encode_picture(to_coded(light.astype(np.float32), np.uint8), "jpeg", quality=95), np.maximum(made.alpha, wire)
        whole, close = Render(photo, "pot", self.plain), Render(photo, "pot", WHITE)
        self.assertGreater(close.analysis_scale, 1.5 * whole.analysis_scale)
        spec = load_spec("cutout")
        off = []
        for render in (whole, close):
            done = produce(render, spec, whole_frame=True, matte=True)
            self.assertEqual((done.width, done.height), (2800, 2100))
            assert done.matte is not None
            matte = decode_photo(done.matte, "matte").pixels[..., 0] / np.float32(255)
            off.append(float(np.square(matte - truth).mean()))
        self.assertLess(off[1], 0.7 * off[0])
        self.assertAlmostEqual(done.figures["product of the photo (%)"] or 0, 100 * float((truth > 0.5).mean()), delta=1.5)
        assert close.frame is not None and close.frame.crop is not None
        self.assertEqual([done.figures[f"crop {side} (share)"] for side in ("left", "top", "right", "bottom")], list(close.frame.crop))

    def test_what_is_large_or_has_a_frame_of_its_own_or_lies_about_is_left_in_its_frame(self) -> None:
        large, own = self.small.but(width=2100, height=1575, room=0.7).made(), self.small.but(width=2100, height=1575).made()
        two = own.pixels.copy()
        two[110:300, 1870:2020] = two[1420:1500, 75:150] = (40, 70, 120)
        for name, pixels, marks in (
            ("large", large.pixels, Marks()),
            ("its own", own.pixels, Marks(frame=FrameMarks())),
            ("two", two, Marks()),
        ):
            with self.subTest(name):
                self.assertEqual(Render(encode_picture(pixels, "jpeg", quality=95), "pot", WHITE, marks).size_at(1.0), (2100, 1575))
        few = encode_picture(self.small.but(width=1600, height=1200).made().pixels, "jpeg", quality=95)
        self.assertEqual(Render(few, "pot", WHITE).size_at(1.0), (1600, 1200), "no more pixels would be seen")

    @given(st.integers(0, 700), st.integers(0, 500), st.integers(5, 99), st.integers(5, 99), st.integers(0, 60))
    def test_the_crop_holds_product_and_shadow_with_backdrop_to_all_sides(self, x: int, y: int, w: int, h: int, beyond: int) -> None:
        product, shadow = np.zeros((600, 800), bool), np.zeros((300, 400), bool)
        product[y : y + h, x : x + w] = True
        shadow[(y + h) // 2 : (y + h + beyond) // 2, x // 2 : (x + w + beyond) // 2] = True
        crop = crop_close(product, shadow)
        assert crop is not None
        left, top, right, bottom = (v * side for v, side in zip(crop, (800, 600, 800, 600), strict=True))
        beside = 0.15 * max(w, h) - 0.1
        self.assertLessEqual(left, max(x - beside, 0))
        self.assertLessEqual(top, max(y - beside, 0))
        self.assertGreaterEqual(right, min(x + w + max(beside, beyond - 2 if shadow.any() else 0), 800))
        self.assertGreaterEqual(bottom, min(y + h + max(beside, beyond - 2 if shadow.any() else 0), 600))
        self.assertIsNone(crop_close(np.zeros((60, 80), bool), shadow))


class OfferTest(unittest.TestCase):
    def test_the_tilt_of_base_and_axis_is_found(self) -> None:
        for tilt in (-7.0, 0.0, 3.5):
            base, axis = angle_of_base(mug(tilt)), angle_of_symmetry(mug(tilt))
            assert base is not None and axis is not None
            self.assertAlmostEqual(base, -tilt, delta=0.8)
            self.assertAlmostEqual(axis[0], -tilt, delta=0.8)
            self.assertGreater(axis[1], 0.95)
        shapeless = mug(0)
        shapeless[100:560, 120:340] = True
        shapeless[60:300, 600:760] = True
        self.assertIsNone(angle_of_symmetry(shapeless))
        self.assertIsNone(angle_of_base(np.zeros((50, 60), bool)))

    def test_a_drawn_line_becomes_level_or_upright_whichever_is_nearer(self) -> None:
        self.assertAlmostEqual(level_along(100, 10), -5.71, delta=0.01)
        self.assertAlmostEqual(level_along(10, 100), 5.71, delta=0.01)
        self.assertAlmostEqual(level_along(-100, -10), -5.71, delta=0.01)
        self.assertEqual(level_along(0, -50), 0)

    def test_the_crop_to_the_set_leaves_out_table_and_stand_and_keeps_the_product(self) -> None:
        around = np.zeros((600, 800), bool)
        around[540:] = True
        around[:, 760:] = True
        around[:80, :60] = True
        offered = crop_to_set(around, mug(0))
        assert offered is not None
        left, top, right, bottom = (round(v * side) for v, side in zip(offered, (800, 600, 800, 600), strict=True))
        self.assertFalse(around[top:bottom, left:right].any())
        self.assertTrue(mug(0)[top:bottom, left:right].sum() == mug(0).sum())
        self.assertGreater((right - left) * (bottom - top), 0.9 * 700 * 540)
        self.assertIsNone(crop_to_set(np.zeros((600, 800), bool), mug(0)), "nothing to leave out")
        around[300, 400] = True
        self.assertIsNone(crop_to_set(around, mug(0)), "it would cut the product")


if __name__ == "__main__":
    unittest.main()
