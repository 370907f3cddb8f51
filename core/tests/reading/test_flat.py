"""Flat pictures of every kind, turned upright and in sRGB, with pages and frames as layers.

Sources: TIFF 6.0 and EXIF 2.32 for the orientation tag; ICC.1 for the layout of a profile's tag table. Files are made by Pillow
and OpenCV, and exact kinds must come back exactly.
"""

import io
import struct
from pathlib import Path
from typing import Any
from unittest import mock

import cv2
import numpy as np
from PIL import Image, ImageCms
from PIL.PngImagePlugin import PngImageFile, PngInfo

from tests.packages import FolderTestCase
from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import BrokenFile, TooLarge
from yuplet.geometry import Box, Size
from yuplet.handover import hand_over_file
from yuplet.illustration.credit import Credit
from yuplet.illustration.layers import Illustration, LayerGroup, ReadingReport
from yuplet.pixels.compositing import PictureNode, compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration

RED, GREEN, BLUE, WHITE = (230, 20, 20), (20, 200, 20), (30, 30, 220), (240, 240, 240)


def corners(width: int = 40, height: int = 24) -> Image.Image:
    """A picture whose quarters differ: red, green / blue, white."""
    image = Image.new("RGB", (width, height), WHITE)
    for at, colour in (((0, 0), RED), ((width // 2, 0), GREEN), ((0, height // 2), BLUE)):
        image.paste(colour, (*at, at[0] + width // 2, at[1] + height // 2))
    return image


def swapped_profile() -> bytes:
    """A profile like sRGB, but with red and green lights exchanged, and a name of its own."""
    data = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    data = data.replace("sRGB".encode("utf-16-be"), "swap".encode("utf-16-be"))
    (count,) = struct.unpack(">I", data[128:132])
    table = bytearray(data)
    for at in range(132, 132 + 12 * count, 12):
        name = bytes(table[at : at + 4])
        table[at : at + 4] = {b"rXYZ": b"gXYZ", b"gXYZ": b"rXYZ"}.get(name, name)
    return bytes(table)


class FlatTestCase(FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.scratch = SpillFile()
        self.addCleanup(self.scratch.__exit__)

    def save(self, image: Image.Image, name: str, **options: Any) -> Path:
        image.save(self.folder / name, **options)
        return self.folder / name

    def read(self, path: Path) -> tuple[Illustration, ReadingReport]:
        return read_illustration(path, self.scratch)

    def said(self, report: ReadingReport) -> str:
        return " ".join(note.sentence for note in report.notes)


class KindTests(FlatTestCase):
    def test_exact_kinds_come_back_exactly(self) -> None:
        rng = np.random.default_rng(4)
        picture = rng.integers(0, 256, (13, 17, 4)).astype(np.uint8)
        picture[0, 0] = picture[-1, -1] = 255
        kinds: dict[str, dict[str, Any]] = {
            "a.png": {}, "a.tif": {"compression": "tiff_lzw"}, "b.tif": {}, "a.webp": {"lossless": True, "exact": True},
        }  # fmt: skip
        for name, options in kinds.items():
            with self.subTest(name):
                self.read(self.save(Image.fromarray(picture, "RGBA"), name, **options))
                np.testing.assert_array_equal(self.scratch.whole("l1"), picture)

    def test_lossy_kinds_are_near(self) -> None:
        for name in ("a.jpg", "a.avif", "a.webp"):
            with self.subTest(name):
                found, _ = self.read(self.save(corners(), name, quality=95))
                self.assertEqual((found.canvas, found.name), (Size(40, 24), "a"))
                pixels = self.scratch.whole("l1").astype(int)
                for (x, y), wanted in {(8, 5): RED, (32, 5): GREEN, (8, 18): BLUE, (32, 18): WHITE}.items():
                    self.assertLess(np.abs(pixels[y, x, :3] - wanted).max(), 14, (name, x, y))

    def test_a_kind_is_told_by_its_bytes_and_not_by_its_name(self) -> None:
        path = self.save(corners(), "hat.jpg", quality=95).rename(self.folder / "hat.png")
        found, _ = self.read(path)
        self.assertEqual(found.canvas, Size(40, 24))

    def test_palette_grey_and_one_bit(self) -> None:
        for mode in ("P", "L", "LA", "1"):
            for ending in ("png", "tif", "gif"):
                if (mode, ending) == ("LA", "gif"):
                    continue
                image = corners().convert("L").convert(mode) if mode != "P" else corners().quantize(4)
                path = self.save(image, f"a.{ending}")
                with self.subTest((mode, ending)):
                    self.read(path)
                    with Image.open(path) as other:
                        np.testing.assert_array_equal(self.scratch.whole("l1"), np.array(other.convert("RGBA")))

    def test_sixteen_bits_are_rounded_to_the_nearest(self) -> None:
        values = np.array([[0, 128, 129, 32896, 65406, 65407, 65535]], np.uint16)
        wanted = [round(int(value) * 255 / 65535) for value in values[0]]
        cv2.imwrite(str(self.folder / "grey.tif"), values)
        found, report = self.read(self.folder / "grey.tif")
        self.assertEqual(self.scratch.whole("l1")[0, :, 0].tolist(), wanted)
        self.assertEqual(found.bit_depth, 16)
        self.assertIn("are kept; what is handed over has 8", self.said(report))

    def test_resolution(self) -> None:
        for name in ("a.png", "a.jpg", "a.tif"):
            found, _ = self.read(self.save(corners(), name, dpi=(300, 300)))
            self.assertAlmostEqual(found.ppi or 0, 300, 1, name)


class UprightTests(FlatTestCase):
    def test_the_eight_orientations(self) -> None:
        """Value of the tag: where the first row and the first column of the stored picture are, seen upright."""
        upright = corners(48, 32)
        stored = {
            1: upright, 2: upright.transpose(Image.Transpose.FLIP_LEFT_RIGHT), 3: upright.transpose(Image.Transpose.ROTATE_180),
            4: upright.transpose(Image.Transpose.FLIP_TOP_BOTTOM), 5: upright.transpose(Image.Transpose.TRANSPOSE),
            6: upright.transpose(Image.Transpose.ROTATE_90), 7: upright.transpose(Image.Transpose.TRANSVERSE),
            8: upright.transpose(Image.Transpose.ROTATE_270),
        }  # fmt: skip
        for value, image in stored.items():
            exif = Image.Exif()
            exif[0x0112] = value
            for name in ("a.jpg", "a.png", "a.webp"):
                options = {"quality": 95} if name != "a.png" else {}
                with self.subTest((value, name)):
                    found, report = self.read(self.save(image, name, exif=exif, **options))
                    self.assertEqual(found.canvas, Size(48, 32))
                    pixels = self.scratch.whole("l1").astype(int)
                    for (x, y), wanted in {(10, 7): RED, (38, 7): GREEN, (10, 24): BLUE}.items():
                        self.assertLess(np.abs(pixels[y, x, :3] - wanted).max(), 20)
                    self.assertEqual("turned upright" in self.said(report), value != 1)


class ColourTests(FlatTestCase):
    def test_a_profile_is_applied_and_said(self) -> None:
        for name in ("a.png", "a.jpg", "a.tif", "a.webp"):
            options: dict[str, Any] = {"quality": 95} if name in ("a.jpg", "a.webp") else {}
            with self.subTest(name):
                found, report = self.read(
                    self.save(Image.new("RGB", (8, 8), (255, 0, 0)), name, icc_profile=swapped_profile(), **options)
                )
                red, green, blue, alpha = (int(value) for value in self.scratch.whole("l1")[4, 4])
                self.assertTrue(red < 12 and green > 243 and blue < 12 and alpha == 255, (red, green, blue))
                self.assertIn("swap", found.colour_space)
                self.assertRegex(self.said(report), "converted from '.*swap.*' to sRGB")

    def test_alpha_is_not_touched_by_a_profile(self) -> None:
        picture = np.zeros((1, 256, 4), np.uint8)
        picture[0, :, 0], picture[0, :, 3] = 255, np.arange(256)
        self.read(self.save(Image.fromarray(picture, "RGBA"), "a.png", icc_profile=swapped_profile()))
        self.assertEqual(self.scratch.whole("l1")[0, :, 3].tolist(), list(range(1, 256)))

    def test_srgb_itself_changes_nothing(self) -> None:
        profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        found, report = self.read(self.save(corners(), "a.png", icc_profile=profile))
        np.testing.assert_array_equal(self.scratch.whole("l1")[..., :3], np.array(corners()))
        self.assertNotIn("converted", self.said(report))

    def test_a_profile_that_is_damaged_is_said(self) -> None:
        found, report = self.read(self.save(corners(), "a.png", icc_profile=b"nonsense" * 40))
        self.assertEqual(found.canvas, Size(40, 24))
        self.assertIn("does not fit the picture", self.said(report))

    def test_colours_for_print(self) -> None:
        image = Image.new("CMYK", (8, 8), (0, 255, 255, 0))
        for name in ("a.jpg", "a.tif"):
            found, report = self.read(self.save(image, name))
            red, green, blue, _ = (int(value) for value in self.scratch.whole("l1")[4, 4])
            self.assertTrue(red > 240 and green < 15 and blue < 15, (red, green, blue))
            self.assertEqual(found.colour_space, "CMYK")
            self.assertIn("print (CMYK)", self.said(report))


class SeveralTests(FlatTestCase):
    def test_pages_are_layers_and_all_are_seen(self) -> None:
        pages = [corners(20, 10), Image.new("RGB", (30, 6), BLUE)]
        found, report = self.read(self.save(pages[0], "a.tif", save_all=True, append_images=pages[1:]))
        self.assertEqual(
            [(node.name, node.visible, node.box) for node in found.leaves()],
            [("page 1", True, Box(0, 0, 20, 10)), ("page 2", True, Box(0, 0, 30, 6))],
        )
        self.assertEqual(found.canvas, Size(30, 10))
        self.assertIn("2 pages", self.said(report))

    def test_frames_are_one_animation_and_the_first_is_seen(self) -> None:
        frames = [Image.new("RGBA", (12, 8), (*colour, 255)) for colour in (RED, GREEN, BLUE)]
        for name, options in {"a.gif": {}, "a.webp": {"lossless": True}, "a.png": {}}.items():
            with self.subTest(name):
                path = self.save(
                    frames[0],
                    name,
                    save_all=True,
                    append_images=frames[1:],
                    duration=[100, 200, 300],
                    loop=0,
                    **options,
                )
                found, report = self.read(path)
                self.assertEqual(
                    [(node.name, node.visible) for node in found.leaves()],
                    [("frame 1", True), ("frame 2", False), ("frame 3", False)],
                )
                (group,) = found.layers
                assert isinstance(group, LayerGroup)
                self.assertEqual((group.are_frames, group.loops, group.name), (True, 0, "a"))
                self.assertEqual([node.milliseconds for node in found.leaves()], [100, 200, 300])
                (part,) = (part for _, part in arrangement_of(found)[0].parts())
                self.assertEqual([frame.milliseconds for frame in part.frames], [100, 200, 300])
                for number, colour in enumerate((RED, GREEN, BLUE), 1):
                    self.assertLess(np.abs(self.scratch.whole(f"l{number}")[3, 3, :3].astype(int) - colour).max(), 2)
                self.assertIn("3 frames", self.said(report))

    def test_how_often_frames_are_played(self) -> None:
        frames = [Image.new("RGB", (12, 8), colour) for colour in (RED, GREEN)]
        cases: list[tuple[str, dict[str, Any], int, str]] = [
            ("once.gif", {}, 1, "played once"),
            ("thrice.gif", {"loop": 2}, 3, "played 3 times"),
            ("on.gif", {"loop": 0}, 0, "played without end"),
            ("four.png", {"loop": 4}, 4, "played 4 times"),
            ("four.webp", {"loop": 4}, 4, "played 4 times"),
        ]
        for name, options, loops, words in cases:
            with self.subTest(name):
                path = self.save(frames[0], name, save_all=True, append_images=frames[1:], duration=80, **options)
                found, report = self.read(path)
                self.assertEqual([node.loops for _, node in found.walk() if isinstance(node, LayerGroup)], [loops])
                self.assertIn(words, self.said(report))

    def test_a_still_picture_beside_the_animation(self) -> None:
        """PNG, third edition, 11.3.6: a default image that has no frame control chunk is no frame."""
        path = self.save(
            Image.new("RGB", (9, 9), WHITE), "a.png", save_all=True, default_image=True,
            append_images=[Image.new("RGB", (9, 9), colour) for colour in (RED, BLUE)], duration=[50, 70],
        )  # fmt: skip
        found, report = self.read(path)
        still, group = found.layers
        assert isinstance(group, LayerGroup)
        self.assertEqual((still.name, still.visible), ("still picture", False))
        self.assertEqual(
            [(node.name, node.visible, getattr(node, "milliseconds", 0)) for node in group.members],
            [("frame 1", True, 50), ("frame 2", False, 70)],
        )
        self.assertEqual(report.counts["frames"], 2)


class DeepTests(FlatTestCase):
    """16 bits a channel: the pixels are those that OpenCV and Pillow-free readers give, and composites are made of them."""

    def deep(self, channels: int) -> np.ndarray:
        rng = np.random.default_rng(channels)
        picture = rng.integers(0, 65536, (11, 13, channels), dtype=np.uint16)
        if channels == 4:
            picture[..., 3] = np.maximum(picture[..., 3], 700)
        return picture

    def test_they_are_kept_beside_the_8_that_are_written(self) -> None:
        for name, channels in (("a.png", 4), ("b.png", 3), ("a.tif", 3), ("b.tif", 4)):
            with self.subTest(name):
                picture = self.deep(channels)
                cv2.imwrite(str(self.folder / name), picture)
                found, report = self.read(self.folder / name)
                self.assertEqual(found.bit_depth, 16)
                self.assertIn("are kept; what is handed over has 8", self.said(report))
                deep = self.scratch.deep_rows("l1", 0, 11)
                assert deep is not None
                np.testing.assert_array_equal(deep[..., :3], picture[..., 2::-1])
                rounded = np.round(deep.astype(float) * 255 / 65535)
                np.testing.assert_array_equal(self.scratch.whole("l1"), rounded)

    def test_composites_are_made_of_them(self) -> None:
        under, over = (np.full((4, 4, 4), (30_000, 200, 65_000, alpha), np.uint16) for alpha in (65_535, 20_000))
        over[..., 0] = 129
        for key, picture in (("under", under), ("over", over)):
            self.scratch.put(key, (picture // 257).astype(np.uint8))
            self.scratch.put_deep(key, picture)
        box = Box(0, 0, 4, 4)
        found = compose([PictureNode("under", box), PictureNode("over", box)], box.size, self.scratch)
        # Porter and Duff's over, with the exact numbers: colour = over * a + under * (1 - a).
        share = 20_000 / 65_535
        wanted = [
            round((o * share + u * (1 - share)) / 257)
            for o, u in zip(over[0, 0, :3].tolist(), under[0, 0, :3].tolist(), strict=True)
        ]
        self.assertEqual(found[2, 2].tolist(), [*wanted, 255])

    def test_a_hand_over_of_them_is_proved(self) -> None:
        cv2.imwrite(str(self.folder / "a.png"), self.deep(4))
        report, _, _ = hand_over_file(self.folder / "a.png", self.folder / "out", lambda *_: None)
        self.assertTrue(report.proof.ok, report.proof)


class CreditTests(FlatTestCase):
    """Keywords of PNG, third edition, 11.3.3.1; tags of Exif 2.32, 4.6.4; XMP as ISO 16684-1 writes it."""

    def test_texts_of_a_png(self) -> None:
        texts = PngInfo()
        for name, text in {
            "Author": "Ines Marsh",
            "Title": "Lamp",
            "Copyright": "CC0-1.0",
            "Source": "Camera 5",
        }.items():
            texts.add_text(name, text)
        found, _ = self.read(self.save(corners(), "a.png", pnginfo=texts))
        self.assertEqual(found.credit, Credit("Ines Marsh", "Lamp", "", "CC0-1.0", False))

    def test_words_behind_the_pixels_of_a_png_are_found_and_no_pixel_is_decoded_for_them(self) -> None:
        """Texts and Exif may stand anywhere between the head and the end (PNG, third edition, 5.6)."""
        tags = Image.Exif()
        tags[0x0112], tags[0x013B] = 3, "Ines Marsh"
        plain = self.save(corners(48, 32), "a.png").read_bytes()
        said = self.save(corners(48, 32), "b.png", exif=tags).read_bytes()
        at = said.index(b"eXIf") - 4
        chunk = said[at : at + 12 + int.from_bytes(said[at : at + 4], "big")]
        (self.folder / "c.png").write_bytes(plain[:-12] + chunk + plain[-12:])
        decoded: list[tuple[int, int]] = []
        load = PngImageFile.load

        def noted(image: PngImageFile) -> Any:
            decoded.append(image.size)
            return load(image)

        with mock.patch.object(PngImageFile, "load", noted):
            found, report = self.read(self.folder / "c.png")
        self.assertEqual(set(decoded), {(1, 1)})
        self.assertEqual(found.credit, Credit("Ines Marsh"))
        self.assertIn("turned upright", self.said(report))
        np.testing.assert_allclose(self.scratch.whole("l1")[24, 38, :3], RED, atol=2)

    def test_exif_of_a_jpeg(self) -> None:
        tags = Image.Exif()
        tags[0x013B], tags[0x8298], tags[0x010E] = "Ines Marsh", "Marsh Line, all rights reserved", "A lamp\nat night"
        found, _ = self.read(self.save(corners(), "a.jpg", exif=tags))
        self.assertEqual(
            found.credit, Credit("Ines Marsh", licence="Marsh Line, all rights reserved", note="A lamp at night")
        )

    def test_xmp_comes_before_exif(self) -> None:
        packet = b"""<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
        <rdf:Description xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:r="https://marsh-line.example/xap/1.0/rights/"
          r:WebStatement="https://creativecommons.org/licenses/by-sa/4.0/">
        <dc:creator><rdf:Seq><rdf:li>Ines Marsh</rdf:li><rdf:li>Odo Reed</rdf:li></rdf:Seq></dc:creator>
        <dc:title><rdf:Alt><rdf:li xml:lang="x-default">Lamp</rdf:li></rdf:Alt></dc:title>
        </rdf:Description></rdf:RDF>"""
        tags = Image.Exif()
        tags[0x013B] = "Somebody else"
        for name in ("a.jpg", "a.webp"):
            with self.subTest(name):
                found, _ = self.read(self.save(corners(), name, xmp=packet, exif=tags))
                self.assertEqual(found.credit, Credit("Ines Marsh, Odo Reed", "Lamp", "", "CC-BY-SA-4.0", True))

    def test_broken_metadata_is_no_reason_to_refuse_a_picture(self) -> None:
        for packet in (b"<x:xmpmeta", b"\0\1\2", b"<a>&b;</a>"):
            with self.subTest(packet):
                found, _ = self.read(self.save(corners(), "a.webp", xmp=packet))
                self.assertEqual(found.credit, Credit())


class DamageTests(FlatTestCase):
    def test_files_that_are_cut_off(self) -> None:
        for name in ("a.jpg", "a.webp", "a.tif", "a.gif", "a.png", "a.avif"):
            data = self.save(corners(200, 160), name).read_bytes()
            path = self.folder / f"cut {name}"
            for share in (0.1, 0.5, 0.9):
                path.write_bytes(data[: max(24, int(len(data) * share))])
                with self.subTest((name, share)), self.assertRaisesRegex(BrokenFile, f"'cut {name}'.*Save it again"):
                    self.read(path)

    def test_a_size_that_is_too_much_is_refused_before_it_is_decoded(self) -> None:
        out = io.BytesIO()
        Image.new("P", (4, 4)).save(out, "GIF")
        data = bytearray(out.getvalue())
        data[6:10] = struct.pack("<HH", 65535, 65535)
        (self.folder / "huge.gif").write_bytes(data)
        with self.assertRaisesRegex(TooLarge, "'huge.gif' is 65535 x 65535 px"):
            self.read(self.folder / "huge.gif")

    def test_a_second_page_that_is_too_much_is_refused_too(self) -> None:
        path = self.save(corners(20, 10), "a.tif", save_all=True, append_images=[corners(30, 12)])
        data = bytearray(path.read_bytes())
        # The width and height of the second page, as the tags 256 and 257 of its directory hold them (TIFF 6.0, section 2).
        (first,) = struct.unpack("<I", data[4:8])
        (count,) = struct.unpack("<H", data[first : first + 2])
        (second,) = struct.unpack("<I", data[first + 2 + 12 * count : first + 6 + 12 * count])
        for at in range(second + 2, second + 2 + 24, 12):
            self.assertIn(struct.unpack("<H", data[at : at + 2])[0], (256, 257))
            data[at + 2 : at + 12] = struct.pack("<HII", 4, 1, 90_000)
        path.write_bytes(data)
        with self.assertRaisesRegex(TooLarge, "90000 x 90000 px"):
            self.read(path)
