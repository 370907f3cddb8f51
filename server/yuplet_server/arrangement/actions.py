"""Carrying commands out: the core says what they come to, the rows keep it, the log says how to take it back.

An edit is prepared without a lock on the version that is there, then the arrangement is locked, the versions are compared, and what was
prepared is committed: planning and pixel work never run while others wait.
"""

import datetime
import uuid
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, replace

from django.db import transaction
from django.utils import timezone

from yuplet.arrangement.commands import Command, ReplaceRows, apply, require_open, to_json
from yuplet.arrangement.revision import take_revision as core_take_revision
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.editing.commands import CODEC
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.matching import match_revisions, renumbered
from yuplet.illustration.records import from_record
from yuplet_server.accounts.models import User
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.models import Arrangement, Step
from yuplet_server.arrangement.rows import add_rows, change_rows, placed
from yuplet_server.base.errors import ChangedMeanwhile, NotNow
from yuplet_server.illustrations.actions import derive_again, keep_added, renumber, use
from yuplet_server.illustrations.layers import Added, HandedIn, StoredLayers
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.illustrations.queries import digests_of, looks_of, read_of
from yuplet_server.jobs import apart

_TRIES = 5
"""How often an edit is prepared again because somebody else was quicker."""
_REMEMBERED = datetime.timedelta(days=1)
"""How long a request is known that was carried out: no page tries again that late."""
_LONGEST_TITLE = 300
_TOO_QUICK = "Others are changing this very quickly. Nothing was changed. Try again in a moment."


def keep_first_arrangement(illustration_id: int, tree: Tree) -> None:
    """Keep the arrangement that an illustration starts with."""
    arrangement = Arrangement.objects.create(illustration_id=illustration_id, alone=tree.alone)
    add_rows(arrangement, list(placed(tree).values()))


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
    old, raw = read_of(now), from_record(revision.record)
    matches, _ = match_revisions(old, raw, looks_of(now), looks_of(revision), settled)
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
        raise NotNow("This revision can no longer be accepted. Nothing was changed. Reload the page.")
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
    before = queries.known(arrangement)
    arrangement.version += 1
    _persist(arrangement, command, before, apply(before.tree, command))
    Step.objects.filter(pk=step.pk).update(state=becomes)
    _remember(arrangement, user, key, [])


def locked(illustration_id: int) -> Arrangement:
    """The arrangement, which nobody else changes until the transaction ends."""
    return Arrangement.objects.select_for_update().get(pk=illustration_id)


def commit(arrangement: Arrangement, user: User, command: Command) -> list[str]:
    """Apply a command and log it with what undoes it; return the rows that are new. The caller holds the lock."""
    known = queries.known(arrangement)
    before = known.tree
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
    _persist(arrangement, command, known, after)
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


def _persist(arrangement: Arrangement, command: Command, before: queries.Known, after: Tree) -> None:
    """Write the rows that differ, the version, and which revision is worked with."""
    old, new = before.rows, placed(after, before.rows)
    is_other_art = isinstance(command, ReplaceRows) and command.revision is not None
    if gone := old.keys() - new.keys():
        arrangement.rows.filter(row__in=gone).delete()
    changed = change_rows(arrangement, old, new, is_other_art)
    if fresh := {row: one for row, one in new.items() if row not in old}:
        add_rows(arrangement, [*fresh.values()])
        changed |= dict.fromkeys(fresh, True)
    if list(old) != list(new):
        arrangement.order_changed = arrangement.version
    if isinstance(command, ReplaceRows) and command.revision is not None:
        illustration = Illustration.objects.select_related("current").get(pk=arrangement.pk)
        earlier = illustration.revision
        use(illustration, command.revision)
        layers = {layer for _, part in after.parts() for layer in part.layers}
        # Those of a revision that is taken are there by now; of one that is gone back to, nearly all.
        keep_added(illustration.revision, derive_again(StoredLayers(illustration.revision), earlier, layers))
    arrangement.alone, arrangement.decisions = after.alone, after.decisions.as_json()
    arrangement.save(update_fields=["version", "order_changed", "alone", "decisions"])
    transaction.on_commit(lambda: queries.remember(arrangement, queries.Known(after, new, changed)))


def _pairs(step: Step) -> set[tuple[str, str]]:
    return {(row, field) for row, field in step.touched}


def _who(step: Step) -> str:
    return step.user.username if step.user else "Somebody whose account is gone"
