"""Motions as pages, drawings and models: read back by other code, and what they cannot carry is said."""

import json
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from PIL import Image

from tests.packages import FolderTestCase
from yuplet.errors import MotionError
from yuplet.playable import elements, written
from yuplet.playable.written import ENDINGS, Kind, Written, kind_of, write_motion
from yuplet.rehearsal.images import Decoded, kept
from yuplet.rehearsal.motion.document import Key, Motion, MotionPath, Stage, Track
from yuplet.rehearsal.motion.rig import Rig, RigPart, RigSet
from yuplet.rehearsal.package import GroupEntry, PartUse
from yuplet.rehearsal.picture import Placed, Scene

PLAYED: tuple[Kind, ...] = ("page", "drawing", "model", "motion")
SIZE = (200, 120)


class PlayableCase(FolderTestCase):
    """An arm that carries a hand, which carries a lamp in two forms; a flame of three pictures; a plane behind, and a camera."""

    def setUp(self) -> None:
        super().setUp()
        boxes = {"arm": (20, 20, 80, 12), "hand": (92, 16, 20, 20), "lit": (100, 30, 30, 30), "out": (100, 30, 30, 30), "flame": (150, 60, 20, 30), "plane": (-20, 80, 240, 40)}  # fmt: skip
        pivots = {"arm": (24.0, 26.0), "hand": (94.0, 26.0), "lit": (115.0, 32.0)}
        parents = {"hand": "arm", "lit": "hand", "out": "hand"}
        self.images = {name: self.image(name, box[2], box[3]) for name, box in boxes.items()}
        placed = {name: self.placed(name, box) for name, box in boxes.items()}
        flames = tuple((self.image(f"flame {at}", 20, 30), long) for at, long in enumerate((100, None, 300)))
        placed["flame"] = self.placed("flame", boxes["flame"], flames)
        tree = (
            PartUse("plane", True),
            GroupEntry("arm", True, 0.8, "normal", False, (PartUse("arm", True), PartUse("hand", True))),
            GroupEntry("lamp", True, 1.0, "multiply", True, (PartUse("lit", True), PartUse("out", False)), True),
            PartUse("flame", True),
        )
        self.scene = Scene(
            way="places", scale=1.0, width=SIZE[0], height=SIZE[1], tree=tree, placed=placed, ground=None, largest=0.0, mean=0.0
        )  # fmt: skip
        self.rig = Rig(
            tuple(
                RigPart(
                    id=name, name=name, pivot=pivots.get(name), middle=(box[0] + box[2] / 2, box[1] + box[3] / 2),
                    parent=parents.get(name), depth=400.0 if name == "plane" else 0.0, box=box, path=name,
                )
                for name, box in boxes.items()
            ),
            {"lamp": RigSet(("lit", "out"), 0)},
            SIZE,
            1000.0,
        )  # fmt: skip
        self.motion = Motion(
            stage=Stage(rate=12, duration=2.0, ground="#204060"),
            paths=(MotionPath("flame", "M 150 60 C 90 10 60 90 20 70", 0.0),),
        ).with_tracks(
            {
                track.place: track
                for track in (
                    Track("arm", "rotate", (Key(0, 0.0, "ease-in-out"), Key(1, 200.0), Key(2, -30.0))),
                    Track("arm", "scale", (Key(0, (1.0, 1.0)), Key(1.5, (1.4, 0.6)))),
                    Track("hand", "translate", (Key(0, (0.0, 0.0)), Key(2, (7.5, -3.25)))),
                    Track("hand", "rotate", (Key(0, 0.0, "steps(3)"), Key(2, 90.0))),
                    Track("hand", "opacity", (Key(0, 1.0), Key(1, 0.25))),
                    Track("lamp", "shown", (Key(0, "lit"), Key(0.5, "out"), Key(1.5, "lit"))),
                    Track("flame", "offset-distance", (Key(0, 0.0), Key(2, 100.0))),
                    Track("@camera", "camera", (Key(0, (-40.0, 0.0, 0.0)), Key(2, (40.0, 5.0, 100.0)))),
                    Track("@stage", "ground", (Key(0, "#000000"), Key(2, "#ffffff"))),
                )
            }
        )

    def image(self, name: str, width: int, height: int) -> Decoded:
        picture = Image.new("RGBA", (width, height), (sum(map(ord, name)) % 256, 90, 30, 255))
        return kept(picture, self.folder / f"{name}.raw")

    def placed(self, name: str, box: tuple[int, ...], moments: tuple[tuple[Decoded, int | None], ...] = ()) -> Placed:
        left, top, width, height = box
        return Placed(
            label=name, image=moments[0][0] if moments else self.images[name], left=left, top=top, opacity=0.9 if name == "arm" else 1.0,
            blend="source-atop" if name == "plane" else "normal", area=(left, top, left + width, top + height), moments=moments,
        )  # fmt: skip

    def write(self, kind: Kind, **stage: Any) -> tuple[Written, Path]:
        motion = self.motion
        if stage:
            values = {name: getattr(motion.stage, name) for name in Stage.__dataclass_fields__}
            motion = Motion(stage=Stage(**values | stage), tracks=motion.tracks, paths=motion.paths)
        path = self.folder / f"motion{ENDINGS[kind]}"
        return write_motion(self.scene, self.rig, motion, kind, path, title="The lamp </script>"), path


class PlayableTests(PlayableCase):
    def test_what_was_written_is_the_motion(self) -> None:
        for kind in PLAYED:
            for stage in (
                {},
                {"direction": "alternate"},
                {"direction": "reverse", "iterations": 2.0},
                {"direction": "alternate-reverse", "iterations": 1.5},
                {"duration": 1.37, "rate": 10},
            ):
                with self.subTest(kind, **stage):
                    found, _ = self.write(kind, **stage)
                    assert found.replay is not None
                    self.assertTrue(found.replay.ok, found.replay)
                    self.assertGreaterEqual(found.replay.moments, 13)

    def test_a_file_that_says_another_motion_is_told(self) -> None:
        for kind in PLAYED:
            with self.subTest(kind):
                _, path = self.write(kind)
                real = written._made

                def other(*given: Any, real: Any = real) -> Any:
                    data, notes = real(*given)
                    return data.replace(b"matrix(1,0,0,1,", b"matrix(1,0,0,1.2,").replace(b'"value": 200.0', b'"value": 190.0'), notes  # fmt: skip

                def model(*given: Any, real: Any = real) -> Any:
                    data, notes = real(self.scene, self.rig, self.motion.with_tracks({("arm", "rotate"): None}), *given[3:])  # fmt: skip
                    return data, notes

                with mock.patch.object(written, "_made", model if kind == "model" else other):
                    found, _ = self.write(kind)
                assert found.replay is not None
                self.assertFalse(found.replay.ok)

    def test_a_part_that_is_seen_when_it_should_not_be_is_told(self) -> None:
        for kind in ("page", "drawing"):
            with self.subTest(kind):
                real = written._made

                def other(*given: Any, real: Any = real) -> Any:
                    data, notes = real(*given)
                    return data.replace(b"hidden", b"inherit"), notes

                with mock.patch.object(written, "_made", other):
                    found, _ = self.write(kind)  # type: ignore[arg-type]
                assert found.replay is not None
                self.assertGreater(found.replay.differently, 0)

    def test_what_a_format_cannot_carry_is_said(self) -> None:
        page, _ = self.write("page")
        self.assertEqual(
            page.notes,
            (
                "1 of its parts or groups are laid by 'source-atop', which pages do not have, and are laid normally here.",
            ),
        )
        model, _ = self.write("model")
        said = " ".join(model.notes)
        for words in (
            "1 of its parts have pictures that follow each other",
            "an opacity that changes",
            "mode other than normal",
            "no ground",
        ):
            self.assertIn(words, said)
        self.assertEqual(self.write("motion")[0].notes, ())

    def test_names_are_text_and_ids_are_kept(self) -> None:
        self.scene.placed["arm"] = self.placed("arm", (20, 20, 80, 12))  # type: ignore[index]
        for kind in ("page", "drawing"):
            _, path = self.write(kind)  # type: ignore[arg-type]
            text = path.read_text()
            self.assertEqual(text.count("</script>"), 2 if kind == "page" else 0, "a title ends no script")
            self.assertNotIn("http://", text.replace("http://www.w3.org/2000/svg", ""), "nothing is asked of anybody")
            for part in ("arm", "hand", "lit", "out", "flame", "plane"):
                self.assertIn(f'data-part="{part}"', text)

    def test_the_model_keeps_to_the_specification(self) -> None:
        _, path = self.write("model")
        raw = path.read_bytes()
        self.assertEqual((raw[:4], int.from_bytes(raw[8:12], "little")), (b"glTF", len(raw)))
        value = json.loads(raw[20 : 20 + int.from_bytes(raw[12:16], "little")])
        (animation,) = value["animations"]
        targets = [(one["target"]["node"], one["target"]["path"]) for one in animation["channels"]]
        self.assertEqual(len(targets), len(set(targets)), "a property of a node is animated once (3.11)")
        names = {node["name"]: number for number, node in enumerate(value["nodes"])}
        self.assertIn(names["hand"], value["nodes"][names["arm"]]["children"])
        for sampler in animation["samplers"]:
            given = value["accessors"][sampler["input"]]
            self.assertEqual((given["type"], given["min"], given["max"]), ("SCALAR", [0.0], [2.0]))
            self.assertEqual(value["accessors"][sampler["output"]]["count"], given["count"])

    def test_what_is_too_large_is_refused_and_leaves_nothing(self) -> None:
        with (
            mock.patch.object(elements, "MOST_VALUES", 10),
            self.assertRaisesRegex(MotionError, "too much for one file"),
        ):
            self.write("page")
        with (
            mock.patch.object(elements, "MOST_BYTES", 10),
            self.assertRaisesRegex(MotionError, "too much for one file"),
        ):
            self.write("drawing")
        self.assertEqual([path for path in self.folder.iterdir() if path.suffix in (".html", ".svg")], [])
        with self.assertRaisesRegex(MotionError, "'film.mov' is no film. Give it one of the endings"):
            kind_of(Path("film.mov"))

    def test_a_carrier_that_shrinks_to_nothing_and_a_circle(self) -> None:
        flat = Track("arm", "scale", (Key(0, (1.0, 1.0)), Key(1, (0.0, 0.0)), Key(2, (1.0, 1.0))))
        self.motion = self.motion.with_tracks({flat.place: flat})
        for kind in PLAYED:
            found, _ = self.write(kind)
            assert found.replay is not None
            self.assertLess(found.replay.pixels, 0.05, kind)
        parts = [RigPart(**{name: getattr(part, name) for name in RigPart.__dataclass_fields__} | {"parent": "lit" if part.id == "arm" else part.parent}) for part in self.rig.parts]  # fmt: skip
        self.rig = Rig(tuple(parts), self.rig.sets, SIZE, 1000.0)
        found, _ = self.write("model")
        assert found.replay is not None
        self.assertLess(found.replay.pixels, 0.05)

    def test_a_long_chain_of_carriers(self) -> None:
        parts = list(self.rig.parts)
        for at in range(1200):
            above = "lit" if at == 0 else f"chain {at - 1}"
            parts.append(RigPart(id=f"chain {at}", name="chain", pivot=None, middle=(5.0, 5.0), parent=above))
        self.rig = Rig(tuple(parts), self.rig.sets, SIZE, 1000.0)
        for kind in ("model", "page"):
            found, _ = self.write(kind)  # type: ignore[arg-type]
            assert found.replay is not None
            self.assertTrue(found.replay.ok, found.replay)

    def test_pictures_of_animated_parts_follow_their_own_times(self) -> None:
        _, path = self.write("page")
        text = path.read_text()
        told = json.loads(text[text.index('id="motion">') + 12 : text.index("</script>")])
        flames = [one for one in told if one["timing"]["duration"] == 500]
        self.assertEqual(len(flames), 3)
        seen = [[frame["visibility"] for frame in one["keyframes"]] for one in flames]
        np.testing.assert_array_equal(
            seen,
            [
                ["inherit", "hidden", "hidden", "hidden"],
                ["hidden", "inherit", "hidden", "hidden"],
                ["hidden", "hidden", "inherit", "inherit"],
            ],
        )
        self.assertEqual([frame["offset"] for frame in flames[0]["keyframes"]], [0, 0.2, 0.4, 1])
