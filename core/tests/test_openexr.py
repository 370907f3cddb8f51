"""Parts in one OpenEXR file, in and out: proved by our own rehearsal, and read and written by OpenImageIO, which is none of ours.

Sources: IEC 61966-2-1 (transfer function; its values here are computed from the formula of the standard), OpenEXR's technical introduction (windows, associated
alpha, layers by dots), OpenImageIO (Academy Software Foundation).
"""

import json
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import OpenEXR
import OpenImageIO as oiio

from tests.packages import FolderTestCase, PackageTestCase, quiet
from tests.test_recipes import recipe
from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import BrokenFile, PlanError, TooLarge, YupletError
from yuplet.handover import hand_over_file
from yuplet.illustration.layers import Illustration, LayerGroup, ReadingReport
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import holds_picture, read_illustration
from yuplet.rehearsal import openexr as receiving
from yuplet.writing.openexr import linear_light


def subimages(path: Path) -> list[tuple[Any, np.ndarray]]:
    """Each part as the other reader has it: its description, and its values in float."""
    found, number = [], 0
    file = oiio.ImageInput.open(str(path))
    assert file is not None, oiio.geterror()
    while file.seek_subimage(number, 0):
        spec = file.spec()
        found.append((spec, np.asarray(file.read_image(number, 0, 0, spec.nchannels, oiio.FLOAT))))
        number += 1
    file.close()
    return found


class HandedOverTests(PackageTestCase):
    def by(self, **said: Any) -> Any:
        plain = arrangement_of(self.illustration)[0]
        return self.hand_over(plain, recipe=recipe(beside={"openexr": True}, **said), remove_obsolete=True)

    def test_the_picture_comes_back_from_the_file_alone_with_modes_and_groups(self) -> None:
        report = self.by()
        ways = {one.way: one.differing_pixels for one in report.proof.comparisons}
        self.assertEqual(ways, {"places": 0, "openexr": 0})
        self.assertTrue(report.proof.ok)
        self.assertEqual(self.by().kept.count("parts.exr"), 1, "what has not changed is not written again")

    def test_a_planted_fault_is_found(self) -> None:
        self.by()
        path = self.package / "parts.exr"
        good = path.read_bytes()

        def moved(part: Any) -> Any:
            window = tuple(np.array(corner + 1, np.int32) for corner in part.header["dataWindow"])
            return OpenEXR.Part({**part.header, "dataWindow": window}, {"RGBA": part.channels["RGBA"].pixels})

        def darker(part: Any) -> Any:
            return OpenEXR.Part(part.header, {"RGBA": part.channels["RGBA"].pixels * np.float16(0.5)})

        for change in (moved, darker):
            with self.subTest(change.__name__), OpenEXR.File(str(path)) as file:
                parts = [change(part) if part.header["name"].endswith("mast") else part for part in file.parts]
                with OpenEXR.File(parts) as other:
                    other.write(str(self.folder / "changed.exr"))
                (self.folder / "changed.exr").replace(path)
                self.assertEqual([one.way for one in self.prove().comparisons if not one.ok], ["openexr"])
                path.write_bytes(good)
        path.write_bytes(good[: len(good) // 2])
        self.assertFalse(self.prove().ok)

    def test_more_than_the_library_should_take_at_once_is_refused_on_both_sides(self) -> None:
        with mock.patch("yuplet.plan.notes.MAX_OPENEXR", 100), self.assertRaisesRegex(PlanError, "million pixels"):
            self.by()
        self.by()
        with mock.patch.object(receiving, "MAX_PIXELS", 100):
            self.assertIn("more than 0 million pixels", " ".join(self.prove().faults))

    def test_another_reader_finds_names_windows_and_values(self) -> None:
        self.by()
        manifest = self.manifest()
        found = subimages(self.package / "parts.exr")
        self.assertEqual([spec["name"] for spec, _ in found], [".".join(part["path"]) for part in manifest["parts"]])
        for (spec, values), part in zip(found, manifest["parts"], strict=True):
            with self.subTest(part["name"]):
                self.assertEqual((spec.x, spec.y, spec.width, spec.height), tuple(part["box"].values()))
                self.assertEqual((spec.full_x, spec.full_y, spec.full_width, spec.full_height), (0, 0, 97, 73))
                self.assertEqual((list(spec.channelnames), str(spec.format)), (["R", "G", "B", "A"], "half"))
                image = self.pixels(part["file"]) / 255
                light = np.where(image <= 0.04045, image / 12.92, ((image + 0.055) / 1.055) ** 2.4)
                wanted = np.dstack([light[..., :3] * image[..., 3:], image[..., 3]])
                np.testing.assert_allclose(values, wanted, rtol=1 / 1024, atol=1e-6)
        told = json.loads(found[0][0]["yuplet"])
        self.assertEqual(told["tree"], manifest["tree"])
        self.assertEqual([one["parent"] for one in told["parts"]], [part["parent"] for part in manifest["parts"]])

    def test_what_was_written_is_brought_in_again_to_the_pixel(self) -> None:
        self.by()
        with SpillFile() as scratch:
            found, report = read_illustration(self.package / "parts.exr", scratch)
            self.assertEqual((found.canvas, found.name), (self.illustration.canvas, "parts"))
            before = {path: node for path, node in self.illustration.walk() if node.box is not None}
            after = dict(found.walk())
            self.assertEqual(set(after), set(before))
            for path, node in before.items():
                other = after[path]
                with self.subTest(path):
                    self.assertEqual((other.opacity, other.blend), (node.opacity, node.blend))
                    self.assertEqual(other.box, node.box)
                    if not isinstance(node, LayerGroup):
                        self.assertEqual(other.visible, node.visible)
                        np.testing.assert_array_equal(scratch.whole(other.id), self.scratch.whole(node.id))
            self.assertEqual(report.counts["layers"], 9)

    def test_every_colour_and_alpha_of_8_bits_comes_back_from_half_precision(self) -> None:
        values, alphas = np.meshgrid(np.arange(256), np.arange(256))
        picture = np.dstack([values, values, values, alphas]).astype(np.uint8)
        picture[alphas == 0] = 0
        found = receiving._straight(linear_light(picture, 255, np.float16))
        np.testing.assert_array_equal(np.floor(found * 255 + 0.5), picture)


class DeepTests(FolderTestCase):
    def test_sixteen_bits_lose_nothing(self) -> None:
        chance = np.random.default_rng(2)
        deep = chance.integers(0, 65536, (40, 60, 4), np.uint16)
        deep[..., 3] = chance.choice([0, 1, 300, 40_000, 65535], (40, 60))
        deep[deep[..., 3] == 0] = 0
        deep[0, 0] = deep[-1, -1] = 65535
        source, target = self.folder / "deep.png", self.folder / "out"
        source.write_bytes(png_of(deep))
        report, _, _ = hand_over_file(source, target, quiet, recipe=recipe(beside={"openexr": True}))
        self.assertTrue(report.proof.ok, report.proof)
        ((spec, values),) = subimages(target / "parts.exr")
        self.assertEqual(str(spec.format), "float")
        alpha = values[..., 3:].astype(float)
        light = np.divide(values[..., :3], alpha, out=np.zeros((40, 60, 3)), where=alpha > 0)
        encoded = np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)
        np.testing.assert_array_equal(np.rint(np.dstack([encoded, alpha]) * 65535), deep)
        with SpillFile() as scratch:
            found, _ = read_illustration(target / "parts.exr", scratch)
            (layer,) = found.leaves()
            again = scratch.deep_rows(layer.id, 0, layer.box.height if layer.box else 0)
        assert again is not None and layer.box is not None
        box = layer.box
        np.testing.assert_array_equal(again, deep[box.top : box.bottom, box.left : box.right])


def png_of(deep: np.ndarray) -> bytes:
    """A PNG of 16 bits a channel, by a library of others."""
    import imagecodecs

    return bytes(imagecodecs.png_encode(deep))


class BroughtInTests(FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.file = self.folder / "shot.exr"

    def read(self) -> tuple[Illustration, ReadingReport, SpillFile]:
        scratch = self.enterContext(SpillFile())
        return *read_illustration(self.file, scratch), scratch

    def written(
        self, channels: dict[str, np.ndarray], window: tuple[int, int] = (0, 0), canvas: tuple[int, int] = (8, 6)
    ) -> None:
        """A file of one part by the other library; channels in the order in which they are given."""
        first = next(iter(channels.values()))
        spec = oiio.ImageSpec(first.shape[1], first.shape[0], len(channels), "half")
        spec.channelnames = tuple(channels)
        spec.x, spec.y = window
        spec.full_x, spec.full_y, spec.full_width, spec.full_height = 0, 0, *canvas
        out = oiio.ImageOutput.create(str(self.file))
        self.assertTrue(out.open(str(self.file), spec), out.geterror())
        out.write_image(np.dstack(list(channels.values())).astype(np.float32))
        out.close()

    def test_light_of_half_is_188_and_colour_is_divided_by_alpha(self) -> None:
        # 0.5 of linear light is 0.735357 in sRGB, 187.5 of 255 (IEC 61966-2-1).
        half, full = np.full((6, 8), 0.5), np.ones((6, 8))
        self.written({"R": half, "G": half * 0.5, "B": half * 0, "A": half})
        found, report, scratch = self.read()
        (layer,) = found.leaves()
        np.testing.assert_array_equal(scratch.whole(layer.id)[0, 0], [255, 188, 0, 128])
        self.assertEqual(report.counts["layers"], 1)
        self.written({"Y": half})
        found, _, scratch = self.read()
        np.testing.assert_array_equal(scratch.whole("e1")[0, 0], [188, 188, 188, 255])
        del full

    def test_layers_by_the_names_of_channels_in_groups(self) -> None:
        one = np.ones((6, 8))
        channels = {f"{layer}.{last}": one for layer in ("fg.arm", "fg.hand", "sky") for last in "RGBA"}
        self.written(channels)
        found, _, _ = self.read()
        self.assertEqual(
            sorted("/".join(path) for path, node in found.walk() if not isinstance(node, LayerGroup))[-1][-3:], "sky"
        )
        self.assertEqual({node.name for node in found.leaves()}, {"arm", "hand", "sky"})

    def test_what_reaches_beyond_and_what_is_no_number(self) -> None:
        light = np.full((6, 8), 0.25)
        light[0, 3], light[1, 3] = np.nan, 7.0
        self.written({"R": light, "G": light, "B": light, "A": np.ones((6, 8))}, (-2, 3))
        found, report, scratch = self.read()
        (layer,) = found.leaves()
        self.assertEqual(layer.box.as_xywh() if layer.box else None, [0, 3, 6, 3])
        self.assertEqual(scratch.whole(layer.id)[0, 1].tolist(), [0, 0, 0, 0])
        self.assertEqual(scratch.whole(layer.id)[1, 1].tolist(), [255, 255, 255, 255])
        said = " ".join(note.sentence for note in report.notes)
        for wanted in ("beyond the display window", "no numbers are empty", "brighter than white"):
            self.assertIn(wanted, said)

    def test_primaries_of_others_are_told(self) -> None:
        header = {"type": OpenEXR.scanlineimage, "compression": OpenEXR.ZIP_COMPRESSION,
                  "chromaticities": (0.708, 0.292, 0.17, 0.797, 0.131, 0.046, 0.3127, 0.329)}  # fmt: skip
        with OpenEXR.File(header, {"RGB": np.ones((6, 8, 3), np.float16)}) as file:
            file.write(str(self.file))
        self.assertIn("primaries", " ".join(note.sentence for note in self.read()[1].notes))

    def test_what_cannot_be_read_is_refused_with_a_sentence(self) -> None:
        self.written({"R": np.ones((6, 8)), "G": np.ones((6, 8)), "B": np.ones((6, 8))})
        self.assertTrue(holds_picture(self.file))
        good = self.file.read_bytes()
        chance = np.random.default_rng(4)
        for number in range(60):
            broken = bytearray(good[: len(good) - number * 3 % len(good)])
            for at in chance.integers(4, len(broken), 3):
                broken[at] = int(chance.integers(0, 256))
            self.file.write_bytes(bytes(broken))
            with self.subTest(number):
                try:
                    self.read()
                except YupletError as error:
                    self.assertRegex(str(error), "Save it|Yuplet takes up to")
        self.file.write_bytes(good[:20])
        with self.assertRaises(BrokenFile):
            self.read()
        large = good.replace(
            b"displayWindow\x00box2i\x00\x10\x00\x00\x00" + np.array([0, 0, 7, 5], "<i4").tobytes(),
            b"displayWindow\x00box2i\x00\x10\x00\x00\x00" + np.array([0, 0, 60_000, 60_000], "<i4").tobytes(),
        )
        self.assertNotEqual(large, good)
        self.file.write_bytes(large)
        with self.assertRaises(TooLarge):
            self.read()

    def test_an_attribute_of_nonsense_is_passed_over(self) -> None:
        for text in ("{", "[]", '{"format": "yuplet-openexr", "tree": 3, "parts": []}',
                     '{"format": "yuplet-openexr", "tree": [{"group": 5, "members": [{"part": []}, 7]}, {"part": "x"}], "parts": [{"id": "x"}, 4]}'):  # fmt: skip
            header = {
                "type": OpenEXR.scanlineimage,
                "compression": OpenEXR.ZIP_COMPRESSION,
                "yuplet": text,
                "name": "arm",
            }
            with OpenEXR.File([OpenEXR.Part(header, {"RGB": np.ones((6, 8, 3), np.float16)})]) as file:
                file.write(str(self.file))
            with self.subTest(text):
                self.assertEqual([node.name for node in self.read()[0].leaves()], ["arm"])
