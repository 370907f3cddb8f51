"""Every command there is, and what reads and describes them: the one table."""

from yuplet.arrangement.commands import COMMANDS as OF_ROWS
from yuplet.arrangement.commands import Codec, Command
from yuplet.editing.adding import DuplicatePart, PastePicture, PutBackdrop, SwapPicture
from yuplet.editing.changing import Dye, GrowUnder, PaintUnder, RemoveAdded, RoundOff, TouchUp
from yuplet.editing.cutting import TakeOut, TakePieces
from yuplet.editing.jointing import ProposeJoints
from yuplet.editing.mending import (
    FillPinholes,
    KeepRest,
    LayAsNormal,
    ReachBeyond,
    RoundJoint,
    ShareDrawing,
    SweepCrumbs,
)

OF_PIXELS: tuple[type[Command], ...] = (
    TakeOut, TakePieces, GrowUnder, RoundOff, PaintUnder, RemoveAdded, TouchUp, Dye, DuplicatePart, PutBackdrop, PastePicture,
    SwapPicture, SweepCrumbs, FillPinholes, KeepRest, ShareDrawing, ReachBeyond, RoundJoint, LayAsNormal, ProposeJoints,
)  # fmt: skip
COMMANDS = (*OF_ROWS, *OF_PIXELS)
CODEC = Codec(COMMANDS)
