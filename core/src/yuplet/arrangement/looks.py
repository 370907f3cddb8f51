"""Looks: several complete appearances of the same figure. Alternates whose members are groups are looks.

Parts of the same name and place within the groups stand for each other; what lies outside of the set is shared by all looks.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from yuplet.arrangement import names
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.parts.part import Part


@dataclass(frozen=True, slots=True)
class Slot:
    """One line of the table: a part as each look has it (None: it does not), by the names around it and its own."""

    path: tuple[str, ...]
    parts: tuple[Part | None, ...]

    @property
    def is_complete(self) -> bool:
        """Whether every look has it."""
        return None not in self.parts


@dataclass(frozen=True, slots=True)
class LookTable:
    """Parts by looks. `looks` are the groups back to front, `slots` in the order in which the first look that has each lays it."""

    group: PartGroup
    looks: tuple[PartGroup, ...]
    slots: tuple[Slot, ...]


def is_looks(row: Row) -> bool:
    """Whether a row is a set of looks."""
    return (
        isinstance(row, PartGroup)
        and row.alternate is not None
        and len(row.members) > 1
        and all(isinstance(member, PartGroup) for member in row.members)
    )


def look_tables(arrangement: Arrangement) -> list[LookTable]:
    """A table for every set of looks, outermost first."""
    tables = []
    for _, row in arrangement.walk():
        if not is_looks(row):
            continue
        assert isinstance(row, PartGroup)
        looks = tuple(member for member in row.members if isinstance(member, PartGroup))
        by_look = [dict(_within(look, ())) for look in looks]
        paths: dict[tuple[str, ...], tuple[str, ...]] = {}
        for found in by_look:
            for key, (path, _) in found.items():
                paths.setdefault(key, path)
        slots = tuple(
            Slot(path, tuple(found[key][1] if key in found else None for found in by_look))
            for key, path in paths.items()
        )
        tables.append(LookTable(row, looks, slots))
    return tables


def _within(group: PartGroup, path: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], tuple[tuple[str, ...], Part]]]:
    for member in group.members:
        own = (*path, member.name)
        if isinstance(member, Part):
            yield tuple(names.key(name) for name in own), (own, member)
        else:
            yield from _within(member, own)
