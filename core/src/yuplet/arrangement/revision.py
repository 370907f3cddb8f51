"""A new revision of the art under the arrangement that is there: parts keep all that was decided about them."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from yuplet.arrangement import names
from yuplet.arrangement.commands import ReplaceRows, apply
from yuplet.arrangement.records import PutRow, to_record
from yuplet.arrangement.tree import Arrangement, PartGroup, Row, frames_of
from yuplet.geometry import Point
from yuplet.illustration.layers import Illustration, LayerGroup, LayerNode
from yuplet.illustration.matching import Match
from yuplet.parts.part import Part, still


def take_revision(
    arrangement: Arrangement,
    old: Illustration,
    new: Illustration,
    matches: Sequence[Match],
    remove: Iterable[str],
    revision: int,
    factor: float = 1.0,
) -> ReplaceRows:
    """What must be done to the rows when the art is replaced.

    Parameters
    ----------
    arrangement : Arrangement
        Parts keep name, group, order, pivot and all else. The pivot goes along where the same pixels lie elsewhere.
    old, new : Illustration
        The new one has the ids of the old one's layers where they are the same (`renumbered`).
    matches : sequence of Match
        By ids of `old`, and of `new` as it was numbered before.
    remove : iterable of str
        Parts to be taken out, since their layers are gone; one that is an animation now is not.
    revision : int
        The number of the revision that is taken.
    factor : float
        How much larger the same art is drawn; pivots and offsets keep their places in it.

    Returns
    -------
    ReplaceRows
        New layers become parts, each directly in front of the layer that it lies in front of in the art.
    """
    moving = {node.id for _, node in new.walk() if isinstance(node, LayerGroup) and node.are_frames}
    leaving = tuple(row for row in remove if row not in moving)
    work = _Work(apply(arrangement, ReplaceRows(leaving, (), "")), [])
    before = {node.id: node for _, node in old.walk()}
    moved = {
        match.old: (match.dx, match.dy) for match in matches if match.old is not None and match.changes == ("moved",)
    }
    for _, node in new.walk():
        earlier = before.get(node.id)
        if earlier is not None:
            work.restate(earlier, node, moved.get(node.id), factor)
    for _, part in list(work.arrangement.parts()):
        roots = {root for layer in part.layers for root in old.roots_of(layer)}
        if not part.layers & set(before) and len(roots) == 1:
            work.follow(part, moved.get(roots.pop()), factor)
    work.add(new.layers, None, set(before))
    return ReplaceRows(leaving, tuple(work.put), f"Take revision {revision}", revision)


@dataclass(slots=True)
class _Work:
    """The arrangement as it becomes, and the steps to it."""

    arrangement: Arrangement
    put: list[PutRow]

    def apply(self, one: PutRow) -> None:
        self.put.append(one)
        self.arrangement = apply(self.arrangement, ReplaceRows((), (one,), ""))

    def restate(self, old: LayerNode, new: LayerNode, by: tuple[int, int] | None, factor: float) -> None:
        """Let a row follow its layer in what nobody has decided otherwise: opacity, mode, isolation, frames, pivot."""
        row = self._row(new.id)
        if row is None:
            return
        changed = row
        if (row.opacity, row.blend) == (old.opacity, old.blend):
            changed = replace(changed, opacity=new.opacity, blend=new.blend)
        if isinstance(changed, PartGroup):
            if isinstance(old, LayerGroup) and isinstance(new, LayerGroup) and changed.isolated == old.isolated:
                changed = replace(changed, isolated=new.isolated)
        elif isinstance(old, LayerGroup) and isinstance(new, LayerGroup):
            if changed.frames == frames_of(old.members) and len(frames := frames_of(new.members)) > 1:
                changed = replace(changed, frames=frames)
        elif isinstance(new, LayerGroup):
            # One picture that was cut into frames; its old places mean nothing on a canvas as large as a cell.
            if changed.layers == {old.id}:
                changed = replace(changed, frames=frames_of(new.members), loops=new.loops, pivot=None, offset=(0, 0))
        elif changed.layers == {new.id}:
            changed = _followed(changed, by, factor)
        if changed != row:
            around, _ = self.arrangement.find(row.id)
            self.apply(PutRow(to_record(changed, around[-1].id if around else None), None))

    def follow(self, part: Part, by: tuple[int, int] | None, factor: float) -> None:
        """Let a part of layers that were made of one of the art follow that one."""
        changed = _followed(part, by, factor)
        if changed != part:
            around, _ = self.arrangement.find(part.id)
            self.apply(PutRow(to_record(changed, around[-1].id if around else None), None))

    def add(self, nodes: tuple[LayerNode, ...], group: str | None, known: set[str]) -> None:
        """Put new layers and groups in, each in front of the sibling that it lies in front of in the art."""
        behind: str | None = None
        for node in nodes:
            if node.id in known or self._row(node.id) is not None:
                if isinstance(node, LayerGroup) and not node.are_frames:
                    there = self._row(node.id)
                    self.add(node.members, node.id if isinstance(there, PartGroup) else group, known)
                behind = node.id
                continue
            around, index = self._place(behind, group)
            siblings = self._siblings(around)
            if isinstance(node, LayerGroup) and not node.are_frames:
                name = names.usable(node.name, [row.name for row in siblings if isinstance(row, PartGroup)], "group")
                fresh: Row = PartGroup(
                    node.id,
                    name,
                    (),
                    shown=node.visible,
                    opacity=node.opacity,
                    blend=node.blend,
                    isolated=node.isolated,
                )
            else:
                frames = frames_of(node.members) if isinstance(node, LayerGroup) else still(node.id)
                loops = node.loops if isinstance(node, LayerGroup) else 0
                name = names.usable(node.name, [row.name for row in siblings if isinstance(row, Part)])
                fresh = Part(
                    node.id,
                    name,
                    frames,
                    shown=node.visible,
                    included=True,
                    opacity=node.opacity,
                    blend=node.blend,
                    loops=loops,
                )
            self.apply(PutRow(to_record(fresh, around), index))
            if isinstance(node, LayerGroup) and not node.are_frames:
                self.add(node.members, node.id, known)
            behind = node.id

    def _place(self, behind: str | None, group: str | None) -> tuple[str | None, int]:
        """Directly in front of the row that holds a layer, wherever that is by now; else at the back of the group."""
        for around, row in self.arrangement.walk():
            if behind is not None and (row.id == behind or (isinstance(row, Part) and behind in row.layers)):
                siblings = around[-1].members if around else self.arrangement.rows
                return around[-1].id if around else None, [one.id for one in siblings].index(row.id) + 1
        if group is not None and self._row(group) is None:
            group = None
        # With nothing known behind it, a layer of the outermost level lies at the back, as it does in the art.
        return group, 0

    def _row(self, row_id: str) -> Row | None:
        return next((row for _, row in self.arrangement.walk() if row.id == row_id), None)

    def _siblings(self, group: str | None) -> tuple[Row, ...]:
        if group is None:
            return self.arrangement.rows
        found = self._row(group)
        return found.members if isinstance(found, PartGroup) else ()


def _followed(part: Part, by: tuple[int, int] | None, factor: float) -> Part:
    """A part whose pivot and offset go along with art that is drawn larger, or lies elsewhere."""
    if factor != 1:
        pivot = part.pivot and Point(part.pivot.x * factor, part.pivot.y * factor)
        x, y = (round(way * factor) for way in part.offset)
        return replace(part, pivot=pivot, offset=(x, y))
    if by is not None and part.pivot is not None:
        return replace(part, pivot=Point(part.pivot.x + by[0], part.pivot.y + by[1]))
    return part
