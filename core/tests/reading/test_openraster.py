"""OpenRaster: what the specification allows is read, what is wrong is said, what is hostile is refused.

Source: the OpenRaster specification, https://www.openraster.org/. A second reader of what we write: the `pyora` package
(reading only; what it writes has entry names that the specification does not allow).
"""

import io
import warnings
import zipfile
from pathlib import Path

import numpy as np
import pyora
from PIL import Image

import signal_post
from tests.packages import FolderTestCase
from yuplet.errors import BrokenFile, NotAPicture, TooLarge, UnsafeFile, YupletError
from yuplet.geometry import Box, Size
from yuplet.illustration.interchange import BLEND_OF_OPERATOR, OPERATOR_OF_BLEND
from yuplet.illustration.layers import Illustration, LayerGroup, LayerNode, ReadingReport
from yuplet.pixels.blending import MODES
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import compare_with_merged, read_illustration
from yuplet.writing import openraster


def png_of(width: int, height: int, colour: tuple[int, ...], mode: str = "RGBA") -> bytes:
    out = io.BytesIO()
    Image.new(mode, (width, height), colour if mode != "L" else colour[0]).save(out, "PNG")
    return out.getvalue()


class OpenRasterTestCase(FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.scratch = SpillFile()
        self.addCleanup(self.scratch.__exit__)

    def archive(self, stack: str, *, mimetype: bool = True, **entries: bytes) -> Path:
        """An archive with a stack.xml and images; '__' in a name stands for '/'."""
        path = self.folder / "art.ora"
        with zipfile.ZipFile(path, "w") as archive:
            if mimetype:
                archive.writestr("mimetype", "image/openraster")
            archive.writestr("stack.xml", stack)
            for name, data in entries.items():
                archive.writestr(f"data/{name}.png", data)
        return path

    def read(self, path: Path) -> tuple[Illustration, ReadingReport]:
        return read_illustration(path, self.scratch)


class ReadingTests(OpenRasterTestCase):
    def test_layers_come_back_to_front_with_groups_and_offsets_added_up(self) -> None:
        stack = """<image w="40" h="30" xres="300" yres="300"><stack>
            <layer name="top" src="data/a.png" x="1" y="2"/>
            <stack name="limb" x="10" y="5" opacity="0.5" composite-op="svg:multiply" visibility="hidden">
              <layer name="hand" src="data/a.png" x="3" y="4" opacity="0.25" edit-locked="true"/>
              <layer name="arm" src="data/a.png"/>
            </stack>
            <layer name="ground" src="data/a.png"/>
        </stack></image>"""
        found, report = self.read(self.archive(stack, a=png_of(5, 4, (9, 9, 9, 255))))
        self.assertEqual((found.name, found.canvas, found.ppi), ("art", Size(40, 30), 300.0))
        paths = [path for path, _ in found.walk()]
        self.assertEqual(paths, [("ground",), ("limb",), ("limb", "arm"), ("limb", "hand"), ("top",)])
        limb = found.layers[1]
        assert isinstance(limb, LayerGroup)
        self.assertEqual((limb.opacity, limb.blend, limb.visible, limb.isolated), (0.5, "multiply", False, True))
        arm, hand = limb.members
        self.assertEqual((arm.box, hand.box), (Box(10, 5, 15, 9), Box(13, 9, 18, 13)))
        self.assertEqual((hand.opacity, hand.locked, arm.locked), (0.25, True, False))  # type: ignore[union-attr]
        self.assertEqual(report.notes, [])
        self.assertEqual(report.counts, {"layers": 4, "groups": 1, "hidden": 1, "empty": 0})

    def test_every_operator_of_the_specification(self) -> None:
        self.assertEqual(set(BLEND_OF_OPERATOR.values()), set(MODES))
        for operator, blend in BLEND_OF_OPERATOR.items():
            stack = f'<image w="4" h="4"><stack><layer src="data/a.png" composite-op="{operator}"/></stack></image>'
            found, report = self.read(self.archive(stack, a=png_of(4, 4, (1, 2, 3, 4))))
            self.assertEqual((found.layers[0].blend, report.notes), (blend, []))

    def test_a_layer_image_of_any_kind(self) -> None:
        picture = Image.new("RGB", (4, 4), (10, 20, 30))
        kinds = {
            "L": (80, 80, 80, 255), "RGB": (10, 20, 30, 255), "P": (10, 20, 30, 255), "LA": (80, 80, 80, 255),
            "1": (255, 255, 255, 255), "I;16": (128, 128, 128, 255),
        }  # fmt: skip
        for mode, wanted in kinds.items():
            if mode == "P":
                image = picture.quantize(4)
            elif mode == "I;16":
                image = Image.fromarray(np.full((4, 4), 32896, np.uint16))
            else:
                image = Image.new(mode, (4, 4), {"L": 80, "LA": (80, 255), "1": 1}.get(mode, (10, 20, 30)))
            out = io.BytesIO()
            image.save(out, "PNG")
            stack = '<image w="4" h="4"><stack><layer name="x" src="data/a.png"/></stack></image>'
            with self.subTest(mode):
                self.read(self.archive(stack, a=out.getvalue()))
                self.assertEqual(tuple(self.scratch.whole("l1")[0, 0]), wanted)

    def test_art_beyond_the_canvas_is_cut_and_said(self) -> None:
        stack = """<image w="10" h="10"><stack>
            <layer name="out" src="data/a.png" x="20" y="0"/><layer name="over" src="data/a.png" x="-3" y="7"/>
        </stack></image>"""
        found, report = self.read(self.archive(stack, a=png_of(5, 5, (9, 9, 9, 255))))
        over, out = found.layers
        self.assertEqual((over.box, out.box), (Box(0, 7, 2, 10), None))
        self.assertEqual({note.path for note in report.notes}, {("over",), ("out",)})
        self.assertEqual(self.scratch.whole("l2").shape, (3, 2, 4))

    def test_what_is_not_understood_is_reported_and_the_rest_is_read(self) -> None:
        stack = """<image w="10" h="10"><stack>
            <filter name="blur"/><layer name="gone" src="data/none.png"/>
            <layer name="odd" src="data/a.png" composite-op="svg:clear" opacity="7" x="two" sparkle="yes"/>
        </stack></image>"""
        found, report = self.read(self.archive(stack, mimetype=False, a=png_of(5, 5, (9, 9, 9, 255))))
        self.assertEqual([node.name for node in found.layers], ["odd", "gone"])
        self.assertEqual((found.layers[0].opacity, found.layers[0].blend), (1.0, "normal"))
        said = " ".join(note.sentence for note in report.notes)
        for word in ("<filter>", "data/none.png", "svg:clear", "opacity 7", "x='two'", "'sparkle'", "mimetype"):
            self.assertIn(word, said)

    def test_the_composite_is_compared_with_the_files_own_picture(self) -> None:
        path = self.folder / "post.ora"
        signal_post.write(path)
        found, _ = self.read(path)
        same = compare_with_merged(path, found, self.scratch)
        assert same is not None
        self.assertEqual((same.differing, same.pixels), (0, 97 * 73))
        other = self.folder / "other.ora"
        with zipfile.ZipFile(path) as source, zipfile.ZipFile(other, "w") as target:
            for entry in source.infolist():
                data = source.read(entry)
                if entry.filename == "mergedimage.png":
                    image = Image.open(io.BytesIO(data)).convert("RGBA")
                    red, green, blue, alpha = image.getpixel((5, 5))  # type: ignore[misc]
                    image.putpixel((5, 5), (red ^ 16, green, blue, alpha))
                    out = io.BytesIO()
                    image.save(out, "PNG")
                    data = out.getvalue()
                target.writestr(entry, data)
        differs = compare_with_merged(other, found, self.scratch)
        assert differs is not None
        self.assertEqual((differs.differing, differs.largest), (1, 16))
        self.assertIn("1 of 7,081 pixels", differs.sentence)


class WritingTests(OpenRasterTestCase):
    def test_what_we_write_we_read_again(self) -> None:
        path = self.folder / "signal post.ora"
        signal_post.write(path)
        with SpillFile() as source:
            wanted = signal_post.signal_post(source)
            found, report = self.read(path)
            self.assertEqual(report.notes, [])
            for (path_a, a), (path_b, b) in zip(wanted.walk(), found.walk(), strict=True):
                self.assertEqual(path_a, path_b)
                self.assertEqual(self.state(a), self.state(b))
            for a, b in zip(wanted.leaves(), found.leaves(), strict=True):
                if a.box is not None:
                    np.testing.assert_array_equal(source.whole(a.id), self.scratch.whole(b.id))

    def state(self, node: LayerNode) -> tuple[object, ...]:
        # Opacity or a mode isolates a group in any case; the file says so.
        isolated = isinstance(node, LayerGroup) and (node.isolated or node.opacity < 1 or node.blend != "normal")
        return (node.name, node.box, node.visible, node.opacity, node.blend, isolated)

    def test_another_reader_finds_the_same_layers(self) -> None:
        path = self.folder / "signal post.ora"
        signal_post.write(path)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            project = pyora.Project.load(str(path))
        self.assertEqual(project.dimensions, (97, 73))
        found, _ = self.read(path)
        ours = {path[-1]: node for path, node in found.walk()}
        theirs = {layer.name: layer for layer in project.iter_tree}
        self.assertEqual(set(ours), set(theirs) - {"", "root"})
        for name, node in ours.items():
            other = theirs[name]
            self.assertEqual((node.visible, node.opacity), (not other.hidden, other.opacity), name)
            self.assertEqual(OPERATOR_OF_BLEND[node.blend], other.composite_op, name)
            if not isinstance(node, LayerGroup) and node.box is not None:
                image = other.get_image_data(raw=True)
                self.assertEqual((*other.offsets, *image.size), tuple(node.box.as_xywh()), name)
                np.testing.assert_array_equal(np.array(image.convert("RGBA")), self.scratch.whole(node.id))

    def test_the_archive_is_laid_out_as_the_specification_asks(self) -> None:
        path = self.folder / "signal post.ora"
        signal_post.write(path)
        with zipfile.ZipFile(path) as archive:
            first = archive.infolist()[0]
            self.assertEqual((first.filename, first.compress_type), ("mimetype", zipfile.ZIP_STORED))
            self.assertEqual(archive.read("mimetype"), b"image/openraster")
            names = set(archive.namelist())
            self.assertLessEqual({"stack.xml", "mergedimage.png", "Thumbnails/thumbnail.png"}, names)
            thumbnail = Image.open(io.BytesIO(archive.read("Thumbnails/thumbnail.png")))
            self.assertLessEqual(max(thumbnail.size), 256)


class HostileTests(OpenRasterTestCase):
    STACK = '<image w="4" h="4"><stack><layer name="x" src="data/a.png"/></stack></image>'

    def refused(self, path: Path, kind: type[YupletError], words: str) -> None:
        with self.assertRaisesRegex(kind, words):
            self.read(path)

    def test_what_is_no_picture(self) -> None:
        path = self.folder / "notes.txt"
        path.write_text("hello")
        self.refused(path, NotAPicture, "'notes.txt' is not a picture that Yuplet reads")
        path.write_bytes(b"")
        self.refused(path, NotAPicture, "Save it as OpenRaster")

    def test_damaged_archives(self) -> None:
        good = self.archive(self.STACK, a=png_of(4, 4, (9, 9, 9, 255))).read_bytes()
        path = self.folder / "cut.ora"
        for length in (4, 60, len(good) // 2, len(good) - 10):
            path.write_bytes(good[:length])
            self.refused(path, BrokenFile, "damaged archive")

    def test_a_document_without_what_it_needs(self) -> None:
        cases = {
            "not well-formed": "<image",
            "begins with <html>": "<html/>",
            "has no list of layers": '<image w="4" h="4"/>',
            "gives the canvas w=": '<image w="-4" h="4"><stack/></image>',
            "gives the canvas h=": '<image w="4" h="9999999"><stack/></image>',
        }
        for words, stack in cases.items():
            with self.subTest(words):
                self.refused(self.archive(stack), BrokenFile, words)
        path = self.folder / "empty.ora"
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("mimetype", "image/openraster")
        self.refused(path, BrokenFile, "no stack.xml")

    def test_entities_and_outside_references(self) -> None:
        bomb = "".join(f'<!ENTITY a{i} "{f"&a{i - 1};" * 10 if i else "ha"}">' for i in range(12))
        for declared in (f"<!DOCTYPE image [{bomb}]>", '<!DOCTYPE image SYSTEM "http://127.0.0.1:9/x.dtd">'):
            self.refused(self.archive(declared + self.STACK.replace('"x"', '"&a11;"')), YupletError, "stack.xml")
        secret = '<!DOCTYPE image [<!ENTITY f SYSTEM "file:///etc/hostname">]>'
        self.refused(self.archive(secret + self.STACK.replace('"x"', '"y"')), UnsafeFile, "document type")

    def test_paths_that_leave_the_archive(self) -> None:
        for name in ("../up.png", "/etc/up.png", "data/../../up.png", "C:/up.png", "..\\up.png"):
            path = self.archive(self.STACK, a=png_of(4, 4, (9, 9, 9, 255)))
            with zipfile.ZipFile(path, "a") as archive:
                archive.writestr(name, b"")
            with self.subTest(name):
                self.refused(path, UnsafeFile, "leaves it")

    def test_limits(self) -> None:
        deep = "<stack>" * 70 + "</stack>" * 70
        self.refused(self.archive(f'<image w="4" h="4">{deep}</image>'), TooLarge, "nested more than 64 deep")
        many = "<layer/>" * 2001
        self.refused(self.archive(f'<image w="4" h="4"><stack>{many}</stack></image>'), TooLarge, "more than 2000")
        wide = '<image w="50000" h="50000"><stack/></image>'
        self.refused(self.archive(wide), TooLarge, "250 million pixels")
        image = png_of(4, 4, (9, 9, 9, 255))
        huge = image[:16] + (90_000).to_bytes(4, "big") * 2 + image[24:]
        self.refused(self.archive(self.STACK, a=huge), TooLarge, "layer 'x' is 90000 x 90000 px")

    def test_an_archive_that_unpacks_to_more_than_it_may(self) -> None:
        path = self.archive(self.STACK, a=png_of(4, 4, (9, 9, 9, 255)))
        data = bytearray(path.read_bytes())
        # The size that the directory of the archive claims for each entry: 24 bytes into its record.
        at = data.find(b"PK\x01\x02")
        while at >= 0:
            data[at + 24 : at + 28] = (0xFFFFFF00).to_bytes(4, "little")
            at = data.find(b"PK\x01\x02", at + 4)
        path.write_bytes(data)
        self.refused(path, TooLarge, "unpacks to")

    def test_a_damaged_layer_is_named(self) -> None:
        image = png_of(4, 4, (9, 9, 9, 255))
        self.refused(self.archive(self.STACK, a=image[:50]), BrokenFile, "'data/a.png' of layer 'x'")

    def test_stopping_reads_no_further(self) -> None:
        path = self.folder / "post.ora"
        signal_post.write(path)

        def stop(done: int, total: int) -> None:
            if done == 2:
                raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            read_illustration(path, self.scratch, stop)

    def test_writing_over_a_file_that_was_there(self) -> None:
        path = self.folder / "post.ora"
        path.write_text("old")
        with SpillFile() as scratch:
            openraster.write(path, signal_post.signal_post(scratch), scratch)
        self.read(path)
