"""What is found in the parts of an illustration, and mended in one step that can be taken back."""

import base64
import io
from typing import Any

import numpy as np
from PIL import Image

from tests.cases import brought_in, handed_over
from tests.taking import BLUE, RED, TakingCase, beads, colour_at, lamp


class MendingTests(TakingCase):
    def found(self, **numbers: int) -> list[dict[str, Any]]:
        answer = self.cleo.get(self.address("findings"), numbers)
        self.assertEqual(answer.status_code, 200, answer.content)
        found: list[dict[str, Any]] = answer.json()
        return found

    def mend(self, kind: str, *rows: str, status: int = 200, **said: Any) -> Any:
        command: dict[str, Any] = {"do": kind, **said}
        if kind == "share-drawing":
            command["rows"] = list(rows)
        elif rows:
            command["row"] = rows[0]
        return self.now(self.ben, status, **command)

    def kinds(self, **numbers: int) -> list[str]:
        return [one["kind"] for one in self.found(**numbers)]

    def test_crumbs_and_pinholes_of_one_frame_of_nine(self) -> None:
        self.illustration = brought_in(self.project, "lamp.png", lamp())
        crumb, hole = self.found()
        self.assertEqual(
            (crumb["kind"], crumb["frame"], crumb["box"], crumb["pixels"]), ("crumbs", 4, [50, 5, 2, 1], 2)
        )
        self.assertEqual((hole["kind"], hole["frame"], hole["box"]), ("pinholes", 4, [20, 18, 1, 1]))
        mask = np.array(Image.open(io.BytesIO(base64.b64decode(crumb["mask"]))).convert("RGBA"))[..., 3]
        self.assertEqual(mask.tolist(), [[255, 255]])
        row = crumb["rows"][0]
        self.assertEqual(self.arrangement()["rows"][0]["box"], [8, 5, 44, 17])
        answer = self.mend("sweep-crumbs", row, status=422, frames=[2])
        self.assertIn("no longer applies", answer["detail"])
        view = self.mend("sweep-crumbs", row, frames=[4])
        self.assertEqual(
            (view["undo"], view["rows"][0]["box"]), ("Sweep crumbs out of 1 of 9 frames of 'lamp'", [8, 10, 20, 12])
        )
        self.assertEqual([frame["milliseconds"] for frame in view["rows"][0]["frames"]], [100] * 9)
        self.mend("fill-pinholes", row)
        self.assertEqual(self.found(), [])
        made = handed_over(self.illustration, self.users["ada"], self.arrangement()["version"])
        self.assertTrue(made.report["proof"]["ok"])
        self.post(self.ben, "undo")
        self.post(self.ben, "undo")
        self.assertEqual(self.kinds(), ["crumbs", "pinholes"])

    def test_a_copy_is_reported_and_a_move_is_not(self) -> None:
        self.take({"name": "button", "gestures": [colour_at(40, 36)]}, behind="flat")
        self.assertEqual(self.found(), [])
        self.post(self.ben, "undo")
        taken = self.take({"name": "button", "gestures": [colour_at(40, 36)]}, copy=True)["made"]
        (finding,) = self.found()
        self.assertEqual((finding["kind"], finding["rows"]), ("leftover", [*taken, self.row_id("toy")]))
        self.step(self.ben, self.arrangement()["version"], do="remove-rows", rows=taken)
        self.assertEqual((self.names(), self.found()), (["toy"], []))
        self.post(self.ben, "undo")
        self.assertEqual(self.names(), ["toy", "button"])

    def test_what_is_in_no_part_becomes_one(self) -> None:
        before = self.original()
        self.take({"name": "coat", "gestures": [colour_at(25, 20)]})
        self.step(self.ben, self.arrangement()["version"], do="include-parts", included={self.row_id("toy"): False})
        (finding,) = self.found()
        self.assertEqual((finding["kind"], finding["rows"]), ("remainder", [self.row_id("toy")]))
        button = int((before[..., :3] == BLUE).all(axis=2).sum())
        coat = int((before[..., :3] == RED).all(axis=2).sum())
        self.assertEqual(finding["pixels"], 90 * 70 - coat)
        self.take({"name": "button", "gestures": [colour_at(40, 36)]})
        (finding,) = self.found()
        self.assertEqual(finding["pixels"], 90 * 70 - coat - button)
        view = self.mend("keep-rest", layer=finding["layer"])
        self.assertEqual([row["name"] for row in view["rows"]], ["toy", "rest of toy", "button", "coat"])
        self.assertEqual(self.found(), [])
        answer = self.mend("keep-rest", status=422, layer=finding["layer"])
        self.assertIn("Look again", answer["detail"])

    def test_equal_drawings_become_one_image(self) -> None:
        self.illustration = brought_in(self.project, "beads.png", beads())
        before = self.original()
        self.take_pieces("beads", gap=0, smallest=1)
        finding = next(one for one in self.found(smallest=1) if one["kind"] == "same-drawing")
        self.assertEqual(len(finding["rows"]), 3)
        self.mend("share-drawing", *finding["rows"])
        np.testing.assert_array_equal(self.composite()[before[..., 3] > 0], before[before[..., 3] > 0])
        layers = {
            piece["layer"] for row in self.arrangement()["rows"] for frame in row["frames"] for piece in frame["pieces"]
        }
        self.assertEqual(len(layers), 2, "the beads, and the crumb")
        self.assertNotIn("same-drawing", self.kinds(smallest=1))
        crumb = next(row["id"] for row in self.arrangement()["rows"] if row["id"] not in finding["rows"])
        answer = self.mend("share-drawing", finding["rows"][0], crumb, status=422)
        self.assertIn("is no longer the same drawing", answer["detail"])
        self.assertIn("two or more parts", self.mend("share-drawing", crumb, status=422)["detail"])
        self.assertIn("row is missing", self.mend("sweep-crumbs", status=422)["detail"])
