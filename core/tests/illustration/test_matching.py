"""Which layer is which after the art has changed, and what becomes of the parts."""

import unittest
from dataclasses import replace

import numpy as np

import signal_post
from tests.packages import PackageTestCase
from yuplet.arrangement.commands import IncludeParts, MoveRows, Place, RenameRows, ReplaceRows, apply
from yuplet.arrangement.revision import take_revision
from yuplet.arrangement.tree import Arrangement, arrangement_of
from yuplet.geometry import Box, Point, Size
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode
from yuplet.illustration.matching import LayerFingerprint, Match, looks, match_layers, match_revisions, renumbered
from yuplet.parts.part import Part
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile

PLACE = Box(10, 10, 34, 34)


def painted(seed: int, size: int = 24) -> Picture:
    """A picture of blobs: smooth, so that small copies of it look like it."""
    rng = np.random.default_rng(seed)
    coarse = rng.integers(0, 256, (4, 4, 4), dtype=np.uint8)
    coarse[..., 3] = 255
    return np.ascontiguousarray(np.kron(coarse, np.ones((size // 4, size // 4, 1), np.uint8)))


def look(name: str, seed: int, box: Box = PLACE, group: str = "", layer_id: str = "") -> LayerFingerprint:
    picture = painted(seed)
    return LayerFingerprint(layer_id or name, (*group.split("/"), name) if group else (name,), box, str(seed), picture)


def pairs(
    old: list[LayerFingerprint], new: list[LayerFingerprint]
) -> dict[str | None, tuple[str | None, tuple[str, ...]]]:
    return {match.new or f"-{match.old}": (match.old, match.changes) for match in match_layers(old, new)}


class MatchingTests(unittest.TestCase):
    def test_by_path_first_and_what_differs_is_said(self) -> None:
        old = [look("arm", 1), look("leg", 2), look("hat", 3)]
        moved = replace(look("leg", 2), box=Box(15, 7, 39, 31))
        found = match_layers(old, [look("arm", 1), moved, look("hat", 9)])
        self.assertEqual(
            found,
            [
                Match("arm", "arm", ("kept",)),
                Match("leg", "leg", ("moved",), 5, -3),
                Match("hat", "hat", ("repainted",)),
            ],
        )

    def test_a_renamed_layer_is_found_by_its_pixels(self) -> None:
        found = pairs([look("arm", 1), look("leg", 2)], [look("leg", 2), look("upper arm", 1, layer_id="x")])
        self.assertEqual(found, {"leg": ("leg", ("kept",)), "x": ("arm", ("renamed",))})

    def test_a_layer_in_another_group_is_found_by_its_pixels(self) -> None:
        found = pairs([look("arm", 1, group="body")], [look("arm", 1, group="body/left", layer_id="x")])
        self.assertEqual(found, {"x": ("arm", ("regrouped",))})

    def test_a_layer_renamed_and_repainted_is_found_by_likeness(self) -> None:
        repainted = painted(1)
        repainted[4:9, 4:9, :3] = 0
        after = LayerFingerprint("x", ("arm copy",), Box(11, 10, 35, 34), "other", repainted)
        self.assertEqual(pairs([look("arm", 1)], [after]), {"x": ("arm", ("repainted", "moved", "renamed"))})

    def test_what_is_not_alike_is_new_and_gone(self) -> None:
        far = replace(look("lamp", 8), box=Box(200, 200, 224, 224))
        found = pairs([look("arm", 1)], [far])
        self.assertEqual(found, {"lamp": (None, ("new",)), "-arm": ("arm", ("gone",))})

    def test_equal_pictures_are_paired_by_name_and_each_once(self) -> None:
        old = [look("reed 1", 5), look("reed 2", 5), look("reed 3", 5)]
        new = [look("reed 3", 5, group="g", layer_id="c"), look("reed 1", 5, group="g", layer_id="a")]
        found = pairs(old, new)
        self.assertEqual((found["c"][0], found["a"][0], found["-reed 2"][1]), ("reed 3", "reed 1", ("gone",)))

    def test_two_layers_of_one_path_are_paired_in_order(self) -> None:
        old = [look("spot", 1, layer_id="a"), look("spot", 2, layer_id="b")]
        new = [look("spot", 3, layer_id="c"), look("spot", 4, layer_id="d")]
        self.assertEqual([(match.old, match.new) for match in match_layers(old, new)], [("a", "c"), ("b", "d")])

    def test_what_somebody_decided_comes_first(self) -> None:
        old, new = [look("arm", 1), look("leg", 2)], [look("arm", 1, layer_id="x"), look("leg", 2, layer_id="y")]
        found = match_layers(old, new, {"x": "leg", "y": None})
        self.assertEqual([(match.old, match.new) for match in found], [("leg", "x"), (None, "y"), ("arm", None)])

    def test_a_hundred_layers_shuffled_renamed_and_moved(self) -> None:
        old = [look(f"part {n}", n, Box(n, 0, n + 24, 24)) for n in range(100)]
        new = [replace(one, id=f"n{n}", path=(f"other {n}",)) for n, one in enumerate(old)]
        found = match_layers(old, new[::-1])
        self.assertEqual({match.new: match.old for match in found}, {f"n{n}": f"part {n}" for n in range(100)})


def without_layers(arrangement: Arrangement, art: Illustration) -> list[str]:
    """The parts that the art has no layer of."""
    there = {layer.id for layer in art.leaves()}
    return [part.id for _, part in arrangement.parts() if not part.layers & there]


class TakeRevisionTests(PackageTestCase):
    """The signal post, changed as an artist would."""

    def setUp(self) -> None:
        super().setUp()
        start, _ = arrangement_of(self.illustration)
        steps = [
            RenameRows({"lamp": "signal lamp"}),
            IncludeParts({"mist": False}),
            MoveRows((Place("glow", None, 0),)),
        ]
        for step in steps:
            start = apply(start, step)
        self.start = start.changed(
            lambda row: replace(row, pivot=Point(40, 20)) if isinstance(row, Part) and row.id == "lamp" else row
        )

    def changed(self, change: dict[str, Layer | None], extra: tuple[LayerNode, ...] = ()) -> Illustration:
        """The illustration with layers changed (None: taken out) and others in front."""

        def each(nodes: tuple[LayerNode, ...]) -> tuple[LayerNode, ...]:
            kept = []
            for node in nodes:
                if isinstance(node, LayerGroup):
                    kept.append(replace(node, id=f"new-{node.id}", members=each(node.members)))
                elif (after := change.get(node.id, node)) is not None:
                    kept.append(replace(after, id=f"new-{node.id}"))
            return tuple(kept)

        return replace(self.illustration, layers=(*each(self.illustration.layers), *extra))

    def layer(self, layer_id: str) -> Layer:
        return next(layer for layer in self.illustration.leaves() if layer.id == layer_id)

    def taken(
        self, new: Illustration, pixels: dict[str, str], remove: tuple[str, ...] = ()
    ) -> tuple[Arrangement, ReplaceRows, Illustration]:
        """Take a revision; `pixels` are the fingerprints of new layers that are not as they were."""
        before = looks(self.illustration, {layer.id: layer.id for layer in self.illustration.leaves()}, {})
        prints = {layer.id: pixels.get(layer.id, layer.id.removeprefix("new-")) for layer in new.leaves()}
        matches = match_layers(before, looks(new, prints, {}))
        numbered, _ = renumbered(new, self.illustration, matches, "r2-")
        step = take_revision(self.start, self.illustration, numbered, matches, remove, 2)
        return apply(self.start, step), step, numbered

    def test_nothing_changed_nothing_to_do(self) -> None:
        after, step, numbered = self.taken(self.changed({}), {})
        self.assertEqual((after, step.put), (self.start, ()))
        self.assertEqual(numbered, self.illustration)

    def test_a_repainted_layer_leaves_everything_about_its_part(self) -> None:
        lamp = self.layer("lamp")
        assert lamp.box is not None
        grown = replace(lamp, box=Box(lamp.box.left - 3, lamp.box.top, lamp.box.right, lamp.box.bottom))
        after, _, _ = self.taken(self.changed({"lamp": grown}), {"new-lamp": "other"})
        self.assertEqual(after, self.start)

    def test_where_the_same_pixels_lie_elsewhere_the_pivot_goes_along(self) -> None:
        lamp = self.layer("lamp")
        assert lamp.box is not None
        after, _, _ = self.taken(self.changed({"lamp": replace(lamp, box=lamp.box.moved(6, -2))}), {})
        part = after.find("lamp")[1]
        self.assertEqual((part.name, getattr(part, "pivot", None)), ("signal lamp", Point(46, 18)))

    def test_a_new_layer_is_a_part_in_front_of_what_it_was_drawn_over(self) -> None:
        moon = Layer("moon", "moon", Box(0, 0, 5, 5))
        hand = LayerGroup(
            "hands", "hands", (Layer("h1", "left", Box(0, 0, 2, 2)), Layer("h2", "right", Box(2, 0, 4, 2)))
        )
        after, step, _ = self.taken(self.changed({}, (moon, hand)), {"moon": "m", "h1": "1", "h2": "2"})
        rows = ["/".join((*(g.name for g in around), row.name)) for around, row in after.walk()]
        self.assertEqual(rows[-4:], ["moon", "hands", "hands/left", "hands/right"])
        self.assertEqual(apply(after, step.inverse(self.start)), self.start)

    def test_a_layer_that_is_gone_leaves_its_part_or_takes_it_along(self) -> None:
        new = self.changed({"lamp": None})
        kept, _, numbered = self.taken(new, {})
        self.assertEqual((kept, without_layers(kept, numbered)), (self.start, ["lamp"]))
        out, step, numbered = self.taken(new, {}, ("lamp",))
        self.assertEqual(
            (without_layers(out, numbered), len(list(out.parts()))), ([], len(list(self.start.parts())) - 1)
        )
        self.assertEqual(apply(out, step.inverse(self.start)), self.start)

    def test_an_opacity_follows_the_art(self) -> None:
        after, _, _ = self.taken(self.changed({"lamp": replace(self.layer("lamp"), opacity=0.25)}), {})
        self.assertEqual(after.find("lamp")[1].opacity, 0.25)

    def test_every_other_file_of_a_second_hand_over_has_the_same_bytes(self) -> None:
        self.hand_over(self.start)
        before = {path.name: path.read_bytes() for path in self.package.rglob("*.png")}
        repainted = SpillFile()
        self.addCleanup(repainted.__exit__)
        signal_post.signal_post(repainted)
        lamp = repainted.whole("lamp").copy()
        lamp[..., 0] = 255 - lamp[..., 0]
        repainted.put("lamp", lamp)
        self.scratch = repainted
        after, _, self.illustration = self.taken(self.changed({}), {"new-lamp": "other"})
        report = self.hand_over(after)
        self.assertTrue(report.proof.ok, report.proof)
        now = {path.name: path.read_bytes() for path in self.package.rglob("*.png")}
        self.assertEqual({name for name in now if now[name] != before[name]}, {"signal lamp.png", "reference.png"})
        self.assertEqual(set(now), set(before))


class FramesInARevisionTests(unittest.TestCase):
    def test_an_animation_gets_more_frames(self) -> None:
        def animated(count: int) -> Illustration:
            frames = tuple(
                Layer(f"l{n}", f"frame {n}", Box(0, 0, 2, 2), visible=n == 1, milliseconds=50)
                for n in range(1, count + 1)
            )
            return Illustration("lamp", Size(2, 2), (LayerGroup("frames", "lamp", frames, are_frames=True),))

        old, new = animated(2), animated(3)
        matches = match_layers(looks(old, {}, {}), looks(new, {}, {}))
        numbered, ids = renumbered(new, old, matches, "r2-")
        self.assertEqual((ids["l1"], ids["l3"][:3]), ("l1", "r2-"))
        start, _ = arrangement_of(old)
        after = apply(start, take_revision(start, old, numbered, matches, (), 2))
        part = after.find("frames")[1]
        assert isinstance(part, Part)
        self.assertEqual((len(part.frames), len(list(after.walk()))), (3, 1))

    def test_a_picture_cut_into_frames_stays_one_part(self) -> None:
        whole = Layer("a", "walk", Box(0, 0, 40, 10))
        old = Illustration("walk", Size(40, 10), (whole,))
        frames = tuple(Layer(f"f{number}", f"frame {number}", Box(1, 1, 9, 9)) for number in range(4))
        new = Illustration("walk", Size(10, 10), (LayerGroup("g", "walk", frames, are_frames=True),))
        start = apply(arrangement_of(old)[0], RenameRows({"a": "stroll"}))
        matches, cut = match_revisions(old, new, looks(old, {}, {}), looks(new, {}, {}))
        self.assertEqual((matches, list(cut)), ([], ["a"]))
        numbered, _ = renumbered(new, old, matches, "r2-")
        # Whoever says that it is to go takes it for gone, which it is not.
        after = apply(start, take_revision(start, old, numbered, matches, ("a",), 2))
        (part,) = (part for _, part in after.parts())
        self.assertEqual((part.id, part.name, len(part.frames)), ("a", "stroll", 4))
