"""What closes a joint, and what only seems to: tried on layers that nobody keeps."""

from pathlib import Path

import yuplet
from tests.packages import FolderTestCase
from yuplet.editing.changing import GrowUnder
from yuplet.editing.completing import completions, opens, opens_after, turning_at
from yuplet.errors import CannotTakeOut

LIMB = """<svg xmlns="http://www.w3.org/2000/svg" width="220" height="220"><rect id="body" x="60" y="20" width="100" height="{body}" fill="#246"/>
  <rect id="limb" x="90" y="{top}" width="40" height="80" fill="#363"/></svg>"""


class CompletionTests(FolderTestCase):
    def opened(self, top: int, body: int = 100) -> yuplet.Work:
        path: Path = self.folder / "limb.svg"
        path.write_text(LIMB.format(top=top, body=body))
        work = self.enterContext(yuplet.open(path))
        carrier, limb = (row["id"] for row in work.rows())
        work.apply({"do": "set-joints", "parents": {limb: carrier}, "pivots": {limb: [110, 120]}})
        self.limb = limb
        return work

    def test_a_limb_that_only_meets_the_body_is_closed_and_nothing_is_kept(self) -> None:
        work = self.opened(120)
        layers = work._layers
        before = len(layers.illustration.made)
        now = opens(turning_at(work.arrangement, layers, self.limb)[1])
        told, found = completions(work.arrangement, layers, self.limb)
        self.assertEqual(told, now)
        self.assertGreater(now, 50)
        self.assertEqual([one.opens for one in found], [0, 0])
        self.assertEqual(len(layers.illustration.made), before)
        for completion in found:
            self.assertEqual(opens_after(work.arrangement, layers, self.limb, completion.command), 0)
        work.apply({"do": "round-joint", "row": self.limb})
        self.assertEqual(opens(turning_at(work.arrangement, work._layers, self.limb)[1]), 0)
        self.assertEqual(completions(work.arrangement, work._layers, self.limb)[1], [])

    def test_a_good_joint_is_left_alone_and_no_layer_is_made(self) -> None:
        work = self.opened(100, 130)
        layers = work._layers
        self.assertEqual(opens(turning_at(work.arrangement, layers, self.limb)[1]), 0)
        self.assertEqual(completions(work.arrangement, layers, self.limb)[1], [])
        with self.assertRaises(CannotTakeOut):
            work.apply({"do": "round-joint", "row": self.limb})
        self.assertEqual(len(layers.illustration.made), 0)

    def test_what_makes_a_good_joint_worse_is_not_offered(self) -> None:
        path = self.folder / "behind.svg"
        path.write_text(
            """<svg xmlns="http://www.w3.org/2000/svg" width="220" height="220"><rect id="limb" x="90" y="100" width="40" height="80" rx="18"
            fill="#363"/><rect id="body" x="60" y="20" width="100" height="130" fill="#246"/></svg>"""
        )
        work = self.enterContext(yuplet.open(path))
        limb, body = (row["id"] for row in work.rows())
        work.apply({"do": "set-joints", "parents": {limb: body}, "pivots": {limb: [110, 120]}})
        # Grown beneath the body it has shoulders, which leave it when it turns.
        self.assertGreater(opens_after(work.arrangement, work._layers, limb, GrowUnder(limb, 20)) or 0, 10)
        self.assertEqual(completions(work.arrangement, work._layers, limb)[1], [])

    def test_what_has_no_pivot_does_not_turn(self) -> None:
        work = self.opened(120)
        with self.assertRaisesRegex(CannotTakeOut, "has no pivot"):
            completions(work.arrangement, work._layers, work.rows()[0]["id"])
