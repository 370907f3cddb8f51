"""Art is taken out of a part: what is seen stays as it was, the original is untouched, and it can all be taken back."""

import base64
import io
import tempfile
from pathlib import Path

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.db import transaction
from PIL import Image

from tests.cases import brought_in, handed_over, quiet
from tests.taking import CREAM, TakingCase, beads, colour_at, lamp, toy
from yuplet.illustration.derived import Cut
from yuplet_server.files.store import open_blob
from yuplet_server.illustrations import actions
from yuplet_server.illustrations.models import Revision
from yuplet_server.jobs.models import Job


class TakeOutTests(TakingCase):
    def test_a_selection_says_what_it_chooses(self) -> None:
        body = {"row": self.row_id("toy"), "gestures": [colour_at(25, 20)]}
        found = self.post(self.ben, "selection", body=body)
        self.assertEqual(found["box"], [20, 15, 40, 45])
        mask = np.array(Image.open(io.BytesIO(base64.b64decode(found["mask"]))).convert("RGBA"))[..., 3]
        self.assertEqual((mask.shape, int((mask == 255).sum())), ((45, 40), found["pixels"]))
        self.assertEqual(found["of"], 90 * 70)
        both = self.post(
            self.ben, "selection", body={**body, "gestures": [*body["gestures"], colour_at(40, 36, "add")]}
        )
        self.assertEqual(both["pixels"], 40 * 45)
        self.assertEqual(self.names(), ["toy"], "nothing has changed")

    def test_what_is_written_in_art_is_known_of_its_parts(self) -> None:
        drawing = b"""<svg xmlns="http://www.w3.org/2000/svg" width="90" height="40"><g id="sign"><text y="30" font-size="24">Mind the gap</text></g></svg>"""
        self.illustration = brought_in(self.project, "sign.svg", drawing)
        row = self.arrangement()["rows"][-1]
        self.assertEqual((row["name"], row["words"], row["vector"]), ("Mind the gap", "Mind the gap", True))
        half = {"tool": "draw-round", "points": [[0, 0], [40, 0], [40, 40], [0, 40]]}
        self.take({"name": "first half", "gestures": [half]}, row="Mind the gap")
        self.assertEqual(self.arrangement()["rows"][-1]["words"], "Mind the gap", "its outlines are pixels by now")

    def test_a_part_is_taken_out_in_place(self) -> None:
        before, digest = self.original(), self.illustration.revision.sha256
        answer = self.take({"name": "coat", "gestures": [colour_at(25, 20), colour_at(40, 36, "add")]}, behind="flat")
        self.assertEqual(self.names(), ["toy", "coat"])
        self.assertEqual(answer["rows"][1]["id"], answer["made"][0])
        np.testing.assert_array_equal(self.composite(), before)
        self.take(
            {"name": "button", "gestures": [colour_at(40, 36)], "edge": {"soft": 3, "grow": 1}},
            row="coat",
            behind="flat",
        )
        self.assertEqual(self.names(), ["toy", "coat", "button"])
        np.testing.assert_array_equal(self.composite(), before)
        self.assertEqual(self.cleo.get(self.address("difference")).json()["differing"], 0)
        version = self.arrangement()["version"]
        self.step(self.ben, version, do="show-rows", shown={self.row_id("coat"): False, self.row_id("button"): False})
        self.assertEqual({tuple(map(int, one[:3])) for one in self.composite()[16:58, 22:58].reshape(-1, 4)}, {CREAM})
        difference = self.cleo.get(self.address("difference")).json()
        self.assertEqual((difference["differing"], difference["pixels"]), (40 * 45, 90 * 70))
        mask = np.array(Image.open(io.BytesIO(base64.b64decode(difference["mask"]))).convert("RGBA"))[..., 3]
        self.assertEqual((mask[15:60, 20:60] == 255).sum(), 40 * 45)
        made = handed_over(self.illustration, self.users["ada"], self.arrangement()["version"])
        self.assertTrue(made.report["proof"]["ok"])
        self.assertEqual(self.illustration.revision.sha256, digest)

    def test_it_is_undone_and_done_again(self) -> None:
        first = self.arrangement()["rows"]
        self.take({"name": "coat", "gestures": [colour_at(25, 20)]})
        second = self.arrangement()["rows"]
        self.post(self.ben, "undo")
        self.assertEqual(self.arrangement()["rows"], first)
        self.post(self.ben, "redo")
        self.assertEqual(self.arrangement()["rows"], second)
        np.testing.assert_array_equal(self.composite(), self.original())
        self.post(self.ben, "undo")
        self.take({"name": "button", "gestures": [colour_at(40, 36)]})
        self.assertEqual(self.names(), ["toy", "button"], "another way is taken")
        np.testing.assert_array_equal(self.composite(), self.original())

    def test_a_copy_leaves_the_art_where_it_was(self) -> None:
        self.take({"name": "button", "gestures": [colour_at(40, 36)]}, copy=True)
        view = self.arrangement()
        self.assertIn("Copy 'button'", self.arrangement(self.ben)["undo"])
        self.assertEqual(view["rows"][0]["frames"][0]["pieces"][0]["layer"], "l1")
        np.testing.assert_array_equal(self.composite(), self.original())

    def test_several_at_once_and_everything_that_is_separate(self) -> None:
        self.illustration = brought_in(self.project, "beads.png", beads())
        before = self.original()
        body = {"row": self.row_id("beads"), "gap": 0, "smallest": 5}
        found = self.post(self.ben, "islands", body=body)
        self.assertEqual((len(found["pieces"]), found["crumbs"]), (3, 1))
        self.assertEqual([piece["box"][0] for piece in found["pieces"]], [5, 35, 65])
        self.take_pieces("beads", gap=0, smallest=5)
        self.assertEqual(self.names(), ["beads 1", "beads 2", "beads 3"], "nothing is left of the part itself")
        after = self.composite()
        np.testing.assert_array_equal(after, np.where(before[..., 3:] > 0, before, 0))
        self.post(self.ben, "undo")
        self.assertEqual(self.names(), ["beads"])
        view = self.take_pieces("beads", gap=0, smallest=5, joined=[[1, 3]], left_out=[2])
        self.assertEqual([row["box"][0] for row in view["rows"]], [35, 5], "the second is left, the others are one")
        self.post(self.ben, "undo")
        answer = self.take_pieces("beads", 422, gap=0, smallest=5, joined=[[1, 9]], left_out=[2])
        self.assertIn("There are 3 pieces by now", answer["detail"])
        two = [{"name": f"b{x}", "gestures": [{"tool": "island", "at": [x, 20]}]} for x in (15, 45)]
        self.take(*two, row="beads")
        self.assertEqual(self.names(), ["beads", "b15", "b45"])

    def test_what_cannot_be_done_is_said_and_changes_nothing(self) -> None:
        whole = {"tool": "draw-round", "points": [[0, 0], [90, 0], [90, 70], [0, 70]]}
        outside = {"tool": "draw-round", "points": [[200, 200], [220, 200], [220, 220]]}
        for parts, rest, status, said in (
            ([{"name": "x", "gestures": [whole]}], {}, 422, "all of the part"),
            ([{"name": "x", "gestures": [colour_at(25, 20, distance=100)]}], {}, 422, "all of the part"),
            ([{"name": "x", "gestures": [outside]}], {}, 422, "Nothing of the part is selected"),
            ([{"name": "x", "gestures": [colour_at(300, 20)]}], {}, 422, "empty here"),
            ([{"name": "x", "gestures": [colour_at(25, 20)], "edge": {"soft": 4}}], {}, 422, "something behind it"),
            ([{"name": "x", "gestures": [{"tool": "wand"}]}], {}, 422, "wand"),
            (
                [{"name": "x", "gestures": [colour_at(25, 20)], "edge": {"soft": 9999}}],
                {"behind": "flat"},
                422,
                "parts.0.edge.soft",
            ),
            ([], {}, 422, "parts needs at least 1"),
        ):
            with self.subTest(said):
                answer = self.take(*parts, status=status, **rest)
                self.assertIn(said, str(answer))
        self.assertIn("is one island", self.take_pieces("toy", 422)["detail"])
        self.step(self.ben, self.arrangement()["version"], do="lock-parts", locked={self.row_id("toy"): True})
        answer = self.take({"name": "x", "gestures": [colour_at(25, 20)]}, status=422)
        self.assertIn("is locked", answer["detail"])
        self.assertEqual(self.names(), ["toy"])
        self.assertEqual(self.read().made, ())

    def test_the_same_colour_is_taken_out_of_all_frames(self) -> None:
        self.illustration = brought_in(self.project, "lamp.png", lamp())
        row = self.row_id("lamp")
        blue = {"tool": "same-colour", "at": [12, 13], "distance": 6, "connected": False}
        body = {"row": row, "gestures": [blue]}
        sizes = [self.post(self.ben, "selection", body={**body, "frame": index})["pixels"] for index in (0, 8)]
        self.assertEqual(sizes, [2 * 3, 10 * 3])
        crumb = {"tool": "same-colour", "at": [50, 5], "distance": 6}
        self.take({"name": "slide", "gestures": [blue]}, row="lamp", behind="flat")
        self.take({"name": "crumb", "gestures": [crumb]}, row="lamp")
        rows = {one["name"]: one for one in self.arrangement()["rows"]}
        self.assertEqual([len(one["frames"]) for one in rows.values()], [9, 9, 9])
        self.assertEqual([frame["milliseconds"] for frame in rows["slide"]["frames"]], [100] * 9)
        self.assertEqual(rows["slide"]["box"], [12, 12, 10, 3])
        self.assertEqual(
            [bool(frame["pieces"]) for frame in rows["crumb"]["frames"]], [index == 4 for index in range(9)]
        )
        self.assertEqual(rows["lamp"]["box"], [8, 10, 20, 12])
        made = handed_over(self.illustration, self.users["ada"], self.arrangement()["version"])
        self.assertTrue(made.report["proof"]["ok"], made.report["proof"])
        nowhere = {"tool": "same-colour", "at": [2, 2], "distance": 6}
        answer = self.take({"name": "x", "gestures": [nowhere]}, row="slide", status=422)
        self.assertIn("holds no art", answer["detail"])

    def test_two_people_cut_the_same_part(self) -> None:
        version, row = self.arrangement()["version"], self.row_id("toy")
        self.take({"name": "coat", "gestures": [colour_at(25, 20)]})
        parts = [{"name": "button", "gestures": [colour_at(40, 36)]}]
        answer = self.step(self.ada, version, 409, do="take-out", row=row, parts=parts)
        self.assertIn("ben", answer["detail"])
        self.assertEqual(self.names(), ["toy", "coat"])

    def test_a_new_revision_of_the_art_is_taken_apart_in_the_same_way(self) -> None:
        self.take({"name": "coat", "gestures": [colour_at(25, 20), colour_at(40, 36, "add")]}, behind="flat")
        self.take({"name": "button", "gestures": [colour_at(40, 36)]}, row="coat", behind="flat")
        file = SimpleUploadedFile("toy.png", toy(coat=(30, 140, 60)))
        number = self.ben.post(self.address("revisions"), {"file": file}).json()["number"]
        revision = Revision.objects.get(illustration=self.illustration, number=number)
        with tempfile.TemporaryDirectory() as folder, transaction.atomic():
            actions.bring_in(revision.pk, Path(folder), quiet)()
        Job.objects.filter(pk=revision.job_id).update(state=Job.State.DONE)
        review = self.cleo.get(self.address(f"revisions/{number}")).json()
        self.assertEqual(sorted(review["matches"][0]["parts"].values()), ["button", "coat", "toy"])
        self.post(self.ben, f"revisions/{number}/take", body={})
        self.assertEqual(self.names(), ["toy", "coat", "button"])
        after = self.composite()
        np.testing.assert_array_equal(after, self.original())
        self.assertEqual(after[20, 25].tolist(), [30, 140, 60, 255])
        corner = {"tool": "draw-round", "points": [[0, 0], [9, 0], [9, 9], [0, 9]]}
        self.take({"name": "corner", "gestures": [corner]})
        np.testing.assert_array_equal(self.composite(), self.original())
        self.post(self.ben, "go-back")
        np.testing.assert_array_equal(self.composite(), self.original())
        self.assertIn("corner", self.names(), "what was taken out later is made of the earlier art")

    def test_read_larger_it_is_taken_apart_in_the_same_way(self) -> None:
        drawing = b"""<svg xmlns="http://www.w3.org/2000/svg" width="60" height="40"><rect id="sign" width="60" height="40" fill="#c33"/></svg>"""
        self.illustration = brought_in(self.project, "sign.svg", drawing)
        square = {"tool": "draw-round", "points": [[10, 10], [30, 10], [30, 30], [10, 30]]}
        self.take({"name": "plate", "gestures": [square]}, row="sign")
        self.post(self.ben, "read-again", 201, {"longest": 180})
        revision = Revision.objects.get(illustration=self.illustration, number=2)
        with tempfile.TemporaryDirectory() as folder, transaction.atomic():
            actions.bring_in(revision.pk, Path(folder), quiet)()
        Job.objects.filter(pk=revision.job_id).update(state=Job.State.DONE)
        view = self.post(self.ben, "revisions/2/take", body={})
        self.assertEqual(
            [(row["name"], row["box"]) for row in view["rows"]],
            [("sign", [0, 0, 180, 120]), ("plate", [30, 30, 60, 60])],
        )
        self.assertTrue((self.composite()[..., 3] == 255).all())

    def test_masks_are_kept_and_move_house(self) -> None:
        self.take({"name": "coat", "gestures": [colour_at(25, 20)]}, behind="flat")
        made = self.read().made
        cuts = [one.derivation for one in made if isinstance(one.derivation, Cut)]
        self.assertEqual([one.of for one in made], ["l1", "l1"])
        self.assertEqual([cut.keeps for cut in cuts], ["taken", "left"])
        with self.settings():
            call_command("sweep_files", verbosity=0)
        for cut in cuts:
            with open_blob(cut.mask) as file:
                self.assertEqual(Image.open(file).size, cut.mask_box.size)
