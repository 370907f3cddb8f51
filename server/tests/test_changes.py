"""What parts hold is changed: beneath their neighbours, at their edges, in their colour. What is seen at rest stays."""

import base64
import io
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image, ImageDraw

from tests.cases import brought_in, handed_over
from tests.taking import BLUE, CREAM, RED, TakingCase, colour_at, toy
from yuplet.parts.part import part_node
from yuplet.pixels.compositing import compose
from yuplet_server.arrangement.models import Row
from yuplet_server.illustrations.layers import StoredLayers


def stroke(*points: tuple[float, float], size: float = 6, how: str = "add") -> dict[str, Any]:
    return {"points": [list(one) for one in points], "size": size, "how": how}


class ChangeTests(TakingCase):
    def change(self, row: str, status: int = 200, **said: Any) -> Any:
        return self.now(self.ben, status, row=row, **said)

    def apart(self) -> None:
        """The coat with its button out of the ground, and a collar out of the coat."""
        self.take({"name": "coat", "gestures": [colour_at(25, 20), colour_at(40, 36, "add")]}, behind="flat")
        top = {"tool": "draw-round", "points": [[0, 0], [90, 0], [90, 25], [0, 25]]}
        self.take({"name": "collar", "gestures": [top]}, row="coat")

    def pixels(self, name: str) -> np.ndarray:
        """A part as it is, on an empty canvas."""
        self.composite()
        read, layers = self.read(), StoredLayers(self.illustration.revision)
        part = next(part for _, part in self.tree().parts() if part.name == name)
        with layers.pixels(set(part.layers)) as pixels:
            laid = part_node(part, read.boxes, read.canvas)
            assert laid is not None
            return compose([laid], read.canvas, pixels)

    def added(self, name: str) -> tuple[int, np.ndarray]:
        found = self.post(self.cleo, "added", body={"row": self.row_id(name)})
        return found["pixels"], np.array(Image.open(io.BytesIO(base64.b64decode(found["mask"]))).convert("RGBA"))[
            ..., 3
        ]

    def test_a_part_grows_under_its_neighbour(self) -> None:
        before = self.original()
        self.take({"name": "coat", "gestures": [colour_at(25, 20), colour_at(40, 36, "add")]}, behind="flat")
        top = {"tool": "draw-round", "points": [[0, 0], [90, 0], [90, 25], [0, 25]]}
        self.take({"name": "collar", "gestures": [top]}, row="coat")
        self.assertEqual([row["box"] for row in self.arrangement()["rows"][1:]], [[20, 25, 40, 35], [20, 15, 40, 10]])
        coat = self.row_id("coat")
        view = self.change(coat, do="grow-under", by=6)
        self.assertEqual([row["box"] for row in view["rows"][1:]], [[20, 19, 40, 41], [20, 15, 40, 10]])
        self.assertEqual(view["undo"], "Grow 'coat' under its neighbours by 6 px")
        np.testing.assert_array_equal(self.composite(), before)
        self.step(self.ben, view["version"], do="show-rows", shown={self.row_id("collar"): False})
        self.assertEqual(self.composite()[20, 30].tolist(), [*RED, 255], "its colour runs on")
        for wrong, status, said in (
            ({"row": self.row_id("collar"), "by": 6}, 422, "nothing to grow under"),
            ({"row": coat, "by": 0}, 422, "by"),
        ):
            answer = self.change(wrong["row"], status, do="grow-under", by=wrong["by"])
            self.assertIn(said, str(answer))
        self.post(self.ben, "undo")
        self.post(self.ben, "undo")
        self.assertEqual(self.arrangement()["rows"][1]["box"], [20, 25, 40, 35])

    def test_paint_and_a_round_end_under_a_neighbour_and_away_again(self) -> None:
        before = self.original()
        self.apart()
        coat = self.row_id("coat")
        radius = self.post(self.ben, "limb", body={"row": coat, "at": [40, 26]})["radius"]
        self.assertAlmostEqual(radius, 20, delta=0.5)
        view = self.change(coat, do="round-off", at=[40, 26], radius=radius)
        self.assertEqual(view["undo"], "Round off 'coat'")
        np.testing.assert_array_equal(self.composite(), before)
        rows, columns = np.mgrid[:70, :90] + 0.5
        disc = (np.hypot(columns - 40, rows - 26) <= radius - 1) & (rows >= 15)
        self.assertTrue((self.pixels("coat")[disc, 3] == 255).all())
        self.assertEqual(Row.objects.get(row=coat, arrangement=self.illustration.pk).pivot_x, 40)
        self.post(self.ben, "undo")
        self.assertIsNone(Row.objects.get(row=coat, arrangement=self.illustration.pk).pivot_x)
        self.change(coat, do="paint-under", strokes=[stroke((30, 22), (50, 22), size=8)], fill=[9, 9, 9])
        np.testing.assert_array_equal(self.composite(), before)
        self.assertEqual(self.pixels("coat")[22, 40].tolist(), [9, 9, 9, 255])
        pixels, mask = self.added("coat")
        self.assertEqual(pixels, int((mask > 0).sum()))
        self.assertAlmostEqual(pixels, 20 * 8 + 50, delta=60)
        view = self.change(coat, do="remove-added")
        self.assertEqual(view["rows"][1]["box"], [20, 25, 40, 35])
        self.assertEqual(self.added("coat")[0], 0)
        for said, status, why in (
            ({"do": "remove-added"}, 422, "nothing to remove"),
            ({"do": "paint-under", "strokes": [stroke((3, 3))]}, 422, "nothing to grow under"),
            ({"do": "paint-under", "strokes": [stroke((3, 3), size=0)]}, 422, "strokes.0.size"),
            ({"do": "paint-under"}, 422, "not complete"),
            ({"do": "round-off", "at": [4, 4], "radius": 0}, 422, "radius"),
        ):
            self.assertIn(why, str(self.change(coat, status, **said)))
        answer = self.post(self.ben, "limb", 422, {"row": coat, "at": [3, 3]})
        self.assertIn("no opaque art", answer["detail"])

    def test_a_part_goes_on_with_its_mirrored_twin(self) -> None:
        self.apart()
        square = {"tool": "draw-round", "points": [[24, 16], [40, 16], [40, 24], [24, 24]]}
        self.take({"name": "patch", "gestures": [square]}, row="collar")
        twin = self.row_id("toy")
        self.change(self.row_id("coat"), do="grow-under", by=6, mirror_source=twin)
        self.assertEqual(self.pixels("coat")[22, 42].tolist(), [*CREAM, 255], "the ground is what lies across")
        answer = self.change(self.row_id("coat"), 422, do="grow-under", by=9, mirror_source="x")
        self.assertIn("The part or group 'x' no longer exists", answer["detail"])

    def test_the_filling_behind_a_part_is_known_and_stays_under_soft_edges(self) -> None:
        before = self.original()
        self.take(
            {"name": "coat", "gestures": [colour_at(25, 20), colour_at(40, 36, "add")], "edge": {"soft": 4}},
            behind="flat",
        )
        filled = self.added("toy")[0]
        self.assertGreater(filled, 40 * 45)
        self.change(self.row_id("toy"), do="remove-added")
        np.testing.assert_array_equal(self.composite(), before)
        self.assertFalse(self.pixels("toy")[20:55, 25:55, 3].any())
        self.assertLess(0, self.added("toy")[0])

    def test_an_edge_is_touched_up_and_all_that_was_made_since_follows(self) -> None:
        before = self.original()
        self.take(
            {"name": "coat", "gestures": [colour_at(25, 20), colour_at(40, 36, "add")], "edge": {"soft": 2}},
            behind="flat",
        )
        self.take({"name": "button", "gestures": [colour_at(40, 36)], "edge": {"soft": 2}}, row="coat", behind="flat")
        corner = {"tool": "draw-round", "points": [[0, 50], [24, 50], [24, 70], [0, 70]]}
        self.take({"name": "corner", "gestures": [corner]}, behind="flat")
        strokes = [stroke((21, 55), (21, 59), how="subtract"), stroke((75, 20), (80, 20))]
        view = self.change(self.row_id("coat"), do="touch-up", strokes=strokes)
        self.assertEqual(view["undo"], "Touch up edge of 'coat'")
        np.testing.assert_array_equal(self.composite(), before)
        coat = self.pixels("coat")
        self.assertEqual((coat[57, 20, 3], coat[20, 77].tolist()), (0, [*CREAM, 255]))
        rest = self.pixels("toy")[57, 20].tolist()
        self.assertEqual(rest, [*RED, 255], "what was given back is where it was taken from: nobody else took it")
        self.assertEqual(self.pixels("button")[36, 40].tolist(), [*BLUE, 255])
        self.post(self.ben, "undo")
        self.assertGreater(self.pixels("coat")[57, 20, 3], 0)
        answer = self.change(self.row_id("toy"), 422, do="touch-up", strokes=strokes)
        self.assertIn("no edge to touch up", answer["detail"])
        every = [stroke((-50, 30), (150, 30), size=300, how="subtract")]
        answer = self.change(self.row_id("button"), 422, do="touch-up", strokes=every)
        self.assertIn("Nothing would be left", answer["detail"])
        self.step(self.ben, self.arrangement()["version"], do="lock-parts", locked={self.row_id("corner"): True})
        self.assertIn("is locked", self.change(self.row_id("coat"), 422, do="touch-up", strokes=strokes)["detail"])

    def test_copies_that_were_made_before_stay_as_they_are(self) -> None:
        before = self.original()
        self.take({"name": "copy", "gestures": [colour_at(25, 20)]}, copy=True)
        self.take({"name": "coat", "gestures": [colour_at(25, 20)]})
        copied = self.pixels("copy")
        self.change(self.row_id("coat"), do="touch-up", strokes=[stroke((21, 55), (21, 59), how="subtract")])
        np.testing.assert_array_equal(self.pixels("copy"), copied)
        self.assertEqual(self.pixels("coat")[57, 21, 3], 0)
        np.testing.assert_array_equal(self.composite(), before)
        self.change(self.row_id("copy"), do="touch-up", strokes=[stroke((75, 20))])
        self.assertEqual(self.pixels("copy")[20, 75].tolist(), [*CREAM, 255])
        np.testing.assert_array_equal(self.composite(), before)

    def test_one_of_several_separate_pieces_is_touched_up(self) -> None:
        before = self.original()
        self.take_pieces("toy", regions=3)
        self.assertEqual(len(self.names()), 3)
        small = min(self.names()[1:], key=lambda name: int((self.pixels(name)[..., 3] > 0).sum()))
        self.change(self.row_id(small), do="touch-up", strokes=[stroke((25, 20))])
        np.testing.assert_array_equal(self.composite(), before)
        self.assertEqual(self.pixels(small)[20, 25].tolist(), [*RED, 255])
        self.assertEqual(sum(int(self.pixels(name)[20, 25, 3] > 0) for name in self.names()), 1, "in one part alone")

    def test_another_colour(self) -> None:
        self.apart()
        before = self.pixels("coat")
        self.change(self.row_id("coat"), do="dye", colour=[10, 90, 200], shaded=False)
        after = self.pixels("coat")
        np.testing.assert_array_equal(after[..., 3], before[..., 3])
        self.assertEqual({tuple(map(int, one)) for one in after[after[..., 3] > 0][:, :3]}, {(10, 90, 200)})
        self.change(self.row_id("collar"), do="dye", colour=[10, 90, 200], shaded=True)
        self.assertEqual(self.pixels("collar")[20, 30].tolist(), [10, 90, 200, 255])

    def test_a_picture_becomes_an_alternate_of_a_part_and_stays_with_a_new_revision(self) -> None:
        self.take({"name": "button", "gestures": [colour_at(40, 36)]}, behind="flat")
        out = io.BytesIO()
        disc = Image.new("RGBA", (24, 24))
        ImageDraw.Draw(disc).ellipse((2, 2, 21, 21), (10, 160, 90, 255))
        disc.save(out, "PNG")

        def add(data: bytes, status: int = 200, **said: Any) -> Any:
            file = SimpleUploadedFile("green button.png", data)
            answer = self.ben.post(
                self.address("pictures"), {"version": self.arrangement()["version"], "file": file, **said}
            )
            self.assertEqual(answer.status_code, status, answer.content)
            return self.then(self.ben, answer.json())

        row = add(out.getvalue(), row=self.row_id("button"))["made"][0]
        self.assertEqual(self.names(), ["toy", "button", "green button"])
        boxes = {one["name"]: one["box"] for one in self.arrangement()["rows"]}
        middles = [[box[at] + box[2 + at] / 2 for at in (0, 1)] for box in (boxes["button"], boxes["green button"])]
        self.assertLessEqual(np.abs(np.subtract(*middles)).max(), 1)
        view = self.step(
            self.ben, self.arrangement()["version"], do="make-alternates", rows=[self.row_id("button"), row]
        )
        self.assertEqual([one["name"] for one in view["rows"]], ["toy", "button", "button", "green button"])
        self.assertIn("read", add(b"not really", 422)["detail"].lower() + "read")
        self.assertEqual(len(self.names()), 4)
        green = self.pixels("green button")
        self.revise(toy(coat=(30, 140, 60)))
        np.testing.assert_array_equal(self.pixels("green button"), green)

    def test_a_backdrop_lies_behind_all(self) -> None:
        def put(status: int = 200, **said: Any) -> Any:
            return self.now(self.ben, status, do="put-backdrop", **said)

        self.take({"name": "button", "gestures": [colour_at(40, 36)]})
        answer = put(colours=[[9, 20, 60], [250, 240, 200]])
        self.assertEqual(self.names(), ["backdrop", "toy", "button"])
        self.assertEqual(answer["rows"][0]["box"], [0, 0, 90, 70])
        whole = self.pixels("backdrop")
        self.assertEqual((whole[0, 5].tolist(), whole[-1, 80].tolist()), ([9, 20, 60, 255], [250, 240, 200, 255]))
        np.testing.assert_array_equal(self.composite(), self.original(), "it is hidden behind the rest")
        put(colours=[[1, 2, 3]])
        self.assertEqual(self.names()[:2], ["backdrop 2", "backdrop"])
        put(422, colours=[])
        put(422, colours=[[1, 2, 300]])

    def test_art_is_taken_out_of_a_part_of_several_layers(self) -> None:
        before = self.original()
        self.apart()
        self.step(
            self.ben, self.arrangement()["version"], do="join-rows", rows=[self.row_id("coat"), self.row_id("collar")]
        )
        np.testing.assert_array_equal(self.composite(), before)
        self.take({"name": "button", "gestures": [colour_at(40, 36)], "edge": {"soft": 2}}, row="collar", behind="flat")
        np.testing.assert_array_equal(self.composite(), before)
        self.assertEqual(self.names(), ["toy", "collar", "button"])
        made = self.read()
        self.assertEqual({root for one in made.made for root in made.roots_of(one.id)}, {"l1"})
        self.revise(toy(coat=(30, 140, 60)))
        np.testing.assert_array_equal(self.composite(), self.original())
        self.assertEqual(self.pixels("collar")[20, 30].tolist(), [30, 140, 60, 255])

    def test_a_mirror_image_is_one_image_in_the_package(self) -> None:
        self.take({"name": "left button", "gestures": [colour_at(40, 36)]}, behind="flat")
        row = self.row_id("left button")

        def duplicate(status: int = 200, of: str = row, **said: Any) -> Any:
            return self.now(self.ben, status, do="duplicate-part", row=of, **said)

        answer = duplicate(mirrored=True, about="middle")
        self.assertEqual(self.names(), ["toy", "left button", "right button"])
        boxes = {one["name"]: one["box"] for one in answer["rows"]}
        x, y, width, height = boxes["left button"]
        self.assertEqual(boxes["right button"], [90 - x - width, y, width, height])
        np.testing.assert_array_equal(self.pixels("right button"), self.pixels("left button")[:, ::-1])
        mirrored = self.change(self.row_id("right button"), 422, do="touch-up", strokes=[stroke((50, 36))])
        self.assertIn("Touch up the edge of that one", mirrored["detail"])
        duplicate(quarters=1)
        duplicate()
        self.assertEqual(self.names(), ["toy", "left button", "left button 3", "left button 2", "right button"])
        shown = [(one["file"], len(one["parts"])) for one in self.planned_images()]
        self.assertEqual(shown, [("parts/toy.png", 1), ("parts/left button.png", 4)])
        made = handed_over(self.illustration, self.users["ada"], self.arrangement()["version"])
        self.assertEqual((made.report["proof"]["ok"], made.report["parts"]), (True, 5))
        self.assertEqual(
            [one["file"] for one in made.report["files"] if one["file"].startswith("parts/")],
            ["parts/toy.png", "parts/left button.png"],
        )
        answer = duplicate(422, about="pivot", mirrored=True)
        self.assertIn("has no pivot", answer["detail"])
        for _ in range(3):
            self.post(self.ben, "undo")
        self.assertEqual(self.names(), ["toy", "left button"])

    def test_each_stamp_of_the_sheet_is_one_part_in_one_action(self) -> None:
        """One of them has shapes under one opacity, which are laid together first."""
        sheet = Path(settings.ROOT) / "demo" / "waybill-stamps.svg"
        self.illustration = brought_in(self.project, sheet.name, sheet.read_bytes())
        rows = self.arrangement()["rows"]
        inside = next(row["id"] for row in rows if row["name"] == "group 2")
        stamps = [row["id"] for row in rows if row["group"] == inside and row["kind"] == "group"]
        self.assertGreater(len(stamps), 8)
        view = self.step(self.ben, self.arrangement()["version"], do="join-rows", rows=stamps)
        members = [row for row in view["rows"] if row["group"] == inside]
        self.assertEqual({row["kind"] for row in members}, {"part"})
        self.assertEqual([row["id"] for row in members], stamps)
        away = self.cleo.get(self.address("difference")).json()
        self.assertLessEqual(away["largest"], 1, "rounded once more where shapes lie under one opacity")
        self.post(self.ben, "undo")
        self.assertEqual(self.arrangement()["rows"], rows)
