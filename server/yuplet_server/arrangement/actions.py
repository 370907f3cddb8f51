"""Applying commands: the core says what they do, the rows keep it, the log says how to take it back."""

from collections.abc import Collection, Iterator, Mapping, Set
from dataclasses import dataclass, fields, replace
from typing import Any

from django.db import transaction

from yuplet.arrangement import commands, spelling
from yuplet.arrangement.records import RowRecord, frames_to_json, to_records
from yuplet.arrangement.revision import take_revision as core_take_revision
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.errors import ArrangementError
from yuplet.illustration.matching import match_layers, renumbered
from yuplet.illustration.records import from_record
from yuplet_server.accounts.models import User
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.models import Arrangement, Row, Step
from yuplet_server.illustrations.actions import make_again, renumber, use
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.illustrations.queries import looks_of
from yuplet_server.project.errors import ChangedMeanwhile, NotNow

_COLUMNS = {"pivot": ("pivot_x", "pivot_y"), "offset": ("offset_x", "offset_y")}
"""Fields of a row that are kept in several columns."""


def keep_first_arrangement(illustration_id: int, tree: Tree) -> None:
    """Keep the arrangement that an illustration starts with."""
    arrangement = Arrangement.objects.create(illustration_id=illustration_id, alone=tree.alone)
    Row.objects.bulk_create(
        _fill(Row(arrangement=arrangement), record, position) for position, record in enumerate(to_records(tree))
    )


@transaction.atomic
def do(illustration_id: int, user: User, version: int, command: commands.Command) -> None:
    """Apply a command that was made while looking at a version.

    Steps that others made meanwhile are no obstacle unless they touched the same fields of the same rows. Raises
    `ChangedMeanwhile` then, and the core's `ArrangementError` when the command cannot be applied.
    """
    arrangement = locked(illustration_id)
    if type(command) not in spelling.COMMANDS.values():
        raise ArrangementError("Rows are replaced by other steps, never by themselves. Reload the page and try again.")
    refuse_if_changed(arrangement, user, version, commands.touched(command))
    take_step(arrangement, user, command)


@dataclass(frozen=True, slots=True)
class Begun:
    """What a step begins with: the arrangement, which nobody else changes until it is done, and the rows as they are."""

    arrangement: Arrangement
    illustration: Illustration
    before: Tree


def begin(illustration_id: int, user: User, version: int, touched: Set[tuple[str, str]] = frozenset()) -> Begun:
    """Hold the arrangement for a step that touches fields of rows. Raises `ChangedMeanwhile` as `do` does."""
    arrangement = locked(illustration_id)
    illustration = Illustration.objects.select_related("current").get(pk=illustration_id)
    refuse_if_changed(arrangement, user, version, touched)
    return Begun(arrangement, illustration, queries.tree_of(arrangement))


def refuse_if_changed(arrangement: Arrangement, user: User, version: int, touched: Set[tuple[str, str]]) -> None:
    """Raise `ChangedMeanwhile` when somebody else touched the same since a version."""
    later = arrangement.steps.filter(version__gt=version).exclude(user=user).select_related("user").order_by("-version")
    for step in later:
        if touched & _pairs(step):
            raise ChangedMeanwhile(_who(step), step.title)


@transaction.atomic
def take_revision(
    illustration_id: int, user: User, number: int, settled: Mapping[str, str | None], remove: Collection[str]
) -> None:
    """Work with a revision that was reviewed: parts keep all that was decided about them.

    `settled` is the old layer of each new one as somebody confirmed it, `remove` the parts to be taken out with their
    layers. Raises `NotNow` when the revision is not there to be taken, `ArrangementError` when parts cannot be removed.
    """
    arrangement = locked(illustration_id)
    illustration = Illustration.objects.select_related("current").get(pk=illustration_id)
    revision = Revision.objects.filter(illustration=illustration, number=number).first()
    if revision is None or revision.state == Revision.State.READING or revision.pk == illustration.current_id:
        raise NotNow("This revision is not there to be taken (any more). Reload the page.")
    now = illustration.revision
    matches = match_layers(looks_of(now), looks_of(revision), settled)
    old, raw = from_record(now.record), from_record(revision.record)
    new, ids = renumbered(raw, old, matches, f"r{number}-")
    before = queries.tree_of(arrangement)
    factor = raw.canvas.width / old.canvas.width if revision.sha256 == now.sha256 else 1.0
    step = core_take_revision(before, old, new, matches, remove, number, factor)
    renumber(revision, new, ids)
    take_step(arrangement, user, step)


@transaction.atomic
def go_back(illustration_id: int, user: User) -> None:
    """Work with the revision before the current one again, in one step. Raises `NotNow` when there is none."""
    arrangement = locked(illustration_id)
    illustration = Illustration.objects.select_related("current").get(pk=illustration_id)
    number = illustration.revision.number
    taken = arrangement.steps.filter(command__do="replace-rows", command__revision=number, state=Step.State.DONE)
    step = next((one for one in taken.order_by("-version") if one.inverse["revision"] < number), None)
    if step is None:
        raise NotNow("There is no earlier revision to go back to.")
    back = spelling.from_json(step.inverse)
    assert isinstance(back, commands.ReplaceRows)
    take_step(arrangement, user, replace(back, what=f"Go back to revision {back.revision}"))


@transaction.atomic
def undo(illustration_id: int, user: User) -> None:
    """Take back one's own last step. Raises `NotNow` when there is none or later steps of others depend on it."""
    arrangement = locked(illustration_id)
    step = queries.undoable(arrangement, user)
    if step is None:
        raise NotNow("There is no step of yours to undo.")
    _refuse_if_built_upon(arrangement, step, "undone")
    _replay(arrangement, step.inverse)
    Step.objects.filter(pk=step.pk).update(state=Step.State.UNDONE)


@transaction.atomic
def redo(illustration_id: int, user: User) -> None:
    """Do again what one undid last. Raises `NotNow` as `undo` does."""
    arrangement = locked(illustration_id)
    step = queries.redoable(arrangement, user)
    if step is None:
        raise NotNow("There is no step of yours to do again.")
    _refuse_if_built_upon(arrangement, step, "done again")
    _replay(arrangement, step.command)
    Step.objects.filter(pk=step.pk).update(state=Step.State.DONE)


def locked(illustration_id: int) -> Arrangement:
    """The arrangement, which nobody else changes until the transaction ends."""
    return Arrangement.objects.select_for_update().get(pk=illustration_id)


def take_step(arrangement: Arrangement, user: User, command: commands.Command) -> None:
    """Apply a command and log it with what undoes it."""
    before = queries.tree_of(arrangement)
    after = commands.apply(before, command)
    back = commands.inverse(before, command)
    if isinstance(back, commands.ReplaceRows) and back.revision is not None:
        current = Illustration.objects.select_related("current").get(pk=arrangement.pk).revision
        back = replace(back, revision=current.number)
    arrangement.steps.filter(user=user, state=Step.State.UNDONE).update(state=Step.State.DISCARDED)
    arrangement.version += 1
    arrangement.steps.create(
        version=arrangement.version,
        user=user,
        title=commands.title(command, before),
        command=spelling.to_json(command),
        inverse=spelling.to_json(back),
        touched=sorted(commands.touched(command)),
    )
    _keep(arrangement, command, before, after)


def _replay(arrangement: Arrangement, value: dict[str, Any]) -> None:
    before = queries.tree_of(arrangement)
    command = spelling.from_json(value)
    after = commands.apply(before, command)
    arrangement.version += 1
    _keep(arrangement, command, before, after)


def _refuse_if_built_upon(arrangement: Arrangement, step: Step, what: str) -> None:
    mine = _pairs(step)
    later = arrangement.steps.filter(version__gt=step.version, state=Step.State.DONE).exclude(user=step.user)
    for other in later.select_related("user"):
        common = {row for row, _ in mine & _pairs(other)}
        if common:
            names = ", ".join(
                f"'{name}'" for name in arrangement.rows.filter(row__in=common).values_list("name", flat=True)
            )
            raise NotNow(
                f"'{step.title}' cannot be {what}: {_who(other)} changed {names or 'what is shown alone'} later ({other.title})."
            )


def _keep(arrangement: Arrangement, command: commands.Command, before: Tree, after: Tree) -> None:
    """Write the rows that differ, the version, and which revision is worked with."""
    old = {record.id: (position, record) for position, record in enumerate(to_records(before))}
    new = {record.id: (position, record) for position, record in enumerate(to_records(after))}
    rows = {row.row: row for row in arrangement.rows.all()}
    changed = [row_id for row_id, now in new.items() if row_id in old and old[row_id] != now]
    columns = {column for row_id in changed for column in _changed_fields(old[row_id], new[row_id])}
    if columns:
        # Writing all fields of many rows takes seconds, those that changed a fraction.
        again = [_fill(rows[row_id], new[row_id][1], new[row_id][0]) for row_id in changed]
        Row.objects.bulk_update(again, sorted(columns), batch_size=500)
    arrangement.rows.filter(row__in=set(old) - set(new)).delete()
    Row.objects.bulk_create(
        _fill(Row(arrangement=arrangement), record, position)
        for row_id, (position, record) in new.items()
        if row_id not in old
    )
    if isinstance(command, commands.ReplaceRows) and command.revision is not None:
        illustration = Illustration.objects.select_related("current").get(pk=arrangement.pk)
        earlier = illustration.revision
        use(illustration, command.revision)
        wanted = {layer for _, part in after.parts() for layer in part.layers}
        make_again(illustration.revision, earlier, wanted)
    arrangement.alone, arrangement.decisions = after.alone, after.decisions.as_json()
    arrangement.save(update_fields=["version", "alone", "decisions"])


def _changed_fields(before: tuple[int, RowRecord], after: tuple[int, RowRecord]) -> Iterator[str]:
    """The columns in which a row differs from what it was."""
    if before[0] != after[0]:
        yield "position"
    for field in fields(RowRecord):
        if getattr(before[1], field.name) != getattr(after[1], field.name):
            yield from _COLUMNS.get(field.name, (field.name,))


def _fill(row: Row, record: RowRecord, position: int) -> Row:
    row.row, row.kind, row.group, row.position = record.id, record.kind, record.group, position
    row.name, row.shown, row.included = record.name, record.shown, record.included
    row.opacity, row.blend, row.isolated, row.locked = record.opacity, record.blend, record.isolated, record.locked
    row.alternate = record.alternate
    row.pivot_x, row.pivot_y = record.pivot or (None, None)
    row.parent, row.depth, row.role, row.margins, row.anchor = (
        record.parent, record.depth, record.role, record.margins, record.anchor,
    )  # fmt: skip
    row.beyond = record.beyond
    row.frames, row.loops, (row.offset_x, row.offset_y) = frames_to_json(record.frames), record.loops, record.offset
    return row


def _pairs(step: Step) -> set[tuple[str, str]]:
    return {(row, field) for row, field in step.touched}


def _who(step: Step) -> str:
    return step.user.username if step.user else "Somebody whose account is gone"
