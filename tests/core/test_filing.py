"""Files and places of results: read back by readers that are not ours, byte limits, what the camera wrote, what formats lose."""

import base64
import io
import unittest
import warnings

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageCms
from pydantic import ValidationError

from tests.pictures import Scene
from yardchalk.core.checks.off_white import touching
from yardchalk.core.codecs import Tags, decode_photo, encode_picture, exif_of, inspect_photo, pages_of
from yardchalk.core.codecs.exif import carried
from yardchalk.core.deliver import Result, produce
from yardchalk.core.errors import UnreadablePhoto, YardError
from yardchalk.core.filing import written
from yardchalk.core.listing import ListingSpec
from yardchalk.core.losses import losses
from yardchalk.core.mending import Bench, offer_mend
from yardchalk.core.render import Render
from yardchalk.core.settings import Marks, PlaceMarks, PlaceSettings, load_sheet, load_spec, shipped
from yardchalk.core.stages.place import place

SHEET = load_sheet("white").model_copy(update={"place": PlaceSettings(background="spec")})
MADE = Scene().made()
LARGE = Scene(width=2000, height=1500).made()
RENDER = Render(MADE.jpeg, "pot", SHEET)
RED_MARK = "data:image/png;base64," + base64.b64encode(encode_picture(np.full((20, 40, 3), (200, 0, 0), np.uint8), "png")).decode()


def spec_of(**values: object) -> ListingSpec:
    return ListingSpec.model_validate({"name": "tried", "canvas": {"width": 400, "height": 300}} | values)


def opened(result: Result) -> Image.Image:
    return Image.open(io.BytesIO(result.data))


class FormatTest(unittest.TestCase):
    def test_every_format_is_read_by_another_reader(self) -> None:
        modes = {"jpeg": "RGB", "png": "RGB", "webp": "RGB", "tiff": "RGB", "gif": "P", "matte": "L"}
        for file, mode in modes.items():
            with self.subTest(file):
                result = produce(RENDER, spec_of(file=file, dpi=300))
                image = opened(result)
                self.assertEqual((image.size, image.mode), ((400, 300), mode))
                corner = np.asarray(image.convert("RGB"))[:20, :20]
                self.assertTrue((corner == (0 if file == "matte" else 255)).all())
                self.assertFalse([f for f in result.findings if f.severity == "fix"])
                if file in ("jpeg", "png", "tiff"):
                    self.assertEqual(round(float(image.info["dpi"][0])), 300)
                if file in ("jpeg", "png", "webp", "tiff"):
                    profile = ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"]))
                    self.assertIn("sRGB", ImageCms.getProfileDescription(profile))

    def test_transparency_is_held_or_refused(self) -> None:
        true = decode_photo(produce(RENDER, spec_of(file="png", background="transparent")).data, "x").alpha
        assert true is not None
        for file in ("webp", "tiff"):
            alpha = np.asarray(opened(produce(RENDER, spec_of(file=file, background="transparent"))).convert("RGBA"))[..., 3]
            np.testing.assert_array_equal(alpha, true)
        hard = np.asarray(opened(produce(RENDER, spec_of(file="gif", background="transparent"))).convert("RGBA"))[..., 3]
        np.testing.assert_array_equal(hard, np.where(true < 127.5, 0, 255))
        with self.assertRaisesRegex(ValidationError, "JPEG holds no transparency"):
            spec_of(file="jpeg", background="transparent")

    def test_a_gifs_edge_is_made_for_its_page_and_its_colours_are_near(self) -> None:
        result = produce(RENDER, spec_of(file="gif", background="transparent"))
        on_white = Image.new("RGBA", (400, 300), "white")
        on_white.alpha_composite(opened(result).convert("RGBA"))
        meant = decode_photo(produce(RENDER, spec_of(file="png")).data, "x").pixels
        off = np.abs(np.asarray(on_white.convert("RGB")).astype(int) - meant)
        self.assertLess(float(off[_drawn(meant)].mean()), 4)
        self.assertLess(int(np.percentile(off, 99.5)), 60, "no ring round the outline")

    def test_sixteen_bits(self) -> None:
        deep = encode_picture(MADE.pixels.astype(np.uint16) * 257 + 100, "png")
        render = Render(deep, "deep pot", SHEET)
        for file in ("png", "tiff", "matte"):
            facts = inspect_photo(produce(render, spec_of(file=file, bits=16)).data, "x")
            self.assertEqual(facts.bits, 16, file)
        self.assertEqual(inspect_photo(produce(render, spec_of(file="png", bits=8)).data, "x").bits, 8)
        with self.assertRaisesRegex(ValidationError, "16 bits"):
            spec_of(file="jpeg", bits=16)

    def test_a_layered_file_holds_its_parts(self) -> None:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            from pyora import Project  # type: ignore[import-untyped]
        result = produce(RENDER, spec_of(file="openraster"))
        held = Project.load(io.BytesIO(result.data))
        self.assertEqual(held.dimensions, (400, 300))
        layers = {layer.name: layer for layer in held.children}
        self.assertEqual(set(layers), {"Cut-out", "Original", "Backdrop"})
        self.assertTrue(layers["Original"].hidden)
        white = np.asarray(layers["Backdrop"].get_image_data().convert("RGB"))
        self.assertTrue((white == 255).all())
        flat = Image.new("RGBA", (400, 300))
        flat.alpha_composite(layers["Backdrop"].get_image_data().convert("RGBA"))
        flat.alpha_composite(layers["Cut-out"].get_image_data().convert("RGBA"))
        meant = decode_photo(produce(RENDER, spec_of(file="png")).data, "x").pixels
        self.assertLess(
            np.percentile(np.abs(np.asarray(flat)[..., :3].astype(int) - meant), 99.9), 24, "cut-out over backdrop is the picture"
        )

    def test_white_is_held_all_round_a_product_however_it_lies(self) -> None:
        for angle in (0, 15, 30, 52):
            big = np.zeros((1600, 1600), np.uint8)
            cv2.fillPoly(big, [cv2.boxPoints(((800, 800), (500, 900), angle)).astype(np.int32)], 255)
            alpha = cv2.GaussianBlur(cv2.resize(big, (400, 400), interpolation=cv2.INTER_AREA) / np.float32(255), (0, 0), 0.8)
            alpha[alpha < 0.004] = 0
            away = cv2.distanceTransform((alpha == 0).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE) > 4
            self.assertFalse((touching(alpha) & away).any(), "corners are no nearer than they are")
            pixels = np.round(255 * (1 - alpha[..., None]) + alpha[..., None] * np.array([225, 180, 10])).astype(np.uint8)
            for file in ("jpeg", "webp"):
                back = written(pixels, alpha, alpha, spec_of(file=file), Tags()).back.pixels
                self.assertGreaterEqual(int(back.min(2)[away].min()), 250)

    def test_a_byte_limit_is_met_with_the_best_quality_that_fits(self) -> None:
        for file in ("jpeg", "webp"):
            free = produce(RENDER, spec_of(file=file))
            limit = round(len(free.data) * 0.6)
            result = produce(RENDER, spec_of(file=file, max_bytes=limit))
            self.assertLessEqual(len(result.data), limit)
            quality = int(result.figures["quality of the file"] or 0)
            pixels = decode_photo(produce(RENDER, spec_of(file="png")).data, "x").pixels
            self.assertGreater(len(encode_picture(pixels, file, quality=quality + 1)), limit)
        hopeless = produce(RENDER, spec_of(file="png", max_bytes=2000))
        self.assertEqual([f.check for f in hopeless.findings if f.severity == "fix"], ["file"])

    def test_what_the_camera_wrote(self) -> None:
        exif = Image.Exif()
        exif[0x010F], exif[0x0112], exif[0x8298] = "Maker", 6, "Pennywort"
        exif.get_ifd(0x8769)[0x9003], exif.get_ifd(0x8769)[0x829A] = "2026:11:01 10:00:00", 0.01
        exif.get_ifd(0x8769)[0xA001] = 65535
        exif.get_ifd(0x8825)[1], exif.get_ifd(0x8825)[2] = "N", (51.0, 30.0, 0.0)
        out = io.BytesIO()
        Image.fromarray(MADE.pixels).save(out, "JPEG", quality=95, exif=exif.tobytes())
        render = Render(out.getvalue(), "pot", SHEET)

        def kept(**values: object) -> Image.Exif:
            return opened(produce(render, spec_of(**values))).getexif()

        for file in ("jpeg", "png", "webp"):
            whole = kept(file=file, exif="keep")
            self.assertEqual((whole[0x010F], whole.get(0x0112, 1), dict(whole.get_ifd(0x8825))), ("Maker", 1, {}), file)
            self.assertIn(0x829A, whole.get_ifd(0x8769))
            self.assertEqual(whole.get_ifd(0x8769)[0xA001], 1, "sRGB, whatever the photo was")
            trimmed = kept(file=file, exif="trim")
            self.assertEqual((trimmed[0x8298], 0x829A in trimmed.get_ifd(0x8769)), ("Pennywort", False))
            self.assertIn(0x9003, trimmed.get_ifd(0x8769))
            self.assertIsNone(carried(exif_of(out.getvalue()), "drop", location=True))
            self.assertNotIn(0x010F, kept(file=file))
        self.assertEqual(kept(file="jpeg", exif="trim", location=True).get_ifd(0x8825)[1], "N")

    def test_what_a_format_loses(self) -> None:
        lost = {loss.file: loss for loss in losses(RENDER, spec_of(file="png", background="transparent"))}
        self.assertTrue(lost["jpeg"].flattened)
        self.assertEqual((lost["png"].words, lost["tiff"].words), ([], []))
        self.assertGreater(lost["gif"].edge or 0, 30)
        self.assertLess(lost["webp"].mean, lost["gif"].mean + 2)
        self.assertGreater(np.abs(lost["jpeg"].before.astype(int) - lost["jpeg"].after).max(), 0)


def _drawn(pixels: np.ndarray) -> np.ndarray:
    return pixels.min(2) < 250


class PlaceTest(unittest.TestCase):
    @settings(max_examples=80, deadline=None)
    @given(
        size=st.tuples(st.integers(200, 4000), st.integers(200, 4000)),
        box=st.tuples(st.floats(0, 0.45), st.floats(0, 0.45), st.floats(0.55, 1), st.floats(0.55, 1)),
        across=st.floats(1, 99),
        base=st.floats(1, 100),
        fill=st.floats(1, 100),
    )
    def test_the_product_lies_on_the_canvas_where_the_spec_says(
        self, size: tuple[int, int], box: tuple[float, float, float, float], across: float, base: float, fill: float
    ) -> None:
        spec = spec_of(across=across, stand="base-line", base_line=base, fill=fill)
        at = place(spec, *size, box)
        left, right = (share * size[0] * at.scale + at.left for share in (box[0], box[2]))
        top, foot = (share * size[1] * at.scale + at.top for share in (box[1], box[3]))
        self.assertTrue(left >= -1 and right <= 401 and top >= -1 and foot <= 301)
        self.assertAlmostEqual(foot, 3 * base, delta=1)
        self.assertAlmostEqual((left + right) / 2, 4 * across, delta=1)
        self.assertLessEqual(max((right - left) / 400, (foot - top) / 300), fill / 100 + 0.01)

    def test_without_a_canvas_margins_reach_the_aspect(self) -> None:
        at = place(ListingSpec.model_validate({"name": "x", "aspect": [4, 5], "margin": 10}), 1000, 1000, (0.2, 0.4, 0.8, 0.6))
        self.assertAlmostEqual(at.width / at.height, 0.8, delta=0.01)
        self.assertEqual(at.scale, 1.0)

    def test_colour_picture_and_marks(self) -> None:
        blue = produce(RENDER, spec_of(file="png", background="colour", colour="#c8d2e1"))
        self.assertEqual(np.asarray(opened(blue))[5, 5].tolist(), [200, 210, 225])
        self.assertFalse([f for f in blue.findings if f.check == "off-white"])
        behind = produce(RENDER, spec_of(file="png", background="picture", picture=RED_MARK))
        self.assertEqual(np.asarray(opened(behind))[5, 5].tolist(), [200, 0, 0])
        marked = produce(RENDER, spec_of(file="png", added=[{"picture": RED_MARK, "width": 10, "across": 1, "down": 1}]))
        pixels = np.asarray(opened(marked))
        self.assertEqual((pixels[299, 399].tolist(), pixels[270, 399].tolist()), ([200, 0, 0], [255, 255, 255]))
        self.assertFalse([f for f in marked.findings if f.severity == "fix"], "a mark is no leftover")

    def test_a_photos_own_place_is_judged_by_the_spec_and_taken_back_by_the_mend(self) -> None:
        marks = Marks(place=PlaceMarks(fill=40, across=30))
        render = Render(MADE.jpeg, "pot", SHEET, marks)
        result = produce(render, spec_of())
        framing = [f for f in result.findings if f.check == "framing"]
        self.assertEqual(len(framing), 2)
        columns = np.flatnonzero((np.asarray(opened(result)) < 200).any((0, 2)))
        self.assertAlmostEqual(float(columns.mean()), 0.3 * 400, delta=4)
        mend = offer_mend(framing[0], Bench(marks, SHEET, render.framing, result.figures))
        assert mend is not None
        self.assertEqual(mend.marks, Marks())

    def test_the_shipped_specs_are_met(self) -> None:
        for name in shipped("specs"):
            result = produce(RENDER, load_spec(name))
            self.assertFalse([f for f in result.findings if f.severity == "fix"], name)


class MoreReadingTest(unittest.TestCase):
    def test_gif_avif_and_heic(self) -> None:
        import pillow_heif

        image = Image.fromarray(MADE.pixels)
        made: dict[str, bytes] = {}
        for kind, options in (("GIF", {}), ("AVIF", {"quality": 95})):
            out = io.BytesIO()
            image.save(out, kind, **options)
            made[kind] = out.getvalue()
        out = io.BytesIO()
        pillow_heif.from_pillow(image).save(out, quality=95)
        made["HEIC"] = out.getvalue()
        for kind, data in made.items():
            with self.subTest(kind):
                facts = inspect_photo(data, "x")
                self.assertEqual((facts.format, facts.width, facts.height), (kind, 640, 480))
                self.assertLess(float(np.abs(decode_photo(data, "x").pixels.astype(int) - MADE.pixels).mean()), 4)
                with self.assertRaises(UnreadablePhoto):
                    decode_photo(data[: len(data) // 2], "x")

    def test_what_is_too_large_for_memory_or_format_or_too_small_is_said_with_a_remedy(self) -> None:
        with self.assertRaisesRegex(ValidationError, "150 megapixels"):
            spec_of(canvas={"width": 20000, "height": 20000})
        for large, said in (
            ({"canvas": None, "aspect": (1, 100), "margin": 45, "file": "png"}, "^tried: would be delivered at .* px, .*smaller margin"),
            ({"canvas": {"width": 16384, "height": 16}, "file": "webp"}, "^WebP: holds no more than 16,383 px a side.*PNG"),
            ({"canvas": {"width": 16, "height": 16}, "fill": 1}, "^tried: would be 0.2 px large.*fill more"),
        ):
            spec = spec_of(**large)
            with self.subTest(spec.file), self.assertRaisesRegex(YardError, said):
                # A product that is large on its photo.
                produce(Render(LARGE.jpeg, "pot", SHEET), spec)
        wide = losses(RENDER, spec_of(canvas={"width": 16384, "height": 16}))
        self.assertEqual([loss.file for loss in wide], ["jpeg", "png", "tiff", "gif"])
        with self.assertRaisesRegex(YardError, "25 megapixels.*smaller canvas"):
            losses(RENDER, spec_of(canvas={"width": 6000, "height": 6000}))

    def test_cmyk_and_pages(self) -> None:
        out = io.BytesIO()
        Image.new("CMYK", (60, 40), (0, 255, 255, 0)).save(out, "TIFF")
        pixels = decode_photo(out.getvalue(), "x").pixels
        self.assertTrue(pixels[0, 0, 0] > 180 and pixels[0, 0, 1] < 90, "red ink is red")
        pages = [Image.fromarray(np.full((80, 120, 3), level, np.uint8)) for level in (50, 100, 150)]
        small = pages[0].resize((30, 20))
        out = io.BytesIO()
        pages[0].save(out, "TIFF", save_all=True, append_images=[*pages[1:], small])
        found = list(pages_of(out.getvalue(), "scan.tif"))
        self.assertEqual([name for name, _ in found], ["scan p1.tif", "scan p2.tif", "scan p3.tif"])
        self.assertEqual([int(decode_photo(data, name).pixels[0, 0, 0]) for name, data in found], [50, 100, 150])
        self.assertEqual([name for name, _ in pages_of(MADE.jpeg, "pot.jpg")], ["pot.jpg"])
