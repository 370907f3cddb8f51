"""Keeping in step: a file or a folder that is saved elsewhere becomes a revision, and is handed over, without anybody pressing a button.

`check` is one glance at one of them; `keep_in_step` (a command) glances whenever something is saved, and twice a second. All that is known
between two glances is in the database, so a watcher that ends loses nothing.
"""

import hashlib
from collections import Counter
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.db import transaction
from django.http import Http404
from django.utils import timezone
from rest_framework.exceptions import PermissionDenied

from yuplet.errors import YupletError
from yuplet.illustration.matching import match_layers, wants_a_look
from yuplet.plan.recipe import from_json, to_json
from yuplet.reading.choices import Choices
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.actions import take_revision
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.base.errors import NotNow
from yuplet_server.base.transactions import only_one
from yuplet_server.handovers import actions, watched
from yuplet_server.handovers.models import HandOver, SyncRun, WatchedSource
from yuplet_server.handovers.roots import folder_at
from yuplet_server.illustrations.actions import discard, keep_revision, require_no_other
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.illustrations.queries import looks_of
from yuplet_server.jobs.models import Job
from yuplet_server.projects.models import Member
from yuplet_server.projects.queries import require

LONGEST_WAIT = 300
"""Seconds between two tries at most, where something stands in the way."""
_KEPT = ("state", "said", "stamp", "seen_stamp", "seen", "number", "asked", "tries", "again_at")
RUNNING = (Job.State.WAITING, Job.State.RUNNING)


@transaction.atomic
def set_up(
    illustration: Illustration,
    user: User,
    source: str,
    recipes: list[Any],
    folder: str = "",
    remove_obsolete: bool = False,
) -> WatchedSource:
    """Keep an illustration in step with a file or a folder from now on. Raises `FolderNotAllowed`, `NotNow` or `RecipeNotUnderstood`."""
    path = folder_at(source, user, illustration.project_id)
    target = folder_at(folder, user, illustration.project_id) if folder else None
    watched.require_there(path, target)
    documents = [to_json(from_json(one)) for one in recipes]
    if not documents:
        raise NotNow("Choose at least one recipe that is run after each change.")
    values = {
        "user": user,
        "source": str(path),
        "folder": str(target or ""),
        "remove_obsolete": remove_obsolete,
        "recipes": documents,
        "state": WatchedSource.State.WATCHING,
        "said": "",
        "stamp": "",
        "seen_stamp": "",
        # What is there already is followed too, unless it is what was brought in.
        "seen": illustration.revision.sha256,
        "number": None,
        "asked": [],
        "tries": 0,
        "again_at": None,
    }
    return WatchedSource.objects.update_or_create(illustration=illustration, defaults=values)[0]


def check_all() -> None:
    """One glance at everything that is watched; where two watch, by accident, only one of them looks."""
    with only_one("watching") as is_ours:
        if is_ours:
            for one in WatchedSource.objects.select_related("illustration__current", "user"):
                check(one)


def check(one: WatchedSource) -> None:
    """One glance: go on where the last one stopped. What somebody can mend is said in `said`, and does not end the watch.

    Where something stands in the way of taking what was saved, it is tried again later and later, and at once when it is saved again.
    """
    steps = {
        WatchedSource.State.WATCHING: _watch,
        WatchedSource.State.BLOCKED: _watch,
        WatchedSource.State.READING: _read,
        WatchedSource.State.DECIDING: _decide,
        WatchedSource.State.WRITING: _write,
    }
    if _is_to_wait(one):
        return
    before = {name: getattr(one, name) for name in _KEPT}
    try:
        # Who set it up may have another role by now.
        require(one.user, one.illustration.project_id, Member.Role.EDITOR)
        with transaction.atomic():
            steps[WatchedSource.State(one.state)](one)
    except YupletError as error:
        _block(one, str(error))
    except (Http404, PermissionDenied):
        _block(
            one,
            f"{one.user.username} can no longer change this project. Somebody who can should set up the watched file again.",
        )
    except OSError as error:
        _block(one, f"'{one.source}' cannot be read ({error.strerror}). It is looked at again.")
    else:
        if one.state != WatchedSource.State.BLOCKED:
            one.tries, one.again_at = 0, None
    after = {name: getattr(one, name) for name in _KEPT}
    if after != before:
        # Somebody may have ended it meanwhile.
        WatchedSource.objects.filter(pk=one.pk).update(**after)


def _is_to_wait(one: WatchedSource) -> bool:
    """Whether what stands in the way was looked at a short while ago, and nothing was saved since."""
    if one.state != WatchedSource.State.BLOCKED or one.again_at is None or timezone.now() >= one.again_at:
        return False
    try:
        return watched.stamp_of(folder_at(one.source, one.user, one.illustration.project_id)) == one.stamp
    except (OSError, YupletError):
        return True


def _block(one: WatchedSource, why: str) -> None:
    """Say what stands in the way; of what is still to be taken, also when to look again."""
    one.said = why
    if one.state not in (WatchedSource.State.WATCHING, WatchedSource.State.BLOCKED):
        return
    one.state = WatchedSource.State.BLOCKED
    one.tries += 1
    one.again_at = timezone.now() + timedelta(seconds=min(2**one.tries, LONGEST_WAIT))


def _watch(one: WatchedSource) -> None:
    """Take what was saved. Whether it can be taken is looked at first: reading and hashing may take long."""
    path = folder_at(one.source, one.user, one.illustration.project_id)
    stamp = watched.stamp_of(path)
    if stamp != one.stamp:
        # It may be half saved: it is taken when it is the same at two glances.
        one.stamp, one.again_at, one.tries = stamp, None, 0
        return
    if stamp == one.seen_stamp:
        if one.state == WatchedSource.State.BLOCKED:
            one.state, one.said = WatchedSource.State.WATCHING, ""
        return
    if not watched.is_quiet(path):
        return
    require_no_other(one.illustration)
    watched.require_picture(path)
    with watched.opened(path) as (name, size, content):
        digest = hashlib.file_digest(content, "sha256").hexdigest()  # type: ignore[arg-type]
        if watched.stamp_of(path) != stamp:
            return  # saved again while it was read
        if digest == one.seen:
            one.state, one.said = WatchedSource.State.WATCHING, ""
            if not one.seen_stamp:
                # Looked at for the first time: what is there already is handed over once.
                _hand_over(one)
            one.seen_stamp = stamp
            return
        content.seek(0)
        choices = Choices.from_json(one.illustration.revision.choices)
        revision = keep_revision(one.illustration, one.user, name, size, content, choices)
    one.seen, one.seen_stamp, one.number = digest, stamp, revision.number
    one.state, one.said = WatchedSource.State.READING, ""


def _revision(one: WatchedSource) -> Revision | None:
    found = Revision.objects.filter(illustration=one.illustration, number=one.number or 0)
    return found.select_related("job").first()


def _read(one: WatchedSource) -> None:
    revision = _revision(one)
    if revision is None:
        one.state, one.said = WatchedSource.State.WATCHING, "The change was discarded."
        return
    if revision.state == Revision.State.READING:
        if revision.job is not None and revision.job.state not in RUNNING:
            one.state, one.said = WatchedSource.State.WATCHING, f"The file could not be read: {revision.job.error}"
            discard(revision)
        return
    matches = match_layers(looks_of(one.illustration.revision), looks_of(revision))
    doubtful = sum(wants_a_look(match) for match in matches)
    if doubtful:
        one.state = WatchedSource.State.DECIDING
        one.said = (
            f"{doubtful} layer{'s are' if doubtful > 1 else ' is'} new, gone, or another one perhaps."
            " Look at the revision under Bring in, and take it or discard it."
        )
        return
    take_revision(one.illustration.pk, one.user, revision.number, {}, ())
    _hand_over(one)


def _decide(one: WatchedSource) -> None:
    """Somebody takes the revision or puts it aside."""
    illustration = Illustration.objects.select_related("current").get(pk=one.illustration_id)
    if illustration.revision.number == one.number:
        _hand_over(one)
    elif _revision(one) is None:
        one.state, one.said = WatchedSource.State.WATCHING, "The change was discarded."


def _hand_over(one: WatchedSource) -> None:
    illustration = Illustration.objects.select_related("current").get(pk=one.illustration_id)
    version = Arrangement.objects.get(pk=illustration.pk).version
    made = []
    for number, document in enumerate(one.recipes):
        # One folder holds one package: those of further recipes are in folders beside it.
        folder = one.folder if number == 0 or not one.folder else f"{one.folder}-{number + 1}"
        made.append(actions.ask(illustration, one.user, version, document, None, folder, one.remove_obsolete).pk)
    one.asked, one.state, one.said = made, WatchedSource.State.WRITING, ""


def _write(one: WatchedSource) -> None:
    made = list(HandOver.objects.filter(pk__in=one.asked).select_related("job"))
    if any(hand_over.job is not None and hand_over.job.state in RUNNING for hand_over in made):
        return
    failed = [hand_over.job.error for hand_over in made if hand_over.job is not None and hand_over.job.error]
    # The first hand-over may be of what was there: nothing was saved.
    revision = one.number or one.illustration.revision.number
    changes = _changes(one) if one.number else {}
    SyncRun.objects.create(in_step=one, revision=revision, changes=changes, hand_overs=[one.number for one in made])
    one.state, one.said, one.asked = WatchedSource.State.WATCHING, " ".join(failed), []


def _changes(one: WatchedSource) -> dict[str, int]:
    """How many layers each kind of change befell."""
    revisions = list(
        Revision.objects.filter(illustration=one.illustration, number__lte=one.number or 0).order_by("-number")[:2]
    )
    if len(revisions) < 2:
        return {}
    matches = match_layers(looks_of(revisions[1]), looks_of(revisions[0]))
    return dict(Counter(change for match in matches for change in match.changes))


def folders_watched() -> set[Path]:
    """The folders in which something is watched, or that are watched themselves, and that are there."""
    sources = [Path(source) for source in WatchedSource.objects.values_list("source", flat=True)]
    folders = {source if source.is_dir() else source.parent for source in sources}
    return {folder for folder in folders if folder.is_dir()}
