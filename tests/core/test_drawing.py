"""Drawings on one exact colour: what is not that colour is product, and a photo is none."""

import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from tests.pictures import Scene
from yardchalk.core.codecs import encode_picture
from yardchalk.core.colour import Coded, Float
from yardchalk.core.deliver import produce
from yardchalk.core.mending import Bench, offer_for_all
from yardchalk.core.render import Render
from yardchalk.core.settings import Marks, load_sheet, load_spec
from yardchalk.core.stages.clear.drawing import find_drawing

SIDE, FINER = 640, 4
SHEET = load_sheet("transparent")
WHITE = np.full(3, 255, np.float32)


def covered(*shapes: tuple[tuple[int, int], tuple[int, int]]) -> Float:
    """Coverage by ellipses, given by their middles and half axes: float32 (SIDE, SIDE)."""
    big = np.zeros((SIDE * FINER, SIDE * FINER), np.uint8)
    for (x, y), (a, b) in shapes:
        cv2.ellipse(big, (x * FINER, y * FINER), (a * FINER, b * FINER), 0, 0, 360, 255, -1)
    return (cv2.resize(big, (SIDE, SIDE), interpolation=cv2.INTER_AREA) / 255).astype(np.float32)


def laid(page: NDArray[np.float32], share: Float, colour: object) -> NDArray[np.float32]:
    return page + share[..., None] * (np.asarray(colour, np.float32) - page)


def coded(page: NDArray[np.float32]) -> Coded:
    return np.rint(page).astype(np.uint8)


def pale_bowl() -> tuple[NDArray[np.float32], Float]:
    """In two colours that are nearly the page's, with a hole in it."""
    bowl = covered(((320, 330), (220, 180))) - covered(((320, 400), (60, 40)))
    return laid(laid(np.full((SIDE, SIDE, 3), WHITE), bowl, (250, 242, 232)), covered(((320, 240), (140, 50))), (240, 226, 210)), bowl


def bauble() -> tuple[NDArray[np.float32], Float]:
    """A ball with a highlight that is as white as the page and fades."""
    ball = covered(((320, 320), (220, 220)))
    y, x = np.mgrid[0:SIDE, 0:SIDE]
    away = np.clip(np.hypot(x - 250, y - 240) / 320, 0, 1)[..., None]
    return laid(np.full((SIDE, SIDE, 3), WHITE), ball, WHITE + away * (np.array([190, 40, 50]) - WHITE)), ball


def two_on_mint() -> tuple[NDArray[np.float32], Float]:
    """White on a page that is not white."""
    both = covered(((200, 320), (120, 160)), ((470, 320), (90, 90)))
    return laid(np.full((SIDE, SIDE, 3), (190, 228, 210), np.float32), both, WHITE), both


def printed_mug() -> tuple[NDArray[np.float32], Float, Float]:
    """With a handle, and a ring and a dot printed on it that are as white as the page; and where the print is."""
    handle = covered(((480, 320), (100, 90))) - covered(((480, 320), (60, 55)))
    mug = np.maximum(covered(((280, 320), (200, 220))), handle)
    prints = covered(((240, 240), (70, 70))) - covered(((240, 240), (50, 50))) + covered(((260, 430), (30, 25)))
    return laid(np.full((SIDE, SIDE, 3), WHITE), mug - prints, (60, 120, 70)), mug, prints


class DrawingTest(unittest.TestCase):
    def test_white_print_deep_within_may_be_none_and_is_kept_by_one_press(self) -> None:
        page, mug, prints = printed_mug()
        data = encode_picture(coded(page), "png")
        render = Render(data, "drawing", SHEET)
        result = produce(render, load_spec("cutout"))
        self.assertEqual([(f.check, f.severity) for f in result.findings], [("missing-part", "look")] * 2)
        mend = offer_for_all(result.findings, Bench(Marks(), SHEET, render.framing, result.figures))
        assert mend is not None
        render = Render(data, "drawing", SHEET, mend.marks)
        self.assertEqual(produce(render, load_spec("cutout")).findings, [])
        alpha = render.cut(1.0, render.whole(1.0)).alpha
        self.assertGreater(float(alpha[prints == 1].min()), 0.98)
        self.assertLess(1000 * float(((alpha - mug) ** 2).mean()), 0.6)
        # What was cleared had an edge; nothing of its freed colour is left in what is kept.
        pixels = render.cutout(1.0, render.whole(1.0))
        self.assertLess(int(np.abs(pixels[..., :3].astype(int) - coded(page))[cv2.erode(mug, np.ones((9, 9))) == 1].max()), 3)

    def test_what_is_drawn_is_cut_out_whole_however_pale_and_however_hard_it_was_packed(self) -> None:
        for made in (pale_bowl, bauble, two_on_mint):
            page, truth = made()
            for data in (encode_picture(coded(page), "png"), encode_picture(coded(page), "jpeg", quality=75)):
                with self.subTest(made.__name__, data=data[:4]):
                    result = produce(Render(data, "drawing", SHEET), load_spec("cutout"))
                    self.assertEqual((result.verdict, [f.check for f in result.findings]), ("ready", []))
                    render = Render(data, "drawing", SHEET)
                    alpha = render.cut(1.0, render.whole(1.0)).alpha
                    self.assertLess(1000 * float(((alpha - truth) ** 2).mean()), 0.6)
                    self.assertEqual(float(alpha[cv2.dilate(truth, np.ones((9, 9))) == 0].max()), 0)
                    self.assertGreater(float((alpha[cv2.erode(truth, np.ones((9, 9))) == 1] > 0.98).mean()), 0.9999)

    def test_a_photo_is_none_though_it_is_burnt_out_or_fades_or_has_a_frame(self) -> None:
        page, truth = bauble()
        fading = laid(np.full((SIDE, SIDE, 3), WHITE), cv2.GaussianBlur(covered(((340, 520), (220, 50))), (0, 0), 25) * 0.6, (90, 90, 90))
        noisy = page + np.random.default_rng(1).normal(0, 1.5, page.shape)
        framed = cv2.copyMakeBorder(cv2.GaussianBlur(Scene(noise=0).made().pixels, (0, 0), 3), 40, 40, 40, 40, cv2.BORDER_CONSTANT)
        for name, pixels, found in (
            ("drawn", coded(page), True),
            ("with a shadow that fades", coded(np.where(truth[..., None] > 0, page, fading)), False),
            ("burnt out", coded(np.clip(np.where(truth[..., None] > 0, noisy, 255), 0, 255)), False),
            ("in a frame", framed, False),
            ("as shot", Scene().made().pixels, False),
        ):
            with self.subTest(name):
                self.assertEqual(find_drawing(pixels) is not None, found)
