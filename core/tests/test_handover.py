"""The whole way through: what is written, what is replaced, and that nothing half-made stays."""

import csv
import hashlib
import io
import json
import shutil
from dataclasses import replace
from pathlib import Path

import jsonschema
import numpy as np
from PIL import Image

import signal_post
from tests.packages import FolderTestCase, PackageTestCase, quiet
from yuplet.arrangement.commands import (
    IncludeParts,
    JoinRows,
    MakeAlternates,
    MoveRows,
    Place,
    RenameRows,
    ShowRows,
    apply,
)
from yuplet.arrangement.tree import Arrangement, arrangement_of
from yuplet.derivation.content import Content
from yuplet.derivation.turning import turned
from yuplet.errors import Cancelled, ChangedWhileRead, EditedSince, FolderNotOurs, NothingToHandOver
from yuplet.findings.doubles import TURNS
from yuplet.geometry import Box, Size
from yuplet.handover import hand_over, hand_over_file
from yuplet.illustration.derived import DerivedLayer, Turn, Turned
from yuplet.illustration.layers import Illustration, Layer, composite_tree
from yuplet.parts.part import Frame, Part, Piece, still
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration
from yuplet.rehearsal.proof import prove
from yuplet.writing.pictures import Sources


class FramesTests(FolderTestCase):
    """A lamp of three frames that grows, and one of two layers under a soft edge."""

    def setUp(self) -> None:
        super().setUp()
        self.package = self.folder / "package"
        frames = []
        for side in (4, 10, 7):
            frame = Image.new("RGBA", (24, 16))
            frame.paste((200, 40 * (side % 4), 30, 255), (8, 4, 8 + side, 4 + side))
            frames.append(frame)
        path = self.folder / "lamp.png"
        frames[0].save(path, save_all=True, append_images=frames[1:], duration=[40, 80, 120], loop=2)
        self.report, _, _ = hand_over_file(path, self.package, quiet)
        self.manifest = json.loads((self.package / "manifest.json").read_text())

    def test_a_source_that_is_saved_while_it_is_read_is_told(self) -> None:
        path, before = self.folder / "lamp.png", (self.package / "manifest.json").read_bytes()

        def save_again(stage: str, done: int, total: int) -> None:
            # As programs do it: under another name, and then moved into the place.
            if stage == "read" and done == total:
                shutil.copyfile(path, self.folder / "new")
                (self.folder / "new").replace(path)

        signal_post.write(path)
        with self.assertRaisesRegex(ChangedWhileRead, "saved again while it was being read"):
            hand_over_file(path, self.package, save_again)
        self.assertEqual((self.package / "manifest.json").read_bytes(), before)

    def test_every_frame_is_a_file_in_the_box_that_all_share(self) -> None:
        (part,) = self.manifest["parts"]
        self.assertEqual(part["box"], {"x": 8, "y": 4, "width": 10, "height": 10})
        self.assertEqual(part["frames"]["loops"], 2)
        self.assertEqual(
            [(image["file"], image["milliseconds"]) for image in part["frames"]["images"]],
            [("parts/lamp/1.png", 40), ("parts/lamp/2.png", 80), ("parts/lamp/3.png", 120)],
        )
        for number, side in ((1, 4), (2, 10), (3, 7)):
            image = Image.open(self.package / f"parts/lamp/{number}.png").convert("RGBA")
            self.assertEqual((image.size, image.getbbox(alpha_only=True)), ((10, 10), (0, 0, side, side)))
        self.assertTrue(self.report.proof.ok, self.report.proof)

    def test_a_frame_that_was_exchanged_is_found(self) -> None:
        first, last = self.package / "parts/lamp/1.png", self.package / "parts/lamp/3.png"
        last.write_bytes(first.read_bytes())
        proof = prove(self.package, quiet)
        self.assertFalse(proof.ok)
        self.assertIn("'parts/lamp/3.png' has other pixels than the manifest says", " ".join(proof.faults))

    def test_of_alternates_all_are_handed_over_and_one_is_shown(self) -> None:
        with SpillFile() as scratch:
            post = signal_post.signal_post(scratch)
            start, _ = arrangement_of(post)
            made = apply(apply(start, MakeAlternates(("signal",))), ShowRows({"lowered": True}))
            report = hand_over(post, made, Sources(scratch), self.folder / "alternates", "", quiet)
        self.assertTrue(report.proof.ok, report.proof)
        value = json.loads((self.folder / "alternates" / "manifest.json").read_text())
        self.assertEqual(
            {part["id"]: part["shown"] for part in value["parts"] if part["id"] in ("arm", "lowered", "lamp")},
            {"arm": False, "lowered": True, "lamp": False},
        )
        (group,) = [member for node in value["tree"] for member in node.get("members", ()) if member.get("alternates")]
        self.assertEqual(
            [(node["part"], node["shown"]) for node in group["members"]],
            [("arm", False), ("lowered", True), ("lamp", False)],
        )

    def test_eleven_equal_parts_are_one_file_in_eleven_places(self) -> None:
        box = Box(2, 3, 7, 11)
        plate = np.random.default_rng(4).integers(1, 256, (8, 5, 4), dtype=np.uint8)
        parts, made = [], []
        with SpillFile() as scratch:
            scratch.put("l1", plate)
            for number in range(11):
                turn, layer = TURNS[number % 8], "l1"
                if turn != Turn():
                    layer = f"m{number}"
                    content = turned(Content(box, plate), Turned(turn, (4, 6)))
                    made.append(DerivedLayer(layer, "l1", content.derivation, content.box))
                    scratch.put(layer, content.picture)
                own = made[-1].box if turn != Turn() else box
                assert own is not None
                parts.append(
                    Part(f"p{number}", f"plate {number}", still(layer), offset=(10 * number - own.left, -own.top))
                )
            read = Illustration("plates", Size(120, 12), (Layer("l1", "plate", box),), made=tuple(made))
            target = self.folder / "plates"
            report = hand_over(read, Arrangement(tuple(parts)), Sources(scratch), target, "", quiet)
        self.assertTrue(report.proof.ok, report.proof)
        value = json.loads((target / "manifest.json").read_text())
        self.assertEqual({part["file"] for part in value["parts"]}, {"parts/plate 0.png"})
        self.assertEqual([path.name for path in (target / "parts").iterdir()], ["plate 0.png"])
        self.assertEqual((value["counts"]["parts"], value["counts"]["files"]), (11, 5))
        turns = [(part["turn"]["mirrored"], part["turn"]["quarters"]) for part in value["parts"]]
        self.assertEqual(turns, [tuple(TURNS[number % 8]) for number in range(11)])
        schema = json.loads((Path(__file__).parents[2] / "core/src/yuplet/schemas/package.schema.json").read_text())
        jsonschema.validate(value, schema, cls=jsonschema.Draft202012Validator)
        packed = Path(shutil.make_archive(str(self.folder / "plates"), "zip", target))
        with SpillFile() as scratch:
            again, _ = read_illustration(packed, scratch, lambda *_: None)
            picture = compose(composite_tree(again.layers), again.canvas, scratch)
        reference = np.array(Image.open(target / "reference.png").convert("RGBA"))
        np.testing.assert_array_equal(picture, reference)
        value["parts"][3]["turn"]["quarters"] = 0
        (target / "manifest.json").write_text(json.dumps(value))
        self.assertFalse(prove(target, quiet).ok, "another turn is another picture")

    def test_the_manifest_keeps_to_its_schema(self) -> None:
        schema = json.loads((Path(__file__).parents[2] / "core/src/yuplet/schemas/package.schema.json").read_text())
        jsonschema.validate(self.manifest, schema, cls=jsonschema.Draft202012Validator)

    def test_a_joined_part_leaves_the_picture_as_it_was(self) -> None:
        with SpillFile() as scratch:
            post = signal_post.signal_post(scratch)
            start, _ = arrangement_of(post)
            hand_over(post, start, Sources(scratch), self.folder / "before", "", quiet)
            report = hand_over(
                post, apply(start, JoinRows(("marsh",))), Sources(scratch), self.folder / "after", "", quiet
            )
        self.assertTrue(report.proof.ok, report.proof)
        one, other = (
            np.array(Image.open(self.folder / name / "reference.png").convert("RGBA")).astype(int)
            for name in ("before", "after")
        )
        # The part is rounded to 8 bits when it is written; nothing else may differ.
        self.assertLessEqual(np.abs(one - other).max(), 1)

    def test_parts_of_several_layers_come_back_to_the_pixel(self) -> None:
        rng = np.random.default_rng(7)
        with SpillFile() as scratch:
            layers = []
            for number in range(4):
                scratch.put(f"l{number}", rng.integers(0, 256, (12, 12, 4), dtype=np.uint8))
                layers.append(Layer(f"l{number}", f"moment {number}", Box(2 * number, 1, 2 * number + 12, 13)))
            start, _ = arrangement_of(Illustration("x", Size(20, 14), tuple(layers)))
            pieces = tuple(Piece(f"l{n}", 0.4 + n / 10, "multiply" if n == 1 else "normal") for n in range(3))
            both = Part("both", "both", (Frame(pieces), Frame((Piece("l3"),))), opacity=0.8, offset=(-3, 2))
            arrangement = replace(start, rows=(start.rows[0], both))
            report = hand_over(
                Illustration("x", Size(20, 14), tuple(layers)),
                arrangement,
                Sources(scratch),
                self.folder / "two",
                "",
                quiet,
            )
        self.assertEqual((report.proof.differing_pixels, report.proof.faults), (0, []))


class HandOverTests(PackageTestCase):
    def test_what_is_in_the_folder_is_what_the_report_says(self) -> None:
        found = {path.relative_to(self.package).as_posix() for path in self.package.rglob("*") if path.is_file()}
        self.assertEqual(found, set(self.report.files))
        self.assertEqual(self.report.parts, 9)
        self.assertEqual(self.report.empty, ["spare"])
        self.assertEqual(self.report.bytes, sum((self.package / name).stat().st_size for name in found))
        self.assertTrue(self.report.proof.ok)

    def test_images_are_the_layers_cut_to_their_alpha(self) -> None:
        for part in self.manifest()["parts"]:
            picture = self.pixels(part["file"])
            layer = self.scratch.whole(part["id"])
            np.testing.assert_array_equal(picture, layer, part["name"])
            self.assertEqual(Image.fromarray(picture[..., 3]).getbbox(), (0, 0, picture.shape[1], picture.shape[0]))

    def test_the_manifest_knows_every_file(self) -> None:
        manifest = self.manifest()
        for entry in (manifest["reference"], manifest["table"], *manifest["parts"]):
            data = (self.package / entry["file"]).read_bytes()
            self.assertEqual((entry["bytes"], entry["sha256"]), (len(data), hashlib.sha256(data).hexdigest()))

    def test_the_table_of_places_agrees_with_the_manifest(self) -> None:
        rows = list(csv.DictReader(io.StringIO((self.package / "places.csv").read_text("utf-8"), newline="")))
        parts = self.manifest()["parts"]
        self.assertEqual([row["file"] for row in rows], [part["file"] for part in parts])
        lamp = next(row for row in rows if row["name"] == "lamp")
        self.assertEqual(
            [lamp[key] for key in ("order", "group", "x", "y", "width", "height", "centre_x", "centre_y", "shown")],
            ["7", "post/signal", "41", "12", "13", "13", "47.5", "18.5", "yes"],
        )

    def test_the_pivot_is_told_in_three_frames(self) -> None:
        pivot = self.part(self.manifest(), "lamp")["pivot"]
        self.assertEqual((pivot["canvas"], pivot["box"]), ([47.5, 18.25], [6.5, 6.25]))
        self.assertEqual(pivot["fraction"], [6.5 / 13, 6.25 / 13])

    def test_the_same_again_is_the_same_to_the_byte(self) -> None:
        before = {name: (self.package / name).read_bytes() for name in self.report.files}
        self.hand_over(arrangement_of(self.illustration)[0])
        # All but the pivot in the manifest and the table, which the second one has not.
        for name in set(before) - {"manifest.json", "places.csv"}:
            self.assertEqual((self.package / name).read_bytes(), before[name], name)

    def test_an_update_lists_what_is_obsolete_and_keeps_or_removes_it(self) -> None:
        first, _ = arrangement_of(self.illustration)
        renamed = apply(apply(first, RenameRows({"glow": "halo"})), IncludeParts({"reeds": False}))
        report = self.hand_over(renamed)
        self.assertEqual(report.obsolete, ["parts/glow.png", "parts/marsh/reeds.png"])
        self.assertTrue((self.package / "parts/glow.png").exists())
        proof = self.prove()
        self.assertTrue(proof.ok, proof)
        self.assertEqual(proof.obsolete, report.obsolete)
        self.hand_over(renamed, remove_obsolete=True)
        self.assertFalse((self.package / "parts/glow.png").exists())
        self.assertTrue(self.prove().ok)

    def test_a_folder_emptied_of_parts_is_removed_with_them(self) -> None:
        first, _ = arrangement_of(self.illustration)
        self.hand_over(apply(first, IncludeParts({"reeds": False, "shade": False})), remove_obsolete=True)
        self.assertFalse((self.package / "parts/marsh").exists())

    def test_order_and_groups_can_be_changed(self) -> None:
        first, _ = arrangement_of(self.illustration)
        moved = apply(first, MoveRows((Place("lamp", None, 0), Place("sky", "signal", 1))))
        self.assertTrue(self.hand_over(moved, remove_obsolete=True).proof.ok)
        self.assertEqual(self.manifest()["parts"][0]["file"], "parts/lamp.png")

    def test_a_folder_of_other_things_is_refused_and_left_alone(self) -> None:
        """One without a package of ours; hidden files and those of file managers are in any folder."""
        other = self.folder / "other"
        other.mkdir()
        self.package = other
        for name in (".DS_Store", "Thumbs.db", "desktop.ini", ".git/HEAD", ".git/objects/ab/cdef"):
            path = other / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text("theirs")
        (other / "notes.txt").write_text("mine")
        first = arrangement_of(self.illustration)[0]
        with self.assertRaisesRegex(FolderNotOurs, "notes.txt"):
            self.hand_over(first)
        (other / "notes.txt").unlink()
        report = self.hand_over(first)
        self.assertTrue(report.proof.ok)
        self.assertEqual(
            report.left_alone, [".DS_Store", ".git/HEAD", ".git/objects/ab/cdef", "Thumbs.db", "desktop.ini"]
        )
        self.assertEqual((other / ".git/HEAD").read_text(), "theirs")

    def test_what_others_put_beside_a_package_is_left_alone_and_listed(self) -> None:
        """A side file beside every image, as some programs write: nothing stops, nothing of it is touched, now and later."""
        first = arrangement_of(self.illustration)[0]
        beside = [path.with_name(path.name + ".import") for path in self.package.rglob("*.png")]
        for path in beside:
            path.write_text("theirs")
        mine = [path.relative_to(self.package).as_posix() for path in beside]
        for _ in range(2):
            report = self.hand_over(apply(first, IncludeParts({"reeds": False})), remove_obsolete=True)
            self.assertEqual((report.left_alone, report.proof.ok, report.overwritten), (sorted(mine), True, []))
        self.assertEqual({path.read_text() for path in beside}, {"theirs"})
        with self.subTest("one that would be overwritten stops it"):
            (self.package / "parts/marsh/reeds.png").write_bytes(b"mine")
            before = (self.package / "manifest.json").read_bytes()
            with self.assertRaisesRegex(FolderNotOurs, "parts/marsh/reeds.png"):
                self.hand_over(first)
            self.assertEqual((self.package / "parts/marsh/reeds.png").read_bytes(), b"mine")
            self.assertEqual((self.package / "manifest.json").read_bytes(), before)

    def test_files_that_somebody_has_changed_are_not_overwritten_without_a_word(self) -> None:
        """One byte of the same length is enough."""
        first = arrangement_of(self.illustration)[0]
        path = self.package / "parts/post/mast.png"
        good = path.read_bytes()
        path.write_bytes(good[:-1] + bytes([good[-1] ^ 1]))
        with self.assertRaises(EditedSince) as caught:
            self.hand_over(first, overwrite=False)
        self.assertEqual(caught.exception.files, ["parts/post/mast.png"])
        self.assertNotEqual(path.read_bytes(), good)
        report = self.hand_over(first)
        self.assertEqual((report.overwritten, report.proof.ok), (["parts/post/mast.png"], True))
        self.assertEqual(path.read_bytes(), good)
        self.assertEqual(self.hand_over(first, overwrite=False).overwritten, [])

    def test_nothing_to_hand_over(self) -> None:
        first, _ = arrangement_of(self.illustration)
        nothing = apply(first, IncludeParts({part.id: False for _, part in first.parts()}))
        with self.assertRaises(NothingToHandOver):
            self.hand_over(nothing)
        self.assertTrue(self.prove().ok, "the earlier package stands as it was")

    def test_cancelling_at_any_stage_leaves_the_folder_as_it_was(self) -> None:
        file = self.folder / "art.ora"
        signal_post.write(file)
        before = {path: path.read_bytes() for path in self.package.rglob("*") if path.is_file()}
        for wanted in ("read", "write", "prove"):

            def stop(stage: str, done: int, total: int, wanted: str = wanted) -> None:
                if stage == wanted and done > 0:
                    raise Cancelled

            with self.subTest(wanted), self.assertRaises(Cancelled):
                hand_over_file(file, self.package, stop)
            self.assertEqual({path: path.read_bytes() for path in self.package.rglob("*") if path.is_file()}, before)
            self.assertEqual([path.name for path in self.folder.iterdir() if path.name.startswith(".")], [])

    def test_progress_goes_from_none_to_all_in_each_stage(self) -> None:
        file = self.folder / "art.ora"
        signal_post.write(file)
        told: dict[str, list[tuple[int, int]]] = {}
        hand_over_file(file, self.folder / "new", lambda stage, k, n: told.setdefault(stage, []).append((k, n)))
        self.assertEqual(list(told), ["read", "write", "prove"])
        for stage, steps in told.items():
            self.assertEqual([k for k, _ in steps], list(range(len(steps))), stage)
            self.assertEqual(steps[-1][0], steps[-1][1], stage)


class FlatPictureTests(FolderTestCase):
    def test_a_flat_png_is_one_part_with_its_place(self) -> None:
        picture = np.zeros((20, 30, 4), np.uint8)
        picture[5:12, 7:28] = (200, 90, 30, 255)
        Image.fromarray(picture, "RGBA").save(self.folder / "tin.png")
        report, renamed, _ = hand_over_file(self.folder / "tin.png", self.folder / "out", quiet)
        self.assertTrue(report.proof.ok)
        self.assertEqual(renamed, [])
        manifest = json.loads((self.folder / "out/manifest.json").read_text())
        self.assertEqual(manifest["parts"][0]["box"], {"x": 7, "y": 5, "width": 21, "height": 7})
