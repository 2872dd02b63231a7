"""What is offered mends what was found; what is let pass is that and no more."""

import unittest
from pathlib import Path

import cv2
import numpy as np

from tests.pictures import Scene, half_in_focus
from yardchalk.core.checks import Finding, verdict_of
from yardchalk.core.checks.allowing import Allowance, allow
from yardchalk.core.checks.finding import Place
from yardchalk.core.codecs import encode_picture
from yardchalk.core.colour import Coded
from yardchalk.core.colour_settings import ColourMarks
from yardchalk.core.deliver import Result, produce
from yardchalk.core.mending import Bench, offer_for_all, offer_mend
from yardchalk.core.render import Render, StageCache
from yardchalk.core.settings import EdgeMarks, FrameMarks, LiftMarks, ListingSpec, Marks, load_sheet, load_spec

WHITE = load_sheet("white")
PNG = ListingSpec.model_validate({"name": "white-png", "file": "png", "margin": 10})
SCENE = Scene(width=1280, height=960)
BRISTLES = Path(__file__).parents[2] / "demo" / "photos" / "PW-1040_bottle-brush.jpg"
BASKET = Path(__file__).parents[2] / "bench" / "unseen" / "PW-8012_basket-dark-edge.jpg"
CACHE = StageCache()  # of each photo there are several renders


def run(photo: bytes, marks: Marks) -> tuple[Render, Result]:
    render = Render(photo, "pot", WHITE, marks, cache=CACHE)
    return render, produce(render, PNG)


def speckled() -> Coded:
    pixels = SCENE.made().pixels
    cv2.circle(pixels, (1100, 200), 11, (70, 50, 40), -1, cv2.LINE_AA)
    return pixels


class MendTest(unittest.TestCase):
    def mended(self, photo: bytes, marks: Marks, check: str) -> tuple[Finding, str]:
        """Find it, take what is offered, and see that it is gone; the finding, and what was offered."""
        render, result = run(photo, marks)
        finding = next((f for f in result.findings if f.check == check and f.severity != "note"), None)
        assert finding is not None, result.findings
        mend = offer_mend(finding, Bench(marks, WHITE, render.framing, result.figures))
        assert mend is not None
        Marks.model_validate(mend.marks.as_kept())
        _, after = run(photo, mend.marks)
        self.assertNotIn(check, [f.check for f in after.findings if f.severity != "note"], mend.words)
        return finding, mend.words

    def test_each_finding_goes_by_the_press_that_it_offers(self) -> None:
        pale = Scene(width=1280, height=960, colour=(225, 222, 216), level=245).made().jpeg
        dark = Scene(width=1280, height=960, colour=(40, 24, 22)).made().jpeg
        grey = SCENE.but(colour=(128, 128, 128)).made().jpeg
        warm = SCENE.but(lamp=(1.0, 0.9, 0.7)).made().jpeg
        plain = SCENE.made().jpeg
        soft = encode_picture(half_in_focus(SCENE.made().pixels, 3), "jpeg", quality=95)
        for check, photo, marks, words in (
            ("lost-highlights", pale, Marks(lift=LiftMarks(white_point=190)), "White point back"),
            ("lost-shadows", dark, Marks(lift=LiftMarks(black_point=60)), "Black point to 0"),
            ("cast", warm, Marks(), "Make the backdrop neutral"),
            ("stray-piece", encode_picture(speckled(), "jpeg", quality=95), Marks(), "Drop pieces under"),
            ("ragged-edge", soft, Marks(), "Take half the softness out"),
            ("fringe", plain, Marks(edge=EdgeMarks(fringe=0)), "Free the edge wholly"),
            ("cut-off", plain, Marks(frame=FrameMarks(crop=(0.4, 0, 1, 1))), "Take the crop off"),
            ("out-of-srgb", plain, Marks(colour=ColourMarks(exposure=2.0)), "Exposure back to 0"),
            ("tinted-neutral", grey, Marks(colour=ColourMarks(middles=(20.0, 0.0, -20.0))), "back to none"),
        ):
            with self.subTest(check):
                _, said = self.mended(photo, marks, check)
                self.assertIn(words, said)

    def test_places_are_painted_where_they_are(self) -> None:
        marks = Marks(frame=FrameMarks(turns=1, angle=3))
        render = Render(encode_picture(speckled(), "jpeg", quality=95), "pot", WHITE, marks, cache=CACHE)
        h, w = render.framing.height, render.framing.width
        spot = np.full((h, w), False)
        spot[200:240, 300:330] = True
        bench = Bench(marks, WHITE, render.framing, {})
        line = [[(300.0, 200.0), (329.0, 200.0), (329.0, 239.0), (300.0, 239.0)]]
        plain = render.cut(1.0, render.whole(1.0)).alpha
        for keep in (True, False):
            mend = bench.painted("Paint", line, keep=keep, found=False)
            assert mend is not None
            alpha = Render(render.data, "pot", WHITE, mend.marks, cache=CACHE).cut(1.0, render.whole(1.0)).alpha
            self.assertTrue((alpha[spot] == (1 if keep else 0)).all())
            far = cv2.dilate(spot.astype(np.uint8), np.ones((25, 25), np.uint8)) == 0
            self.assertLess(float(np.abs(alpha - plain)[far].max()), 0.02, "nothing changes elsewhere")

    def test_a_thin_place_that_a_close_look_had_is_solid_once_it_is_kept_and_bristles_are_not_smoothed(self) -> None:
        render = Render(BRISTLES.read_bytes(), "brush", WHITE, cache=CACHE)
        spec = load_spec("square-2000")
        result = produce(render, spec)
        bench = Bench(Marks(), WHITE, render.framing, result.figures)
        (ragged,) = (f for f in result.findings if f.check == "ragged-edge")
        self.assertIsNone(offer_mend(ragged, bench), "smoothed, they would be gone")
        render = Render(BASKET.read_bytes(), "basket", WHITE, cache=CACHE)
        thin = [f for f in produce(render, spec).findings if f.check == "pinholes"]
        self.assertTrue(thin, "then this test needs another photo")
        mend = offer_for_all(thin, Bench(Marks(), WHITE, render.framing, {}))
        assert mend is not None
        after = produce(render.with_marks(mend.marks), spec)
        self.assertEqual([f for f in after.findings if f.check == "pinholes"], [])

    def test_a_crumb_in_a_small_photo_goes_with_its_rim_and_is_missed_by_no_check(self) -> None:
        pixels = Scene(width=800, height=600, shadow=0.0).made().pixels
        pixels[100:120, 700:720] = (120, 90, 70)
        photo = encode_picture(pixels, "png")
        render, result = run(photo, Marks())
        (stray,) = (f for f in result.findings if f.check == "stray-piece")
        mend = offer_mend(stray, Bench(Marks(), WHITE, render.framing, result.figures))
        assert mend is not None
        mended, after = run(photo, mend.marks)
        self.assertEqual(float(mended.cut(1.0, mended.whole(1.0)).alpha[90:130, 690:730].max()), 0)
        self.assertEqual([f for f in after.findings if f.severity != "note"], [])

    def test_several_places_of_a_photo_are_mended_at_once(self) -> None:
        render = Render(SCENE.made().jpeg, "pot", WHITE, cache=CACHE)
        spots = [(600, 400, 30, 30), (700, 560, 24, 40)]
        found = [
            Finding(
                check="ghosts", severity="look", message="", figure=1, limit=0, unit="px", stage="edge",
                place=Place(original=(x, y, w, h), outline=[[(x, y), (x + w, y), (x + w, y + h), (x, y + h)]]),
            )
            for x, y, w, h in spots
        ]  # fmt: skip
        mend = offer_for_all(found, Bench(Marks(), WHITE, render.framing, {}))
        assert mend is not None
        self.assertEqual(mend.words, "Paint to backdrop")
        alpha, plain = (Render(render.data, "pot", WHITE, m, cache=CACHE).cut(1.0, render.whole(1.0)).alpha for m in (mend.marks, Marks()))
        for x, y, w, h in spots:
            self.assertEqual(float(plain[y : y + h, x : x + w].min()), 1)
            self.assertEqual(float(alpha[y + 8 : y + h - 8, x + 8 : x + w - 8].max()), 0)

    def test_where_only_a_person_can_say_nothing_is_offered(self) -> None:
        render = Render(SCENE.made().jpeg, "pot", WHITE, cache=CACHE)
        bench = Bench(Marks(), WHITE, render.framing, {})
        for check in ("weak-outline", "too-alike", "out-of-focus", "soft-picture", "cut-off", "file"):
            finding = Finding(check=check, severity="look", message="", figure=1, limit=0, unit="px", stage="clear")
            self.assertIsNone(offer_mend(finding, bench), check)


class AllowTest(unittest.TestCase):
    def finding(self, **changes: object) -> Finding:
        plain = Finding(
            check="ghosts", severity="look", message="", place=Place(original=(100, 100, 20, 20)), figure=30, limit=12, unit="px",
            stage="clear",
        )  # fmt: skip
        return plain.model_copy(update=changes)

    def test_what_is_let_pass_is_that_and_no_more(self) -> None:
        one = self.finding()
        here = Allowance(1, "photo", "ghosts", one.excess, one.place, "dust")
        lot = Allowance(2, "lot", "ghosts", one.excess, None, "this paper")
        elsewhere = self.finding(place=Place(original=(700, 100, 20, 20)))
        moved = self.finding(place=Place(original=(104, 102, 20, 20)), figure=31)
        for allowance, finding, passes in (
            (here, one, True),
            (here, moved, True),
            (here, elsewhere, False),
            (lot, elsewhere, True),
            (here, self.finding(figure=60), False),
            (lot, self.finding(figure=60), False),
            (lot, self.finding(check="fringe"), False),
        ):
            (marked,) = allow([finding], [allowance])
            self.assertEqual(marked.allowed is not None, passes, (allowance, finding))
            self.assertEqual(verdict_of([marked]), "ready" if passes else "look")
        (taken_back,) = allow(allow([one], [here]), [])
        self.assertEqual(taken_back, one)
