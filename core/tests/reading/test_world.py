"""Files that others made (core/tests/golden/world, with their licences): read as others read them.

APNG: the files of Pillow's own tests, whose last frame is green where it was put together rightly, and OpenCV's
reader beside ours for every frame. SVG: open picture sets, laid together again against the document drawn in one go
(tests/test_pile.py has Chromium beside it).
"""

import unittest
from pathlib import Path

import cv2
import numpy as np

from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import BrokenFile
from yuplet.illustration.layers import Illustration, LayerGroup
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading import colour
from yuplet.reading.files import compare_with_merged, read_illustration

WORLD = Path(__file__).parents[1] / "golden" / "world"
GREEN, CLEAR, BLUE = (0, 255, 0, 255), (0, 0, 0, 0), (0, 0, 255, 255)
# The last frame at two places, as Pillow 13's Tests/test_file_apng.py says it.
AT_LAST = {
    "blend_op_over": (GREEN, GREEN),
    "blend_op_source_transparent": (CLEAR, CLEAR),
    "dispose_op_background": (CLEAR, CLEAR),
    "dispose_op_background_region": (BLUE, CLEAR),
    "dispose_op_none_region": (GREEN, GREEN),
    "dispose_op_previous": (GREEN, GREEN),
    "dispose_op_previous_first": (CLEAR, CLEAR),
    "dispose_op_previous_region": (GREEN, GREEN),
    "split_fdat": (GREEN, GREEN),
    "single_frame_default": (GREEN, GREEN),
}
DAMAGED = {"sequence_gap", "chunk_no_fctl"}


class ApngTests(unittest.TestCase):
    def read(self, path: Path) -> tuple[Illustration, list[Picture], list[int | None]]:
        with SpillFile() as scratch:
            found, _ = read_illustration(path, scratch)
            (group,) = (node for node in found.layers if isinstance(node, LayerGroup))
            pictures = []
            for layer in group.members:
                picture = np.zeros((found.canvas.height, found.canvas.width, 4), np.uint8)
                if layer.box is not None:
                    picture[layer.box.top : layer.box.bottom, layer.box.left : layer.box.right] = scratch.whole(
                        layer.id
                    )
                pictures.append(picture)
            return found, pictures, [getattr(layer, "milliseconds", None) for layer in group.members]

    def test_frames_and_durations(self) -> None:
        paths = [path for path in sorted((WORLD / "apng").glob("*.png")) if path.stem not in DAMAGED]
        self.assertGreater(len(paths), 12)
        for path in paths:
            with self.subTest(path.stem):
                _, pictures, milliseconds = self.read(path)
                # The two places at which Pillow's own tests look.
                if path.stem in AT_LAST:
                    seen_at = [tuple(map(int, pictures[-1][y, x])) for x, y in ((0, 0), (64, 32))]
                    self.assertEqual(tuple(seen_at), AT_LAST[path.stem])
                _, theirs = cv2.imreadanimation(str(path))
                if len(theirs.frames) != len(pictures):
                    continue  # it counts a still picture beside the animation as a frame
                self.assertEqual(milliseconds, [int(each) for each in theirs.durations])
                if len(pictures) == 1:
                    continue
                for ours, other in zip(pictures, theirs.frames, strict=True):
                    converted = cv2.cvtColor(other, cv2.COLOR_BGRA2RGBA)
                    np.testing.assert_array_equal(ours[..., 3], converted[..., 3])
                    seen = ours[..., 3] > 0
                    np.testing.assert_array_equal(ours[seen], converted[seen])

    def test_damaged_ones_are_refused_with_a_sentence(self) -> None:
        for name in sorted(DAMAGED):
            with (
                self.subTest(name),
                self.assertRaisesRegex(BrokenFile, f"'{name}.png' is damaged"),
                SpillFile() as scratch,
            ):
                read_illustration(WORLD / "apng" / f"{name}.png", scratch)


class ProfileTests(unittest.TestCase):
    """Profiles of the ICC and a damaged one, from Pillow's tests (tests/test_pile.py has Chromium beside ours)."""

    def test_what_a_profile_does_decides_and_not_its_name(self) -> None:
        changing = {}
        for path in sorted((WORLD / "icc").glob("*.icc")):
            changing[path.stem] = not colour.is_srgb(path.read_bytes())
        self.assertEqual(
            changing,
            {"sGrey-v2-nano": True, "sRGB_IEC61966-2-1_black_scaled": False, "sRGB_v4_ICC_preference": True},
        )

    def test_a_profile_that_cannot_be_read_is_told(self) -> None:
        with SpillFile() as scratch:
            _, report = read_illustration(WORLD / "icc" / "icc-after-SOF.jpg", scratch)
        self.assertIn("profile that cannot be read", " ".join(note.sentence for note in report.notes))


class PictureSetTests(unittest.TestCase):
    def test_every_shape_is_found_and_they_give_back_the_picture(self) -> None:
        paths = sorted(WORLD.glob("*/*.svg"))
        self.assertGreaterEqual(len(paths), 10)
        for path in paths:
            with self.subTest(path.stem), SpillFile() as scratch:
                found, report = read_illustration(path, scratch)
                self.assertEqual([note for note in report.notes if note.kind == "not understood"], [])
                parts = list(arrangement_of(found)[0].parts())
                self.assertEqual(len(parts), report.counts["vector"])
                result = compare_with_merged(path, found, scratch)
                assert result is not None
                # Edges of a shape that is drawn as a cut of the canvas may be smoothed a step otherwise.
                self.assertLess(result.differing / result.pixels, 0.05)
                self.assertLessEqual(result.largest, 64)
