"""A figure in memory on which every command can be carried out, and one command of each kind."""

import numpy as np
from PIL import Image, ImageDraw

from yuplet.arrangement.commands import (
    Command,
    Decide,
    EndAlternates,
    GroupRows,
    IncludeParts,
    JoinRows,
    LockParts,
    MakeAlternates,
    MoveRows,
    OrderRows,
    Place,
    PlaceParts,
    ReadAsFrames,
    ReadAsParts,
    RemoveRows,
    RenameRows,
    SetDepths,
    SetFits,
    SetJoints,
    SetPivots,
    SetRoles,
    ShowAlone,
    ShowRows,
    SplitParts,
    SpreadDepths,
    TimeFrames,
    UngroupRows,
)
from yuplet.arrangement.tree import Arrangement, arrangement_of
from yuplet.editing.adding import DuplicatePart, PastePicture, PutBackdrop, SwapPicture
from yuplet.editing.changing import Dye, GrowUnder, PaintUnder, RemoveAdded, RoundOff, TouchUp
from yuplet.editing.cutting import TakeOut, TakePieces, Wish
from yuplet.editing.jointing import ProposeJoints
from yuplet.editing.layers import MemoryLayers
from yuplet.editing.mending import (
    FillPinholes,
    KeepRest,
    LayAsNormal,
    ReachBeyond,
    RoundJoint,
    ShareDrawing,
    SweepCrumbs,
)
from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration, Layer, LayerGroup
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.selecting.gestures import Brush, DrawRound, SameColour

CANVAS = Size(120, 90)
CREAM, RED, BLUE, GREEN = (240, 228, 200), (190, 50, 40), (40, 70, 170), (60, 140, 70)


def drawn(size: Size, *shapes: tuple[str, tuple[int, int, int, int], tuple[int, int, int]]) -> Picture:
    """Shapes on a transparent ground, without soft edges."""
    image = Image.new("RGBA", size)
    draw = ImageDraw.Draw(image)
    for kind, place, colour in shapes:
        getattr(draw, kind)(place, fill=(*colour, 255))
    return np.array(image)


def figure(scratch: SpillFile) -> Illustration:
    """A ground, a body with a belt over it, a limb below it that it overlaps, two equal beads, and a fog in another mode."""
    pictures = {
        "ground": (Box(0, 0, 120, 90), drawn(CANVAS, ("rectangle", (0, 0, 119, 89), CREAM))),
        "limb": (Box(50, 50, 62, 84), drawn(Size(12, 34), ("rectangle", (0, 0, 11, 33), GREEN))),
        "body": (
            Box(36, 12, 76, 56),
            drawn(Size(40, 44), ("rectangle", (0, 0, 39, 43), RED), ("ellipse", (14, 8, 26, 20), BLUE)),
        ),
        "belt": (Box(36, 40, 76, 48), drawn(Size(40, 8), ("rectangle", (0, 0, 39, 7), BLUE))),
        "bead 1": (Box(4, 4, 16, 16), drawn(Size(12, 12), ("ellipse", (0, 0, 11, 11), GREEN))),
        "bead 2": (Box(100, 4, 112, 16), drawn(Size(12, 12), ("ellipse", (0, 0, 11, 11), GREEN))),
        "fog": (Box(0, 70, 120, 90), drawn(Size(120, 20), ("rectangle", (0, 0, 119, 19), (200, 210, 220)))),
    }
    crumb = np.zeros((30, 30, 4), np.uint8)
    crumb[2:22, 2:22] = (*BLUE, 255)
    crumb[28, 28] = (*BLUE, 255)
    crumb[10, 10] = 0
    pictures["dusty"] = (Box(84, 30, 113, 59), crumb[1:, 1:])
    for name, (box, picture) in pictures.items():
        assert picture.shape[:2] == (box.height, box.width), name
        scratch.put(name, picture)

    def layer(name: str, **state: object) -> Layer:
        return Layer(name, name, pictures[name][0], **state)  # type: ignore[arg-type]

    frames = LayerGroup("beads", "beads", (layer("bead 1"), layer("bead 2")))
    rows = (
        layer("ground"), layer("limb"), layer("body"), layer("belt"), layer("dusty"), frames, layer("fog", blend="overlay"),
    )  # fmt: skip
    return Illustration("figure", CANVAS, rows)


BUTTON = Wish("button", (SameColour((56, 26), 6.0),))
UPPER_LIMB = Wish("upper limb", (DrawRound(((40.0, 40.0), (80.0, 40.0), (80.0, 66.0), (40.0, 66.0))),))
OPENING = (
    ShowRows({"ground": False}),
    PlaceParts({"body": (0, -6)}),
    SetJoints({"limb": "body"}, {"limb": (56.0, 50.0)}),
)
"""The limb only meets the body, so that its joint opens."""

SAMPLES: tuple[tuple[tuple[Command, ...], Command], ...] = (
    ((), RenameRows({"body": "coat", "beads": "pearls"})),
    ((), ShowRows({"body": False, "beads": True})),
    ((), IncludeParts({"ground": False})),
    ((), LockParts({"body": True})),
    ((), ShowAlone("body")),
    ((), MoveRows((Place("ground", "beads", 1), Place("fog", None, 0)))),
    ((), OrderRows(None, "name")),
    ((), PlaceParts({"body": (3, -4)})),
    ((), SetPivots({"body": (50.0, 20.0), "limb": None})),
    ((), SetJoints({"limb": "body"}, {"limb": (56.0, 52.0)})),
    ((), SetDepths({"ground": 500.0})),
    ((), SpreadDepths(("ground", "body", "fog"), 100.0, -50.0, True)),
    ((), SetRoles({"ground": "ground"})),
    ((), SetFits({"body": (4, 4, 4, 4)}, {"body": (0.5, 1.0)})),
    ((ReadAsFrames(("beads",)),), TimeFrames("beads", (100, None))),
    ((), Decide({"travel": 60.0, "required": ["body"]})),
    ((), ReadAsFrames(("beads",))),
    ((ReadAsFrames(("beads",)),), ReadAsParts("beads")),
    ((), JoinRows(("body", "belt"))),
    ((JoinRows(("body", "belt")),), SplitParts(("jbody",))),
    ((), GroupRows(("body", "belt"))),
    ((), UngroupRows(("beads",))),
    ((), RemoveRows(("beads", "belt"))),
    ((), MakeAlternates(("beads",))),
    ((MakeAlternates(("beads",)),), EndAlternates("beads")),
    ((), TakeOut("body", (BUTTON,), "flat")),
    ((UngroupRows(("beads",)), JoinRows(("bead 1", "bead 2"))), TakePieces("jbead 1", gap=1.0, behind="flat")),
    ((TakeOut("limb", (UPPER_LIMB,)),), GrowUnder("limb", 5, (9, 9, 9))),
    ((TakeOut("limb", (UPPER_LIMB,)),), RoundOff("limb", (56.0, 66.0), 6.0)),
    ((TakeOut("limb", (UPPER_LIMB,)),), PaintUnder("limb", (Brush(((52.0, 63.0), (60.0, 63.0)), 6.0),), "flat")),
    ((TakeOut("body", (BUTTON,), "flat"),), RemoveAdded("body")),
    ((TakeOut("body", (BUTTON,), "flat"),), TouchUp("m1", (Brush(((48.0, 26.0),), 4.0),))),
    ((), Dye("body", (10, 90, 200), True)),
    ((), DuplicatePart("body", True, 1, "middle")),
    ((), PutBackdrop(((9, 20, 60), (250, 240, 200)))),
    ((), PastePicture("star.png", "star", "body", pivot=(0.5, 0.25), role="loose")),
    ((), SwapPicture("body", "star.png", "star")),
    ((), SweepCrumbs("dusty")),
    ((), FillPinholes("dusty")),
    ((IncludeParts({"ground": False}),), KeepRest("ground")),
    ((), ShareDrawing(("bead 1", "bead 2"))),
    ((SetDepths({"fog": 0.0}), Decide({"travel": 60.0, "distance": 1000.0})), ReachBeyond("fog")),
    (OPENING, RoundJoint("limb")),
    ((), LayAsNormal("fog")),
    ((), ProposeJoints(("limb",))),
)
"""What is done before, and a command of each kind."""


def star(_: str) -> Picture:
    """The picture that comes with commands."""
    return drawn(Size(20, 20), ("polygon", (10, 0, 19, 19, 0, 12), (250, 200, 40)))  # type: ignore[arg-type]


def started(scratch: SpillFile) -> tuple[Arrangement, MemoryLayers]:
    """The figure as it was brought in."""
    illustration = figure(scratch)
    return arrangement_of(illustration)[0], MemoryLayers(illustration, scratch, star)
