"""Parents, pivots, swings, sets and depths of a jointed figure: proposed, set, found wanting, mended, handed over."""

import json
from typing import Any

from django.db import connection
from django.test.utils import CaptureQueriesContext
from paper_signalman import ELBOW, HIP, SHOULDER, SVG

from tests.cases import brought_in, handed_over
from tests.taking import TakingCase
from yuplet_server.arrangement.pixel_queries import order_of
from yuplet_server.illustrations.models import Illustration


class JointTests(TakingCase):
    def setUp(self) -> None:
        super().setUp()
        self.illustration = brought_in(self.project, "signalman.svg", SVG)

    def rows(self) -> dict[str, dict[str, Any]]:
        view = self.arrangement()["rows"]
        names = {row["id"]: row["name"] for row in view}
        return {f"{names[row['group']]}/{row['name']}" if row["group"] else row["name"]: row for row in view}

    def do(self, status: int = 200, **command: Any) -> Any:
        return self.post(self.ben, "steps", status, {"version": self.arrangement()["version"], "command": command})

    def order(self) -> dict[str, Any]:
        answer = self.cleo.get(self.address("order"))
        self.assertEqual(answer.status_code, 200, answer.content)
        found: dict[str, Any] = answer.json()
        return found

    def kinds(self) -> list[str]:
        return [one["kind"] for one in self.order()["findings"]]

    def near(self, place: Any, wanted: tuple[float, float], pixels: float = 0.6) -> None:
        self.assertLess(abs(place[0] - wanted[0]) + abs(place[1] - wanted[1]), 2 * pixels, (place, wanted))

    def test_joints_are_proposed_set_in_one_step_and_handed_over(self) -> None:
        rows = self.rows()
        told = self.post(self.cleo, "joints", 200, {})
        body, upper, lower, leg = (
            rows[name]["id"] for name in ("body", "arm left/upper", "arm left/lower", "leg left/leg")
        )
        self.assertEqual((told["parents"][upper], told["parents"][lower], told["parents"][leg]), (body, upper, body))
        self.assertNotIn(body, told["parents"])
        for row, wanted in ((upper, SHOULDER), (lower, ELBOW), (leg, HIP)):
            self.near(told["pivots"][row], wanted)
        self.assertTrue(next(one for one in told["joints"] if one["row"] == lower)["is_round"])
        view = self.do(do="set-joints", parents=told["parents"], pivots=told["pivots"])
        self.assertEqual(view["undo"], f"Set joints of {len(told['parents'])} parts")
        again = self.post(self.cleo, "joints", 200, {})
        self.assertEqual((again["parents"], again["pivots"]), ({}, {}), "what is said already stays")
        made = handed_over(self.illustration, self.users["ada"], self.arrangement()["version"])
        self.assertTrue(made.report["proof"]["ok"])
        parts = {part["id"]: part for part in json.loads(self.package(made)["manifest.json"])["parts"]}
        self.assertEqual(parts[lower]["parent"], upper)
        self.near(parts[lower]["pivot"]["canvas"], ELBOW)
        self.do(do="include-parts", included={upper: False})
        made = handed_over(self.illustration, self.users["ada"], self.arrangement()["version"])
        parts = {part["id"]: part for part in json.loads(self.package(made)["manifest.json"])["parts"]}
        self.assertEqual(parts[lower]["parent"], body, "of those that are handed over, the nearest carries it")

    def test_a_twin_gets_the_joints_of_the_other_side(self) -> None:
        rows = self.rows()
        left, right, body = (rows[name]["id"] for name in ("arm left/upper", "arm right/upper", "body"))
        self.do(do="set-joints", parents={left: body}, pivots={left: list(SHOULDER)})
        told = self.post(self.cleo, "joints", 200, {"rows": [left], "mirrored": True})
        self.assertEqual(told["parents"], {right: body})
        self.near(told["pivots"][right], (80, 110), 12)
        self.assertFalse(self.post(self.cleo, "joint", 200, {"row": right}), "it has no parent yet")
        self.do(do="set-joints", parents=told["parents"], pivots=told["pivots"])
        (joint,) = self.post(self.cleo, "joint", 200, {"row": right})
        self.near(joint["at"], (80, 110))

    def test_a_swing_says_where_and_how_much_and_completing_the_joint_closes_it(self) -> None:
        rows = self.rows()
        leg, body = rows["leg left/leg"]["id"], rows["body"]["id"]
        answer = self.post(self.cleo, "swing", 422, {"row": leg})
        self.assertIn("has no pivot", answer["detail"])
        self.do(do="set-joints", parents={leg: body}, pivots={leg: list(HIP)})
        round_end = self.post(self.cleo, "swing", 200, {"row": leg, "start": -40, "end": 40, "steps": 17})
        self.assertLessEqual(max(sum(one) for one in round_end["opened"]), 4)
        self.assertLess(max(sum(one) for one in round_end["jutting"]), 12)
        # About another place its end comes out of the body.
        self.do(do="set-pivots", pivots={leg: [118, 268]})
        out = self.post(self.cleo, "swing", 200, {"row": leg, "start": -40, "end": 40, "steps": 17})
        self.assertGreater(max(sum(one) for one in out["jutting"]), 100)
        self.assertEqual(len(out["degrees"]), 17)
        at = self.post(self.cleo, "swing", 200, {"row": leg, "start": -40, "end": 40, "steps": 17, "at": 0})
        self.assertEqual((at["at"], at["worst"]), (0, out["worst"]))

    def test_circles_are_refused_with_who_carries_whom(self) -> None:
        rows = self.rows()
        upper, lower = rows["arm left/upper"]["id"], rows["arm left/lower"]["id"]
        self.do(do="set-joints", parents={lower: upper})
        answer = self.do(422, do="set-joints", parents={upper: lower})
        self.assertEqual(answer["code"], "cannot-carry")
        self.assertIn("'lower', 'upper', 'lower'", answer["detail"])

    def test_notes_and_what_was_decided(self) -> None:
        rows = self.rows()
        found = self.order()
        self.assertEqual([one["label"] for one in found["series"] if one["meaning"] is None], ["flag"])
        self.assertEqual(sorted(self.kinds()), ["pair", "series"])
        pair = next(one for one in found["findings"] if one["kind"] == "pair")
        self.assertEqual(pair["sentence"], "'badge_L' has no twin on the right.")
        flags = next(one for one in found["series"] if one["label"] == "flag")
        self.do(do="decide", decisions={"meanings": {flags["key"]: "neither"}, "required": ["flag-1", "whistle"]})
        found = self.order()
        self.assertEqual([one["row"] is not None for one in found["required"]], [True, False])
        self.assertEqual(sorted(self.kinds()), ["pair", "required"])
        self.post(self.ben, "undo")
        self.assertEqual(sorted(self.kinds()), ["pair", "series"])
        self.do(do="set-joints", parents={rows["head"]["id"]: rows["body"]["id"]})
        self.assertIn("pivot", self.kinds())
        self.do(do="rename-rows", names={rows["head"]["id"]: "h\u0435ad"})
        name = next(one for one in self.order()["findings"] if one["kind"] == "name")
        self.assertEqual((name["proposal"], name["severity"]), ("head", "warning"))
        answer = self.do(422, do="decide", decisions={"travel": "far"})
        self.assertIn("travel", json.dumps(answer))

    def test_depths_and_the_way_of_the_camera(self) -> None:
        rows = self.rows()
        parts = [row["id"] for row in rows.values() if row["kind"] == "part"]
        self.do(do="spread-depths", rows=parts, step=100)
        self.assertNotIn("depth", self.kinds())
        body, head = rows["body"]["id"], rows["head"]["id"]
        self.do(do="set-depths", depths={head: 2000})
        found = next(one for one in self.order()["findings"] if one["kind"] == "depth")
        self.assertEqual(found["rows"][0], head)
        self.do(do="set-depths", depths={head: 0, body: 0})
        self.do(do="decide", decisions={"travel": 60, "distance": 1000})
        self.assertEqual(self.order()["covers"], [], "no part reaches the edges")

    def test_stretchable_margins_and_roles(self) -> None:
        rows = self.rows()
        body = rows["body"]["id"]
        left, top, right, bottom = self.post(self.cleo, "margins", 200, {"row": body})["margins"]
        self.assertTrue(10 <= left <= 14 and 10 <= top <= 14 and 10 <= right <= 14 and 10 <= bottom <= 14)
        self.do(do="set-fits", margins={body: [left, top, right, bottom]}, anchors={body: [0.5, 1]})
        self.do(do="set-roles", roles={body: "press-target"})
        row = self.rows()["body"]
        self.assertEqual(
            (row["margins"], row["anchor"], row["role"]), ([left, top, right, bottom], [0.5, 1], "press-target")
        )

    def test_looking_at_the_order_of_many_parts_takes_as_many_queries_as_of_few(self) -> None:
        few = Illustration.objects.get(pk=self.illustration.pk)
        with self.assertNumQueries(4):
            order_of(few)
        many = "".join(f'<rect id="leaf-{at}" x="{at}" y="3" width="4" height="5"/>' for at in range(150))
        more = brought_in(
            self.project,
            "leaves.svg",
            f'<svg xmlns="http://www.w3.org/2000/svg" width="300" height="90">{many}</svg>'.encode(),
        )
        more = Illustration.objects.get(pk=more.pk)
        with self.assertNumQueries(4):
            found = order_of(more)
        self.assertEqual(len(found["series"][0]["rows"]), 150)

    def test_a_command_on_many_parts_takes_as_many_queries_as_one_on_few(self) -> None:
        counts = []
        for number in (3, 150):
            shapes = "".join(f'<rect id="leaf-{at}" x="{at}" y="3" width="4" height="5"/>' for at in range(number))
            svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="300" height="90">{shapes}</svg>'.encode()
            self.illustration = brought_in(self.project, f"{number}.svg", svg)
            parts = [row["id"] for row in self.arrangement()["rows"] if row["kind"] == "part"]
            with CaptureQueriesContext(connection) as asked:
                self.do(do="spread-depths", rows=parts, step=10)
            counts.append(len(asked))
        self.assertEqual(counts[0], counts[1])

    def test_the_second_of_two_is_told_which_rows_changed_and_nothing_is_lost(self) -> None:
        rows = self.rows()
        upper, body, head = (rows[name]["id"] for name in ("arm left/upper", "body", "head"))
        version = self.arrangement()["version"]
        self.do(do="set-joints", parents={upper: body})
        late = {"do": "set-joints", "parents": {upper: head}}
        told = self.post(self.ada, "steps", 409, {"version": version, "command": late})
        self.assertIn("ben", told["detail"])
        other = {"do": "set-joints", "pivots": {upper: [140, 110]}}
        self.post(self.ada, "steps", 200, {"version": version, "command": other})
        row = self.rows()["arm left/upper"]
        self.assertEqual((row["parent"], row["pivot"]), (body, [140, 110]))

    def test_a_plane_that_does_not_cover_the_cameras_way_goes_on_beyond_the_view(self) -> None:
        scene = b"""<svg xmlns="http://www.w3.org/2000/svg" width="200" height="100"><rect id="sky" width="200" height="60" fill="#246"/>
            <path id="hill" d="M0 100 V40 L60 70 L200 50 V100 z" fill="#363"/></svg>"""
        self.illustration = brought_in(self.project, "scene.svg", scene)
        sky, hill = (self.rows()[name]["id"] for name in ("sky", "hill"))
        self.do(do="set-depths", depths={sky: 1000})
        self.do(do="decide", decisions={"travel": 60, "distance": 1000})
        lacks = {one["row"]: (one["left"], one["right"]) for one in self.order()["covers"]}
        self.assertEqual(lacks, {sky: (15, 15), hill: (30, 30)})
        self.assertEqual(self.kinds(), ["cover", "cover"])
        view = self.now(self.ben, do="reach-beyond", row=hill)
        self.assertEqual(view["undo"], "Mirror 'hill' beyond the view")
        row = next(one for one in view["rows"] if one["id"] == hill)
        self.assertEqual(row["box"], [-30, 40, 260, 60])
        self.now(self.ben, do="reach-beyond", row=sky, how="enlarge")
        self.assertEqual(self.kinds(), [])
        made = handed_over(self.illustration, self.users["ada"], self.arrangement()["version"])
        self.assertTrue(made.report["proof"]["ok"], made.report)
        again = self.now(self.ben, 422, do="reach-beyond", row=hill)
        self.assertIn("covers the camera travel", again["detail"])
        self.assertEqual([one["kind"] for one in self.cleo.get(self.address("findings")).json()], [])

    def test_a_joint_that_opens_is_found_in_the_pixels_and_rounded_off(self) -> None:
        scene = b"""<svg xmlns="http://www.w3.org/2000/svg" width="220" height="220"><rect id="body" x="60" y="20" width="100" height="100" fill="#246"/>
            <rect id="limb" x="90" y="120" width="40" height="80" fill="#363"/></svg>"""
        self.illustration = brought_in(self.project, "limb.svg", scene)
        body, limb = (self.rows()[name]["id"] for name in ("body", "limb"))
        self.do(do="set-joints", parents={limb: body}, pivots={limb: [110, 120]})
        (found,) = self.cleo.get(self.address("findings")).json()
        self.assertEqual((found["kind"], found["rows"], found["severity"]), ("joint", [limb, body], "warning"))
        before = self.post(self.cleo, "swing", 200, {"row": limb})
        self.assertGreater(max(sum(one) for one in before["opened"]), 50)
        told = self.post(self.cleo, "completions", 200, {"row": limb})
        self.assertEqual(told["opens"], max(sum(one) for one in before["opened"]))
        mends = {one["command"]["do"]: (one["command"]["row"], one["opens"]) for one in told["mends"]}
        self.assertEqual(mends, {"grow-under": (body, 0), "round-off": (body, 0)})
        view = self.now(self.ben, do="round-joint", row=limb)
        self.assertEqual(view["undo"], "Round off 'body'")
        self.assertEqual(self.post(self.cleo, "completions", 200, {"row": limb}), {"opens": 0, "mends": []})
        refused = self.now(self.ben, 422, do="round-joint", row=limb)
        self.assertIn("Nothing opens at the joint of 'limb'", refused["detail"])
        self.assertEqual(self.cleo.get(self.address("findings")).json(), [])
        after = self.post(self.cleo, "swing", 200, {"row": limb})
        self.assertEqual(max(sum(one) for one in after["opened"]), 0)
        self.assertEqual(self.cleo.get(self.address("difference")).json()["differing"], 0, "at rest it is as it was")
