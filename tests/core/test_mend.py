"""Mends: laws that hold for every kind, and truth for what fills, finds, moves and pushes."""

import unittest
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.pictures import Made, Scene
from yardchalk.core.codecs import encode_picture
from yardchalk.core.colour import Coded, Mask, area_mean, codes_of_light, delta_e, light_of_codes, to_coded, to_lab, to_linear
from yardchalk.core.mend_settings import pushed
from yardchalk.core.pixels import Region
from yardchalk.core.render import Render, StageCache
from yardchalk.core.settings import ClearSettings, LiftSettings, Marks, RunSheet, load_sheet
from yardchalk.core.stages.mend.fill import fill
from yardchalk.core.stages.mend.layer import Piece
from yardchalk.core.stages.mend.pushing import push_stroke

WHITE = load_sheet("white")
# The photo as it is, with nothing cleared or lifted.
PLAIN = RunSheet(name="plain", lift=LiftSettings(on=False), clear=ClearSettings(on=False))
POT = Scene().made()
CACHE = StageCache()
PHOTOS = Path(__file__).parents[2] / "demo" / "photos"


def stroke(x: float, y: float, size: float = 0.05) -> dict[str, Any]:
    return {"shape": "stroke", "size": size, "points": [[x, y]]}


def loop(x: float, y: float, half: float = 0.04) -> dict[str, Any]:
    return {"shape": "loop", "points": [[x - half, y - half], [x + half, y - half], [x + half, y + half], [x - half, y + half]]}


# One of each kind, where it changes something of the pot or of the paper round it.
KINDS: dict[str, dict[str, Any]] = {
    "clone": {"kind": "clone", "area": stroke(0.5, 0.5), "source": [0.55, 0.62], "turn": 30, "scale": 1.3, "mirrored": True},
    "fill": {"kind": "fill", "area": stroke(0.56, 0.36)},
    "restore": {"kind": "restore", "area": stroke(0.83, 0.4, 0.08)},
    "to backdrop": {"kind": "cover", "to": "backdrop", "area": stroke(0.6, 0.7, 0.04)},
    "to product": {"kind": "cover", "to": "product", "area": loop(0.85, 0.8)},
    "nudge": {"kind": "nudge", "area": loop(0.4, 0.68, 0.03), "by": [0.02, 0.03], "turn": 12},
}


def push(tool: Any = "push", points: Any = ((0.62, 0.5), (0.68, 0.5)), brush: float = 0.15) -> dict[str, Any]:
    return push_stroke(None, (640, 480), tool, points, brush).model_dump()


def render(made: Made | bytes, *entries: dict[str, Any], sheet: RunSheet = WHITE, **marks: Any) -> Render:
    given = Marks.model_validate({"mend": {"entries": list(entries)}, **marks})
    return Render(made if isinstance(made, bytes) else made.png, "pot", sheet, given, cache=CACHE)


def finished(r: Render, scale: float = 1.0) -> Coded:
    return r.cutout(scale, r.whole(scale))


def off(a: Coded, b: Coded) -> np.ndarray:
    return delta_e(to_lab(a[..., :3]), to_lab(b[..., :3]))


class LawsTest(unittest.TestCase):
    def test_an_entry_that_is_off_was_never_there_and_one_that_is_on_changes_only_its_place(self) -> None:
        bare = finished(render(POT))
        everything = {**KINDS, "push": push()}
        self.assertEqual(finished(render(POT, *({**one, "on": False} for one in everything.values()))).tobytes(), bare.tobytes())
        for name, one in everything.items():
            with self.subTest(name):
                r = render(POT, one)
                changed = (finished(r) != bare).any(2)
                self.assertGreater(changed.sum(), 100)
                # What is reported as touched is what was, within its pixels' border.
                touched = cv2.dilate(r.traces.where(0).view(np.uint8), np.ones((5, 5), np.uint8)) > 0
                self.assertFalse((changed & ~touched).any())
                self.assertLess(changed.mean(), 0.06)

    @settings(max_examples=6, deadline=None)
    @given(st.permutations(["clone", "fill", "restore", "to backdrop", "to product", "nudge"]))
    def test_the_order_of_mends_apart_from_each_other_does_not_matter(self, order: list[str]) -> None:
        usual = finished(render(POT, *KINDS.values()))
        self.assertEqual(finished(render(POT, *(KINDS[name] for name in order))).tobytes(), usual.tobytes())

    @settings(max_examples=4, deadline=None)
    @given(st.permutations(["clone", "fill", "restore", "nudge", "to product", "over it all"]))
    def test_what_is_gone_on_from_is_what_would_be_made_anew(self, order: list[str]) -> None:
        entries = [{**KINDS, "over it all": {**KINDS["clone"], "area": stroke(0.45, 0.6, 0.3), "strength": 0.5}}[name] for name in order]
        for number in range(1, len(entries) + 1):
            step = render(POT, *entries[:number])
            shown, shares = finished(step), step.touched_shares
        anew = Render(POT.png, "pot", WHITE, step.marks)
        self.assertEqual(shown.tobytes(), finished(anew).tobytes())
        self.assertEqual(shares, anew.touched_shares)
        np.testing.assert_array_equal(step.traces.where(), anew.traces.where())

    def test_a_push_by_nothing_is_the_identity(self) -> None:
        bare = finished(render(POT)).tobytes()
        nothing = pushed(np.zeros((120, 160, 2), np.float32)).model_dump()
        self.assertEqual(finished(render(POT, nothing)).tobytes(), bare)
        self.assertEqual(finished(render(POT, {**push(), "strength": 0})).tobytes(), bare)
        self.assertEqual(finished(render(POT, {**KINDS["nudge"], "by": [0, 0], "turn": 0})).tobytes(), bare)

    @settings(max_examples=8, deadline=None)
    @given(st.integers(0, 500), st.integers(0, 350), st.integers(20, 140))
    def test_a_tile_is_a_piece_of_the_whole(self, left: int, top: int, side: int) -> None:
        r = render(POT, *KINDS.values(), push())
        whole = finished(r)
        tile = Region(top, min(top + side, 480), left, min(left + side, 640))
        np.testing.assert_allclose(r.cutout(1.0, tile).astype(int), whole[tile.index].astype(int), atol=1)

    def test_mends_stay_where_they_are_when_the_photo_is_cropped_or_turned(self) -> None:
        for name, one in {**KINDS, "push": push()}.items():
            with self.subTest(name):
                whole = finished(render(POT, one, sheet=PLAIN))
                cropped = finished(render(POT, one, sheet=PLAIN, frame={"crop": [0.1, 0.1, 0.95, 0.95]}))
                h, w = cropped.shape[:2]
                self.assertLess(np.percentile(off(whole[48 : 48 + h, 64 : 64 + w], cropped), 99.9), 1.0)
                turned = finished(render(POT, one, sheet=PLAIN, frame={"turns": 1}))
                # A turned fill may find other pieces, but in the same place.
                self.assertLess(np.percentile(off(np.rot90(whole, -1), turned), 99), 1.0)

    def test_a_preview_shows_what_is_delivered(self) -> None:
        for name, one in {**KINDS, "push": push()}.items():
            with self.subTest(name):
                r = render(POT, one)
                whole, half = r.picture(1.0, r.whole(1.0)), r.picture(0.5, r.whole(0.5))
                shrunk = area_mean(whole, light_of_codes(np.uint8), codes_of_light(np.uint8), 320, 240)
                bare = render(POT)
                plain = area_mean(bare.picture(1.0, bare.whole(1.0)), light_of_codes(np.uint8), codes_of_light(np.uint8), 320, 240)
                usual = off(plain, bare.picture(0.5, bare.whole(0.5)))
                self.assertLess(np.percentile(off(shrunk, half), 99), 1.0 + np.percentile(usual, 99))

    def test_each_mend_says_what_share_of_the_product_it_touched(self) -> None:
        r = render(POT, KINDS["clone"], {**KINDS["clone"], "area": stroke(0.05, 0.05), "source": [0.1, 0.1]})
        # On the pot: a round spot of a twentieth of the longer side, of 640 px.
        expected = np.pi * 16**2 / POT.alpha.sum()
        self.assertAlmostEqual(r.touched_shares[0], expected, delta=0.4 * expected)
        self.assertEqual(r.touched_shares[1], 0.0)
        self.assertIsNone(render(POT).touched_at_all)


class PushTest(unittest.TestCase):
    def test_the_matte_goes_along_and_stays_sharp(self) -> None:
        before = render(POT)
        area = before.coverage(1.0, before.whole(1.0)).sum()
        for tool, grows in (("let-out", True), ("pull-in", False)):
            with self.subTest(tool):
                r = render(POT, push(tool, ((0.5, 0.52),) * 6, 0.5))
                alpha = r.coverage(1.0, r.whole(1.0))
                self.assertEqual(alpha.sum() > area, grows)
                self.assertGreater(abs(alpha.sum() / area - 1), 0.02)
                # An edge as narrow as before, but for its being let out.
                soft = [float(((a > 0.1) & (a < 0.9)).sum()) / np.sqrt(a.sum()) for a in (alpha, before.coverage(1.0, before.whole(1.0)))]
                self.assertLess(soft[0], 1.5 * soft[1])

    def test_relaxing_takes_back_what_was_pushed(self) -> None:
        mend = push_stroke(None, (640, 480), "push", ((0.5, 0.5), (0.6, 0.5)), 0.2)
        most = np.abs(mend.displacement).max()
        self.assertAlmostEqual(most, 0.1, delta=0.02)
        for _ in range(12):
            mend = push_stroke(mend, (640, 480), "relax", ((0.5, 0.5), (0.6, 0.5)), 0.4)
        self.assertLess(np.abs(mend.displacement).max(), 0.2 * most)


class FillTest(unittest.TestCase):
    def test_fills_of_paper_and_of_a_plain_product_show_no_seam(self) -> None:
        """Against the picture itself: what a hole of a spot, a line and a box is filled with, beside what was there."""
        rng = np.random.default_rng(3)
        papers = {
            name: Render((PHOTOS / f"{name}.jpg").read_bytes(), name, PLAIN)
            for name in ("PW-1060_leaf-block-print", "PW-1019_wooden-spoons", "PW-1023_terracotta-pot")
        }
        windows = {name: r.part(1.0, Region(20, 320, 20, 320)).pixels for name, r in papers.items()}
        glaze = np.full((300, 300, 3), (120, 40, 30), np.float32) * np.linspace(0.8, 1.2, 300)[None, :, None]
        windows["a plain product"] = np.clip(glaze + rng.normal(0, 1.2, (300, 300, 1)), 0, 255).astype(np.uint8)
        hole = np.zeros((300, 300), np.uint8)
        cv2.circle(hole, (90, 90), 5, 1, -1)
        cv2.circle(hole, (190, 190), 60, 1, -1)
        cv2.line(hole, (40, 200), (90, 260), 1, 7)
        inside = hole > 0
        for name, pixels in windows.items():
            light = to_linear(pixels)
            spoilt = np.where(inside[..., None], np.float32(0.02), light)
            for by in ("auto", "pieces", "smooth"):
                with self.subTest(f"{name}, {by}"):
                    done, _ = fill(Piece(spoilt, np.ones(inside.shape, np.float32)), inside, by)
                    out = to_coded(done.colour, np.uint8)
                    np.testing.assert_array_equal(out[~inside], pixels[~inside])
                    # Means over places of a few px, just inside and just outside the seam, and over the hole against the truth.
                    soft = [cv2.GaussianBlur(p.astype(np.float32), (0, 0), 3).round().astype(np.uint8) for p in (out, pixels)]
                    seam = _rim(inside)
                    self.assertLess(float(np.percentile(off(soft[0], soft[1])[seam], 95)), 2.0)
                    self.assertLess(float(np.median(off(soft[0], soft[1])[inside])), 2.0)

    def test_a_hole_across_an_edge_carries_the_edge_on_and_its_coverage_along(self) -> None:
        colour = np.full((160, 160, 3), 0.8, np.float32)
        colour[:, :80] = (0.1, 0.3, 0.5)
        alpha = np.zeros((160, 160), np.float32)
        alpha[:, :80] = 1
        hole = np.zeros((160, 160), np.uint8)
        cv2.circle(hole, (80, 80), 25, 1, -1)
        inside = hole > 0
        spoilt = Piece(np.where(inside[..., None], np.float32(0.5), colour), np.where(inside, np.float32(0.5), alpha))
        done, source = fill(spoilt, inside, "pieces")
        self.assertIsNotNone(source)
        self.assertLess(float((np.abs(done.alpha - alpha) > 0.1)[inside].mean()), 0.08)
        self.assertLess(float((np.abs(done.colour - colour).max(2) > 0.05)[inside].mean()), 0.08)


def _rim(inside: Mask) -> Mask:
    mask = inside.astype(np.uint8)
    out: Mask = (cv2.dilate(mask, np.ones((5, 5), np.uint8)) - cv2.erode(mask, np.ones((5, 5), np.uint8))) > 0
    return out


class NudgeTest(unittest.TestCase):
    def test_a_piece_comes_to_lie_where_it_would_have_been_drawn(self) -> None:
        rng = np.random.default_rng(4)
        paper = np.clip(np.full((300, 400, 3), 225.0) + rng.normal(0, 1.0, (300, 400, 1)), 0, 255)

        def drawn(x: int, y: int, angle: float) -> Coded:
            # At eight times the size, so that its edge is as a camera would have it.
            big = np.zeros((2400, 3200), np.float32)
            box = cv2.boxPoints(((8 * x + 3.5, 8 * y + 3.5), (400, 240), angle))
            cv2.fillPoly(big, [np.round(box).astype(np.int32)], 1.0)
            share = cv2.GaussianBlur(cv2.resize(big, (400, 300), interpolation=cv2.INTER_AREA), (0, 0), 0.7)[..., None]
            colour = to_linear(np.full((1, 1, 3), (40, 90, 160), np.uint8))
            return to_coded(share * colour + (1 - share) * to_linear(paper.astype(np.uint8)), np.uint8)

        # A loop's middle is what it turns about: here the piece's own, the middle of pixel 120, 130.
        corners = ((70.5, 90.5), (170.5, 90.5), (170.5, 170.5), (70.5, 170.5))
        area = {"shape": "loop", "points": [[x / 400, y / 300] for x, y in corners]}
        nudge = {"kind": "nudge", "area": area, "by": [40 / 400, 60 / 300], "turn": 30}
        r = render(encode_picture(drawn(120, 130, 0), "png"), nudge, sheet=PLAIN)
        wrong = off(r.mended(1.0, r.whole(1.0)).pixels, drawn(160, 190, 30)) > 6
        self.assertLess(int(wrong.sum()), 120)


class RestoreTest(unittest.TestCase):
    def test_what_lift_burnt_and_clear_took_comes_back(self) -> None:
        spot = {"kind": "restore", "area": stroke(0.83, 0.4, 0.08), "tones": "as-shot", "softness": 0.0}
        r = render(POT, spot)
        x, y = round(0.83 * 640), round(0.4 * 480)
        out = finished(r)[y - 8 : y + 8, x - 8 : x + 8]
        np.testing.assert_array_equal(out[..., :3], POT.pixels[y - 8 : y + 8, x - 8 : x + 8])
        self.assertTrue((out[..., 3] == 255).all())


class DustTest(unittest.TestCase):
    def test_dust_put_on_clean_photos_is_found_and_mended(self) -> None:
        """At least 95 % of specks over 6 px² on photos of three kinds, at most one false one, and within 2 ΔE00 of the clean photo."""
        names = [path.stem for path in PHOTOS.glob("*.jpg") if path.stem[3:7] in {"1004", "1027", "1061"}]
        self.assertEqual(len(names), 3)
        found, put, false, close = 0, 0, 0, []
        for name in names:
            data = (PHOTOS / f"{name}.jpg").read_bytes()
            clean = Render(data, name, WHITE)
            pixels = clean.part(1.0, clean.whole(1.0)).pixels
            dusty, specks = _with_dust(clean, pixels)
            file = encode_picture(dusty, "png")
            listed = [speck for speck in Render(file, name, WHITE).dust if speck.on == "backdrop"]
            hits = [[i for i, one in enumerate(listed) if _meets(one.box, x, y)] for x, y, *_ in specks]
            put, found = put + len(specks), found + sum(bool(hit) for hit in hits)
            false += len(listed) - len({i for hit in hits for i in hit})
            r = render(file, *(one.mend.model_dump() for one in listed), sheet=PLAIN)
            mended = r.mended(1.0, r.whole(1.0)).pixels
            close += [float(off(mended[at], pixels[at])[where].mean()) for (_, _, at, where), hit in zip(specks, hits, strict=True) if hit]
        self.assertGreaterEqual(found / put, 0.95, f"{found} of {put}")
        self.assertLessEqual(false, 1)
        self.assertLess(float(np.percentile(close, 98)), 2.0)

    def test_what_is_on_the_product_is_only_proposed(self) -> None:
        pixels = POT.pixels.copy()
        cv2.circle(pixels, (350, 220), 3, (235, 230, 225), -1, cv2.LINE_AA)
        r = render(encode_picture(pixels, "png"), mend={"dust": True})
        self.assertEqual([speck.on for speck in r.dust], ["product"])
        self.assertEqual(r.mends, ())


def _meets(box: tuple[int, int, int, int], x: int, y: int) -> bool:
    return box[0] - 3 <= x <= box[0] + box[2] + 3 and box[1] - 3 <= y <= box[1] + box[3] + 3


def _with_dust(clean: Render, pixels: Coded) -> tuple[Coded, list[tuple[int, int, tuple[slice, slice], Mask]]]:
    """Grey flecks of 7 to 110 px² on the backdrop, and where each is: x, y, a window, and its pixels in that."""
    h, w = pixels.shape[:2]
    other = (clean.clearing.product | clean.clearing.surroundings).view(np.uint8)
    taken = cv2.dilate(cv2.resize(other, (w, h), interpolation=cv2.INTER_NEAREST), np.ones((31, 31), np.uint8))
    taken[:24], taken[-24:], taken[:, :24], taken[:, -24:] = 1, 1, 1, 1
    rng = np.random.default_rng(5)
    light, specks = to_linear(pixels), []
    for _ in range(25):
        rows, columns = np.nonzero(taken == 0)
        k = rng.integers(len(rows))
        x, y = int(columns[k]), int(rows[k])
        cv2.circle(taken, (x, y), 60, 1, -1)
        area, ratio = rng.uniform(7, 110), rng.uniform(1, 2.5)
        big = np.zeros((48 * 8, 48 * 8), np.uint8)
        axes = (max(1, round(8 * np.sqrt(area * ratio / np.pi))), max(1, round(8 * np.sqrt(area / ratio / np.pi))))
        cv2.ellipse(big, (192, 192), axes, rng.uniform(0, 180), 0, 360, 255, -1)
        fleck = cv2.GaussianBlur(cv2.resize(big, (48, 48), interpolation=cv2.INTER_AREA).astype(np.float32) / 255, (0, 0), 0.7)
        here = np.s_[y - 24 : y + 24, x - 24 : x + 24]
        share = fleck[..., None] * np.float32(rng.uniform(0.4, 0.9))
        light[here] = light[here] * (1 - share) + share * np.float32(rng.uniform(0.02, 0.1))
        specks.append((x, y, here, fleck > 0.2))
    return to_coded(light, np.uint8), specks
