"""Carrying commands out: the core says what they come to, the rows keep it, the log says how to take it back.

An edit is prepared without a lock on the version that is there, then the arrangement is locked, the versions are compared, and what was
prepared is committed: planning and pixel work never run while others wait.
"""

import datetime
import uuid
from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass, fields, replace

from django.db import transaction
from django.utils import timezone

from yuplet.arrangement.commands import Command, ReplaceRows, apply, require_open, to_json
from yuplet.arrangement.records import RowRecord, frames_to_json, to_records
from yuplet.arrangement.revision import take_revision as core_take_revision
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.editing.commands import CODEC
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.matching import match_layers, renumbered
from yuplet.illustration.records import from_record
from yuplet_server.accounts.models import User
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.models import Arrangement, Row, Step
from yuplet_server.base.errors import ChangedMeanwhile, NotNow
from yuplet_server.illustrations.actions import derive_again, keep_added, renumber, use
from yuplet_server.illustrations.layers import Added, HandedIn, StoredLayers
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.illustrations.queries import digests_of, looks_of, read_of
from yuplet_server.jobs import apart

_COLUMNS = {"pivot": ("pivot_x", "pivot_y"), "offset": ("offset_x", "offset_y")}
"""Fields of a row that are kept in several columns."""
_TRIES = 5
"""How often an edit is prepared again because somebody else was quicker."""
_REMEMBERED = datetime.timedelta(days=1)
"""How long a request is known that was carried out: no page tries again that late."""
_LONGEST_TITLE = 300
_TOO_QUICK = "Others are changing this very quickly. Nothing was changed. Try again in a moment."
_ROWS_AT_ONCE = 5_000


def keep_first_arrangement(illustration_id: int, tree: Tree) -> None:
    """Keep the arrangement that an illustration starts with."""
    arrangement = Arrangement.objects.create(illustration_id=illustration_id, alone=tree.alone)
    Row.objects.bulk_create(
        _fill(Row(arrangement=arrangement), record, position) for position, record in enumerate(to_records(tree))
    )


def perform(
    illustration_id: int,
    user: User,
    version: int,
    command: Command,
    key: uuid.UUID | None = None,
    handed_in: Mapping[str, HandedIn | str] | None = None,
) -> list[str]:
    """Carry out a command that was made while looking at a version; return the rows that are new.

    Steps that others made meanwhile are no obstacle unless they touched the same fields of the same rows. With a `key` that was carried
    out before nothing happens, and what is returned is what was returned then. `handed_in` are pictures that came with the command.

    Raises `ChangedMeanwhile`, and `ArrangementError` or `SelectionError` when the command cannot be carried out.
    """
    for _ in range(_TRIES):
        prepared = _Prepared(None, command)
        if command.needs_layers:
            prepared = apart.ask(
                illustration_id, _prepare, illustration_id, user, version, command, key, dict(handed_in or {})
            )
        with transaction.atomic():
            arrangement = locked(illustration_id)
            if (rows := _handled(arrangement, user, key)) is not None:
                return rows
            if prepared.version not in (None, arrangement.version):
                continue
            refuse_if_changed(arrangement, user, version, command.touched)
            if prepared.added:
                keep_added(queries.revision_of(arrangement), prepared.added)
            rows = commit(arrangement, user, prepared.command)
            _remember(arrangement, user, key, rows)
            return rows
    raise NotNow(_TOO_QUICK)


@dataclass(frozen=True, slots=True)
class _Prepared:
    """What a command comes to at a version (None: at any), and the layers that it needs."""

    version: int | None
    command: Command
    added: tuple[Added, ...] = ()


def _prepare(
    illustration_id: int,
    user: User,
    version: int,
    command: Command,
    key: uuid.UUID | None,
    handed_in: Mapping[str, HandedIn | str],
) -> _Prepared:
    """Do all of an edit that takes long, while nothing is locked."""
    arrangement = Arrangement.objects.get(pk=illustration_id)
    if _handled(arrangement, user, key) is not None:
        return _Prepared(None, command)
    refuse_if_changed(arrangement, user, version, command.touched)
    before = queries.tree_of(arrangement)
    require_open(before, command)
    layers = StoredLayers(queries.revision_of(arrangement), arrangement.version, handed_in)
    step = command.prepared(before, layers)
    return _Prepared(arrangement.version, step, tuple(layers.added))


def _handled(arrangement: Arrangement, user: User, key: uuid.UUID | None) -> list[str] | None:
    """The rows that a request made when it was carried out before; None where it was not."""
    if key is None:
        return None
    found = arrangement.handled.filter(user=user, key=key).values_list("rows", flat=True).first()
    return None if found is None else list(found)


def _remember(arrangement: Arrangement, user: User, key: uuid.UUID | None, rows: list[str]) -> None:
    if key is None:
        return
    arrangement.handled.create(user=user, key=key, rows=rows)
    if arrangement.version % 100 == 0:
        arrangement.handled.filter(at__lt=timezone.now() - _REMEMBERED).delete()


def refuse_if_changed(arrangement: Arrangement, user: User, version: int, touched: Collection[tuple[str, str]]) -> None:
    """Raise `ChangedMeanwhile` when somebody else touched the same since a version."""
    if arrangement.version <= version:
        return
    later = arrangement.steps.filter(version__gt=version).exclude(user=user).select_related("user").order_by("-version")
    for step in later:
        if not _pairs(step).isdisjoint(touched):
            raise ChangedMeanwhile(_who(step), step.title)


def take_revision(
    illustration_id: int, user: User, number: int, settled: Mapping[str, str | None], remove: Collection[str]
) -> None:
    """Work with a revision that was reviewed: parts keep all that was decided about them.

    `settled` is the old layer of each new one as somebody confirmed it, `remove` the parts to be taken out with their
    layers. Raises `NotNow` when the revision is not there to be taken, `ArrangementError` when parts cannot be removed.
    """
    for _ in range(_TRIES):
        taken = apart.ask(illustration_id, _prepare_revision, illustration_id, number, dict(settled), list(remove))
        with transaction.atomic():
            arrangement = locked(illustration_id)
            if taken.version != arrangement.version:
                continue
            revision = _waiting_revision(arrangement, number)
            renumber(revision, taken.read, taken.ids)
            keep_added(revision, taken.added)
            commit(arrangement, user, taken.step)
            return
    raise NotNow(_TOO_QUICK)


@dataclass(frozen=True, slots=True)
class _PreparedRevision:
    """What taking a revision comes to at a version: its layers under the ids of those that they replace, and the rows."""

    version: int
    step: ReplaceRows
    read: Read
    ids: Mapping[str, str]
    added: tuple[Added, ...]


def _prepare_revision(
    illustration_id: int, number: int, settled: Mapping[str, str | None], remove: Collection[str]
) -> _PreparedRevision:
    arrangement = Arrangement.objects.get(pk=illustration_id)
    revision, now = _waiting_revision(arrangement, number), queries.revision_of(arrangement)
    matches = match_layers(looks_of(now), looks_of(revision), settled)
    old, raw = read_of(now), from_record(revision.record)
    new, ids = renumbered(raw, old, matches, f"r{number}-")
    factor = raw.canvas.width / old.canvas.width if revision.sha256 == now.sha256 else 1.0
    step = core_take_revision(queries.tree_of(arrangement), old, new, matches, remove, number, factor)
    kept = {
        layer for one in step.put for frame in one.record.frames for layer in (piece.layer for piece in frame.pieces)
    }
    gone = {*step.remove, *(one.record.id for one in step.put)}
    kept |= {layer for _, part in queries.tree_of(arrangement).parts() if part.id not in gone for layer in part.layers}
    digests = {ids[layer]: digest for layer, digest in digests_of(revision).items()}
    layers = StoredLayers(revision, read=new, digests=digests)
    return _PreparedRevision(arrangement.version, step, new, ids, tuple(derive_again(layers, now, kept)))


def _waiting_revision(arrangement: Arrangement, number: int) -> Revision:
    """A revision that may be taken. Raises `NotNow`."""
    revision = Revision.objects.filter(illustration=arrangement.pk, number=number).first()
    if (
        revision is None
        or revision.state == Revision.State.READING
        or revision.pk == queries.revision_of(arrangement).pk
    ):
        raise NotNow("This revision is not there to be taken (any more). Reload the page.")
    return revision


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
    back = CODEC.from_log(step.inverse)
    assert isinstance(back, ReplaceRows)
    commit(arrangement, user, replace(back, what=f"Go back to revision {back.revision}"))


def undo(illustration_id: int, user: User, key: uuid.UUID | None = None) -> None:
    """Take back one's own last step. Raises `NotNow` when there is none or later steps of others depend on it."""
    _replay(illustration_id, user, key, queries.undoable, Step.State.UNDONE)


def redo(illustration_id: int, user: User, key: uuid.UUID | None = None) -> None:
    """Do again what one undid last. Raises `NotNow` as `undo` does."""
    _replay(illustration_id, user, key, queries.redoable, Step.State.DONE)


@transaction.atomic
def _replay(
    illustration_id: int,
    user: User,
    key: uuid.UUID | None,
    find: Callable[[Arrangement, User], Step | None],
    becomes: Step.State,
) -> None:
    arrangement = locked(illustration_id)
    if _handled(arrangement, user, key) is not None:
        return
    step, is_undone = find(arrangement, user), becomes == Step.State.UNDONE
    if step is None:
        raise NotNow(f"There is no step of yours to {'undo' if is_undone else 'do again'}.")
    command = CODEC.from_log(step.inverse if is_undone else step.command)
    _refuse_if_built_upon(arrangement, step, command, "undone" if is_undone else "done again")
    before = queries.tree_of(arrangement)
    arrangement.version += 1
    _persist(arrangement, command, before, apply(before, command))
    Step.objects.filter(pk=step.pk).update(state=becomes)
    _remember(arrangement, user, key, [])


def locked(illustration_id: int) -> Arrangement:
    """The arrangement, which nobody else changes until the transaction ends."""
    return Arrangement.objects.select_for_update().get(pk=illustration_id)


def commit(arrangement: Arrangement, user: User, command: Command) -> list[str]:
    """Apply a command and log it with what undoes it; return the rows that are new. The caller holds the lock."""
    before = queries.tree_of(arrangement)
    after = apply(before, command)
    back = command.inverse(before)
    if isinstance(back, ReplaceRows) and back.revision is not None:
        back = replace(back, revision=queries.revision_of(arrangement).number)
    arrangement.steps.filter(user=user, state=Step.State.UNDONE).update(state=Step.State.DISCARDED)
    arrangement.version += 1
    arrangement.steps.create(
        version=arrangement.version,
        user=user,
        title=command.title(before)[:_LONGEST_TITLE],
        command=to_json(command),
        inverse=to_json(back),
        touched=sorted(command.touched),
    )
    _persist(arrangement, command, before, after)
    return command.added if isinstance(command, ReplaceRows) else []


def _refuse_if_built_upon(arrangement: Arrangement, step: Step, command: Command, what: str) -> None:
    # What takes a step back may put more rows back than the step named.
    mine = _pairs(step) | command.touched
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


def _persist(arrangement: Arrangement, command: Command, before: Tree, after: Tree) -> None:
    """Write the rows that differ, the version, and which revision is worked with."""
    old = {record.id: (position, record) for position, record in enumerate(to_records(before))}
    new = {record.id: (position, record) for position, record in enumerate(to_records(after))}
    is_other_art = isinstance(command, ReplaceRows) and command.revision is not None
    # What a row looks like is of the revision as well as of the row.
    changed = [row for row, now in new.items() if row in old and (is_other_art or old[row] != now)]
    version = arrangement.version
    if changed:
        rows = {row.row: row for row in arrangement.rows.filter(row__in=changed)}
        columns = {column for row in changed for column in _changed_fields(old[row], new[row])} | {"changed"}
        for row in changed:
            if is_other_art or old[row][1] != new[row][1]:
                rows[row].changed = version
            _fill(rows[row], new[row][1], new[row][0])
        # One statement, whatever the number of rows.
        Row.objects.bulk_create(
            rows.values(), batch_size=_ROWS_AT_ONCE, update_conflicts=True, update_fields=sorted(columns)
        )
    if gone := set(old) - set(new):
        arrangement.rows.filter(row__in=gone).delete()
    if fresh := set(new) - set(old):
        Row.objects.bulk_create(
            (
                _fill(Row(arrangement=arrangement, changed=version), record, position)
                for row, (position, record) in new.items()
                if row in fresh
            ),
            batch_size=_ROWS_AT_ONCE,
        )
    if list(old) != list(new):
        arrangement.order_changed = version
    if isinstance(command, ReplaceRows) and command.revision is not None:
        illustration = Illustration.objects.select_related("current").get(pk=arrangement.pk)
        earlier = illustration.revision
        use(illustration, command.revision)
        layers = {layer for _, part in after.parts() for layer in part.layers}
        # Those of a revision that is taken are there by now; of one that is gone back to, nearly all.
        keep_added(illustration.revision, derive_again(StoredLayers(illustration.revision), earlier, layers))
    arrangement.alone, arrangement.decisions = after.alone, after.decisions.as_json()
    arrangement.save(update_fields=["version", "order_changed", "alone", "decisions"])
    transaction.on_commit(lambda: queries.remember(arrangement, after))


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
