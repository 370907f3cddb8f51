"""Joints that are proposed."""

from dataclasses import field
from typing import Literal

from pydantic import StrictBool
from pydantic.dataclasses import dataclass

from yuplet.arrangement.commands import Command, SetJoints
from yuplet.arrangement.commands.base import CONFIG, RowId, Touched
from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.layer_store import LayerStore
from yuplet.editing.drawing import drawn
from yuplet.editing.edit import Edit
from yuplet.errors import CannotCarry
from yuplet.findings.jointing import propose
from yuplet.rig.round_ends import Joint
from yuplet.rig.skeleton import mirrored_joints


@dataclass(frozen=True, slots=True, config=CONFIG)
class ProposeJoints(Edit):
    """Set the parents and pivots that are proposed for parts that have none, of `rows` or of all; `mirrored`: those of their twins."""

    rows: tuple[RowId, ...] = ()
    mirrored: StrictBool = False
    do: Literal["propose-joints"] = field(default="propose-joints", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset((row, name) for row in self.rows for name in ("parent", "pivot"))

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        command, _ = self.proposed(before, layers)
        if not command.touched:
            raise CannotCarry("There is no joint to propose: parts that touch have parents and pivots already.")
        return command

    def proposed(self, before: Arrangement, layers: LayerStore) -> tuple[SetJoints, dict[str, Joint]]:
        """What would be set, and where the pivots come from."""
        if self.mirrored:
            return mirrored_joints(before, self.rows, before.boxes(layers.illustration)), {}
        with drawn(before, layers, {part.id for _, part in before.parts()}) as (frame_of, _):
            return propose(before, layers.illustration.canvas, self.rows, lambda part: frame_of(part, 0))
