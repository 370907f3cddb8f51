"""What receivers and members are told."""

import json
from typing import Any

from django.db.models import Count, Q, QuerySet
from django.http import Http404
from django.utils import timezone

from yuplet.errors import YupletError
from yuplet_server.accounts.models import User
from yuplet_server.accounts.tokens import digest_of
from yuplet_server.files.store import open_blob
from yuplet_server.handovers.models import HandOver
from yuplet_server.handovers.queries import hand_overs_of
from yuplet_server.illustrations.models import Illustration
from yuplet_server.projects.models import Member
from yuplet_server.projects.queries import require
from yuplet_server.receivers.models import Delivery, Remark, Visit


class NothingThere(YupletError):
    """A link leads nowhere, or nowhere any more."""

    code = "nothing-there"


def opened(token: str) -> tuple[Delivery, HandOver]:
    """The delivery of a link and the hand-over that it leads to now. Raises `NothingThere`."""
    found = Delivery.objects.filter(
        token_sha256=digest_of(token),
        ends_at__gt=timezone.now(),
        illustration__removed_at=None,
        illustration__project__removed_at=None,
    )
    delivery = found.select_related("illustration__project", "hand_over").first()
    if delivery is None:
        raise NothingThere("This link has expired or was revoked. Ask for a new one.")
    made = delivery.hand_over or newest(delivery.illustration, delivery.recipe)
    if made is None or not made.files:
        raise NothingThere("The package of this link is no longer kept. Ask for a new link.")
    return delivery, made


def newest(illustration: Illustration, recipe: str) -> HandOver | None:
    """The newest package by a recipe that came back as it should."""
    done = hand_overs_of(illustration).filter(recipe__name=recipe, report__proof__ok=True)
    return done.exclude(files=[]).first()


def file_of(made: HandOver, name: str) -> str:
    """The SHA-256 of a file of a package; raises Http404."""
    digest = next((file["sha256"] for file in made.files if file["file"] == name), None)
    if digest is None:
        raise Http404
    return str(digest)


def package_of(made: HandOver) -> dict[str, Any]:
    """What the manifest of a package says: what a receiver has, and nothing else."""
    with open_blob(file_of(made, "manifest.json")) as data:
        return dict(json.load(data))


def told_of(delivery: Delivery, made: HandOver) -> dict[str, Any]:
    """All that a receiver sees of a package."""
    manifest = package_of(made)
    return {
        "title": manifest["illustration"]["title"],
        "to": delivery.to,
        "number": made.number,
        "recipe": made.recipe["name"],
        "is_newest": delivery.hand_over_id is None,
        "made_at": made.created_at,
        "ends_at": delivery.ends_at,
        "bytes": made.package_bytes,
        "width": manifest["canvas"]["width"],
        "height": manifest["canvas"]["height"],
        "credit": {key: str(value) for key, value in manifest["credit"].items() if value},
        "parts": [
            {
                "id": part["id"],
                "path": part["path"],
                "file": part["file"],
                "shown": part["shown"],
                **{side: part["box"][side] for side in ("x", "y", "width", "height")},
            }
            for part in sorted(manifest["parts"], key=lambda part: -part["order"])
        ],
        "changes": _changes(made),
        "remarks": list(Remark.objects.filter(delivery=delivery).order_by("-id")),
    }


def _changes(made: HandOver) -> dict[str, Any] | None:
    """Which files are new, changed or gone since the package by the same recipe before it."""
    earlier = hand_overs_of(made.illustration).filter(
        recipe__name=made.recipe["name"], report__isnull=False, number__lt=made.number
    )
    before = earlier.exclude(files=[]).first()
    if before is None:
        return None
    was, now = ({file["file"]: file["sha256"] for file in one.files} for one in (before, made))
    return {
        "since": before.number,
        "new": sorted(set(now) - set(was)),
        "changed": sorted(name for name in set(now) & set(was) if now[name] != was[name] and name != "manifest.json"),
        "gone": sorted(set(was) - set(now)),
    }


def deliveries_of(illustration: Illustration) -> QuerySet[Delivery]:
    """The links of an illustration, the newest first, with how often each was seen and taken."""
    counted = {
        name: Count("visits", filter=Q(visits__what=what))
        for name, what in (("seen", Visit.What.SEEN), ("taken", Visit.What.TAKEN))
    }
    return (
        Delivery.objects.filter(illustration=illustration)
        .select_related("made_by", "hand_over")
        .annotate(**counted)
        .order_by("-id")
    )


def remarks_of(illustration: Illustration) -> QuerySet[Remark]:
    """What receivers have said of an illustration: what is not answered first."""
    found = Remark.objects.filter(delivery__illustration=illustration).select_related(
        "delivery", "hand_over", "answered_by"
    )
    return found.order_by("-answered_at", "-id")


def delivery_for(user: User, number: int, role: Member.Role) -> Delivery:
    """A link, if somebody has at least a role in its project."""
    found = Delivery.objects.select_related("illustration").filter(pk=number).first()
    if found is None:
        raise Http404
    require(user, found.illustration.project_id, role)
    return found


def remark_for(user: User, number: int, role: Member.Role) -> Remark:
    """A remark, if somebody has at least a role in its project."""
    found = Remark.objects.select_related("delivery__illustration").filter(pk=number).first()
    if found is None:
        raise Http404
    require(user, found.delivery.illustration.project_id, role)
    return found
