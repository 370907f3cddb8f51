"""Applying commands: the core says what they do, the rows keep it, the log says how to take it back."""

from typing import Any

from django.db import transaction

from yuplet.arrangement import commands
from yuplet.arrangement.records import RowRecord, to_records
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet_server.accounts.models import User
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.models import Arrangement, Row, Step
from yuplet_server.project.errors import ChangedMeanwhile, NotNow

_FIELDS = ("group", "position", "name", "shown", "included", "locked")
"""What commands change of a row that is there."""


def keep_first_arrangement(illustration_id: int, tree: Tree) -> None:
    """Keep the arrangement that an illustration starts with."""
    arrangement = Arrangement.objects.create(illustration_id=illustration_id, alone=tree.alone)
    Row.objects.bulk_create(
        _fill(Row(arrangement=arrangement), record, position) for position, record in enumerate(to_records(tree))
    )


@transaction.atomic
def do(illustration_id: int, user: User, version: int, value: dict[str, Any]) -> None:
    """Apply a command that was made while looking at a version.

    Steps that others made meanwhile are no obstacle unless they touched the same fields of the same rows. Raises
    `ChangedMeanwhile` then, and the core's `ArrangementError` when the command cannot be applied.
    """
    arrangement = _locked(illustration_id)
    command = commands.from_json(value)
    touched = commands.touched(command)
    later = arrangement.steps.filter(version__gt=version).exclude(user=user).select_related("user").order_by("-version")
    for step in later:
        if touched & _pairs(step):
            raise ChangedMeanwhile(_who(step), step.title)
    before = queries.tree_of(arrangement)
    after = commands.apply(before, command)
    arrangement.steps.filter(user=user, state=Step.State.UNDONE).update(state=Step.State.DISCARDED)
    arrangement.version += 1
    arrangement.steps.create(
        version=arrangement.version,
        user=user,
        title=commands.title(command, before),
        command=commands.to_json(command),
        inverse=commands.to_json(commands.inverse(before, command)),
        touched=sorted(touched),
    )
    _keep(arrangement, before, after)


@transaction.atomic
def undo(illustration_id: int, user: User) -> None:
    """Take back one's own last step. Raises `NotNow` when there is none or later steps of others depend on it."""
    arrangement = _locked(illustration_id)
    step = queries.undoable(arrangement, user)
    if step is None:
        raise NotNow("There is no step of yours to undo.")
    _refuse_if_built_upon(arrangement, step, "undone")
    _replay(arrangement, step.inverse)
    Step.objects.filter(pk=step.pk).update(state=Step.State.UNDONE)


@transaction.atomic
def redo(illustration_id: int, user: User) -> None:
    """Do again what one undid last. Raises `NotNow` as `undo` does."""
    arrangement = _locked(illustration_id)
    step = queries.redoable(arrangement, user)
    if step is None:
        raise NotNow("There is no step of yours to do again.")
    _refuse_if_built_upon(arrangement, step, "done again")
    _replay(arrangement, step.command)
    Step.objects.filter(pk=step.pk).update(state=Step.State.DONE)


def _locked(illustration_id: int) -> Arrangement:
    return Arrangement.objects.select_for_update().get(pk=illustration_id)


def _replay(arrangement: Arrangement, value: dict[str, Any]) -> None:
    before = queries.tree_of(arrangement)
    after = commands.apply(before, commands.from_json(value))
    arrangement.version += 1
    _keep(arrangement, before, after)


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


def _keep(arrangement: Arrangement, before: Tree, after: Tree) -> None:
    """Write the rows that differ, and the version."""
    old = {record.id: (position, record) for position, record in enumerate(to_records(before))}
    rows = {row.row: row for row in arrangement.rows.all()}
    changed = [
        _fill(rows[record.id], record, position)
        for position, record in enumerate(to_records(after))
        if old[record.id] != (position, record)
    ]
    Row.objects.bulk_update(changed, _FIELDS, batch_size=500)
    arrangement.alone = after.alone
    arrangement.save(update_fields=["version", "alone"])


def _fill(row: Row, record: RowRecord, position: int) -> Row:
    row.row, row.kind, row.group, row.position = record.id, record.kind, record.group, position
    row.name, row.pieces, row.shown, row.included = record.name, list(record.pieces), record.shown, record.included
    row.opacity, row.blend, row.isolated, row.locked = record.opacity, record.blend, record.isolated, record.locked
    row.pivot_x, row.pivot_y = record.pivot or (None, None)
    return row


def _pairs(step: Step) -> set[tuple[str, str]]:
    return {(row, field) for row, field in step.touched}


def _who(step: Step) -> str:
    return step.user.username if step.user else "Somebody whose account is gone"
