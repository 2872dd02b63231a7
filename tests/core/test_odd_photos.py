"""Photos that are hardly photos, and settings that nobody would choose: none fails, none takes all memory, and what is wrong is said."""

import unittest
import warnings
from random import Random
from typing import TypeVar

import cv2
import numpy as np
from pydantic import ValidationError

from tests.by_schema import made_up
from tests.pictures import Scene
from yardchalk.core.codecs import decode_photo, encode_picture
from yardchalk.core.colour import Coded
from yardchalk.core.deliver import Result, produce
from yardchalk.core.errors import YardError
from yardchalk.core.listing import Canvas
from yardchalk.core.render import Render
from yardchalk.core.settings import ListingSpec, Marks, RunSheet, load_sheet, load_spec
from yardchalk.core.settings_base import Settings

SHAPE = (120, 160, 3)
POT = Scene(width=320, height=240).made().pixels


def _with_alpha(alpha: int) -> Coded:
    return np.dstack([POT, np.full(POT.shape[:2], alpha, np.uint8)])


NOTHING = {
    "white": np.full(SHAPE, 255, np.uint8),
    "black": np.zeros(SHAPE, np.uint8),
    "grey": np.full(SHAPE, 128, np.uint8),
    "one pixel": np.full((1, 1, 3), 200, np.uint8),
    "a dot": cv2.circle(np.full((600, 800, 3), 250, np.uint8), (400, 300), 2, (200, 10, 10), -1),
    "see-through": _with_alpha(0),
}
ODD = {
    # What is taken for product may be a single pixel, enlarged a thousand times.
    "noise": np.random.default_rng(0).integers(0, 256, (600, 800, 3), np.uint8),
    "squares": np.kron(np.indices((12, 16)).sum(0) % 2 * 255, np.ones((10, 10)))[..., None].repeat(3, 2).astype(np.uint8),
    "a line": cv2.line(np.full((300, 400, 3), 250, np.uint8), (50, 50), (350, 250), (20, 20, 20), 1),
    "three rows": POT[100:103],
    # Of so few pixels none that is not burnt out may be left to measure noise on.
    "one burnt row": np.clip(255 + np.random.default_rng(21).normal(0, 30, (1, 50, 3)), 0, 255).astype(np.uint8),
    "two columns": POT[:, 150:152],
    "a panorama": cv2.resize(POT, (3000, 60)),
    "a thumbnail": cv2.resize(POT, (12, 9), interpolation=cv2.INTER_AREA),
    "nearly black": POT // 8,
    "on black": 255 - POT,
    "all opaque": _with_alpha(255),
    "16 bits": POT.astype(np.uint16) * 257,
}


SEEDS = 12
Model = TypeVar("Model", bound=Settings)


def any_of(model: type[Model], r: Random) -> Model | None:
    """Settings that the model's schema allows, or None if the model has a reason to refuse them."""
    schema = model.model_json_schema()
    try:
        return model.model_validate(made_up(schema, schema["$defs"], r))
    except ValidationError:
        return None


def made(pixels: Coded, sheet: str, spec: str) -> Result:
    with warnings.catch_warnings():
        warnings.simplefilter("error", RuntimeWarning)
        return produce(Render(encode_picture(pixels, "png"), "odd", load_sheet(sheet)), load_spec(spec))


class OddPhotoTest(unittest.TestCase):
    def test_where_nothing_is_that_is_what_is_found(self) -> None:
        for name, pixels in NOTHING.items():
            with self.subTest(name):
                result = made(pixels, "white", "square-2000")
                self.assertEqual([(f.check, f.severity) for f in result.findings if f.severity == "fix"], [("missing-part", "fix")])
                self.assertTrue((decode_photo(result.data, name).pixels == 255).all(), "nothing on white is white")

    def test_whatever_it_is_it_fits_the_listing(self) -> None:
        for name, pixels in ODD.items():
            for sheet, spec in (("white", "square-2000"), ("transparent", "cutout")):
                with self.subTest(name, spec=spec):
                    result = made(pixels, sheet, spec)
                    back = decode_photo(result.data, name)
                    self.assertEqual((back.width, back.height), (result.width, result.height))
                    self.assertFalse([f for f in result.findings if f.check == "file"])
                    if spec == "square-2000":
                        self.assertEqual((result.width, result.height), (2000, 2000))

    def test_whatever_is_set_there_is_a_result_or_a_reason_in_words(self) -> None:
        photos = {name: encode_picture(pixels, "png") for name, pixels in (ODD | NOTHING | {"a pot": POT}).items() if pixels.size < 1e6}
        good = 0
        for seed in range(SEEDS):
            r = Random(seed)
            name = r.choice(list(photos))
            sheet = any_of(RunSheet, r) or load_sheet("white")
            spec = any_of(ListingSpec, r) or load_spec(r.choice(("square-2000", "cutout")))
            if spec.canvas is not None:
                spec = spec.model_copy(update={"canvas": Canvas(width=600, height=400)})  # a large one only takes longer
            marks = next(filter(None, (any_of(Marks, r) for _ in range(20))), Marks())
            with self.subTest(seed, photo=name), warnings.catch_warnings():
                warnings.simplefilter("error", RuntimeWarning)
                try:
                    result = produce(Render(photos[name], name, sheet, marks), spec)
                except YardError as error:
                    self.assertGreater(len(error.message), 20)
                    continue
                back = decode_photo(result.data, name)
                self.assertEqual((back.width, back.height), (result.width, result.height))
                good += 1
        self.assertGreater(good, SEEDS // 2, "or else little was tried")
