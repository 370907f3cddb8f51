"""The arrangement: parts in groups, back to front. A value: every change makes a new one."""

from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import KW_ONLY, asdict, dataclass, field, replace
from typing import Any, Literal, TypeAlias, get_args

from yuplet.arrangement import names
from yuplet.errors import NoSuchRow, TooManyRows
from yuplet.geometry import Box
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode
from yuplet.parts.part import Frame, Part, Piece, part_box, still
from yuplet.pixels.compositing import CompositeNode, GroupNode

MAX_ROWS = 10_000
"""Five times as many as a file may have layers; a page of so many can still be worked with."""


@dataclass(frozen=True, slots=True)
class PartGroup:
    """Parts kept together: a folder in the hand-over. Opacity, mode and isolation apply to its members laid together.

    `alternate` is the member that is shown of a set of alternates, instead of all that are shown by themselves; None: it is
    no set. When the member is gone, the front-most one is shown.
    """

    id: str
    name: str
    members: tuple["Row", ...] = ()
    _: KW_ONLY
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


Meaning: TypeAlias = Literal["pair", "alternates", "neither"]
"""What names that differ in a side, a number or a letter mean: all are seen, one at a time is seen, or it is by chance."""


@dataclass(frozen=True, slots=True)
class Decisions:
    """What was decided once for all rows.

    `required` are the names that must be there. `meanings` says what a pair or series means, by its key
    (`yuplet.arrangement.naming.sides`). `sides` are endings of one's own for left and right. The camera stands `distance` pixels before the
    picture plane and travels `travel` pixels in all, as far to the left as to the right.
    """

    required: tuple[str, ...] = ()
    meanings: Mapping[str, Meaning] = field(default_factory=dict)
    sides: tuple[tuple[str, str], ...] = ()
    distance: float = 1000.0
    travel: float = 0.0

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values."""
        return {**asdict(self), "required": list(self.required), "sides": [list(pair) for pair in self.sides]}

    @classmethod
    def from_json(cls, value: Mapping[str, Any]) -> "Decisions":
        """The inverse of `as_json`, where what is absent is as at first; raises `TypeError` or `ValueError` for anything else."""
        start = cls()
        required = value.get("required", start.required)
        meanings = dict(value.get("meanings", start.meanings))
        sides = value.get("sides", start.sides)
        distance, travel = value.get("distance", start.distance), value.get("travel", start.travel)
        texts = [*required, *meanings, *meanings.values(), *(end for pair in sides for end in pair)]
        if not all(isinstance(text, str) for text in texts) or any(len(pair) != 2 for pair in sides):
            raise TypeError("a name that is required, a key or an ending is not a text")
        if not set(meanings.values()) <= set(get_args(Meaning)):
            raise ValueError(f"names mean one of {', '.join(get_args(Meaning))}")
        for number, least in ((distance, 1), (travel, 0)):
            if isinstance(number, bool) or not isinstance(number, int | float) or not least <= number <= 1e6:
                raise ValueError("the camera is 1 to 1,000,000 px away, and travels up to as far")
        return cls(
            tuple(required), meanings, tuple((one, other) for one, other in sides), float(distance), float(travel)
        )


@dataclass(frozen=True, slots=True)
class Arrangement:
    """All rows, back to front. `alone` is the row that is shown alone while somebody looks at it; it is never handed over."""

    rows: tuple[Row, ...]
    alone: str | None = None
    decisions: Decisions = field(default_factory=Decisions)

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

    @property
    def count(self) -> int:
        """How many rows there are."""
        return sum(1 for _ in self.walk())

    def index(self) -> dict[str, tuple[tuple[PartGroup, ...], Row]]:
        """Every row by its id, with the groups around it: for many questions at once."""
        return {row.id: (around, row) for around, row in self.walk()}

    def place(self, row_id: str) -> tuple[str | None, int]:
        """The group around a row (None: there is none), and how many siblings lie behind it; raises `NoSuchRow`."""
        around, row = self.find(row_id)
        siblings = around[-1].members if around else self.rows
        return around[-1].id if around else None, [other.id for other in siblings].index(row.id)

    def visible_ids(self) -> set[str]:
        """The parts that are seen at rest: they and all groups around them are shown."""
        parts = self.settled().parts()
        return {part.id for around, part in parts if part.shown and all(group.shown for group in around)}

    def boxes(self, illustration: Illustration) -> dict[str, Box]:
        """The box of each part on the canvas; those that are empty, or lie outside of it, are absent."""
        layers, canvas = illustration.boxes, illustration.canvas
        found = {part.id: part_box(part, layers, canvas) for _, part in self.parts()}
        return {row: box for row, box in found.items() if box is not None}

    def parents(self) -> dict[str, str]:
        """The part that carries each part that is carried; one that is not there (any more) carries nothing."""
        parts = {part.id: part for _, part in self.parts()}
        return {part.id: part.parent for part in parts.values() if part.parent is not None and part.parent in parts}

    def around_in_a_circle(self) -> list[str]:
        """Parts of which each carries the next and the last the first; empty where there are none."""
        parents = self.parents()
        free: set[str] = set()
        for start in parents:
            way: dict[str, None] = {}
            at: str | None = start
            while at is not None and at not in free and at not in way:
                way[at] = None
                at = parents.get(at)
            if at in way:
                ids = list(way)
                return ids[ids.index(at) :][::-1]
            free.update(way)
        return []

    def settled(self) -> "Arrangement":
        """The same with exactly one member shown of each set of alternates: what is seen and handed over."""

        def of_a_set(row: Row) -> Row:
            if not isinstance(row, PartGroup) or row.alternate is None:
                return row
            shown = row.shown_alternate
            return replace(row, members=tuple(replace(member, shown=member.id == shown) for member in row.members))

        return self.changed(of_a_set)

    def only(self, rows: Collection[str]) -> "Arrangement":
        """The same with nothing included but what is among some rows, or in groups among them."""
        wanted = {
            part.id for around, part in self.parts() if part.id in rows or any(group.id in rows for group in around)
        }
        return self.changed(
            lambda row: row if isinstance(row, PartGroup) or row.id in wanted else replace(row, included=False)
        )

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
    whole = Box(0, 0, *illustration.canvas)

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
                        shown=node.visible,
                        included=True,
                        opacity=node.opacity,
                        blend=node.blend,
                        pivot=node.pivot,
                        loops=node.loops,
                    )
                )
            elif isinstance(node, LayerGroup):
                name = usable(node, path, groups, "group")
                groups.append(name)
                members = rows(node.members, (*path, node.name))
                result.append(
                    PartGroup(
                        node.id,
                        name,
                        members,
                        shown=node.visible,
                        opacity=node.opacity,
                        blend=node.blend,
                        isolated=node.isolated,
                    )
                )
            else:
                name = usable(node, path, parts, "part")
                parts.append(name)
                result.append(
                    Part(
                        node.id,
                        name,
                        still(node.id),
                        shown=node.visible,
                        included=node.included,
                        opacity=node.opacity,
                        blend=node.blend,
                        locked=node.locked,
                        pivot=node.pivot,
                        beyond=node.box is not None and node.box.meet(whole) != node.box,
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


def composite_tree(arrangement: Arrangement, part: Callable[[Part], CompositeNode | None]) -> tuple[CompositeNode, ...]:
    """What is included and shown, in the form that `compose` takes: the reference picture of the source.

    `part` says how one part is laid (`part_node`, or something drawn beforehand).
    """

    def each(rows: tuple[Row, ...]) -> tuple[CompositeNode, ...]:
        result: list[CompositeNode] = []
        for row in rows:
            if not row.shown:
                continue
            if isinstance(row, PartGroup):
                result.append(GroupNode(each(row.members), row.opacity, row.blend, row.isolated))
            elif row.included and (one := part(row)) is not None:
                result.append(one)
        return tuple(result)

    return each(arrangement.rows)


def require_few(count: int, before: Arrangement | None = None) -> None:
    """Raise `TooManyRows` for more rows than an illustration takes, where they are more than there were before."""
    if count > MAX_ROWS and (before is None or count > before.count):
        raise TooManyRows(count, MAX_ROWS)
