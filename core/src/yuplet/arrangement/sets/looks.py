"""Looks: several complete appearances of the same figure. Alternates whose members are groups are looks.

Parts of the same name and place within the groups stand for each other; what lies outside of the sets is shared by all looks. What
changes with the look may lie in several places of the order: sets that have looks of the same name belong together.
"""

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, replace

from yuplet.arrangement import names
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.parts.part import Part


@dataclass(frozen=True, slots=True)
class LookLine:
    """One line of the table: a part as each look has it (None: it does not), by the names around it and its own."""

    path: tuple[str, ...]
    parts: tuple[Part | None, ...]

    @property
    def is_complete(self) -> bool:
        """Whether every look has it."""
        return None not in self.parts


@dataclass(frozen=True, slots=True)
class Look:
    """One appearance: its name, and the group that it is in each set that has it."""

    name: str
    groups: tuple[PartGroup, ...]


@dataclass(frozen=True, slots=True)
class LookTable:
    """Parts by looks. `sets` are the groups whose members are looks, `lines` in the order in which the first look that has each lays
    it; their paths begin with the name of the set where there are several.
    """

    sets: tuple[PartGroup, ...]
    looks: tuple[Look, ...]
    lines: tuple[LookLine, ...]


def is_looks(row: Row) -> bool:
    """Whether a row is a set of looks."""
    return (
        isinstance(row, PartGroup)
        and row.alternate is not None
        and len(row.members) > 1
        and all(isinstance(member, PartGroup) for member in row.members)
    )


def combined(
    arrangement: Arrangement, look: str | None, alternates: Mapping[str, str], hidden: Collection[str]
) -> tuple[Arrangement, list[str]]:
    """The arrangement in one form: each set of looks shows the `look` (where it has it), each set of alternates the member that is named for it,
    and rows that are `hidden` by their names are. Answers also the names that are not there; letter case does not count.
    """
    wanted = {names.key(group): names.key(member) for group, member in alternates.items()}
    out = {names.key(name) for name in hidden}
    missing = {*(("", names.key(look)) for _ in range(1) if look), *wanted.items(), *(("", name) for name in out)}

    def one(row: Row) -> Row:
        if isinstance(row, PartGroup) and row.alternate is not None:
            member = names.key(look) if is_looks(row) and look else wanted.get(names.key(row.name))
            found = next((other.id for other in row.members if member and names.key(other.name) == member), None)
            if found is not None:
                missing.discard(
                    ("", names.key(look)) if is_looks(row) and look else (names.key(row.name), member or "")
                )
                row = replace(row, alternate=found)
        if names.key(row.name) in out:
            missing.discard(("", names.key(row.name)))
            row = replace(row, shown=False)
        return row

    made = arrangement.changed(one)
    said = {names.key(name): name for name in (*([look] if look else []), *alternates.values(), *hidden)}
    return made, sorted(said.get(name, name) for _, name in missing)


def look_tables(arrangement: Arrangement) -> list[LookTable]:
    """A table for all sets of looks that belong together, in the order in which the first of them lie."""
    together: list[list[PartGroup]] = []
    for _, row in arrangement.walk():
        if not is_looks(row):
            continue
        assert isinstance(row, PartGroup)
        own = {names.key(member.name) for member in row.members}
        joined = [sets for sets in together if own & {names.key(look.name) for one in sets for look in one.members}]
        merged = [one for sets in joined for one in sets] + [row]
        together = (
            [merged if sets is joined[0] else sets for sets in together if sets not in joined[1:]]
            if joined
            else [*together, merged]
        )
    return [_table(tuple(sets)) for sets in together]


def _table(sets: tuple[PartGroup, ...]) -> LookTable:
    by_name: dict[str, list[PartGroup]] = {}
    for one in sets:
        for member in one.members:
            if isinstance(member, PartGroup):
                by_name.setdefault(names.key(member.name), []).append(member)
    looks = tuple(Look(groups[0].name, tuple(groups)) for groups in by_name.values())
    lines: list[LookLine] = []
    for one in sets:
        of_set = {names.key(member.name): member for member in one.members if isinstance(member, PartGroup)}
        above = (one.name,) if len(sets) > 1 else ()
        found = [dict(_within(of_set[key], above)) if key in of_set else {} for key in by_name]
        paths: dict[tuple[str, ...], tuple[str, ...]] = {}
        for parts in found:
            for key, (path, _) in parts.items():
                paths.setdefault(key, path)
        lines += [
            LookLine(path, tuple(parts[key][1] if key in parts else None for parts in found))
            for key, path in paths.items()
        ]
    return LookTable(sets, looks, tuple(lines))


def _within(group: PartGroup, path: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], tuple[tuple[str, ...], Part]]]:
    for member in group.members:
        own = (*path, member.name)
        if isinstance(member, Part):
            yield tuple(names.key(name) for name in own), (own, member)
        else:
            yield from _within(member, own)
