"""The arrangement: parts in groups, back to front. A value: every change makes a new one."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import TypeAlias

from yuplet.arrangement import names
from yuplet.errors import NoSuchRow
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode
from yuplet.parts.part import Frame, Part, Piece, still
from yuplet.pixels.compositing import Branch, Laid


@dataclass(frozen=True, slots=True)
class PartGroup:
    """Parts kept together: a folder in the hand-over. Opacity, mode and isolation apply to its members laid together.

    `alternate` is the member that is shown of a set of alternates, instead of all that are shown by themselves; None: it is
    no set. When the member is gone, the front-most one is shown.
    """

    id: str
    name: str
    members: tuple["Row", ...] = ()
    shown: bool = True
    opacity: float = 1.0
    blend: str = "normal"
    isolated: bool = False
    alternate: str | None = None

    @property
    def shown_alternate(self) -> str | None:
        """The member that is shown of a set; None where it is no set or empty."""
        if self.alternate is None or not self.members:
            return None
        ids = [member.id for member in self.members]
        return self.alternate if self.alternate in ids else ids[-1]


Row: TypeAlias = Part | PartGroup


@dataclass(frozen=True, slots=True)
class Renamed:
    """A layer whose name could not be used for its part."""

    path: tuple[str, ...]
    name: str
    reason: str


@dataclass(frozen=True, slots=True)
class Arrangement:
    """All rows, back to front. `alone` is the row that is shown alone while somebody looks at it; it is never handed over."""

    rows: tuple[Row, ...]
    alone: str | None = None

    def walk(self) -> Iterator[tuple[tuple[PartGroup, ...], Row]]:
        """Every row back to front, a group directly before its members, each with the groups around it."""

        def below(rows: tuple[Row, ...], around: tuple[PartGroup, ...]) -> Iterator[tuple[tuple[PartGroup, ...], Row]]:
            for row in rows:
                yield around, row
                if isinstance(row, PartGroup):
                    yield from below(row.members, (*around, row))

        return below(self.rows, ())

    def parts(self) -> Iterator[tuple[tuple[PartGroup, ...], Part]]:
        """Every part back to front, with the groups around it."""
        return ((around, row) for around, row in self.walk() if isinstance(row, Part))

    def find(self, row_id: str) -> tuple[tuple[PartGroup, ...], Row]:
        """A row by its id, with the groups around it; raises `NoSuchRow`."""
        for around, row in self.walk():
            if row.id == row_id:
                return around, row
        raise NoSuchRow(row_id)

    def place(self, row_id: str) -> tuple[str | None, int]:
        """The group around a row (None: there is none), and how many siblings lie behind it; raises `NoSuchRow`."""
        around, row = self.find(row_id)
        siblings = around[-1].members if around else self.rows
        return around[-1].id if around else None, [other.id for other in siblings].index(row.id)

    def settled(self) -> "Arrangement":
        """The same with exactly one member shown of each set of alternates: what is seen and handed over."""

        def of_a_set(row: Row) -> Row:
            if not isinstance(row, PartGroup) or row.alternate is None:
                return row
            shown = row.shown_alternate
            return replace(row, members=tuple(replace(member, shown=member.id == shown) for member in row.members))

        return self.changed(of_a_set)

    def changed(self, change: Callable[[Row], Row]) -> "Arrangement":
        """The arrangement with a function applied to every row; members are changed before their group."""

        def each(rows: tuple[Row, ...]) -> tuple[Row, ...]:
            return tuple(
                change(replace(row, members=each(row.members)) if isinstance(row, PartGroup) else row) for row in rows
            )

        return replace(self, rows=each(self.rows))


def arrangement_of(illustration: Illustration) -> tuple[Arrangement, list[Renamed]]:
    """The first arrangement of an illustration: each layer a part, each layer group a part group.

    A group whose members are moments (as in an animated file) is one part of as many frames.

    Hidden layers become parts that are included and not shown. A name that cannot be a file's, or that a sibling of
    the same kind already has, is replaced by a usable one; what was replaced is answered beside the arrangement.
    """
    renamed: list[Renamed] = []

    def usable(node: LayerNode, path: tuple[str, ...], taken: list[str], otherwise: str) -> str:
        reason = names.problem(node.name)
        if reason is None and names.key(node.name) in {names.key(other) for other in taken}:
            reason = "stands twice in the same group"
        if reason is None:
            return node.name
        name = names.proposal(node.name, taken, otherwise)
        renamed.append(Renamed((*path, node.name), name, reason))
        return name

    def rows(nodes: tuple[LayerNode, ...], path: tuple[str, ...]) -> tuple[Row, ...]:
        result: list[Row] = []
        parts: list[str] = []
        groups: list[str] = []
        for node in nodes:
            if isinstance(node, LayerGroup) and node.are_frames and (frames := frames_of(node.members)):
                name = usable(node, path, parts, "part")
                parts.append(name)
                result.append(
                    Part(
                        node.id,
                        name,
                        frames,
                        node.visible,
                        True,
                        node.opacity,
                        node.blend,
                        pivot=node.pivot,
                        loops=node.loops,
                    )
                )
            elif isinstance(node, LayerGroup):
                name = usable(node, path, groups, "group")
                groups.append(name)
                members = rows(node.members, (*path, node.name))
                result.append(PartGroup(node.id, name, members, node.visible, node.opacity, node.blend, node.isolated))
            else:
                name = usable(node, path, parts, "part")
                parts.append(name)
                result.append(
                    Part(
                        node.id,
                        name,
                        still(node.id),
                        node.visible,
                        node.included,
                        node.opacity,
                        node.blend,
                        node.locked,
                        node.pivot,
                    )  # fmt: skip
                )
        return tuple(result)

    return Arrangement(rows(illustration.layers, ())), renamed


def frames_of(members: tuple[LayerNode, ...]) -> tuple[Frame, ...]:
    """Each layer a moment, the first at the back. Empty where there are groups among them."""
    if not all(isinstance(member, Layer) for member in members):
        return ()
    return tuple(
        Frame((Piece(member.id, member.opacity, member.blend),), member.milliseconds)
        for member in members
        if isinstance(member, Layer)
    )


def laid(arrangement: Arrangement, part: Callable[[Part], Laid | None]) -> tuple[Laid, ...]:
    """What is included and shown, in the form that `compose` takes: the reference picture of the source.

    `part` says how one part is laid (`laid_part`, or something drawn beforehand).
    """

    def each(rows: tuple[Row, ...]) -> tuple[Laid, ...]:
        result: list[Laid] = []
        for row in rows:
            if not row.shown:
                continue
            if isinstance(row, PartGroup):
                result.append(Branch(each(row.members), row.opacity, row.blend, row.isolated))
            elif row.included and (one := part(row)) is not None:
                result.append(one)
        return tuple(result)

    return each(arrangement.rows)
