"""What belongs to the product though it looks like the backdrop, and the other way round: labels, holes, and the table beside the paper."""

import unittest
from collections.abc import Callable, Iterator

import cv2
import numpy as np
from numpy.random import Generator

from tests.pictures import Made, Scene, iou
from yardchalk.core.codecs import decode_photo, encode_picture
from yardchalk.core.colour import Float, Mask, to_coded
from yardchalk.core.deliver import produce
from yardchalk.core.render import Render
from yardchalk.core.settings import load_sheet, load_spec

SCENE = Scene(width=1200, height=900, handle=False)
MIDDLE = 600, 468  # px; of the product, which is 216 px wide to each side of it and 270 px high
ROUNDS = 3


def laid(made: Made, light: Float, cover: Float) -> bytes:
    """The photo of other linear light (h, w, 3) over product and backdrop, by a coverage (h, w)."""
    share = cover[..., None]
    linear = made.alpha[..., None] * made.product + (1 - made.alpha[..., None]) * made.backdrop
    linear = share * light + (1 - share) * linear
    linear = linear * (1 + np.random.default_rng(5).normal(0, 0.008, (*cover.shape, 1)))
    return encode_picture(to_coded(linear.astype(np.float32), np.uint8), "jpeg", quality=93)


def drawn(shape: tuple[int, ...], draw: Callable[[np.ndarray], object]) -> Float:
    """Coverage (h, w) by what is drawn in 255 on a picture four times as large."""
    large = np.zeros((shape[0] * 4, shape[1] * 4), np.uint8)
    draw(large)
    return cv2.resize(large, (shape[1], shape[0]), interpolation=cv2.INTER_AREA).astype(np.float32) / 255


def box(x: int, y: int, w: int, h: int) -> Callable[[np.ndarray], object]:
    return lambda large: cv2.rectangle(large, (4 * x, 4 * y), (4 * (x + w) - 1, 4 * (y + h) - 1), 255, -1)


def cleared(data: bytes) -> tuple[Render, Float]:
    render = Render(data, "a pot", load_sheet("transparent"))
    return render, render.cut(1.0, render.whole(1.0)).alpha


def spots() -> Iterator[tuple[Made, Float, Generator]]:
    """Products with a round place of clean outline on each, 48 to 120 px across, and what decides the rest."""
    for seed in range(ROUNDS):
        r = np.random.default_rng(seed)
        made = SCENE.but(seed=seed, shadow=0.0, colour=tuple(int(v) for v in r.integers(20, 120, 3))).made()
        across = int(r.integers(24, 60)), int(r.integers(24, 60))
        at = MIDDLE[0] + int(r.integers(-90, 90)), MIDDLE[1] + int(r.integers(-120, 120))
        ellipse = tuple(4 * v for v in at), tuple(4 * v for v in across), float(r.uniform(0, 180)), 0, 360, 255, -1
        yield made, drawn(made.alpha.shape, lambda large, e=ellipse: cv2.ellipse(large, *e)), r  # type: ignore[misc]


class HolesTest(unittest.TestCase):
    def test_a_label_of_the_papers_white_is_no_hole_whatever_is_printed_on_it(self) -> None:
        for seed in range(ROUNDS):
            with self.subTest(seed=seed):
                r = np.random.default_rng(seed)
                made = SCENE.but(seed=seed, colour=tuple(int(v) for v in r.integers(20, 120, 3))).made()
                w, h = int(r.integers(140, 220)), int(r.integers(100, 150))
                x, y = MIDDLE[0] - w // 2, MIDDLE[1] - h // 2
                label = drawn(made.alpha.shape, box(x, y, w, h))
                light = made.backdrop * np.float32(r.uniform(0.93, 1.02))
                ink = np.array(r.uniform(0.01, 0.3, 3), np.float32)
                for line in range(y + 25, y + h - 25, 40):
                    print_ = drawn(label.shape, box(x + 20, line, int(w * r.uniform(0.4, 0.8)), int(r.integers(6, 20))))[..., None]
                    light = print_ * ink + (1 - print_) * light
                _, alpha = cleared(laid(made, light, label))
                self.assertGreater(float(alpha[cv2.erode((label == 1).view(np.uint8), np.ones((5, 5))) > 0].min()), 0.7)
                self.assertGreater(iou(alpha, made.alpha), 0.99)

    def test_a_hole_with_a_clean_edge_is_open_though_its_rim_throws_a_shadow_in(self) -> None:
        for made, hole, r in spots():
            away = np.array([[1, 0, r.uniform(-14, 14)], [0, 1, r.uniform(-14, 14)]])
            lit = cv2.GaussianBlur(cv2.warpAffine(hole, away, hole.shape[::-1]), (0, 0), r.uniform(1, 4))[..., None]
            _, alpha = cleared(laid(made, made.backdrop * (1 - np.float32(r.uniform(0, 0.6)) * (1 - lit)), hole))
            self.assertGreater(iou(alpha, made.alpha * (1 - hole)), 0.99)

    def test_what_is_darker_than_the_paper_all_over_is_print_and_is_said_to_be_a_gap_perhaps(self) -> None:
        said = 0
        for made, spot, r in spots():
            render, alpha = cleared(laid(made, made.backdrop * np.float32(r.uniform(0.5, 0.88)), spot))
            self.assertGreater(iou(alpha, made.alpha), 0.99)
            said += any("may be" in f.message for f in produce(render, load_spec("cutout")).findings if f.check == "left-behind")
        self.assertGreater(said, ROUNDS // 2)

    def test_a_bright_spot_on_the_product_is_no_hole(self) -> None:
        made = SCENE.but(level=200, shadow=0.0).made()
        spot = drawn(made.alpha.shape, lambda large: cv2.circle(large, (4 * MIDDLE[0], 4 * MIDDLE[1]), 4 * 60, 255, -1))
        _, alpha = cleared(laid(made, made.backdrop * np.float32(1.12), spot))
        self.assertGreater(iou(alpha, made.alpha), 0.995)


class TableTest(unittest.TestCase):
    def test_a_table_beside_the_paper_is_no_product_though_a_shadow_joins_them(self) -> None:
        made = SCENE.made()
        h, w = made.alpha.shape
        wood = np.array([0.1, 0.055, 0.03], np.float32)
        x, y = MIDDLE
        sides = {
            "left": ([(0, 0), (230, 0), (200, h), (0, h)], box(200, y, x - 200, 50)),
            "right": ([(w, 0), (w - 190, 0), (w - 240, h), (w, h)], box(x, y + 100, w - 200 - x, 50)),
            "below": ([(0, h), (0, h - 100), (w, h - 80), (w, h)], box(x - 25, y, 50, h - 80 - y)),
        }
        for name, (table, bridge) in sides.items():
            with self.subTest(name):
                there = drawn((h, w), lambda large, t=table: cv2.fillPoly(large, [4 * np.array(t)], 255))  # type: ignore[misc]
                joined = cv2.GaussianBlur(drawn((h, w), bridge), (0, 0), 3) * (1 - made.alpha)
                dark = made.backdrop * np.array([0.3, 0.2, 0.15], np.float32)
                light = np.where(there[..., None] > 0.5, wood, dark)
                render, alpha = cleared(laid(made, light, np.maximum(there, joined)))
                on_table = self.at(render, there > 0.9)
                self.assertLess(float(render.clearing.product[on_table].mean()), 0.01)
                self.assertGreater(float(render.clearing.surroundings[on_table].mean()), 0.95)
                self.assertLess(float(alpha[there > 0.9].mean()), 0.01)
                self.assertGreater(float(alpha[made.alpha == 1].mean()), 0.995)

    def test_nor_where_the_frame_was_cut_so_close_that_the_table_reaches_into_its_middle(self) -> None:
        made = SCENE.made()
        h, w = made.alpha.shape
        table = [(870, 0), (w, 0), (w, h), (960, h)]
        there = drawn((h, w), lambda large: cv2.fillPoly(large, [4 * np.array(table)], 255))
        wood = np.broadcast_to(np.array([0.1, 0.055, 0.03], np.float32), made.product.shape)
        photo = decode_photo(laid(made, wood, there), "a pot").pixels[:, MIDDLE[0] - 100 : 1100]
        alpha = cleared(encode_picture(np.ascontiguousarray(photo), "jpeg", quality=93))[1]
        self.assertGreater(iou(alpha, made.alpha[:, MIDDLE[0] - 100 : 1100]), 0.99)

    def at(self, render: Render, mask: Mask) -> Mask:
        """A mask of the photo's size, at that of the analysis picture."""
        h, w = render.clearing.product.shape
        return cv2.resize(mask.view(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST) > 0


if __name__ == "__main__":
    unittest.main()
