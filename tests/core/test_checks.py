"""A truth test for each check: a picture made to have exactly that fault, and one made not to."""

import unittest
from collections.abc import Callable
from dataclasses import replace

import cv2
import numpy as np

from tests.pictures import Made, Scene
from yardchalk.core.checks import REGISTRY, Finding, left_behind, missing_part, run_checks
from yardchalk.core.checks.lot import MEASURES, check_lot
from yardchalk.core.clear_settings import AutomaticRegion, BoxRegion, BrushStroke, ClearMarks, StrokesRegion
from yardchalk.core.codecs import decode_photo, encode_picture
from yardchalk.core.colour import Coded, Mask, to_coded, to_linear
from yardchalk.core.deliver import examine, on_canvas, produce
from yardchalk.core.pixels import Region
from yardchalk.core.regions import disc
from yardchalk.core.render import Decisions, Render, StageCache
from yardchalk.core.settings import BalanceMarks, LiftMarks, ListingSpec, Marks, load_sheet, load_spec
from yardchalk.core.softness import blur_of_edges, softness
from yardchalk.core.stages.place import full_frame, place

WHITE = load_sheet("white")
SCENE = Scene(width=1280, height=960)
PNG = ListingSpec.model_validate({"name": "white-png", "file": "png", "margin": 10})
CACHE = StageCache()  # most tests begin with the same photo
HANDLE, GAP = (260, 480), (340, 480)  # px of SCENE


def holds(finding: Finding, x: float, y: float) -> bool:
    assert finding.place is not None
    left, top, width, height = finding.place.original
    return left <= x < left + width and top <= y < top + height


def decided(made: Made, product: Mask) -> list[Finding]:
    """Findings when clearing had decided otherwise."""
    own = Render(made.jpeg, "pot", WHITE, cache=CACHE)
    other = Decisions(product, own.decisions.backdrop, own.decisions.noise)
    render = Render(made.jpeg, "pot", WHITE)
    render.adopt(other)
    return produce(render, PNG).findings


def placed(spec: ListingSpec, edit: Callable[[Coded], None] = lambda _: None, *, judged_by: ListingSpec | None = None) -> list[Finding]:
    """Findings on a delivered file that was changed after rendering."""
    render = Render(SCENE.made().jpeg, "pot", WHITE, cache=CACHE)
    placing = place(spec, render.facts.width, render.facts.height, render.box)
    laid = on_canvas(render, spec, placing)
    edit(laid.pixels)
    data = encode_picture(laid.pixels, "jpeg" if spec.file == "jpeg" else "png")
    back = decode_photo(data, "result")
    return run_checks(examine(render, judged_by or spec, placing, laid, data, back, trimmed=True))


class CheckTest(unittest.TestCase):
    made = SCENE.made()

    def found(self, findings: list[Finding], check: str) -> list[Finding]:
        self.assertIn(check, REGISTRY)
        return [finding for finding in findings if finding.check == check and finding.severity != "note"]

    def test_nothing_is_found_where_nothing_is_wrong(self) -> None:
        for spec in (PNG, load_spec("square-2000"), load_spec("cutout")):
            result = produce(Render(self.made.jpeg, "pot", WHITE, cache=CACHE), spec)
            self.assertEqual([f for f in result.findings if f.severity != "note"], [], spec.name)
            self.assertEqual(result.verdict, "ready")

    def test_off_white(self) -> None:
        def island(pixels: Coded) -> None:
            pixels[20:30, 30:40] = 250

        def single(pixels: Coded) -> None:
            pixels[12, 17, 2] = 254

        for edit, area, at in ((island, 100, (35, 25)), (single, 1, (17, 12))):
            (finding,) = self.found(placed(PNG, edit), "off-white")
            self.assertEqual((finding.severity, finding.figure), ("fix", area))
            assert finding.place is not None and finding.place.result is not None
            x, y, w, h = finding.place.result
            self.assertTrue(x <= at[0] < x + w and y <= at[1] < y + h)

    def test_lost_highlights(self) -> None:
        pale = Scene(width=1280, height=960, colour=(225, 222, 216), level=245).made()
        for marks, wanted in ((Marks(lift=LiftMarks(white_point=190)), 1), (Marks(), 0)):
            findings = produce(Render(pale.jpeg, "pale pot", WHITE, marks), PNG).findings
            self.assertEqual(len(self.found(findings, "lost-highlights")), wanted)

    def test_lost_shadows(self) -> None:
        dark = Scene(width=1280, height=960, colour=(40, 24, 22)).made()
        for marks, wanted in ((Marks(lift=LiftMarks(black_point=60)), 1), (Marks(), 0)):
            findings = produce(Render(dark.jpeg, "dark pot", WHITE, marks), PNG).findings
            found = self.found(findings, "lost-shadows")
            self.assertEqual(len(found), wanted)
            self.assertTrue(all(holds(finding, 640, 500) for finding in found))

    def test_cast(self) -> None:
        for lamp, balance, wanted in (
            ((1.0, 0.9, 0.7), None, 1),
            ((1.0, 1.0, 1.0), None, 0),
            ((0.2, 0.45, 1.0), None, 0),  # no lamp is that blue: it is the paper
            ((1.0, 0.9, 0.7), BalanceMarks(red=0.9, blue=1.29), 0),
        ):
            with self.subTest(lamp=lamp):
                photo = SCENE.but(lamp=lamp).made().jpeg
                findings = self.found(produce(Render(photo, "pot", WHITE, Marks(balance=balance)), PNG).findings, "cast")
                self.assertEqual(len(findings), wanted, findings)

    def test_the_products_colour_thrown_on_the_paper_is_no_missing_part(self) -> None:
        h, w = SCENE.height, SCENE.width
        y, x = np.mgrid[0:h, 0:w].astype(np.float32)
        glow = np.exp(-(((x - 0.5 * w) / (0.16 * w)) ** 2) - ((y - 0.8 * h) / (0.045 * h)) ** 2)[..., None] * np.array([0, 0.6, 0.66])
        alpha = self.made.alpha[..., None]
        light = alpha * self.made.product + (1 - alpha) * self.made.backdrop * (1 - glow)
        thrown = to_coded((light * (1 + np.random.default_rng(1).normal(0, 0.008, (h, w, 1)))).astype(np.float32), np.uint8)
        self.assertEqual(
            self.found(produce(Render(encode_picture(thrown, "jpeg", quality=95), "pot", WHITE), PNG).findings, "missing-part"), []
        )
        # A disc of the same colour with a border is.
        thrown[700:761, 150:211] = np.where(disc(61)[..., None] > 0, np.array([225, 120, 110], np.uint8), thrown[700:761, 150:211])
        (finding,) = self.found(decided(replace(self.made, pixels=thrown), self.made.alpha > 0.5), "missing-part")
        self.assertTrue(holds(finding, 180, 730))
        # And so is what is large and of quite another hue, however soft its border is.
        wide = cv2.GaussianBlur(
            cv2.ellipse(np.zeros((h, w), np.float32), (w // 2, int(0.88 * h)), (w // 4, h // 10), 0, 0, 360, 1, -1), (0, 0), 9
        )
        wooden = to_coded((light * (1 - wide[..., None] * np.array([0.5, 0.68, 0.8]))).astype(np.float32), np.uint8)
        self.assertTrue(self.found(decided(replace(self.made, pixels=wooden), self.made.alpha > 0.5), "missing-part"))

    def test_a_product_that_a_box_leaves_outside_as_a_whole_is_no_missing_part_and_what_it_cuts_off_is(self) -> None:
        pixels = self.made.pixels.copy()
        pixels[680:781, 60:161] = np.where(disc(101)[..., None] > 0, np.array([60, 110, 160], np.uint8), pixels[680:781, 60:161])
        photo = encode_picture(pixels, "jpeg", quality=95)
        h, w = self.made.alpha.shape
        x, y, across, down = cv2.boundingRect((self.made.alpha > 0.02).astype(np.uint8))
        left, right, bottom = (x - 20) / w, (x + across + 20) / w, (y + down + 20) / h
        for top, wanted in (((y - 20) / h, []), ((y + down / 3) / h, [(x + across / 2, y + down / 6)])):
            with self.subTest(top=top):
                box = BoxRegion(kind="box", loop=((left, top), (right, top), (right, bottom), (left, bottom)))
                marks = Marks(clear=ClearMarks(regions=(AutomaticRegion(kind="automatic"), box)))
                render = Render(photo, "pot", WHITE, marks)
                self.assertEqual(render.coverage(1.0, Region(680, 781, 60, 161)).max(), 0)
                found = self.found(produce(render, PNG).findings, "missing-part")
                self.assertEqual(len(found), len(wanted), found)
                for finding, at in zip(found, wanted, strict=True):
                    self.assertTrue(holds(finding, *at))

    def test_too_alike(self) -> None:
        pixels, inside = self.made.pixels.copy(), cv2.erode((self.made.alpha == 1).astype(np.uint8), np.ones((25, 25), np.uint8)) > 0
        pixels[inside] = to_coded(self.made.backdrop, np.uint8)[inside]
        white = replace(self.made, pixels=pixels)
        (finding,) = self.found(decided(white, self.made.alpha > 0.5), "too-alike")
        self.assertEqual(self.found(decided(self.made, self.made.alpha > 0.5), "too-alike"), [])
        self.assertGreater(finding.figure, 15)
        self.assertEqual(finding.severity, "look", "so pale a middle may be a gap: the second look is not sure of it")
        assert finding.place is not None and finding.place.outline
        x, y, w, h = finding.place.original
        self.assertTrue(inside[y - 30 : y + h + 30, x - 30 : x + w + 30].any() and not inside[y : y + h, x : x + w].all())

    def test_beside_the_lot(self) -> None:
        lot: list[dict[str, float | None]] = [{m.key: 100 + m.least * (i % 3) for m in MEASURES} for i in range(9)]
        self.assertEqual(check_lot(lot), [[] for _ in lot])
        lot[4] |= {"white point (level)": 40.0, "softness (px)": 160.0}
        lot[7] |= {"softness (px)": 60.0, "fringe (ΔE00)": None}
        found = check_lot(lot)
        self.assertEqual([(f.check, f.severity) for f in found[4]], [("odd-one-out", "note"), ("soft-picture", "look")])
        self.assertGreater(found[4][1].excess, 1)
        self.assertEqual([f for i, one in enumerate(found) if i != 4 for f in one], [], "sharper than the others is no fault")
        self.assertEqual(check_lot(lot[:5]), [[]] * 5, "five photos are no lot to be odd in")

    def test_a_photo_out_of_focus_is_said_and_cut_out_as_well_at_a_size_at_which_it_is_sharp(self) -> None:
        def blurred(blur: float) -> Render:
            light = cv2.GaussianBlur(to_linear(self.made.pixels), (0, 0), blur)
            return Render(encode_picture(to_coded(light, np.uint8), "jpeg", quality=95), "pot", WHITE)

        self.assertEqual(self.found(produce(Render(self.made.jpeg, "pot", WHITE, cache=CACHE), PNG).findings, "out-of-focus"), [])
        for blur in (2.5, 4.0):
            with self.subTest(blur=blur):
                render = blurred(blur)
                (finding,) = self.found(produce(render, PNG).findings, "out-of-focus")
                self.assertAlmostEqual(finding.figure, blur, delta=0.15 * blur)
                self.assertLess(finding.figure * render.analysis_scale, 1.4)
                found = render.cut(1.0, render.whole(1.0)).alpha
                self.assertLess(float(np.abs(found - cv2.GaussianBlur(self.made.alpha, (0, 0), blur)).mean()), 2e-3)

    def test_softness_is_how_far_detail_is_blurred(self) -> None:
        alpha = self.made.alpha
        steps = np.kron(np.random.default_rng(2).uniform(30, 220, (40, 40)), np.ones((32, 32)))[:960, :1280]
        pixels = np.repeat(steps.astype(np.uint8)[..., None], 3, axis=2)
        for blur in (1.5, 2.5, 4.0):
            found = softness(cv2.GaussianBlur(pixels, (0, 0), blur), alpha, 1.0)
            assert found is not None
            self.assertAlmostEqual(found, blur, delta=0.2 * blur)
            self.assertAlmostEqual(blur_of_edges(cv2.GaussianBlur(pixels, (0, 0), blur)) or 0, blur, delta=0.2 * blur)

    def test_many_alike_are_one_with_all_their_places(self) -> None:
        def dust(pixels: Coded) -> None:
            for x in range(20, 120, 20):
                pixels[10:14, x : x + 4] = 240

        (finding,) = self.found(placed(PNG, dust), "off-white")
        self.assertIn("5 places, the worst: backdrop is not white: 16 px", finding.message)
        assert finding.place is not None and finding.place.outline is not None
        self.assertEqual(len(finding.place.outline), 5)

    def test_left_behind(self) -> None:
        filled = cv2.morphologyEx((self.made.alpha > 0.5).astype(np.uint8), cv2.MORPH_CLOSE, np.ones((301, 301), np.uint8)) > 0
        found = self.found(decided(self.made, filled), "left-behind")
        self.assertTrue(any(holds(finding, *GAP) for finding in found), found)

    def test_what_a_stroke_says_is_product_is_not_left_behind(self) -> None:
        at = (GAP[0] / SCENE.width, GAP[1] / SCENE.height)
        chalk = StrokesRegion(kind="strokes", strokes=(BrushStroke(keeps=True, size=0.12, points=((*at, 1),)),))
        marks = Marks(clear=ClearMarks(regions=(AutomaticRegion(kind="automatic"), chalk)))
        render = Render(self.made.jpeg, "pot", WHITE, marks, cache=CACHE)
        self.assertEqual(self.found(produce(render, PNG).findings, "left-behind"), [])
        self.assertGreater(float(render.cut(1.0, render.whole(1.0)).alpha[GAP[1], GAP[0]]), 0.99)

    def test_what_the_second_look_doubts_is_left_behind_or_missing(self) -> None:
        render = Render(self.made.jpeg, "pot", WHITE, cache=CACHE)
        placing = place(PNG, render.facts.width, render.facts.height, render.box)
        laid = on_canvas(render, PNG, placing)
        data = encode_picture(laid.pixels, "png")
        seen = examine(render, PNG, placing, laid, data, decode_photo(data, "result"), trimmed=True)
        look = render.second_look
        x, y = GAP
        places = np.zeros(look.coverage.shape, bool)
        places[420:470, 600:680] = True  # of the product
        places[y - 20 : y + 20, x - 20 : x + 20] = True
        doubts = (
            (left_behind.check, replace(look, may_be_open=places), (640, 445)),
            (missing_part.check, replace(look, may_be_product=places), GAP),
            (missing_part.check, replace(look, may_be_print=places), GAP),
        )
        for check, others, at in doubts:
            self.assertEqual(check(seen), [])
            (finding,) = check(replace(seen, looked=others))
            self.assertTrue(holds(finding, *at), finding.message)

    def test_missing_part(self) -> None:
        without = self.made.alpha > 0.5
        without[:, : HANDLE[0] + 140] = False
        found = self.found(decided(self.made, without), "missing-part")
        self.assertTrue(any(holds(finding, *HANDLE) for finding in found), found)

    def test_nothing_at_all_is_a_missing_product(self) -> None:
        empty = np.full((600, 800, 3), 236, np.uint8)
        result = produce(Render(encode_picture(empty, "png"), "empty set", WHITE), PNG)
        self.assertEqual(result.verdict, "fix")
        self.assertIn("No product", result.findings[0].message)

    def test_weak_outline(self) -> None:
        half = cv2.dilate((self.made.alpha > 0.5).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        half[480:] = False  # through the middle of the pot, where there is no edge
        found = self.found(decided(self.made, half), "weak-outline")
        self.assertTrue(any(holds(finding, 640, 478) for finding in found), found)

    def test_fine_detail(self) -> None:
        pixels = Scene(width=1280, height=960, handle=False, shadow=0).made().pixels
        for x in range(100, 320, 20):
            cv2.line(pixels, (x, 200), (x, 800), (60, 60, 60), 4, cv2.LINE_AA)
        cv2.line(pixels, (90, 500), (700, 500), (60, 60, 60), 12, cv2.LINE_AA)
        findings = produce(Render(encode_picture(pixels, "jpeg", quality=95), "rack", WHITE), PNG).findings
        self.assertTrue(any(holds(f, 200, 400) for f in self.found(findings, "fine-detail")), findings)

    def test_stray_piece(self) -> None:
        pixels = self.made.pixels.copy()
        cv2.circle(pixels, (1100, 200), 11, (70, 50, 40), -1, cv2.LINE_AA)
        findings = produce(Render(encode_picture(pixels, "jpeg", quality=95), "crumb", WHITE), PNG).findings
        (finding,) = self.found(findings, "stray-piece")
        self.assertTrue(holds(finding, 1100, 200))

    def test_cut_off(self) -> None:
        cut = produce(Render(SCENE.but(shift=0.4).made().jpeg, "pot", WHITE), PNG).findings
        (finding,) = self.found(cut, "cut-off")
        self.assertIn("right", finding.message)
        self.assertTrue(holds(finding, 1278, 500))

    def test_framing(self) -> None:
        spec = load_spec("square-2000")
        png = spec.model_copy(update={"file": "png"})
        self.assertEqual(self.found(placed(png), "framing"), [])
        for changed, words in (({"fill": 70.0}, "The product fills 8"), ({"fill": 95.0}, "The product fills 8")):
            (finding,) = self.found(placed(png, judged_by=png.model_copy(update=changed)), "framing")
            self.assertIn(words, finding.message)

    def test_file(self) -> None:
        spec = load_spec("square-2000")
        jpeg_for_png = self.found(placed(spec, judged_by=spec.model_copy(update={"file": "png"})), "file")
        self.assertIn("JPEG, not PNG", jpeg_for_png[0].message)
        heavy = self.found(placed(spec, judged_by=spec.model_copy(update={"max_bytes": 20_000})), "file")
        self.assertIn("bytes, more than 20,000", heavy[0].message)
        opaque = self.found(placed(spec, judged_by=spec.model_copy(update={"background": "transparent"})), "file")
        self.assertIn("no transparency", opaque[0].message)

    def test_a_full_frame_is_not_judged_by_its_framing(self) -> None:
        render = Render(self.made.jpeg, "pot", WHITE, cache=CACHE)
        self.assertEqual(full_frame(render.framing).scale, 1)
        self.assertEqual(self.found(produce(render, load_spec("square-2000"), whole_frame=True).findings, "framing"), [])
