"""Questions to packages that are tried out."""

from collections.abc import Sequence
from typing import Any

from django.db.models import QuerySet
from django.http import Http404

from yuplet.rehearsal.refresh import parts_of_trial, refreshed
from yuplet.rehearsal.screens import MOST_SCREENS, OnScreen, on_screens, pieces_of, screen_from_text
from yuplet_server.accounts.models import User
from yuplet_server.base.errors import NotNow
from yuplet_server.illustrations.models import Illustration
from yuplet_server.projects import queries
from yuplet_server.projects.models import Member
from yuplet_server.rehearsals.models import Film, Rehearsal


def rehearsals_of(illustration: Illustration) -> QuerySet[Rehearsal]:
    """Those of an illustration, the newest first, without what came of them."""
    listed = illustration.rehearsals.select_related("job", "hand_over", "created_by").order_by("-id")
    return listed.defer(
        "result", "pictures", "hand_over__arrangement", "hand_over__plan", "hand_over__report", "hand_over__files"
    )


def rehearsal_for(user: User, rehearsal_id: int, role: Member.Role) -> Rehearsal:
    """A package that is tried out, if somebody has at least a role in its project."""
    found = Rehearsal.objects.filter(pk=rehearsal_id).select_related("illustration", "job", "hand_over").first()
    if found is None:
        raise Http404
    queries.require(user, found.illustration.project_id, role)
    return found


def film_for(user: User, film_id: int, role: Member.Role) -> Film:
    """A film, if somebody has at least a role in its project."""
    found = Film.objects.filter(pk=film_id).select_related("rehearsal__illustration", "job").first()
    if found is None:
        raise Http404
    queries.require(user, found.rehearsal.illustration.project_id, role)
    return found


def changes_of(rehearsal: Rehearsal) -> dict[str, Any]:
    """What is otherwise in a hand-over than in the one that was opened before it; nothing where there is none."""
    before = None
    if rehearsal.hand_over is not None and rehearsal.result is not None:
        earlier = Rehearsal.objects.filter(
            illustration=rehearsal.illustration_id,
            hand_over__number__lt=rehearsal.hand_over.number,
            result__isnull=False,
        )
        before = earlier.select_related("hand_over").order_by("-hand_over__number").first()
    if before is None or before.hand_over is None:
        return {"since": None, **refreshed((), ()).as_json()}
    known = (parts_of_trial(one.result or {"parts": ()}, one.pictures) for one in (before, rehearsal))
    return {"since": before.hand_over.number, **refreshed(*known).as_json()}


def on_screens_of(rehearsal: Rehearsal, sizes: Sequence[str]) -> tuple[OnScreen, ...]:
    """A package on screens of these sizes ("1920x1080"). Raises `PackageError` or `NotNow`."""
    if rehearsal.result is None:
        raise NotNow("This package is not open yet. Wait for it, or open it again.")
    trial = rehearsal.result
    return on_screens(
        pieces_of(trial),
        (trial["width"], trial["height"]),
        [screen_from_text(size) for size in sizes[: MOST_SCREENS + 1]],
    )


def picture_of(rehearsal: Rehearsal, name: str) -> str:
    """The SHA-256 of a file that was made. Raises `Http404`."""
    digest = rehearsal.pictures.get(name)
    if digest is None:
        raise Http404
    return str(digest)
