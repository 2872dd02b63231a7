"""Regions: the laws of the list, and each kind on pictures whose truth is known."""

import unittest
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.pictures import Made, Scene, iou
from yardchalk.core.backdrop import fit_backdrop
from yardchalk.core.clear_settings import (
    AnyRegion,
    AutomaticRegion,
    BoxRegion,
    BrushStroke,
    ClearMarks,
    ContrastMap,
    ContrastRegion,
    FamilyRegion,
    GapsRegion,
    InkRegion,
    Knot,
    OutlineRegion,
    SpreadRegion,
    StrokesRegion,
)
from yardchalk.core.codecs import decode_photo, encode_picture
from yardchalk.core.colour import Coded, Float, decode, to_coded
from yardchalk.core.errors import YardError
from yardchalk.core.render import Render
from yardchalk.core.settings import ClearSettings, FrameMarks, Marks, load_sheet
from yardchalk.core.settings_base import Stroke
from yardchalk.core.stages.clear.advice import LIMIT, advice, overlap_of_colours
from yardchalk.core.stages.clear.contrast import COMBINATIONS, SOURCES, apply_map, rank_variants, separation_of
from yardchalk.core.stages.clear.gaps import find_gaps
from yardchalk.core.stages.clear.ink import paper_share
from yardchalk.core.stages.clear.outline import from_svg, to_svg, traced, way_along_edges
from yardchalk.core.stages.clear.region_list import COMBINE, intersection, union, without
from yardchalk.core.stages.clear.spread import NEVER, STEPS, _bottleneck, offer_tolerance, reach_map, spread

JARS = Path(__file__).parents[2] / "demo" / "photos" / "PW-1027_spice-jars.jpg"
SHEET = load_sheet("transparent")
AUTOMATIC = AutomaticRegion(kind="automatic")
SQUARE = ((0.3, 0.25), (0.7, 0.25), (0.7, 0.75), (0.3, 0.75))
fuzzy = st.lists(st.floats(0, 1, width=32), min_size=6, max_size=6).map(lambda values: np.array(values, np.float32))


def shown(data: bytes, *regions: AnyRegion, frame: FrameMarks | None = None, other: Render | None = None) -> Render:
    marks = Marks(clear=ClearMarks(regions=regions) if regions else None, frame=frame)
    return Render(data, "pot", SHEET, marks, cache=other.cache if other else None)


def alpha_of(render: Render) -> Float:
    return render.cut(1.0, render.whole(1.0)).alpha


def outlined(places: tuple[tuple[float, float], ...], **more: object) -> OutlineRegion:
    return OutlineRegion.model_validate({"kind": "outline", "paths": [[{"at": place} for place in places]], **more})


def brushed(places: tuple[tuple[float, float], ...], *, keeps: bool, size: float = 0.05, **more: object) -> StrokesRegion:
    stroke = {"keeps": keeps, "size": size, "points": [(*place, 1) for place in places], **more}
    return StrokesRegion(kind="strokes", strokes=(BrushStroke.model_validate(stroke),))


class ListTest(unittest.TestCase):
    made: Made
    plain: Render

    @classmethod
    def setUpClass(cls) -> None:
        cls.made = Scene().made()
        cls.plain = shown(cls.made.png)

    def under(self, *regions: AnyRegion, frame: FrameMarks | None = None) -> Render:
        return shown(self.made.png, *regions, frame=frame, other=self.plain)

    @given(fuzzy, fuzzy, fuzzy)
    def test_union_intersection_and_difference_keep_the_laws_of_sets(self, a: Float, b: Float, c: Float) -> None:
        for way in (union, intersection):
            np.testing.assert_array_equal(way(a, b), way(b, a))
            np.testing.assert_array_equal(way(a, way(b, c)), way(way(a, b), c))
            np.testing.assert_array_equal(way(a, a), a)
        np.testing.assert_array_equal(union(a, intersection(a, b)), a)
        np.testing.assert_array_equal(intersection(a, union(b, c)), union(intersection(a, b), intersection(a, c)))
        np.testing.assert_array_equal(without(a, b), intersection(a, 1 - b))
        np.testing.assert_allclose(1 - union(a, b), intersection(1 - a, 1 - b), atol=1e-7)

    def test_strokes_are_painted_over_what_came_before_them_and_into_nothing_else(self) -> None:
        square, left = outlined(SQUARE, backdrop="inside"), outlined(((0.5, 0), (1, 0), (1, 1), (0.5, 1)))
        keep = brushed(((0.3, 0.5), (0.7, 0.5)), keeps=True, size=0.1)
        drop = brushed(((0.5, 0.1), (0.5, 0.9)), keeps=False, size=0.06)
        alone = self.under(square).outcome.backdrop
        before = alone.copy()
        painted = self.under(square, keep).outcome.backdrop
        self.assertLess(float(painted.sum()), float(before.sum()))
        np.testing.assert_array_equal(alone, before, "what the region says stays what it says")
        weight = painted < before
        both = self.under(square, keep, drop).outcome.backdrop
        one = keep.model_copy(update={"strokes": (*keep.strokes, *drop.strokes)})
        np.testing.assert_array_equal(both, self.under(square, one).outcome.backdrop, "in one region or two")
        self.assertGreater(float(both[weight].sum()), float(painted[weight].sum()), "the later one lies over the earlier")
        after = self.under(AUTOMATIC, keep, left).outcome
        kept = self.under(AUTOMATIC, keep).outcome.backdrop
        np.testing.assert_array_equal(after.backdrop, union(kept, self.under(left).outcome.backdrop))
        assert after.painted is not None
        said = after.painted[:, : after.painted.shape[1] // 2], after.painted[:, after.painted.shape[1] // 2 + 2 :]
        self.assertEqual([bool(half.any()) for half in said], [False, True], "a later region has another word")
        round_it = self.under(AUTOMATIC, outlined(SQUARE, backdrop="inside")).outcome.painted
        np.testing.assert_array_equal(round_it, self.under(square).outcome.backdrop > 0.5, "and so has what somebody goes round")

    def test_the_list_goes_in_order_and_what_is_off_or_fails_counts_for_nothing(self) -> None:
        inside, left = outlined(SQUARE, backdrop="inside"), outlined(((0, 0), (0.5, 0), (0.5, 1), (0, 1)), backdrop="inside")
        values = [self.under(one).outcome.backdrop for one in (inside, left)]
        for how in COMBINE:
            both = self.under(inside, left.model_copy(update={"how": how})).outcome
            np.testing.assert_array_equal(both.backdrop, COMBINE[how](values[0], values[1]))
        taken, added = (self.under(inside, left.model_copy(update={"how": how}), inside).outcome.backdrop for how in ("take", "add"))
        np.testing.assert_array_equal(taken, values[0], "what comes last has the last word")
        self.assertGreater(float(added.mean()), float(taken.mean()))
        away = SpreadRegion(kind="spread", points=((0.02, 0.02),))
        cropped = FrameMarks(crop=(0.3, 0.3, 0.9, 0.9))
        outcome = self.under(AUTOMATIC, inside.model_copy(update={"on": False}), away, frame=cropped).outcome
        np.testing.assert_array_equal(outcome.backdrop, self.under(AUTOMATIC, frame=cropped).outcome.backdrop)
        self.assertRegex(outcome.troubles[2] or "", "outside the frame")
        self.assertEqual(outcome.shares[1:], [None, None])

    def test_automatic_alone_is_what_no_list_is_and_an_empty_list_keeps_everything(self) -> None:
        np.testing.assert_array_equal(alpha_of(self.under(AUTOMATIC)), alpha_of(self.plain))
        self.assertTrue(bool((alpha_of(Render(self.made.png, "pot", SHEET, Marks(clear=ClearMarks(regions=())))) == 1).all()))

    def test_a_region_that_changes_a_place_leaves_the_matte_elsewhere_as_it_was(self) -> None:
        h, w = self.made.alpha.shape
        far = np.ones((h, w), bool)
        far[round(0.4 * h) - 40 : round(0.5 * h) + 40, round(0.4 * w) - 40 : round(0.6 * w) + 40] = False
        middle = ((0.4, 0.4), (0.6, 0.4), (0.6, 0.5), (0.4, 0.5))
        # Another edge to measure by shifts the last few codes.
        for how, changed, most in (("take", False, 0.0), ("add", True, 0.02)):
            with self.subTest(how=how):
                again = self.under(AUTOMATIC, outlined(middle, how=how, backdrop="inside", edge="found"))
                alpha, before = alpha_of(again), alpha_of(self.plain)
                self.assertLessEqual(np.abs(alpha - before)[far].max(), most)
                self.assertEqual((np.abs(alpha - before) > 0.5).any(), changed)

    def test_automatic_works_as_a_region_where_the_run_sheet_leaves_clearing_out(self) -> None:
        off = SHEET.model_copy(update={"clear": ClearSettings(on=False)})
        kept = Render(self.made.png, "pot", off, cache=self.plain.cache)
        self.assertTrue(bool((alpha_of(kept) == 1).all()))
        own = Render(self.made.png, "pot", off, Marks(clear=ClearMarks(regions=(AUTOMATIC,))), cache=self.plain.cache)
        np.testing.assert_array_equal(alpha_of(own), alpha_of(self.plain))

    def test_a_file_with_transparency_keeps_its_soft_edges_under_regions(self) -> None:
        alpha = np.round(self.made.alpha * 255).astype(np.uint8)
        data = encode_picture(np.dstack([self.made.pixels, alpha]), "png")
        plain = alpha_of(Render(data, "pot", SHEET))
        np.testing.assert_array_equal(alpha_of(shown(data, AUTOMATIC)), plain)
        half = outlined(((0, 0), (0.5, 0), (0.5, 1), (0, 1)), backdrop="inside")
        cut = alpha_of(shown(data, AUTOMATIC, half))
        self.assertEqual(float(cut[:, :316].max()), 0.0)
        np.testing.assert_array_equal(cut[:, 324:], plain[:, 324:])

    def test_what_is_drawn_stays_where_it_is_on_the_photo_when_that_is_turned_or_cropped(self) -> None:
        drop = brushed(((0.45, 0.5), (0.55, 0.55)), keeps=False)
        whole = alpha_of(self.under(AUTOMATIC, drop)) < 0.1
        self.assertTrue(bool(whole[245, 320]))
        turned = alpha_of(self.under(AUTOMATIC, drop, frame=FrameMarks(turns=1))) < 0.1
        self.assertGreater(iou(np.rot90(turned, 1).astype(np.float32), whole.astype(np.float32)), 0.99)
        cropped = alpha_of(self.under(AUTOMATIC, drop, frame=FrameMarks(crop=(0.2, 0.1, 1, 1)))) < 0.1
        self.assertTrue(bool(cropped[245 - 48, 320 - 128]))

    def test_chalk_and_rub_give_exactly_what_is_painted(self) -> None:
        plain = alpha_of(self.under(AUTOMATIC))
        keep, drop = brushed(((0.1, 0.1), (0.2, 0.1)), keeps=True), brushed(((0.5, 0.5), (0.6, 0.5)), keeps=False)
        hand = alpha_of(self.under(AUTOMATIC, keep, drop))
        self.assertTrue(bool((hand[42:54, 64:128] == 1).all()))
        self.assertTrue(bool((hand[234:246, 320:384] == 0).all()))
        untouched = np.ones(hand.shape, bool)
        untouched[20:80, 30:160] = untouched[215:265, 295:410] = False
        np.testing.assert_array_equal(hand[untouched], plain[untouched])
        half = alpha_of(self.under(AUTOMATIC, brushed(((0.1, 0.1),), keeps=True, strength=0.5)))
        self.assertAlmostEqual(float(half[48, 64]), 0.5, delta=0.01)
        soft = alpha_of(self.under(AUTOMATIC, brushed(((0.1, 0.1),), keeps=True, size=0.15, softness=1)))
        ramp = soft[48, 64:112]
        self.assertTrue(bool((np.diff(ramp) <= 1e-3).all()) and ramp[0] > 0.9 and ramp[-1] < 0.1)
        erased = alpha_of(self.under(AUTOMATIC, keep, outlined(((0, 0), (0.3, 0), (0.3, 0.3), (0, 0.3)), backdrop="inside")))
        self.assertEqual(float(erased[48, 96]), 0.0, "a later region has the last word")

    def test_guarded_strokes_leave_what_is_solid_and_strokes_stop_at_edges(self) -> None:
        plain = alpha_of(self.under(AUTOMATIC))
        everywhere = tuple((x, y / 20) for y in range(21) for x in ((0.0, 1.0) if y % 2 else (1.0, 0.0)))
        for keeps in (True, False):
            guarded = alpha_of(self.under(AUTOMATIC, brushed(everywhere, keeps=keeps, size=0.1, guard=True)))
            changed = guarded != plain
            self.assertTrue(bool(changed.any()))
            nearly = (plain > 0.5) & (plain < 1) if keeps else (plain < 0.5) & (plain > 0)
            self.assertTrue(bool(nearly[changed].all()))
        over = ((0.62, 0.5), (0.9, 0.5))
        stopped, free = (
            alpha_of(self.under(AUTOMATIC, brushed((over[1], (0.72, 0.5)), keeps=True, size=0.2, edges=edges))) for edges in (True, False)
        )
        np.testing.assert_array_equal(stopped[:, 520:], free[:, 520:])
        dropped = alpha_of(self.under(AUTOMATIC, brushed(((0.75, 0.5), (0.75, 0.52)), keeps=False, size=0.3, edges=True)))
        inner = self.made.alpha == 1
        self.assertGreater(float(dropped[inner].mean()), 0.99, "Rub on the backdrop does not cross into the product")

    def test_a_line_that_turns_back_on_itself_by_a_pixel_is_drawn_all_the_same(self) -> None:
        png = Scene().made().png
        render = shown(png, outlined(SQUARE))
        whole = alpha_of(render)
        for slip in (
            ((0.7, 0.5), (0.72, 0.5), (0.7, 0.5)),
            ((0.7, 0.505), (0.703, 0.5), (0.703, 0.503), (0.7, 0.5)),
            ((0.7, 0.52), (0.7, 0.48)),
        ):
            with self.subTest(slip=slip):
                drawn = alpha_of(shown(png, outlined((*SQUARE[:2], *slip, *SQUARE[2:])), other=render))
                self.assertLess(np.count_nonzero(np.abs(drawn - whole) > 0.1), 20)

    def test_lines_that_cross_and_figures_out_of_range_are_refused_with_the_reason(self) -> None:
        cases: list[tuple[Callable[[], object], str]] = [
            (lambda: outlined(((0.2, 0.2), (0.8, 0.8), (0.8, 0.2), (0.2, 0.8))), "crosses itself at 50 % from the left, 50 % from the top"),
            (lambda: outlined(((0.2, 0.2), (0.8, 0.8))), "has no area"),
            (lambda: BoxRegion(kind="box", loop=((0, 0), (1, 1), (1, 0), (0, 1))), "crosses itself"),
            (lambda: SpreadRegion(kind="spread", points=((0.5, 0.5),), tolerance=61), "less than or equal to 60"),
            (lambda: SpreadRegion(kind="spread", points=((1.5, 0.5),)), "less than or equal to 1"),
            (lambda: SpreadRegion(kind="spread", points=(), tolerance=3), "at least 1 item"),
            (lambda: SpreadRegion(kind="spread", points=((0.5, 0.5),), extent="loop"), "draw the loop"),
            (lambda: ContrastMap(black=0.5, white=0.5), "at least 0.01 over black"),
            (lambda: FamilyRegion(kind="family", samples=(Stroke(adds=False, size=0.1, points=((0, 0),)),)), "no sample belongs"),
            (lambda: InkRegion(kind="ink", floor=0.5, full=0.4), "0.02 over floor"),
        ]
        for make, reason in cases:
            with self.assertRaisesRegex(ValidationError, reason):
                make()
        with self.assertRaisesRegex(YardError, "holds no closed line|cannot be read"):
            from_svg("no path", 640, 480)


class SpreadTest(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 2**32 - 1), st.integers(3, 9), st.integers(3, 9))
    def test_the_reach_map_is_the_least_greatest_cost_of_all_paths(self, seed: int, h: int, w: int) -> None:
        rng = np.random.default_rng(seed)
        cost = rng.integers(0, 9, (h, w)).astype(np.uint8)
        cost[rng.random((h, w)) < 0.15] = NEVER
        start = int(rng.integers(h * w))
        cost.flat[start] = rng.integers(0, 9)
        gates = np.empty((h, w), np.int32)
        found = _bottleneck(cost, np.array([start], np.int32), gates)
        # Relaxed from the start until nothing changes: slow, and plainly right.
        truth = np.full((h, w), NEVER, np.int64)
        truth.flat[start] = cost.flat[start]
        for _ in range(h * w):
            padded = np.pad(truth, 1, constant_values=NEVER)
            least = np.minimum.reduce([padded[:-2, 1:-1], padded[2:, 1:-1], padded[1:-1, :-2], padded[1:-1, 2:]])
            truth = np.minimum(truth, np.where(cost == NEVER, NEVER, np.maximum(least, cost)))
        np.testing.assert_array_equal(found, truth)
        there = found < NEVER
        np.testing.assert_array_equal(cost.flat[gates[there]], found[there], "each path last rose where it says")

    def test_a_spread_grows_with_its_tolerance_and_joined_lies_in_everywhere(self) -> None:
        render = shown(Scene().made().png)
        touched = SpreadRegion(kind="spread", points=((0.05, 0.05), (0.9, 0.9)))
        for by in ("all", "lightness", "hue"):
            for against in ("colour", "backdrop"):
                one = touched.model_copy(update={"by": by, "against": against})
                reached = reach_map(one, render.ground)
                before = np.zeros(reached.shape, bool)
                for tolerance in (0, 0.25, 1, 4, 12.5, 60):
                    grown = spread(one.model_copy(update={"tolerance": tolerance}), render.ground) > 0
                    # What the page draws from the map, and what the engine says.
                    np.testing.assert_array_equal(grown, reached <= tolerance * STEPS)
                    self.assertFalse(bool((before & ~grown).any()))
                    before = grown
                everywhere = reach_map(one.model_copy(update={"extent": "everywhere"}), render.ground)
                self.assertTrue(bool((everywhere <= reached).all()))
        loop = touched.model_copy(update={"extent": "loop", "loop": SQUARE})
        limited = reach_map(loop, render.ground)
        self.assertTrue(bool((limited[:100] == NEVER).all()))

    def test_one_touch_takes_a_gradient_against_the_model_and_the_best_plateau_is_the_backdrop(self) -> None:
        made = Scene(gradient=0.5, handle=False).made()
        render = shown(made.png)
        touched = SpreadRegion(kind="spread", points=((0.05, 0.05),))
        offer = offer_tolerance(touched, render.ground)
        assert offer.best is not None
        self.assertTrue(any(a <= offer.best <= b for a, b in offer.plateaus))
        taken = shown(made.png, touched.model_copy(update={"tolerance": offer.best}), other=render)
        self.assertGreater(iou(alpha_of(taken), made.alpha), 0.985)
        plain = SpreadRegion(kind="spread", points=((0.05, 0.05),), tolerance=2, against="colour")
        even = SpreadRegion(kind="spread", points=((0.05, 0.05),), tolerance=2)
        self.assertLess(float(spread(plain, render.ground).mean()), 0.6 * float(spread(even, render.ground).mean()))

    def test_a_leak_is_found_where_it_breaks_through_and_its_wall_keeps_it_out(self) -> None:
        pixels = np.full((300, 400, 3), 230, np.uint8)
        cv2.rectangle(pixels, (120, 80), (280, 220), (150, 60, 40), 6)  # a frame, its inside is product of the paper's colour
        pixels[140:160, 116:126] = (214, 222, 224)  # a pale place in it
        render = shown(encode_picture(pixels, "png"))
        touched = SpreadRegion(kind="spread", points=((0.05, 0.05),), against="colour")
        offer = offer_tolerance(touched, render.ground)
        leak = max(offer.leaks, key=lambda one: one.share)
        self.assertAlmostEqual(leak.share, 0.16, delta=0.03)
        self.assertLess(abs(leak.at[0] - 0.305) + abs(leak.at[1] - 0.5), 0.07)
        walled = touched.model_copy(update={"tolerance": leak.tolerance + 4, "walls": tuple(leak.wall)})
        self.assertEqual(float(spread(walled, render.ground)[150, 200]), 0.0)
        self.assertEqual(float(spread(walled.model_copy(update={"walls": ()}), render.ground)[150, 200]), 1.0)


class KindsTest(unittest.TestCase):
    def test_a_colour_family_takes_grainy_paper_without_speckle(self) -> None:
        made = Scene(noise=0.05, handle=False, shadow=0.1).made()
        render = shown(made.png)
        samples = (Stroke(size=0.05, points=((0.05, 0.05), (0.95, 0.05), (0.95, 0.95), (0.05, 0.95))),)
        family = FamilyRegion(kind="family", samples=samples)
        taken = shown(made.png, family, other=render)
        self.assertGreater(iou(alpha_of(taken), made.alpha), 0.97)
        self.assertEqual(float(taken.outcome.backdrop[:60].min()), 1.0, "no speckle")
        unlike = family.model_copy(update={"samples": (*samples, Stroke(adds=False, size=0.1, points=((0.05, 0.05), (0.5, 0.05))))})
        self.assertLess(float(shown(made.png, unlike, other=render).outcome.backdrop.mean()), float(taken.outcome.backdrop.mean()) - 0.05)

    def test_a_box_finds_the_product_and_strokes_weigh_more_than_colour(self) -> None:
        made = Scene(handle=False).made()
        render = shown(made.png)
        box = BoxRegion(kind="box", loop=((0.25, 0.1), (0.78, 0.1), (0.78, 0.95), (0.25, 0.95)))
        self.assertGreater(iou(alpha_of(shown(made.png, box, other=render)), made.alpha), 0.98)
        keep, drop = Stroke(size=0.06, points=((0.3, 0.2), (0.3, 0.4))), Stroke(adds=False, size=0.08, points=((0.5, 0.5),))
        mended = shown(made.png, box.model_copy(update={"strokes": (keep, drop)}), other=render).outcome.backdrop
        self.assertEqual((float(mended[140, 192]), float(mended[240, 320])), (0.0, 1.0))

    def test_a_box_leaves_what_was_found_whole_in_it_and_drops_what_it_only_touches(self) -> None:
        jars = JARS.read_bytes()
        render = shown(jars)
        two = alpha_of(render)
        # So far that a strip of the third jar is in it; the white labels of the others are product.
        right = 0.64
        box = BoxRegion(kind="box", loop=((0.1, 0.12), (right, 0.12), (right, 0.92), (0.1, 0.92)))
        gap = round(0.61 * two.shape[1])
        two[:, gap:] = 0
        alpha = alpha_of(shown(jars, box, other=render))
        self.assertGreater(iou(alpha, two), 0.999)
        self.assertEqual(float(alpha[:, gap:].max()), 0.0)

    def test_boxes_round_two_products_keep_both_as_they_were_found_and_nothing_between(self) -> None:
        jars = JARS.read_bytes()
        render = shown(jars)
        left, right = (BoxRegion(kind="box", loop=((a, 0.12), (b, 0.12), (b, 0.92), (a, 0.92))) for a, b in ((0.14, 0.385), (0.61, 0.86)))
        both = shown(jars, AUTOMATIC, left, right.model_copy(update={"how": "intersect"}), other=render)
        wanted = alpha_of(render).copy()
        w = wanted.shape[1]
        wanted[:, round(0.385 * w) : round(0.61 * w)] = 0
        self.assertGreater(iou(alpha_of(both), wanted), 0.999)
        self.assertEqual(float(alpha_of(both)[:, round(0.4 * w) : round(0.6 * w)].max()), 0.0)

    def test_a_stroke_goes_on_over_what_is_alike_and_not_over_what_has_a_border(self) -> None:
        made = Scene(handle=False).made()
        # Its left half is as light as the paper, as grainy, and hardly of another hue.
        pale = decode_photo(made.png, "pot").pixels.astype(np.float32)
        left = made.alpha[:, :320] > 0
        paper = np.median(pale[:40].reshape(-1, 3), axis=0) + np.random.default_rng(1).normal(0, 1, pale.shape)[:, :320]
        pale[:, :320][left] = (paper - made.alpha[:, :320, None] * (0.3, 0.3, 5))[left]
        data = encode_picture(np.rint(pale).astype(np.uint8), "png")
        box = BoxRegion(kind="box", loop=((0.25, 0.1), (0.78, 0.1), (0.78, 0.95), (0.25, 0.95)))
        render = shown(data, box)
        self.assertLess(iou(alpha_of(render), made.alpha), 0.6)
        for place, least, most in (((0.42, 0.5), 0.97, 1.0), ((0.3, 0.2), 0.45, 0.55)):
            with self.subTest(place=place):
                stroke = Stroke(size=0.02, points=(place,))
                found = iou(alpha_of(shown(data, box.model_copy(update={"strokes": (stroke,)}), other=render)), made.alpha)
                self.assertTrue(least < found <= most, found)

    def test_an_outline_drawn_roughly_gets_the_edge_that_was_found_and_a_wire_that_was_not_found_stays(self) -> None:
        made = Scene(handle=False).made()
        render = shown(made.png)
        found = alpha_of(render)
        (line,), _ = cv2.findContours((found > 0.5).view(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        rough = cv2.approxPolyDP(line, 3, True)[:, 0] + np.random.default_rng(1).normal(0, 1, (1, 2))
        places = tuple((float(x) / 640, float(y) / 480) for x, y in rough)
        self.assertLess(iou(alpha_of(shown(made.png, outlined(places), other=render)), found), 0.99)
        np.testing.assert_allclose(alpha_of(shown(made.png, outlined(places, edge="found"), other=render)), found, atol=0.002)
        wire = ((0.05, 0.1), (0.06, 0.1), (0.06, 0.9), (0.05, 0.9))
        self.assertTrue(bool(shown(made.png, outlined(wire, edge="found"), other=render).decisions.product[240, 34:37].all()))

    def test_an_outline_is_cut_exactly_as_drawn_at_every_scale_and_goes_to_svg_and_back(self) -> None:
        made = Scene().made()
        render = shown(made.png, outlined(SQUARE))
        for scale in (1.0, 0.5):
            alpha = render.cut(scale, render.whole(scale)).alpha
            self.assertAlmostEqual(float(alpha.mean()), 0.4 * 0.5, delta=0.002)
            h, w = alpha.shape
            self.assertTrue(bool((alpha[h // 4 + 2 : 3 * h // 4 - 2, round(0.3 * w) + 2 : round(0.7 * w) - 2] == 1).all()))
        bent = OutlineRegion(
            kind="outline",
            paths=((Knot(at=(0.3, 0.5), after=(0.3, 0.2)), Knot(at=(0.7, 0.5), before=(0.7, 0.2))), tuple(Knot(at=at) for at in SQUARE)),
        )
        text = to_svg(bent, 640, 480)
        back = from_svg(text.split(' d="')[1].split('"')[0], 640, 480)
        for path, again in zip(bent.paths, back, strict=True):
            for knot, same in zip(path, again, strict=True):
                np.testing.assert_allclose(same.at, knot.at, atol=2e-4)
                self.assertEqual((same.before is None, same.after is None), (knot.before is None, knot.after is None))
        many = "M 0 0 h 9 v 9 z "
        self.assertEqual(len(from_svg(200 * many, 640, 480)), 200)
        for text, said in ((201 * many, "more than 200 outlines"), ("z" * 99999, "outlines"), ("M 0 0" + " h 1 v 1" * 400, "801 points")):
            with self.assertRaisesRegex(YardError, said):
                from_svg(text, 640, 480)
        quadratic = from_svg("M 0 0 Q 320 480 640 0 Z m 100 100 h 50 v 50 z", 640, 480)
        self.assertEqual([len(path) for path in quadratic], [2, 3])

    def test_the_way_between_two_clicks_follows_the_edge_and_tracing_gives_back_the_mask(self) -> None:
        made = Scene(handle=False).made()
        render = shown(made.png)
        top, right = (0.5, 0.52 - 0.3), (0.5 + 0.24 * 0.75, 0.52)
        line = np.array(way_along_edges(render.ground, top, right)) * (640, 480)
        # All of it lies on the ellipse that the product is.
        off = np.hypot((line[:, 0] - 320) / (0.24 * 480), (line[:, 1] - 0.52 * 480) / (0.3 * 480))
        self.assertLess(float(np.abs(off - 1).max()) * 0.24 * 480, 4.0)
        self.assertGreater(len(line), 6)
        product = render.clearing.product
        region = OutlineRegion(kind="outline", paths=tuple(traced(product, render.ground.plot)))
        again = shown(made.png, region, other=render).outcome.backdrop < 0.5
        self.assertGreater(iou(again.astype(np.float32), product.astype(np.float32)), 0.985)

    def test_a_contrast_map_is_its_formula_and_the_best_is_found(self) -> None:
        rng = np.random.default_rng(3)
        sources = {name: rng.random(50).astype(np.float32) for name in SOURCES}
        a, b = sources["R"], 1 - sources["b*"]
        expected = {
            "first": a,
            "multiply": a * b,
            "lighten": np.maximum(a, b),
            "darken": np.minimum(a, b),
            "add": np.minimum(a + b, 1),
            "subtract": np.maximum(a - b, 0),
            "difference": np.abs(a - b),
            "dodge": np.minimum(a / np.maximum(1 - b, 1e-3), 1),
        }
        for combine in COMBINATIONS:
            made = ContrastMap(first="R", second="b*", invert_second=True, combine=combine, invert=False)
            np.testing.assert_allclose(apply_map(made, sources), expected[combine], atol=1e-6)
        shaped = ContrastMap(first="R", scale=1.5, offset=-0.1, black=0.2, white=0.8, mid=2, invert=True)
        np.testing.assert_allclose(apply_map(shaped, sources), 1 - (((a * 1.5 - 0.1).clip(0, 1) - 0.2) / 0.6).clip(0, 1) ** 0.5, atol=1e-6)
        made_ = Scene(handle=False).made()
        render = shown(made_.png)
        variants = rank_variants(render.ground)
        self.assertEqual(sorted(variants, key=lambda one: -one.separation), variants)
        self.assertAlmostEqual(separation_of(variants[0].map, render.ground), variants[0].separation, delta=0.02)
        matte = shown(made_.png, ContrastRegion(kind="contrast", map=variants[0].map), other=render)
        self.assertGreater(iou(alpha_of(matte), made_.alpha), 0.88)
        hinted = ContrastRegion(
            kind="contrast",
            hints=(Stroke(size=0.1, points=((0.1, 0.1),)), Stroke(adds=False, size=0.1, points=((0.5, 0.5),))),
        )
        turned = rank_variants(render.ground, hinted)[0].map
        self.assertGreater(iou(1 - alpha_of(shown(made_.png, ContrastRegion(kind="contrast", map=turned), other=render)), made_.alpha), 0.9)

    def test_ink_keeps_what_it_covers_on_uneven_paper_and_can_be_printed_in_another_colour(self) -> None:
        pixels, opacity, paper = _print_on_paper()
        data = encode_picture(pixels, "png")
        ink = InkRegion(kind="ink")
        render = shown(data, ink)
        alpha = alpha_of(render)
        self.assertLess(float(((alpha - opacity) ** 2).mean()), 2e-4)
        self.assertEqual(float(alpha[:30].max()), 0.0, "paper is gone, pencil too")
        half = np.s_[185:210, 180:220]
        self.assertAlmostEqual(float(alpha[half].mean()), 0.5, delta=0.03)
        light = float(decode(pixels[half][..., 1] / 255).mean())
        again = float((alpha[half] * 0.1 * paper[half] + (1 - alpha[half]) * paper[half]).mean())
        self.assertAlmostEqual(again / light, 1, delta=0.03, msg="laid on its paper again, it is the photo")
        blue = shown(data, ink.model_copy(update={"colour": "#2c5aa0"}), other=render)
        solid = blue.cutout(1.0, blue.whole(1.0))[150, 200]
        np.testing.assert_allclose(solid[:3], (44, 90, 160), atol=2)

    @given(st.floats(0, 2.9), st.floats(0.02, 3))
    def test_the_darker_the_more_of_it_is_ink_whatever_the_levels(self, floor: float, more: float) -> None:
        greys = np.arange(255, -1, -1, dtype=np.uint8)[None, :, None].repeat(3, 2)
        ink = 1 - paper_share(greys, np.zeros((1, 256, 3), np.float32), (floor, min(floor + more, 3.0)))[0]
        self.assertTrue((np.diff(ink) >= 0).all() and ink[0] == 0 and ink.max() <= 1)

    def test_gaps_are_listed_and_cleared_one_by_one(self) -> None:
        made = Scene().made()
        render = shown(made.png)
        # All of the handle and what it surrounds are kept; the gap is there to be found.
        filled = outlined(((0.1, 0.1), (0.5, 0.1), (0.5, 0.95), (0.1, 0.95)), how="take", backdrop="inside")
        kept = shown(made.png, AUTOMATIC, filled, other=render)
        (gap, *_) = sorted(find_gaps(render.ground, alpha_of(kept) <= 0.5), key=lambda one: -one.share)
        x, y = round(gap.at[0] * 640), round(gap.at[1] * 480)
        self.assertEqual(float(made.alpha[y, x]), 0.0)
        cleared = shown(made.png, AUTOMATIC, filled, GapsRegion(kind="gaps", points=(gap.at,)), other=render).outcome.backdrop
        self.assertEqual(float(cleared[y, x]), 1.0)
        self.assertGreater(float(cleared.mean()), float(kept.outcome.backdrop.mean()))

    def test_colours_that_overlap_are_measured_and_another_way_is_advised(self) -> None:
        apart, alike = (shown(Scene(colour=colour, handle=False, noise=0.004).made().png) for colour in ((150, 60, 40), (226, 226, 226)))
        truth = Scene(handle=False).made().alpha
        values = [overlap_of_colours(render.analysis, render.decisions_backdrop, truth < 0.5).share for render in (apart, alike)]
        self.assertLess(values[0], 0.02)
        self.assertGreater(values[1], LIMIT)
        self.assertIsNone(advice(values[0], 1.0, inked=False))
        for sure, inked, wanted in ((1.0, False, "Box"), (0.3, False, "Outline"), (1.0, True, "Ink")):
            self.assertIn(wanted, advice(values[1], sure, inked=inked) or "")

    def test_colours_overlap_by_as_much_however_light_the_photo_is(self) -> None:
        shares = []
        for level in (220, 224, 228, 232):
            pixels = Scene(level=level, gradient=0, colour=(level, level, level), handle=False, noise=0.004, shadow=0).made().pixels
            shares.append(overlap_of_colours(pixels, fit_backdrop(pixels), Scene(handle=False).made().alpha < 0.5).share)
        self.assertGreater(min(shares), LIMIT)
        self.assertLess(max(shares) - min(shares), 0.05)


def _print_on_paper() -> tuple[Coded, Float, Float]:
    """Ink of density 1 that covers half of the paper in places, on paper with a gradient, and a faint pencil line at the top; with
    the ink's true opacity and the paper's light.
    """
    h, w = 300, 400
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    paper = decode(np.array(235 / 255)) * (1 - 0.3 * x / w)
    solid = ((np.hypot(x - 200, y - 150) < 70) & ~((np.abs(x - 150) < 6) & (y > 100))).astype(np.float32)
    opacity = cv2.GaussianBlur(solid, (0, 0), 0.8) * np.where(y > 180, 0.5, 1).astype(np.float32)
    light = paper * (1 - 0.9 * opacity)
    light[20:22] *= 0.97
    light *= 1 + np.random.default_rng(2).normal(0, 0.006, (h, w))
    return to_coded(np.repeat(light[..., None], 3, 2).astype(np.float32), np.uint8), opacity, paper.astype(np.float32)


if __name__ == "__main__":
    unittest.main()
