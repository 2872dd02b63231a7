"""The edge: its solving held against truth and laws, clean-up, shadows, glass, and what is checked along the outline."""

import unittest
from dataclasses import replace
from unittest import mock

import cv2
import numpy as np
from hypothesis import assume, given
from hypothesis import strategies as st
from pymatting import cf_laplacian

from tests.pictures import Scene, half_in_focus, iou
from yardchalk.core.checks import REGISTRY, Finding, run_checks
from yardchalk.core.codecs import Tags, decode_photo, encode_picture
from yardchalk.core.colour import Float, encode, linear_table, to_coded
from yardchalk.core.deliver import examine, on_canvas, produce
from yardchalk.core.errors import YardError
from yardchalk.core.pixels import Region
from yardchalk.core.render import Render, StageCache
from yardchalk.core.settings import EdgeMarks, EdgeSettings, Marks, load_sheet, load_spec
from yardchalk.core.settings_base import Length, Stroke
from yardchalk.core.stages.edge import closed_form
from yardchalk.core.stages.edge.describe import describe_band
from yardchalk.core.stages.edge.finish import tidying
from yardchalk.core.stages.edge.hue import hue_share
from yardchalk.core.stages.edge.matte import BandSettings, Matte
from yardchalk.core.stages.edge.patch import places_of_change
from yardchalk.core.stages.edge.shadow import drawn_shadow
from yardchalk.core.stages.edge.solve import solve_matte
from yardchalk.core.stages.edge.weigh import refine
from yardchalk.core.stages.place import full_frame
from yardchalk.core.views import view

SCENE = Scene(width=800, height=600)
MADE = SCENE.made()
CACHE = StageCache()  # most tests begin with the same photo
SHEET = load_sheet("transparent")
WHITE = load_sheet("white")
PNG = load_spec("square-2000").model_copy(update={"file": "png"})


def px(value: float) -> Length:
    return Length(value=value)


def with_edge(jpeg: bytes = MADE.jpeg, **settings: object) -> Render:
    return Render(jpeg, "pot", SHEET, Marks(edge=EdgeMarks.model_validate(settings)), cache=CACHE)


def matte(render: Render) -> Float:
    return render.cut(1.0, render.whole(1.0)).alpha


def error(found: Float, truth: Float) -> float:
    return float(((found - truth) ** 2).mean() * 1e3)


class SolvingTest(unittest.TestCase):
    def test_the_matte_is_truths_and_its_edge_free_of_the_backdrop(self) -> None:
        render = with_edge()
        self.assertLess(error(matte(render), MADE.alpha), 0.15)
        length = sum(s.length for s in render.stretches)
        before, after = (sum(getattr(s, name) * s.length for s in render.stretches) / length for name in ("fringe_before", "fringe"))
        self.assertGreater(before, 5)
        self.assertLess(after, before / 4)
        # On black, where a pale ring would show, the edge is what the camera would have seen there.
        on_black = render.picture(1.0, render.whole(1.0), "black") / 255
        want = encode(MADE.alpha[..., None] * MADE.product)
        band = (MADE.alpha > 0.02) & (MADE.alpha < 0.98)
        tone = np.median((on_black - want)[MADE.alpha == 1])  # lifted a little
        self.assertLess(float(np.abs(on_black - want - tone)[band].mean()), 0.06)

    def test_a_stretch_is_judged_by_its_own_colours(self) -> None:
        pale, dark = (SCENE.but(colour=colour).made().pixels for colour in ((205, 150, 140), (60, 24, 20)))
        foot = np.arange(SCENE.height)[:, None, None] > 0.7 * SCENE.height
        stretches = with_edge(encode_picture(np.where(foot, dark, pale), "png")).stretches
        self.assertLess(max(stretch.fringe for stretch in stretches), 1.5)

    def test_a_glint_within_the_product_is_filled_and_a_gap_is_not(self) -> None:
        alpha, pixels = MADE.alpha.copy(), MADE.pixels.copy()
        (glint, gap), light = ((320, 360), (320, 440)), with_edge().decisions.backdrop.light(800, 600)
        for (y, x), least in ((glint, 0.6), (gap, 0.0)):
            alpha[y - 3 : y + 4, x - 3 : x + 4] = 0.7
            alpha[y - 1 : y + 2, x - 1 : x + 2] = least
        here = np.s_[gap[0] - 3 : gap[0] + 4, gap[1] - 3 : gap[1] + 4]
        share = alpha[here][..., None]
        pixels[here] = to_coded(share * MADE.product[here] + (1 - share) * light[here][..., :3], np.uint8)
        described = describe_band(pixels, Matte(alpha, alpha < 0, np.ones_like(alpha), 0.8), light)
        for solved in (described.alpha, refine(described, pixels, (800, 600), 0, 0).alpha):
            self.assertEqual(float(solved[316:325, 355:366].min()), 1)
            self.assertLess(float(solved[gap]), 0.1)

    def test_farther_inside_an_even_outline_than_the_lens_reaches_all_is_solid_and_among_fibres_it_is_not(self) -> None:
        light = with_edge().decisions.backdrop.light(800, 600)
        pale = np.s_[290:330, 500:538]  # of the pot's side, which is even, 6 px inside its outline
        painted = np.zeros(MADE.alpha.shape, bool)
        painted[pale] = True
        for fibres, wider in ((False, None), (True, None), (False, painted)):
            with self.subTest(fibres=fibres, painted=wider is not None):
                alpha = MADE.alpha.copy()
                alpha[pale] = 0.8
                if fibres:
                    alpha[270:350:6, 528:] = alpha[271:350:6, 528:] = 0
                share = alpha[..., None]
                pixels = to_coded(share * MADE.product + (1 - share) * light[..., :3], np.uint8)
                described = describe_band(pixels, Matte(alpha, alpha < 0, np.ones_like(alpha), 0.8, alpha >= 0, wider), light)
                for solved in (described.alpha, refine(described, pixels, (800, 600), 0, 0).alpha):
                    within = solved[295:325, 505:520]
                    if fibres or wider is not None:
                        self.assertLess(float(within.mean()), 0.95)
                    else:
                        self.assertEqual(float(within.min()), 1)

    def test_colours_and_backdrop_together_beat_either_in_a_contact_shadow(self) -> None:
        dark = SCENE.but(shadow=0.85, colour=(120, 84, 70)).made()
        render = with_edge(dark.jpeg)
        light = render.decisions.backdrop.light(*render.decisions.product.shape[::-1])
        # Without a second look, which would settle it.
        both, known, alone = (
            error(solve_matte(render.analysis, render.decisions.product, render.decisions.noise, light, BandSettings(s)).alpha, dark.alpha)
            for s in ("auto", "known", "open")
        )
        self.assertLess(both, 0.95 * known)
        self.assertLessEqual(both, 1.02 * alone)

    def test_where_the_product_changed_the_matte_is_solved_anew_and_elsewhere_it_stays(self) -> None:
        first = with_edge()
        before = replace(first.decisions, solution=first.solution)
        for (x, y), radius, grown in (((545, 312), 14, True), ((400, 490), 12, False), ((60, 60), 20, True)):
            product = before.product.copy()
            cv2.circle(product.view(np.uint8), (x, y), radius, int(grown), -1)
            whole, quick = with_edge(), with_edge()
            for render in (whole, quick):
                render.adopt(replace(before, product=product, solution=None))
            quick.start_from(before)
            near = np.zeros(product.shape, bool)
            near[max(0, y - radius - 45) : y + radius + 46, max(0, x - radius - 45) : x + radius + 46] = True
            np.testing.assert_array_equal(quick.solution.alpha[~near], first.solution.alpha[~near])
            off = np.abs(matte(quick) - matte(whole))
            self.assertLess(float(off.max()), 0.1, "as solved as a whole")
            band = quick.solution.band
            self.assertEqual(len(band[0]), quick.solution.own)
            listed = quick.solution.index[quick.solution.index > 0]
            self.assertEqual((int(listed.min()), int(listed.max()), listed.size), (1, len(quick.solution.front), len(quick.solution.front)))
            # Whoever does not start from another gets the whole, also after what was laid together was looked at.
            looked_at = replace(quick.decisions, solution=quick.solution)
            quick.adopt(looked_at)
            delivered = quick.with_marks(quick.marks)
            delivered.adopt(replace(looked_at, solution=None))
            self.assertEqual((quick.solution.whole, delivered.solution.whole), (False, True))
            np.testing.assert_array_equal(delivered.solution.alpha, whole.solution.alpha)
        # What has changed all over is solved as a whole.
        product = np.roll(before.product, 60, axis=1)
        self.assertIsNone(places_of_change(before.product, product, first.solution))

    def test_the_laplacian_in_tiles_is_that_of_the_whole_picture(self) -> None:
        pixels = np.ascontiguousarray(MADE.pixels[100:260, 300:520])
        solid = (MADE.alpha[100:260, 300:520] > 0.5).astype(np.uint8)
        core = cv2.erode(solid, np.ones((13, 13), np.uint8)) > 0
        backdrop = cv2.dilate(solid, np.ones((13, 13), np.uint8)) == 0
        unknown = ~(core | backdrop)
        whole = cf_laplacian(linear_table(256).astype(float)[pixels] ** 0.7, 1e-6, 1, is_known=~unknown)
        at, sure = np.flatnonzero(unknown), np.flatnonzero(core)
        with mock.patch.object(closed_form, "_TILE", 37):
            lines = closed_form.ColourLines.of(pixels, core, backdrop)
        np.testing.assert_allclose(lines.laplacian.toarray(), whole[at][:, at].toarray(), atol=1e-9)
        np.testing.assert_allclose(lines.pull, -np.asarray(whole[at][:, sure].sum(1)).ravel(), atol=1e-9)

    def test_what_was_drawn_is_parted_as_programs_mix(self) -> None:
        there = np.zeros((600, 800), np.uint8)
        cv2.ellipse(there, (3200, 2400), (1900, 1300), 30, 0, 360, 255, -1, cv2.LINE_AA, 3)
        cv2.circle(there, (3300, 2300), 400, 0, -1, cv2.LINE_AA, 3)
        true = there[..., None] / 255
        ink, back = np.array([20.0, 90.0, 60.0]), 255.0
        drawing = np.rint(true * ink + (1 - true) * back).astype(np.uint8)
        soft = (there > 5) & (there < 250)
        for kind in ("png", "jpeg"):
            render = Render(encode_picture(drawing, kind, quality=90), "seal", SHEET)
            whole = render.whole(1.0)
            rgba = render.cutout(1.0, whole).astype(float)
            covers = rgba[..., 3:] / 255
            for card in (255.0, 0.0):
                blended = covers * rgba[..., :3] + (1 - covers) * card
                off = np.abs(blended - (true * ink + (1 - true) * card))
                self.assertLess(float(off[soft].mean()), 6)
            on_white = render.picture(1.0, whole, "white").astype(float)
            self.assertLess(float(np.abs(on_white - drawing)[soft].mean()), 6)
        # Said to be a photo, half a cover is half the light, which is of a lighter code.
        said = Render(encode_picture(drawing, "png"), "seal", SHEET, Marks(edge=EdgeMarks(mixing="light")))
        self.assertTrue(render.solution.drawn)
        self.assertFalse(said.solution.drawn)
        self.assertGreater(float((said.solution.alpha - render.solution.alpha)[soft].mean()), 0.05)

    def test_hue_tells_where_light_does_not(self) -> None:
        alpha = cv2.GaussianBlur(np.repeat((np.arange(120) >= 60).astype(np.float32)[None], 40, 0), (0, 0), 1.0)
        shadow, product = np.array([0.2, 0.2, 0.2]), np.array([0.32, 0.17, 0.1])  # of the same luminance
        light = alpha[..., None] * product + (1 - alpha[..., None]) * shadow
        pixels = (encode(light) * 255).round().astype(np.uint8)
        core, backdrop = np.zeros(alpha.shape, bool), np.zeros(alpha.shape, bool)
        core[:, 66:], backdrop[:, :54] = True, True
        inner = np.zeros(alpha.shape, bool)
        inner[5:-5] = True
        said, told = hue_share(pixels, core, backdrop, np.full((*alpha.shape, 3), 0.8, np.float32), inner)
        self.assertGreater(float(told.min()), 0.9)
        self.assertLess(float(np.abs(said - alpha[inner]).max()), 0.2)
        grey, _ = hue_share(np.full((40, 120, 3), 120, np.uint8), core, backdrop, np.full((40, 120, 3), 0.8, np.float32), inner)
        self.assertTrue(np.isfinite(grey).all())

    def test_a_band_painted_wider_has_bristles_with_their_gaps_and_spoils_nothing(self) -> None:
        pixels, truth = MADE.pixels.copy(), MADE.alpha.copy()
        for x in range(360, 440, 8):
            cv2.line(pixels, (x, 128), (x, 60), (60, 44, 40), 1, cv2.LINE_AA)
            cv2.line(truth, (x, 128), (x, 60), 1.0, 1, cv2.LINE_AA)
        jpeg = encode_picture(pixels, "jpeg", quality=95)
        place = np.s_[60:118, 350:450]
        over = Stroke(size=0.13, points=((0.45, 0.13), (0.55, 0.13), (0.5, 0.17)))
        all_over = Stroke(size=0.5, points=((0.3, 0.5), (0.7, 0.5)))
        for solver in ("auto", "known", "open"):
            plain, wider, widest = (matte(with_edge(jpeg, solver=solver, wider=marks)) for marks in ((), (over,), (over, all_over)))
            self.assertLess(error(wider[place], truth[place]), 1.1 * error(plain[place], truth[place]), solver)
            self.assertGreater(float(wider[90, 360:440:8].min()), 0.8, solver)
            self.assertLess(float(wider[70:110, 364:437:8].mean()), 0.1, "gaps between them are empty")
            self.assertGreater(iou(widest, truth), 0.97, "and what is painted over for nothing stays what it is")

    def test_fibres_that_were_missed_come_back_where_the_band_is_painted_wider(self) -> None:
        pixels, truth, product = MADE.pixels.copy(), MADE.alpha.copy(), with_edge().decisions.product
        for x in range(360, 440, 8):
            cv2.line(pixels, (x, 128), (x, 60), (190, 170, 150), 1, cv2.LINE_AA)
            cv2.line(truth, (x, 128), (x, 60), 1.0, 1, cv2.LINE_AA)
        there = Render(encode_picture(pixels, "jpeg", quality=95), "pot", SHEET)
        light = there.decisions.backdrop.light(*product.shape[::-1])
        painted = np.zeros(product.shape, bool)
        painted[54:135, 345:455] = True
        place = np.s_[60:118, 350:450]
        # As if neither rules nor second look had seen them.
        look = with_edge().second_look
        missed, found = (
            solve_matte(there.analysis, product, there.decisions.noise, light, wider=wider, look=look).alpha for wider in (None, painted)
        )
        self.assertEqual(float(missed[place].max()), 0)
        self.assertGreater(float(found[70, 360:440:8].min()), 0.5)
        self.assertLess(error(found[place], truth[place]), 0.4 * error(missed[place], truth[place]))


class CleanUpTest(unittest.TestCase):
    def test_a_tile_is_a_piece_of_the_whole_under_any_clean_up(self) -> None:
        render = with_edge(smooth=px(2), grow=px(-1.3), feather=px(1.5), black=4, white=97, density=0.5, fringe=0.7)
        for scale in (1.0, 0.6):
            whole = render.cut(scale, render.whole(scale))
            colours = np.zeros((*whole.alpha.shape, 3), np.float32)
            colours[whole.rows, whole.columns] = whole.colour
            tile = Region(100, 260, 150, 330)
            part = with_edge(**render.marks.edge.model_dump()).cut(scale, tile)
            np.testing.assert_array_equal(part.alpha, whole.alpha[tile.index])
            np.testing.assert_allclose(part.colour, colours[tile.index][part.rows, part.columns], atol=1e-6)

    def test_growing_moves_the_outline_by_just_that_much(self) -> None:
        area = float(matte(with_edge()).sum())
        length = sum(s.length for s in with_edge().stretches)
        for by in (-1.5, -0.5, 0.5, 2.0, 12.5):
            grown = float(matte(with_edge(grow=px(by))).sum()) - area
            self.assertAlmostEqual(grown / (by * length), 1, delta=0.2, msg=str(by))
        self.assertAlmostEqual(float(matte(with_edge(feather=px(2))).sum()) / area, 1, delta=0.005)

    @given(st.integers(0, 99), st.integers(1, 100), st.none() | st.integers(0, 99), st.none() | st.integers(1, 100))
    def test_a_photos_own_level_counts_and_the_run_sheets_gives_way(
        self, black: int, white: int, own_black: int | None, own_white: int | None
    ) -> None:
        assume(black < white and (own_black is None or own_white is None or own_black < own_white))
        merged = EdgeMarks(black=own_black, white=own_white).over(EdgeSettings(black=black, white=white))
        self.assertIn(merged.black, (black if own_black is None else own_black, (own_white or 0) - 1))
        self.assertIn(merged.white, (white if own_white is None else own_white, (own_black or 0) + 1))

    def test_settings_at_their_defaults_change_nothing(self) -> None:
        plain, set_out = Render(MADE.jpeg, "pot", SHEET), with_edge(grow=px(0), smooth=px(0), black=0, white=100, fringe=1)
        self.assertEqual(plain.cutout(1.0, plain.whole(1.0)).tobytes(), set_out.cutout(1.0, set_out.whole(1.0)).tobytes())

    def test_specks_and_holes_go_by_their_size_and_are_counted(self) -> None:
        alpha = np.zeros((200, 200), np.float32)
        alpha[40:160, 40:160] = 1
        alpha[5:8, 5:8] = 1
        alpha[180:190, 20:30] = 1
        alpha[60:63, 60:63] = 0
        alpha[100:112, 100:112] = 0
        tidy = tidying(alpha, 4, 4)
        self.assertEqual((tidy.specks, tidy.specks_area, tidy.holes, tidy.holes_area), (1, 9, 1, 9))
        self.assertTrue(tidy.dropped[6, 6] and not tidy.dropped[185, 25] and tidy.filled[61, 61] and not tidy.filled[105, 105])
        none = tidying(alpha, 0, 0)
        self.assertFalse(none.dropped.any() or none.filled.any())

    def test_lengths_are_px_share_or_mm(self) -> None:
        jpeg = encode_picture(MADE.pixels, "jpeg", quality=95, tags=Tags(dpi=254))
        render = with_edge(jpeg)
        self.assertAlmostEqual(render.length(Length(value=2, unit="mm"), 1.0), 20)
        self.assertAlmostEqual(render.length(Length(value=1, unit="%"), 0.5), 4)
        plain = encode_picture(MADE.pixels, "jpeg", quality=95, tags=Tags(dpi=20))  # too few to be meant
        bare = with_edge(plain, grow={"value": 1, "unit": "mm"})
        with self.assertRaisesRegex(YardError, "how many px an inch has"):
            matte(bare)


class ShadowTest(unittest.TestCase):
    def test_a_kept_shadow_is_the_photos_a_drawn_one_lies_at_the_foot_and_neither_is_off_white(self) -> None:
        strong = SCENE.but(shadow=0.6, gradient=0).made()
        levels = {}
        for shadow in ("drop", "keep", "draw"):
            render = Render(strong.jpeg, "pot", WHITE, Marks(edge=EdgeMarks.model_validate({"shadow": shadow})))
            levels[shadow] = render.picture(1.0, render.whole(1.0), "white").astype(int)
            self.assertEqual([f for f in produce(render, PNG).findings if f.check == "off-white"], [], shadow)
        bare = cv2.dilate((strong.alpha > 0).astype(np.uint8), np.ones((9, 9), np.uint8)) == 0
        self.assertTrue((levels["drop"][bare] == 255).all())
        darker = strong.backdrop[..., 0] / strong.backdrop.max()
        kept = linear_table(256)[levels["keep"][..., 0]]
        self.assertLess(float(np.abs(kept - darker)[bare & (darker < 0.9)].mean()), 0.06)
        foot = np.flatnonzero((strong.alpha > 0.5).any(1))[-1]
        drawn = (levels["draw"][..., 0] < 250) & bare
        self.assertTrue(drawn[foot - 4 : foot + 30].any())
        self.assertFalse(drawn[: foot - 80].any())

    def test_a_drawn_shadow_changes_evenly_with_its_softness_and_stays_one_however_soft(self) -> None:
        alpha = cv2.ellipse(np.zeros((480, 640), np.float32), (320, 260), (120, 150), 0, 0, 360, 1.0, -1)
        for softness in (1.0, 6.5, 22.0, 60.0):
            narrower, wider = drawn_shadow(alpha, 1, softness), drawn_shadow(alpha, 1, softness * 1.03)
            self.assertLess(float(np.abs(wider - narrower).max()), 0.03, softness)
        for softness in (0.0, 1.0, 60.0, 5000.0):
            shadow = drawn_shadow(alpha, 1, softness)
            self.assertAlmostEqual(float(shadow.max()), 0.75, delta=0.05)
            # Where it is densest is below the middle of what throws it.
            self.assertTrue(softness > 1000 or np.unravel_index(int(shadow.argmax()), shadow.shape)[0] > 380, softness)

    def test_a_shadow_goes_into_a_transparent_file_as_grey(self) -> None:
        strong = SCENE.but(shadow=0.6).made()
        render = Render(strong.jpeg, "pot", SHEET, Marks(edge=EdgeMarks(shadow="keep")))
        rgba = render.cutout(1.0, render.whole(1.0))
        shade = (rgba[..., 3] > 20) & (cv2.dilate((strong.alpha > 0).astype(np.uint8), np.ones((9, 9), np.uint8)) == 0)
        self.assertGreater(int(shade.sum()), 2000)
        self.assertEqual(int(rgba[shade][:, :3].max()), 0)


class GlassTest(unittest.TestCase):
    def test_laid_on_its_own_backdrop_glass_is_the_photo_again_and_highlights_are_opaque(self) -> None:
        pixels = SCENE.but(colour=(225, 205, 170)).made().pixels
        pixels[250:262, 396:420] = 252
        jpeg = encode_picture(pixels, "jpeg", quality=98)
        stroke = {"size": 0.2, "points": [[0.5, 0.45]]}
        render = with_edge(jpeg, glass=[stroke], see_through=1.0)
        whole = render.whole(1.0)
        cut = render.cut(1.0, whole)
        there = np.hypot(np.arange(800)[None] - 400, np.arange(600)[:, None] - 270) < 70
        self.assertLess(float(np.median(cut.alpha[there])), 0.9)
        self.assertGreater(float(cut.alpha[254:258, 402:414].min()), 0.98)
        behind = np.exp(render.decisions_backdrop.log_light(800, 600))
        colour = np.zeros((600, 800, 3), np.float32)
        colour[cut.rows, cut.columns] = cut.colour
        again = cut.alpha[..., None] * colour + (1 - cut.alpha[..., None]) * behind
        photo = linear_table(256)[decode_photo(jpeg, "pot").pixels]
        self.assertLess(float(np.abs(again - photo)[there].max()), 0.01)
        np.testing.assert_array_equal(cut.alpha[~there][:20000], matte(with_edge(jpeg))[~there][:20000])


class EdgeCheckTest(unittest.TestCase):
    def found(self, check: str, edit: object = None, fringe: float = 1) -> list[Finding]:
        self.assertIn(check, REGISTRY)
        render = with_edge(fringe=fringe)
        spec = load_spec("cutout")
        placing = full_frame(render.framing)
        laid = on_canvas(render, spec, placing)
        if callable(edit):
            edit(laid.alpha)
        data = encode_picture(laid.pixels, "png")
        checked = examine(render, spec, placing, laid, data, decode_photo(data, "result"), trimmed=False)
        return [finding for finding in run_checks(checked) if finding.check == check]

    def test_ghosts_and_pinholes_are_found_where_they_are(self) -> None:
        def smudge(alpha: Float) -> None:
            alpha[40:46, 60:70] = 0.05

        def hole(alpha: Float) -> None:
            alpha[300:305, 400:406] = 0.5

        for check, edit, at, size in (("ghosts", smudge, (65, 43), 60), ("pinholes", hole, (403, 302), 30)):
            (finding,) = self.found(check, edit)
            assert finding.place is not None
            x, y, w, h = finding.place.original
            self.assertTrue(x <= at[0] < x + w and y <= at[1] < y + h, check)
            self.assertEqual(finding.figure, size)
            self.assertEqual(self.found(check), [], "none where there is none")

    def test_a_fringe_that_is_not_freed_is_found(self) -> None:
        (finding,) = self.found("fringe", fringe=0)
        self.assertGreater(finding.figure, 3)
        self.assertEqual(self.found("fringe"), [])

    def test_a_smeared_edge_is_ragged(self) -> None:
        render = Render(encode_picture(half_in_focus(MADE.pixels, 4), "jpeg", quality=95), "soft", SHEET)
        self.assertTrue(any(f.check == "ragged-edge" and "soft" in f.message for f in produce(render, load_spec("cutout")).findings))
        self.assertEqual(self.found("ragged-edge"), [])


class EdgeViewTest(unittest.TestCase):
    def test_the_ribbon_is_where_coverage_is_open_and_the_line_where_it_is_a_half(self) -> None:
        render = with_edge()
        whole = render.whole(1.0)
        shown = view(render, "edge", 1.0, whole)
        line = (shown == (44, 90, 160)).all(-1)
        alpha = render.cut(1.0, whole).alpha
        self.assertGreater(int(line.sum()), 500)
        self.assertGreaterEqual(float(alpha[line].min()), 0.5)
        self.assertTrue((render.ribbon(1.0, whole)[(alpha > 0.05) & (alpha < 0.95)] > 0).all())


if __name__ == "__main__":
    unittest.main()
