"""One's own shelf: parts, templates and lists kept of one illustration and used in another, and pictures swapped."""

import io
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from paper_signalman import ELBOW, SVG
from PIL import Image

from tests.cases import brought_in, handed_over, ora
from tests.taking import TakingCase
from yuplet_server.arrangement.models import Row


class ShelfTests(TakingCase):
    def setUp(self) -> None:
        super().setUp()
        self.illustration = brought_in(self.project, "signalman.svg", SVG)

    def row(self, name: str) -> str:
        return Row.objects.filter(arrangement=self.illustration.pk, name=name, kind="part").order_by("position")[0].row

    def do(self, **command: Any) -> Any:
        return self.post(self.ben, "steps", 200, {"version": self.arrangement()["version"], "command": command})

    def keep(self, kind: str, name: str = "kept", status: int = 201, **more: Any) -> Any:
        return self.post(self.ben, "keep", status, {"kind": kind, "name": name, **more})

    def use(self, kept: Any, status: int = 200, **more: Any) -> Any:
        body = {"version": self.arrangement()["version"], **more}
        return self.post(self.ben, f"shelf/{kept['id']}/use", status, body)

    def test_a_part_goes_over_with_its_picture_pivot_and_role(self) -> None:
        lower = self.row("lower")
        self.do(do="set-joints", pivots={lower: list(ELBOW)})
        self.do(do="set-roles", roles={lower: "loose"})
        kept = self.keep("part", "", row=lower)
        self.assertEqual((kept["name"], kept["has_picture"]), ("lower", True))
        self.assertEqual(self.ben.get(f"/api/shelf/{kept['id']}/picture").status_code, 200)
        self.illustration = brought_in(self.project, "post.ora", ora())
        answer = self.use(kept)
        row = next(one for one in answer["rows"] if one["id"] == answer["made"][0])
        self.assertEqual((row["name"], row["role"], row["box"][2:]), ("lower", "loose", [80, 20]))
        self.assertEqual([row["pivot"][at] - row["box"][at] for at in (0, 1)], [10, 10])
        self.assertEqual(answer["undo"], "Add 'lower' from the shelf")
        self.post(self.ben, "undo")
        self.assertNotIn("lower", [one["name"] for one in self.arrangement()["rows"]])

    def test_a_template_fits_another_figure_and_says_what_is_left(self) -> None:
        body, upper, lower = (self.row(name) for name in ("body", "upper", "lower"))
        joints = {"parents": {upper: body, lower: upper}, "pivots": {lower: list(ELBOW), upper: [140, 110]}}
        self.do(do="set-joints", **joints)
        kept = self.keep("template", "signalman")
        larger = SVG.replace(b'width="300" height="360"', b'width="600" height="720" viewBox="0 0 300 360"')
        self.illustration = brought_in(self.project, "large.svg", larger.replace(b'id="head"', b'id="bonnet"'))
        told = self.ben.get(self.address(f"shelf/{kept['id']}/fit")).json()
        by = {one["name"]: one["found_by"] for one in told["pairs"]}
        self.assertEqual((by["lower"], by["bonnet"]), ("name", "box"))
        self.assertEqual((told["places_left"], told["parts_left"]), ([], []))
        self.use(kept)
        row = next(one for one in self.arrangement()["rows"] if one["id"] == self.row("lower"))
        self.assertEqual(row["parent"], self.row("upper"))
        self.assertEqual([round(at) for at in row["pivot"]], [400, 260])

    def test_a_list_goes_over_and_an_empty_one_is_not_kept(self) -> None:
        self.assertIn("list is empty", self.keep("list", status=422)["detail"])
        self.do(do="decide", decisions={"required": ["head", "whistle"]})
        kept = self.keep("list", "what a figure has")
        self.illustration = brought_in(self.project, "post.ora", ora())
        self.use(kept)
        self.assertEqual(self.arrangement()["decisions"]["required"], ["head", "whistle"])

    def test_a_shelf_is_ones_own(self) -> None:
        kept = self.keep("template")
        for client in (self.ada, self.dora):
            self.assertEqual(client.get("/api/shelf").json(), [])
            self.assertEqual(client.delete(f"/api/shelf/{kept['id']}").status_code, 404)
            self.assertEqual(client.get(f"/api/shelf/{kept['id']}/picture").status_code, 404)
        self.assertEqual([one["name"] for one in self.ben.get("/api/shelf").json()], ["kept"])
        self.assertEqual(self.ben.delete(f"/api/shelf/{kept['id']}").status_code, 204)
        self.assertEqual(self.ben.get("/api/shelf").json(), [])

    def swap(self, name: str, size: tuple[int, int], status: int = 200) -> Any:
        out = io.BytesIO()
        Image.new("RGBA", size, (10, 200, 30, 255)).save(out, "PNG")
        form = {
            "version": self.arrangement()["version"],
            "file": SimpleUploadedFile("new.png", out.getvalue()),
            "row": self.row(name),
            "instead": True,
        }
        answer = self.ben.post(self.address("pictures"), form)
        self.assertEqual(answer.status_code, status, answer.content)
        return self.then(self.ben, answer.json())

    def test_a_swapped_picture_keeps_identity_pivot_order_and_parent(self) -> None:
        lower, upper = self.row("lower"), self.row("upper")
        self.do(do="set-joints", parents={lower: upper}, pivots={lower: list(ELBOW)})
        before = self.arrangement()["rows"]
        answer = self.swap("lower", (60, 40))
        after = answer["rows"]
        self.assertIn(lower, answer["changed"])
        self.assertEqual([row["id"] for row in after], [row["id"] for row in before])
        row = next(one for one in after if one["id"] == lower)
        self.assertEqual((row["pivot"], row["parent"], row["name"]), (list(ELBOW), upper, "lower"))
        self.assertEqual(row["box"], [200, 110, 60, 40], "its middle lies where the old one's lay")
        self.assertTrue(
            handed_over(self.illustration, self.users["ada"], self.arrangement()["version"]).report["proof"]["ok"]
        )
        whole = self.swap("lower", (300, 360))
        row = next(one for one in whole["rows"] if one["id"] == lower)
        self.assertEqual(row["box"], [0, 0, 300, 360], "one as large as the canvas lies as it is")
