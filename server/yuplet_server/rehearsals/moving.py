"""Steps on a motion: the core says what a command comes to, the log says how to take it back."""

import datetime
import uuid
from collections.abc import Collection
from typing import Any

from django.db import transaction
from django.utils import timezone

from yuplet.rehearsal.motion.camera import planes_that_run_out, times_of
from yuplet.rehearsal.motion.commands import MotionCommand, PutTracks, applied, command_from_json, command_to_json
from yuplet.rehearsal.motion.document import CAMERA, GROUND, motion_from_json
from yuplet.rehearsal.motion.document import Motion as Document
from yuplet.rehearsal.motion.fitting import Fit, fit, kept_from_json, kept_motion, laid
from yuplet.rehearsal.motion.rig import Rig, rig_of
from yuplet.rehearsal.motion.sampling import packed, sample
from yuplet.rehearsal.refresh import carried_over
from yuplet_server.accounts.models import User
from yuplet_server.base.errors import ChangedMeanwhile, NotNow
from yuplet_server.illustrations.models import Illustration
from yuplet_server.rehearsals.models import Motion, MotionStep, Rehearsal
from yuplet_server.shelf.actions import require_room
from yuplet_server.shelf.models import Kept

_LONGEST_TITLE = 300
_REMEMBERED = datetime.timedelta(days=1)
"""How long a request is known that was carried out: no page tries again that late."""
_STAGE = ("", "stage")
State = MotionStep.State


def document_of(motion: Motion | None, rig: Rig) -> Document:
    """What is kept of a motion, for a package; an empty one where nobody has moved anything yet."""
    if motion is None or not motion.document:
        return Document()
    return carried_over(motion_from_json(motion.document), motion.names, rig)


def motion_of(rehearsal: Rehearsal) -> Motion | None:
    """The motion of a package that is tried out, if anything was moved yet."""
    own = None if rehearsal.hand_over_id is not None else rehearsal
    return Motion.objects.filter(illustration=rehearsal.illustration_id, rehearsal=own).first()


def perform(rehearsal: Rehearsal, user: User, version: int, command: MotionCommand, key: uuid.UUID | None) -> Motion:
    """Carry out a command that was made while looking at a version; what was carried out before is not done again.

    Steps that others made meanwhile are no obstacle unless they touched the same. Raises `ChangedMeanwhile`, `NotNow` or `MotionError`.
    """
    rig = rig_for(rehearsal)
    with transaction.atomic():
        motion = _locked(rehearsal)
        if _is_handled(motion, user, key):
            return motion
        before = document_of(motion, rig)
        after, back = applied(before, rig, command)
        touched = _touched(back)
        _refuse_if_changed(motion, user, version, touched)
        motion.steps.filter(user=user, state=State.UNDONE).update(state=State.DISCARDED)
        _keep(motion, after, rig)
        motion.steps.create(
            version=motion.version,
            user=user,
            title=command.title(before, rig)[:_LONGEST_TITLE],
            command=command_to_json(command),
            inverse=command_to_json(back),
            touched=sorted(touched),
        )
        _remember(motion, user, key)
        return motion


def replay(rehearsal: Rehearsal, user: User, key: uuid.UUID | None, becomes: MotionStep.State) -> Motion:
    """Take back one's own last step (it becomes undone), or do again what one undid last (done). Raises `NotNow`."""
    rig = rig_for(rehearsal)
    is_undone = becomes == State.UNDONE
    with transaction.atomic():
        motion = _locked(rehearsal)
        if _is_handled(motion, user, key):
            return motion
        step = undoable(motion, user) if is_undone else redoable(motion, user)
        if step is None:
            raise NotNow(f"There is no step of yours to {'undo' if is_undone else 'do again'}.")
        mine = {tuple(pair) for pair in step.touched}
        later = motion.steps.filter(version__gt=step.version, state=State.DONE).exclude(user=user)
        for other in later.select_related("user"):
            if not mine.isdisjoint(tuple(pair) for pair in other.touched):
                raise NotNow(
                    f"'{step.title}' cannot be {'undone' if is_undone else 'done again'}: {_who(other)} changed the same later ({other.title})."
                )
        command = command_from_json(step.inverse if is_undone else step.command)
        after, _ = applied(document_of(motion, rig), rig, command)
        _keep(motion, after, rig)
        MotionStep.objects.filter(pk=step.pk).update(state=becomes)
        _remember(motion, user, key)
        return motion


def keep(rehearsal: Rehearsal, user: User, name: str) -> Kept:
    """Keep a motion on somebody's own shelf. Raises `MotionError`, `NotNow` or `ArrangementError`."""
    rig = rig_for(rehearsal)
    kept = kept_motion(document_of(motion_of(rehearsal), rig), rig)
    require_room(user)
    return Kept.objects.create(user=user, kind=Kept.Kind.MOTION, name=name, value=kept.as_json())


def fitted(rehearsal: Rehearsal, kept: Kept) -> Fit:
    """Where what a kept motion moves is in a package."""
    return fit(kept_from_json(kept.value), rig_for(rehearsal))


def lay(rehearsal: Rehearsal, user: User, version: int, kept: Kept, key: uuid.UUID | None) -> Motion:
    """Lay a kept motion on a package, as one step. Raises as `perform`."""
    rig = rig_for(rehearsal)
    motion = motion_of(rehearsal)
    if motion is not None and _is_handled(motion, user, key):
        return motion
    command = laid(kept_from_json(kept.value), kept.name, document_of(motion, rig), rig)
    return perform(rehearsal, user, version, command, key)


def undoable(motion: Motion, user: User) -> MotionStep | None:
    """The last step of somebody that is not undone."""
    return motion.steps.filter(user=user, state=State.DONE).order_by("-version").first()


def redoable(motion: Motion, user: User) -> MotionStep | None:
    """The step that somebody undid last."""
    return motion.steps.filter(user=user, state=State.UNDONE).order_by("version").first()


def payload(rehearsal: Rehearsal, user: User, motion: Motion | None) -> dict[str, Any]:
    """What a page shows of a motion: `lost` are what it moves and this package does not have."""
    rig = rig_for(rehearsal)
    document = document_of(motion, rig)
    undo, redo = (None, None) if motion is None else (undoable(motion, user), redoable(motion, user))
    here = {*rig.by_id, *rig.sets, CAMERA, GROUND}
    moved = {track.target for track in document.tracks}
    return {
        "version": 0 if motion is None else motion.version,
        "motion": document.as_json(),
        "undo": undo and undo.title,
        "redo": redo and redo.title,
        "lost": sorted(motion.names.get(target, target) for target in moved - here) if motion is not None else [],
        "runs_out": planes_that_run_out(document, rig)
        if document.track((CAMERA, "camera")) and not is_too_much(document, rig)
        else [],
    }


def samples(rehearsal: Rehearsal) -> tuple[int, bytes]:
    """The version of a motion, and where it takes every part at each picture of one iteration, its end included (`yuplet...sampling.packed`)."""
    motion = motion_of(rehearsal)
    rig = rig_for(rehearsal)
    document = document_of(motion, rig)
    if is_too_much(document, rig):
        raise NotNow(
            f"{document.stage.frames:,} pictures of {len(rig.parts):,} parts are too many to be played here."
            " Make the motion shorter, or show fewer pictures a second."
        )
    return 0 if motion is None else motion.version, packed(sample(document, rig, times_of(document)))


def is_too_much(document: Document, rig: Rig) -> bool:
    """Whether so many pictures of so many parts are not sampled at once."""
    return (document.stage.frames + 1) * len(rig.parts) > _MOST_SAMPLES


_MOST_SAMPLES = 1_000_000
"""Some 60 MB while they are computed."""


def rig_for(rehearsal: Rehearsal) -> Rig:
    """What can move. Raises `NotNow` where the package is not opened."""
    if rehearsal.result is None:
        raise NotNow("This package is not opened yet. Wait for it, or open it again.")
    return rig_of(rehearsal.result)


def _locked(rehearsal: Rehearsal) -> Motion:
    """The motion, which nobody else changes until the transaction ends; made where there is none yet."""
    # By the illustration, so that two who move something first meet in the same one.
    Illustration.objects.select_for_update().get(pk=rehearsal.illustration_id)
    own = None if rehearsal.hand_over_id is not None else rehearsal
    return Motion.objects.get_or_create(illustration_id=rehearsal.illustration_id, rehearsal=own)[0]


def _keep(motion: Motion, document: Document, rig: Rig) -> None:
    motion.version += 1
    motion.document = document.as_json()
    moved = {track.target for track in document.tracks} | {path.target for path in document.paths}
    here = {target: rig.by_id[target].path for target in moved if target in rig.by_id}
    motion.names = {**{target: name for target, name in motion.names.items() if target in moved}, **here}
    motion.save(update_fields=["version", "document", "names"])


def _touched(back: PutTracks) -> set[tuple[str, str]]:
    found = {(str(target), str(name)) for target, name in (*(track.place for track in back.tracks), *back.gone)}
    return found | ({_STAGE} if back.stage_after is not None else set())


def _refuse_if_changed(motion: Motion, user: User, version: int, touched: Collection[tuple[str, str]]) -> None:
    later = motion.steps.filter(version__gt=version).exclude(user=user).select_related("user").order_by("-version")
    for step in later:
        if not {tuple(pair) for pair in step.touched}.isdisjoint(touched):
            raise ChangedMeanwhile(_who(step), step.title)


def _is_handled(motion: Motion, user: User, key: uuid.UUID | None) -> bool:
    return key is not None and motion.handled.filter(user=user, key=key).exists()


def _remember(motion: Motion, user: User, key: uuid.UUID | None) -> None:
    if key is None:
        return
    motion.handled.create(user=user, key=key)
    if motion.version % 100 == 0:
        motion.handled.filter(at__lt=timezone.now() - _REMEMBERED).delete()


def _who(step: MotionStep) -> str:
    return step.user.username if step.user else "Somebody whose account is gone"
