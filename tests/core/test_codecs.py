import io
import struct
import unittest

import numpy as np
from PIL import Image, ImageCms

from tests.pictures import Scene
from yardchalk.core.codecs import Tags, decode_photo, encode_picture, inspect_photo
from yardchalk.core.codecs.profiles import op_rgb_profile, profile_name
from yardchalk.core.codecs.reading import Limits
from yardchalk.core.errors import UnreadablePhoto


def saved(image: Image.Image, kind: str, **options: object) -> bytes:
    out = io.BytesIO()
    image.save(out, kind, **options)
    return out.getvalue()


GRADIENT = np.dstack([np.tile(np.arange(0, 240, 4, dtype=np.uint8), (40, 1)) + i for i in (0, 5, 10)])


class ReadingTest(unittest.TestCase):
    def test_every_format_gives_the_same_pixels(self) -> None:
        image = Image.fromarray(GRADIENT)
        for kind, options in (("PNG", {}), ("TIFF", {"compression": "tiff_lzw"}), ("WEBP", {"lossless": True})):
            with self.subTest(kind):
                data = saved(image, kind, **options)
                np.testing.assert_array_equal(decode_photo(data, "x").pixels, GRADIENT)
                self.assertEqual(inspect_photo(data, "x").format.upper(), kind)
        off = np.abs(decode_photo(saved(image, "JPEG", quality=98, subsampling=0), "x").pixels.astype(int) - GRADIENT).max()
        self.assertLess(off, 6)

    def test_all_orientations_come_upright(self) -> None:
        marked = np.zeros((1000, 1500, 3), np.uint8)  # larger than what a decoder holds at once
        marked[:250, :250] = 255  # upper left when upright
        turns = {1: lambda a: a, 2: np.fliplr, 3: lambda a: np.rot90(a, 2), 4: np.flipud, 5: lambda a: np.fliplr(np.rot90(a, 3)),
                 6: lambda a: np.rot90(a, 1), 7: lambda a: np.fliplr(np.rot90(a, 1)), 8: lambda a: np.rot90(a, 3)}  # fmt: skip
        for orientation, turn in turns.items():
            with self.subTest(orientation):
                exif = Image.Exif()
                exif[0x0112] = orientation
                turned = Image.fromarray(np.ascontiguousarray(turn(marked)))
                for kind in ("JPEG", "PNG", "TIFF", "WEBP"):
                    options = {"lossless": True, "method": 0} if kind == "WEBP" else {}
                    data = saved(turned, kind, exif=exif.tobytes(), **options)
                    upright = decode_photo(data, "x").pixels
                    self.assertLess(float(np.abs(upright.astype(int) - marked).mean()), 0.1 if kind == "JPEG" else 1e-9, kind)
                    facts = inspect_photo(data, "x")
                    self.assertEqual((facts.width, facts.height, facts.orientation), (1500, 1000, orientation))

    def test_an_embedded_profile_is_converted(self) -> None:
        # Made to be unmistakable: sRGB with red and blue primaries exchanged.
        profile = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
        count = struct.unpack(">I", profile[128:132])[0]
        at = {profile[132 + 12 * i : 136 + 12 * i].decode(): 132 + 12 * i for i in range(count)}
        red, blue = at["rXYZ"], at["bXYZ"]
        profile[red + 4 : red + 12], profile[blue + 4 : blue + 12] = profile[blue + 4 : blue + 12], profile[red + 4 : red + 12]
        data = saved(Image.new("RGB", (16, 16), (200, 40, 20)), "PNG", icc_profile=bytes(profile))
        np.testing.assert_allclose(decode_photo(data, "x").pixels[5, 5].astype(int), (20, 40, 200), atol=4)

    def test_what_a_camera_set_to_oprgb_wrote_without_a_profile_is_converted(self) -> None:
        exif = Image.Exif()
        exif[0x8769] = {0xA001: 65535, 0xA005: {1: "R03"}}
        image = np.full((40, 60, 3), 128, np.uint8)
        image[:, 30:] = (150, 180, 110)
        data = saved(Image.fromarray(image), "JPEG", quality=100, subsampling=0, exif=exif.tobytes())
        pixels = decode_photo(data, "x").pixels.astype(int)
        self.assertIn("opRGB", inspect_photo(data, "x").profile)
        self.assertLessEqual(int(np.ptp(pixels[20, 10])), 1, "grey stays grey")
        # By the two encodings' own primaries, both for D65.
        to_xyz = np.array([[0.57667, 0.18556, 0.18823], [0.29734, 0.62736, 0.07529], [0.02703, 0.07069, 0.99134]])
        from_srgb = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
        light = np.linalg.solve(from_srgb, to_xyz @ (np.array((150, 180, 110)) / 255) ** 2.2)
        np.testing.assert_allclose(pixels[20, 45], 255 * (1.055 * light ** (1 / 2.4) - 0.055), atol=2)
        self.assertEqual(inspect_photo(saved(Image.fromarray(image), "JPEG"), "x").profile, "sRGB")

    def test_a_profile_may_call_itself_anything(self) -> None:
        plain, own = op_rgb_profile(), b"opRGB, as its Exif data says"
        for name, called in (
            (b"op\nRGB \0\1 of 1998", "opRGB"),
            (b"\0opRGB", "opRGB"),
            (b"\1\2\3", "embedded profile"),
            (b"", "embedded profile"),
        ):
            self.assertEqual(profile_name(plain.replace(own, name.ljust(len(own), b"\0"))), called)

    def test_a_picture_may_be_one_pixel_large(self) -> None:
        for mode, value, alpha in (("L", 7, None), ("RGB", (7, 7, 7), None), ("LA", (7, 9), 9), ("RGBA", (7, 7, 7, 9), 9)):
            with self.subTest(mode):
                picture = decode_photo(saved(Image.new(mode, (1, 1), value), "PNG"), "x")
                self.assertEqual((picture.pixels.tolist(), None if picture.alpha is None else picture.alpha.tolist()),
                                 ([[[7, 7, 7]]], None if alpha is None else [[alpha]]))  # fmt: skip

    def test_sixteen_bits_and_alpha_are_kept(self) -> None:
        fine = (np.arange(64 * 64, dtype=np.uint16).reshape(64, 64) * 15)[..., None].repeat(3, 2)
        picture = decode_photo(encode_picture(fine, "png"), "x")
        np.testing.assert_array_equal(picture.pixels, fine)
        see_through = np.dstack([GRADIENT, np.tile(np.arange(60, dtype=np.uint8) * 4, (40, 1))])
        alpha = decode_photo(saved(Image.fromarray(see_through), "PNG"), "x").alpha
        assert alpha is not None
        np.testing.assert_array_equal(alpha, see_through[..., 3])
        grey = decode_photo(saved(Image.fromarray(GRADIENT[..., 0]), "PNG"), "x")
        np.testing.assert_array_equal(grey.pixels[..., 1], GRADIENT[..., 0])

    def test_a_small_decode_is_the_same_picture(self) -> None:
        made = Scene(width=1600, height=1200, noise=0).made()
        small = decode_photo(made.jpeg, "x", min_long_side=400)
        self.assertEqual((small.width, small.height, small.scale), (400, 300, 0.25))
        whole = decode_photo(made.jpeg, "x").resized(400, 300)
        self.assertLess(np.abs(small.pixels.astype(int) - whole.pixels).mean(), 1.5)

    def test_what_cannot_be_read_is_refused_by_name_and_reason(self) -> None:
        jpeg = Scene().made().jpeg
        png = Scene().made().png
        tiff = saved(Image.fromarray(Scene().made().pixels), "TIFF")
        small = Limits(max_bytes=10_000, max_pixels=10_000)
        cases = {
            "is empty": (b"", Limits()),
            "is not a JPEG": (b"BM6\0\0\0 not ours yet", Limits()),
            "cut short": (jpeg[: len(jpeg) // 2], Limits()),
            "png is cut short": (png[: len(png) // 2], Limits()),
            "tiff is cut short": (tiff[: len(tiff) // 2], Limits()),
            "32 bits": (saved(Image.fromarray(GRADIENT[..., 0].astype(np.float32)), "TIFF"), Limits()),
            "broken": (b"\x89PNG\r\n\x1a\n" + b"\0" * 400, Limits()),
            "MB allowed": (jpeg, small),
            "megapixels, more": (jpeg, Limits(max_pixels=10_000)),
        }
        for words, (data, limits) in cases.items():
            with self.subTest(words), self.assertRaises(UnreadablePhoto) as caught:
                decode_photo(data, f"PW-1 {words.split()[0]}", limits)
            self.assertIn(words.removeprefix("png ").removeprefix("tiff "), caught.exception.message)
            self.assertTrue(caught.exception.message.startswith("PW-1"))
            self.assertTrue(caught.exception.remedy)
        # It begins as any TIFF does, with a stamp of the photo.
        with self.assertRaisesRegex(UnreadablePhoto, "^PW-1.nef: is a camera's raw file"):
            inspect_photo(tiff, "PW-1.nef")


class WritingTest(unittest.TestCase):
    def test_files_carry_srgb_and_resolution(self) -> None:
        for fmt in ("jpeg", "png"):
            with self.subTest(fmt):
                data = encode_picture(GRADIENT, fmt, tags=Tags(dpi=300))
                theirs = Image.open(io.BytesIO(data))
                profile = ImageCms.ImageCmsProfile(io.BytesIO(theirs.info["icc_profile"]))
                self.assertIn("srgb", ImageCms.getProfileDescription(profile).lower())
                self.assertAlmostEqual(theirs.info["dpi"][0], 300, delta=0.5)
        # Full chroma resolution: a one pixel red line keeps its colour.
        line = np.full((32, 32, 3), 255, np.uint8)
        line[:, 15] = (255, 0, 0)
        back = np.asarray(Image.open(io.BytesIO(encode_picture(line, "jpeg", quality=95))))
        self.assertLess(int(back[16, 15, 1]), 40)
