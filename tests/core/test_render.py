"""The render's laws: a tile is a piece of the whole, a preview is the delivery smaller, nothing is computed twice."""

import json
import unittest
from contextlib import ExitStack
from dataclasses import replace
from unittest import mock

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.pictures import Scene, iou
from yardchalk.core.clear_settings import AutomaticRegion, BrushStroke, ClearMarks, StrokesRegion
from yardchalk.core.colour import delta_e, to_lab
from yardchalk.core.deliver import on_canvas, produce
from yardchalk.core.pixels import Picture, Region
from yardchalk.core.render import Render, StageCache
from yardchalk.core.settings import EdgeMarks, FrameMarks, LiftMarks, ListingSpec, Marks, RunSheet, load_sheet, load_spec, parse
from yardchalk.core.settings_base import Length
from yardchalk.core.stages.place import place, product_box
from yardchalk.core.views import off_pixels, view

WHITE, TRANSPARENT = load_sheet("white"), load_sheet("transparent")


def whole(render: Render, scale: float = 1.0) -> Region:
    width, height = render.size_at(scale)
    return Region(0, height, 0, width)


class QualityTest(unittest.TestCase):
    def test_the_matte_is_close_to_truth_gap_included(self) -> None:
        cases = {
            "plain": Scene(),
            "pale": Scene(colour=(226, 226, 222), level=240, shadow=0.25),
            "dark": Scene(colour=(20, 20, 22), shadow=0.5),
            "steep light": Scene(gradient=0.5, level=245),
            "noisy": Scene(noise=0.03),
        }
        for name, scene in cases.items():
            with self.subTest(name):
                made = scene.but(width=1280, height=960).made()
                render = Render(made.jpeg, name, WHITE)
                alpha = render.cut(1.0, whole(render)).alpha
                self.assertGreater(iou(alpha, made.alpha), 0.97)
                self.assertLess(float(((alpha - made.alpha) ** 2).mean()), 4e-3)
                self.assertEqual(float(alpha[480, 340]), 0.0, "the handle's gap")

    def test_edge_colours_are_freed_of_a_strong_backdrop(self) -> None:
        made = Scene(width=1280, height=960, level=190, colour=(30, 25, 20), noise=0.004).made()
        render = Render(made.png, "dark on light", TRANSPARENT)
        cut = render.cut(1.0, whole(render))
        band = (cut.alpha[cut.rows, cut.columns] > 0.2) & (cut.alpha[cut.rows, cut.columns] < 0.8)
        leaning = np.abs(cut.colour[band] - made.product[cut.rows, cut.columns][band]).mean()
        seen = np.abs(made.pixels[cut.rows, cut.columns][band] / 255.0 - made.product[cut.rows, cut.columns][band]).mean()
        self.assertLess(float(leaning), float(seen) / 10)


class LawTest(unittest.TestCase):
    made = Scene(width=1000, height=760).made()
    render = Render(made.jpeg, "pot", WHITE)

    @settings(max_examples=12, deadline=None)
    @given(
        st.integers(0, 900), st.integers(0, 660), st.integers(20, 300), st.integers(20, 300), st.sampled_from(["picture", "clip", "matte"])
    )
    def test_a_region_is_a_piece_of_the_whole(self, left: int, top: int, width: int, height: int, name: str) -> None:
        region = Region(top, min(top + height, 760), left, min(left + width, 1000))
        piece = view(self.render, name, 1.0, region).astype(int)  # type: ignore[arg-type]
        same = view(self.render, name, 1.0, whole(self.render)).astype(int)[region.index]  # type: ignore[arg-type]
        np.testing.assert_array_equal(piece, same)

    def test_a_preview_is_the_delivery_made_smaller(self) -> None:
        made = Scene(width=2400, height=1800).made()
        render = Render(made.jpeg, "pot", WHITE, Marks(frame=FrameMarks()))
        small = render.picture(0.5, whole(render, 0.5))
        large = Picture(render.picture(1.0, whole(render))).resized(1200, 900).pixels
        difference = delta_e(to_lab(small), to_lab(large))
        edge = np.zeros(difference.shape, bool)
        cut = render.cut(0.5, whole(render, 0.5))
        edge[cut.rows, cut.columns] = True
        self.assertGreaterEqual(float((difference <= 1)[~edge].mean()), 0.999)
        self.assertLess(float(difference[edge].mean()), 2.5)

    def test_below_the_size_it_is_solved_at_a_preview_shows_what_is_delivered(self) -> None:
        large = Picture(self.render.picture(1.0, whole(self.render))).resized(500, 380).pixels
        small = self.render.picture(0.5, whole(self.render, 0.5))
        self.assertLess(float(np.percentile(delta_e(to_lab(small), to_lab(large)), 99.9)), 1.2)
        # A gap that was filled is open again: what other settings are made of stays as it was.
        filled = self.render.with_marks(Marks(edge=EdgeMarks(holes=Length(value=60, unit="%"))))
        fewer = self.render.with_marks(Marks(edge=EdgeMarks(holes=Length(value=5))))
        full, open_ = (each.cut(0.5, whole(each, 0.5)).alpha for each in (filled, fewer))
        self.assertGreater(float((full - open_).sum()), 100)

    def test_beyond_the_product_a_picture_is_exactly_its_card(self) -> None:
        alpha = self.render.cut(1.0, whole(self.render)).alpha
        for card, level in (("white", 255), ("black", 0), ("grey", 128)):
            pixels = self.render.picture(1.0, whole(self.render), card)
            self.assertTrue((pixels[alpha == 0] == level).all(), card)
        self.assertEqual(len(off_pixels(self.render)), 0)

    def test_a_stroke_on_what_was_decided_before_solves_no_border_again(self) -> None:
        first = Render(self.made.jpeg, "pot", WHITE)
        kept = replace(first.decisions, solution=first.solution)
        again = Render(self.made.jpeg, "pot", WHITE)
        again.adopt(kept)
        rub = StrokesRegion(kind="strokes", strokes=(BrushStroke(keeps=False, size=0.1, points=((0.5, 0.5, 1.0),)),))
        painted = again.with_marks(Marks(clear=ClearMarks(regions=(AutomaticRegion(kind="automatic"), rub))))
        with mock.patch("yardchalk.core.render.edge.solve_matte") as solving:
            alpha = painted.cut(0.5, whole(painted, 0.5)).alpha
        solving.assert_not_called()
        before = first.cut(0.5, whole(first, 0.5)).alpha
        self.assertGreater(int(((before == 1) & (alpha == 0)).sum()), 100)
        self.assertGreater(float((alpha == before).mean()), 0.9)

    def test_a_canvas_made_in_strips_is_the_one_made_at_once(self) -> None:
        lengths = {name: {"value": value, "unit": "px"} for name, value in (("specks", 9), ("grow", 1.5), ("smooth", 2), ("feather", 1))}
        finished = Marks(edge=EdgeMarks.model_validate({"shadow": "keep", **lengths}))
        for sheet, name, marks in ((WHITE, "square-2000", Marks()), (TRANSPARENT, "cutout", Marks()), (WHITE, "square-2000", finished)):
            spec = load_spec(name)
            render = Render(self.made.png, "pot", sheet, marks)
            placing = place(spec, *render.size_at(1.0), render.box)
            at_once = on_canvas(render, spec, placing)
            with mock.patch("yardchalk.core.deliver._STRIP", 150_000):
                in_strips = on_canvas(Render(self.made.png, "pot", sheet, marks), spec, placing)
            np.testing.assert_array_equal(in_strips.alpha, at_once.alpha)
            off = np.abs(in_strips.pixels.astype(int) - at_once.pixels)
            # Maps of low resolution are read between their pixels, where rounding differs.
            self.assertLessEqual((int(off.max()), int((off > 0).sum())), (1, 100) if marks is finished else (0, 0))

    def test_what_results_share_is_counted_once_and_the_longest_unused_goes(self) -> None:
        cache, shared = StageCache(1000), np.zeros(600, np.uint8)
        cache.get(("a",), lambda: shared)
        cache.get(("b",), lambda: (shared[:300], np.zeros(200, np.uint8)))
        cache.get(("c",), lambda: [shared, b"x" * 150])
        self.assertTrue(all(cache.peek((name,)) is not None for name in "abc"), "950 bytes, and not 2,150")
        cache.get(("a",), self.fail)
        cache.get(("d",), lambda: np.zeros(100, np.uint8))
        self.assertEqual([cache.peek((name,)) is not None for name in "abcd"], [True, False, True, True])
        cache.forget_large(700)
        self.assertEqual([cache.peek((name,)) is not None for name in "acd"], [True, False, True])
        cache.get(("e",), lambda: np.zeros(300, np.uint8))
        self.assertIsNotNone(cache.peek(("a",)), "100, 300 and 600 bytes fit")

    def test_a_moved_white_point_recomputes_lift_and_nothing_before(self) -> None:
        cache = StageCache()
        first = Render(self.made.jpeg, "pot", WHITE, cache=cache)
        view(first, "clip", 0.5, whole(first, 0.5))
        spied = (
            "photo.decode_photo",
            "clearing.fit_backdrop",
            "clearing.gather_evidence",
            "clearing.clear_automatically",
            "clearing.look_again",
            "edge.solve_matte",
            "edge.describe_band",
            "tones.give_and_take",
        )
        with ExitStack() as stack:
            calls = {name: stack.enter_context(mock.patch(f"yardchalk.core.render.{name}")) for name in spied}
            second = Render(self.made.jpeg, "pot", WHITE, Marks(lift=LiftMarks(white_point=180)), cache=cache)
            moved = view(second, "clip", 0.5, whole(second, 0.5))
        self.assertEqual([name for name in spied if calls[name].called], [])
        self.assertFalse(np.array_equal(moved, view(first, "clip", 0.5, whole(first, 0.5))))

    def test_a_file_that_is_cut_out_already_keeps_its_transparency(self) -> None:
        made = Scene().made()
        done = Render(made.png, "pot", TRANSPARENT)
        file = produce(done, load_spec("cutout"), whole_frame=True).data
        again = Render(file, "pot again", TRANSPARENT)
        np.testing.assert_allclose(again.cut(1.0, whole(again)).alpha, done.cutout(1.0, whole(done))[..., 3] / 255.0, atol=0.003)


class LiftTest(unittest.TestCase):
    @settings(max_examples=8, deadline=None)
    @given(st.integers(190, 250), st.floats(0, 0.5), st.integers(0, 100))
    def test_just_clips_is_the_least_change_that_clears(self, level: int, gradient: float, seed: int) -> None:
        made = Scene(level=level, gradient=gradient, shadow=0.0, noise=0.004, seed=seed).made()
        render = Render(made.jpeg, "pot", WHITE)
        graph = render.graph
        assert graph.just_clips is not None
        self.assertTrue(np.all(np.diff(graph.short) >= 0) and np.all(np.diff(graph.lost_any) <= 0))
        away = cv2.dilate((made.alpha > 0).astype(np.uint8), np.ones((15, 15), np.uint8)) == 0
        short = {}
        for point in (graph.just_clips, min(255, graph.just_clips + 3)):
            moved = Render(made.jpeg, "pot", WHITE, Marks(lift=LiftMarks(white_point=point)), cache=render.cache)
            short[point] = float((moved.toned(1.0, whole(moved))[away].min(-1) < 255).mean())
        self.assertLessEqual(short[graph.just_clips], 0.003)
        if graph.just_clips < 252:
            self.assertGreater(short[graph.just_clips + 3], 0.001)

    def test_the_offer_burns_nothing(self) -> None:
        made = Scene(colour=(244, 244, 240), level=238, shadow=0.3).made()
        render = Render(made.jpeg, "pale pot", WHITE)
        self.assertGreaterEqual(render.graph.offer, render.graph.bearable)
        self.assertLessEqual(produce(render, load_spec("square-2000")).figures["product burnt (%)"] or 0, 0.2)
        self.assertIn("keeps the product", render.graph.advice)


class PlaceTest(unittest.TestCase):
    @given(
        st.integers(40, 6000), st.integers(40, 6000), st.integers(100, 4000), st.integers(100, 4000), st.floats(20, 100),
        st.tuples(st.floats(0, 0.4), st.floats(0, 0.4), st.floats(0.5, 1), st.floats(0.5, 1)),
    )  # fmt: skip
    def test_fill_and_centre(self, w: int, h: int, cw: int, ch: int, fill: float, box: tuple[float, float, float, float]) -> None:
        spec = ListingSpec.model_validate({"name": "x", "canvas": {"width": cw, "height": ch}, "fill": fill})
        p = place(spec, w, h, box)
        left, top, right, bottom = (v * s * p.scale for v, s in zip(box, (w, h, w, h), strict=True))
        self.assertAlmostEqual(max((right - left) / cw, (bottom - top) / ch), fill / 100, delta=1e-6)
        self.assertLessEqual(abs(p.left + (left + right) / 2 - cw / 2), 0.51)
        self.assertLessEqual(abs(p.top + (top + bottom) / 2 - ch / 2), 0.51)

    def test_trimmed_with_margin(self) -> None:
        result = produce(Render(Scene().made().jpeg, "pot", TRANSPARENT), load_spec("cutout"))
        from yardchalk.core.codecs import decode_photo

        alpha = decode_photo(result.data, "result").alpha
        assert alpha is not None
        left, top, right, bottom = product_box((alpha / 255).astype(np.float32))
        margins = (left * result.width, top * result.height, (1 - right) * result.width, (1 - bottom) * result.height)
        longer = max((right - left) * result.width, (bottom - top) * result.height)
        for margin in margins:
            self.assertAlmostEqual(margin, 0.04 * longer, delta=2.5)


class DeterminismTest(unittest.TestCase):
    def test_same_photo_sheet_and_marks_give_the_same_bytes(self) -> None:
        data = Scene().made().jpeg
        files = {produce(Render(data, "pot", WHITE), load_spec("square-2000")).data for _ in range(2)}
        self.assertEqual(len(files), 1)


class SettingsTest(unittest.TestCase):
    def test_a_wrong_value_is_named(self) -> None:
        from yardchalk.core.errors import BadSettings

        for text, words in (
            ('{"name": "x", "lift": {"white_point": 300}}', "lift.white_point: 300 is over 255"),
            ('{"name": "x", "lift": {"mid": 0.1}}', "lift.mid: 0.1 is under 0.2"),
            ('{"name": "x", "lift": {"curve": [[60, 80], [50, 90]]}}', "lift.curve: "),
            ('{"name": "x", "lft": {}}', "lft: is no setting"),
            ('{"name": "x",', "line 1"),
        ):
            with self.subTest(text), self.assertRaises(BadSettings) as caught:
                parse(RunSheet, text, "mine.json")
            self.assertIn(words, caught.exception.message)
            self.assertIn("mine.json", caught.exception.message)
        self.assertEqual(parse(RunSheet, json.dumps(WHITE.model_dump()), "white"), WHITE)
