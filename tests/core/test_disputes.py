"""Where second look and rules do not agree on a piece: what is believed, told by how sure it is, by light and by shape."""

import unittest

import cv2
import numpy as np

from yardchalk.core.colour import Float, Mask
from yardchalk.core.disputes import Seen, left_to_the_rules
from yardchalk.core.disputes.openings import close_pits
from yardchalk.core.regions import disc

SHAPE = 600, 800
PRODUCT = (200, 100, 400, 400)  # px: x, y, width, height
DARK, PAPER = -1.0, 0.0  # log light relative to the backdrop


def rectangle(x: int, y: int, w: int, h: int) -> Mask:
    out = np.zeros(SHAPE, bool)
    out[y : y + h, x : x + w] = True
    return out


class Dispute:
    """The rules have a dark square on paper, or another product; the network has `other` of it otherwise, and is so sure of that."""

    def __init__(
        self, other: Mask, sure: float, light: float | Float = PAPER, printed: Mask | None = None, product: Mask | None = None
    ) -> None:
        self.product = rectangle(*PRODUCT) if product is None else product
        shade = np.where(self.product, DARK, PAPER)
        shade = np.where(other, light, shade)
        if printed is not None:
            shade = np.where(printed, DARK, shade)
            other = other & ~printed
        self.other = other
        told = self.product ^ other
        off = np.where(other, sure / 2, 0.5)
        self.found: Float = np.where(told, 0.5 + off, 0.5 - off).astype(np.float32)
        self.shade: Float = shade.astype(np.float32)

    def settled(self, steep: Mask | None = None, blue: Float | float = 0, soft: bool = False, burnt: bool = False) -> float:
        """Share of what is disputed that the network gets; `blue` is what blue has beyond its light, log light; `burnt`, all of it."""
        if steep is None:
            steps = cv2.morphologyEx(self.shade, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0.2
            steep = cv2.dilate(steps.view(np.uint8), disc(7)) > 0
        burnt_out = self.other if burnt else np.zeros(SHAPE, bool)
        self.said = left_to_the_rules(
            self.found,
            self.product,
            Seen(np.dstack([self.shade, self.shade, self.shade + blue]).astype(np.float32), steep, burnt_out),
            wires=False,
            soft=soft,
        )
        core = cv2.erode(self.other.view(np.uint8), disc(5)) > 0
        return float(((self.found > 0.5) != self.product)[core].mean())


class DisputesTest(unittest.TestCase):
    def test_a_burnt_out_side_lies_between_what_the_rules_see_of_a_product_and_a_shadow_beyond_it(self) -> None:
        square = rectangle(*PRODUCT)
        rim_and_base = square | rectangle(600, 100, 60, 40) | rectangle(600, 460, 60, 40)
        side, narrow = rectangle(600, 140, 60, 320), rectangle(600, 140, 12, 40)
        for product, other, burnt, kept in (
            (square, side, True, False),
            (rim_and_base, side, True, True),
            (square, side, False, True),  # is paper, or felt: told by how sure it is
            (square, narrow, True, True),  # is little
            (rectangle(560, 140, 40, 320), side, True, True),  # is most of the product
        ):
            with self.subTest(burnt=burnt, kept=kept, areas=(np.count_nonzero(product), np.count_nonzero(other))):
                self.assertEqual(Dispute(other, 0.99, -0.02, product=product).settled(burnt=burnt), float(kept))

    def test_a_small_pit_that_the_rules_see_nothing_of_is_none(self) -> None:
        product, nowhere = rectangle(*PRODUCT), np.zeros(SHAPE, bool)
        small, wide = rectangle(560, 200, 4, 30), rectangle(300, 200, 30, 30)
        for pit, level, gaps, closed in (
            (small, 0.3, nowhere, True),
            (small, 0.7, nowhere, True),
            (wide, 0.3, nowhere, False),  # is judged by itself
            (wide, 0.7, nowhere, False),  # may be glass
            (small, 0.3, small, False),  # so is a gap
            (rectangle(560, 200, 60, 4), 0.3, nowhere, False),  # has a way out
            (rectangle(597, 200, 3, 30), 0.7, nowhere, False),  # is the border
        ):
            with self.subTest(level=level, closed=closed, area=np.count_nonzero(pit)):
                found = np.where(pit, level, np.where(product, 0.99, 0.01)).astype(np.float32)
                close_pits(found, product, gaps)
                self.assertEqual(np.unique(found[pit & product]).tolist(), [1 if closed else np.float32(level)])
                self.assertFalse((found > 0.5)[~product & ~pit].any())

    def test_the_network_gets_what_it_is_sure_of(self) -> None:
        bent = rectangle(300, 200, 150, 150) & ~rectangle(380, 200, 70, 90)
        for sure, share in ((0.95, 1), (0.7, 0)):
            self.assertEqual(Dispute(bent, sure, -0.05).settled(), share)

    def test_a_clean_convex_hole_is_opened_sooner(self) -> None:
        hole = np.zeros(SHAPE, np.uint8)
        cv2.ellipse(hole, (380, 300), (30, 18), 25, 0, 360, 1, -1)
        for sure, share in ((0.6, 1), (0.5, 0)):
            self.assertEqual(Dispute(hole > 0, sure, -0.05).settled(), share)

    def test_what_is_lighter_than_the_backdrop_is_no_hole(self) -> None:
        for light, share in ((0.015, 1), (0.05, 0)):
            self.assertEqual(Dispute(rectangle(300, 200, 90, 90), 0.97, light).settled(), share)

    def test_nothing_floats_in_a_hole_but_a_thing_of_its_own_may_lie_in_a_ring(self) -> None:
        label = rectangle(320, 200, 130, 100)
        lines = rectangle(335, 215, 80, 10) | rectangle(335, 240, 100, 8) | rectangle(335, 265, 60, 16)
        self.assertEqual(Dispute(label, 0.97, printed=lines).settled(), 0)
        self.assertEqual(Dispute(label, 0.97, printed=rectangle(340, 215, 80, 70)).settled(), 1)

    def test_a_label_open_to_one_side_is_bent_round_its_print(self) -> None:
        label = rectangle(320, 200, 130, 100)
        lines = rectangle(345, 218, 105, 18) | rectangle(345, 262, 105, 18)
        for sure, share in ((0.89, 0), (0.95, 1)):
            self.assertEqual(Dispute(label, sure, printed=lines).settled(), share)

    def test_what_is_of_quite_another_hue_is_no_gap(self) -> None:
        hole = rectangle(340, 230, 74, 60)
        for blue, share in ((-0.1, 1), (-0.6, 0)):
            coloured = Dispute(hole, 0.97, -0.03)
            self.assertEqual(coloured.settled(blue=np.where(hole, np.float32(blue), np.float32(0))), share)

    def test_out_of_focus_a_wide_place_of_quite_another_hue_is_no_shadow_and_a_narrow_one_may_be(self) -> None:
        x, y, w, h = PRODUCT
        for wide, blue, soft, share in ((200, -0.6, True, 0), (200, -0.2, True, 1), (12, -0.6, True, 1), (200, -0.6, False, 1)):
            with self.subTest(wide=wide, blue=blue, soft=soft):
                side = rectangle(x + w - wide, y + 20, wide, h - 40)
                beyond = np.where(side, np.float32(blue), np.float32(0))
                self.assertEqual(Dispute(side, 0.97, -0.4).settled(blue=beyond, soft=soft), share)

    def test_what_is_only_doubted_is_whole_if_little_or_of_quite_another_hue(self) -> None:
        for size, blue, least in ((60, 0.0, 1), (300, 0.0, 0.65), (300, -2.0, 1)):
            with self.subTest(size=size, blue=blue):
                place = rectangle(250, 150, size, size)
                doubt = Dispute(rectangle(0, 0, 9, 9), 1)
                doubt.found[place] = 0.65
                doubt.settled(blue=np.where(place, np.float32(blue), np.float32(0)))
                self.assertAlmostEqual(float(doubt.found[place].min()), least, places=6)

    def test_out_of_focus_nothing_narrow_is_open(self) -> None:
        for width, soft, open_ in ((5, False, True), (5, True, False), (40, True, True)):
            with self.subTest(width=width, soft=soft):
                dispute = Dispute(rectangle(300, 250, width, 120), 0.98)
                dispute.settled(soft=soft)
                self.assertEqual(bool((dispute.found[250:370, 300 : 300 + width] <= 0.5).any()), open_)

    def test_the_papers_light_is_seen_somewhere_in_a_wide_hole_and_in_a_narrow_one_at_least_a_rims_shadow(self) -> None:
        wide, narrow = rectangle(340, 230, 74, 60), rectangle(340, 230, 74, 20)
        across = np.clip(np.arange(SHAPE[1], dtype=np.float32) - 340, 0, 73) / 73
        # A rim's shadow, and one that falls off softly or the light on round print, each as light as the paper at one end or nowhere.
        penumbra = 1 / (1 + np.exp((across - 0.6) * 40))
        lights = (-0.5 * penumbra, -0.8 * penumbra - 0.2, -0.6 * across**2, -(across**2) - 0.2)
        lit_from_a_side = -0.9 * (1 - np.broadcast_to(across, SHAPE)) ** np.float32(1.5) - np.float32(0.05)
        shadow, deep, turned, round_off = (np.broadcast_to(light, SHAPE).astype(np.float32) for light in lights)
        of_wide = ((-0.2, 0), (shadow, 1), (deep, 0), (turned, 1), (round_off, 0), (lit_from_a_side, 0), (lit_from_a_side + 0.05, 1))
        of_narrow = ((-0.2, 0), (shadow, 1), (deep, 1), (turned, 1), (round_off, 0))
        for hole, light, share in (*((wide, *case) for case in of_wide), *((narrow, *case) for case in of_narrow)):
            self.assertEqual(Dispute(hole, 0.97, light).settled(), share)

    def test_a_stroke_evenly_lit_and_half_dark_is_print_and_a_dim_one_may_be_and_a_wide_hole_is_neither(self) -> None:
        stroke, handle = rectangle(340, 230, 74, 20), rectangle(340, 230, 74, 70)
        across = np.clip(np.arange(SHAPE[1], dtype=np.float32) - 340, 0, 73) / 73
        of_stroke = ((-0.6, 0, 0), (-0.3, 1, 1), (-0.1, 1, 0))
        of_handle = ((-0.6, 1, 0), (-0.3, 1, 0))  # a soft shadow in it is as even
        for hole, darkest, share, may_be in (*((stroke, *case) for case in of_stroke), *((handle, *case) for case in of_handle)):
            with self.subTest(hole=int(hole.sum()), darkest=darkest):
                dispute = Dispute(hole, 0.97, np.broadcast_to(darkest * (1 - across), SHAPE).astype(np.float32))
                self.assertEqual(dispute.settled(), share)
                self.assertEqual(float(dispute.said.may_be_print[hole].mean()), may_be)
                self.assertEqual(float(dispute.said.may_be_open[hole].mean() > 0.9), 1 - share)

    def test_what_falls_off_to_the_paper_without_a_border_is_a_shadow(self) -> None:
        x, y, w, h = PRODUCT
        beside = rectangle(x + w, y + 200, 120, 200)
        across = np.arange(SHAPE[1], dtype=np.float32)[None] - (x + w)
        soft = np.broadcast_to(-0.8 * np.clip(1 - across / 120, 0, 1), SHAPE).astype(np.float32)
        at_product = cv2.dilate(rectangle(x, y, w, h).view(np.uint8), disc(15)) > 0
        self.assertEqual(Dispute(beside, 0.96, soft).settled(at_product), 0)
        # With a border to the paper it is a part of the product.
        there = at_product | (cv2.dilate(beside.view(np.uint8), disc(15)) > 0)
        self.assertEqual(Dispute(beside, 0.96, soft).settled(there), 1)

    def test_of_what_reaches_the_frame_more_of_a_border_is_asked_before_it_may_be_product(self) -> None:
        x, y, w, _ = PRODUCT
        for wide, may_be in ((120, 1), (SHAPE[1] - x - w, 0)):
            beside = rectangle(x + w, y + 200, wide, 200)
            steps = rectangle(*PRODUCT) | rectangle(x + w, y + 195, 110, 10)
            dispute = Dispute(beside, 0.84, -0.6)
            self.assertEqual(dispute.settled(cv2.dilate(steps.view(np.uint8), disc(15)) > 0), 0)
            self.assertEqual(float(dispute.said.may_be_product[beside].mean() > 0.8), may_be)

    def test_an_opening_without_a_border_is_none(self) -> None:
        x, y, w, h = 340, 230, 74, 60
        hole = rectangle(x, y, w, h)
        for edges, share in (((w, h), 1), ((w, 9), 1), ((9, 9), 0)):
            steep = cv2.dilate(rectangle(x - 3, y - 3, edges[0] + 6, edges[1] + 6).view(np.uint8), disc(3)) > 0
            with self.subTest(edges=edges):
                self.assertEqual(Dispute(hole, 0.97, -0.05).settled(steep), share)

    def test_what_has_a_border_to_the_paper_and_is_no_shadow_is_added_sooner_and_a_shadow_may_be_product(self) -> None:
        x, y, w, _ = PRODUCT
        beside = rectangle(x + w, y + 200, 120, 200)
        at_product, at_both = (
            cv2.dilate(there.view(np.uint8), disc(15)) > 0 for there in (rectangle(*PRODUCT), beside | rectangle(*PRODUCT))
        )
        of_its_own_hue, like_a_shadow, as_light = (-0.6, -0.4), (-0.6, 0.0), (-0.02, 0.0)
        cases = [(look, 0.84, at_both, 1, 0) for look in (of_its_own_hue, as_light)]
        cases += [(of_its_own_hue, 0.74, at_both, 0, 1), (like_a_shadow, 0.84, at_both, 0, 1), (like_a_shadow, 0.84, at_product, 0, 0)]
        cases += [(of_its_own_hue, 0.84, np.ones(SHAPE, bool), 0, 0)]  # paper with a grain has steps everywhere
        for (light, blue), sure, steep, share, may_be in cases:
            with self.subTest(light=light, blue=blue, sure=sure, share=share):
                dispute = Dispute(beside, sure, light)
                self.assertEqual(dispute.settled(steep, np.where(beside, np.float32(blue), np.float32(0))), share)
                self.assertEqual(float(dispute.said.may_be_product[beside].mean() > 0.8), may_be)

    def test_a_wide_place_of_a_hue_with_a_border_to_the_paper_is_no_shadow(self) -> None:
        x, y, w, h = PRODUCT
        for width, edged, blue, share in ((160, False, -0.3, 1), (160, True, -0.3, 0), (160, True, 0.0, 1), (40, True, -0.3, 1)):
            with self.subTest(width=width, edged=edged, blue=blue):
                side = rectangle(x + w - width, y + 20, width, h - 40)
                beyond = np.where(side, np.float32(blue), np.float32(0))
                borders = rectangle(x + w - width - 4, y, 8, h) | (rectangle(x + w - 4, y, 8, h) & edged)
                steep = cv2.dilate(borders.view(np.uint8), disc(15)) > 0
                self.assertEqual(Dispute(side, 0.9, -0.4).settled(steep, beyond), share)

    def test_where_the_rules_lost_the_product_an_opening_of_its_hue_is_whole_and_one_like_paper_is_a_gap(self) -> None:
        x, y, w, _ = PRODUCT
        beside, hole = rectangle(x + w, y + 200, 160, 200), rectangle(x + w + 50, y + 260, 50, 60)
        for of_hole, share in ((-0.4, 0), (0.0, 1)):
            with self.subTest(of_hole=of_hole):
                part = beside & ~hole
                dispute = Dispute(part, 0.9, np.where(part, np.float32(-0.6), np.float32(0)))
                dispute.shade[hole] = -0.6 if of_hole else 0
                dispute.settled(blue=np.where(part, np.float32(-0.4), np.where(hole, np.float32(of_hole), np.float32(0))))
                self.assertEqual(float((dispute.found[hole] < 0.5).mean()), share)


if __name__ == "__main__":
    unittest.main()
