"""Questions to hand-overs: what one would write, and what earlier ones wrote."""

import hashlib
from dataclasses import replace
from typing import Any

from django.db.models import QuerySet
from django.http import Http404

from yuplet.illustration.records import from_record
from yuplet.plan.plan import Plan, PlannedPart, plan_hand_over
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.arrangement.queries import tree_of
from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.models import Illustration, LayerImage
from yuplet_server.jobs.models import Job
from yuplet_server.projects import queries
from yuplet_server.projects.models import Member


def hand_over_for(user: User, hand_over_id: int, role: Member.Role) -> HandOver:
    """A hand-over, if somebody has at least a role in its project."""
    found = HandOver.objects.filter(pk=hand_over_id).select_related("illustration", "job").first()
    if found is None:
        raise Http404
    queries.require(user, found.illustration.project_id, role)
    return found


def hand_overs_of(illustration: Illustration) -> QuerySet[HandOver]:
    """All hand-overs of an illustration, the newest first."""
    return HandOver.objects.filter(illustration=illustration).select_related("job").order_by("-number")


def planned_now(illustration: Illustration) -> tuple[Plan, int]:
    """The plan of a hand-over of the arrangement as it is, and the version of that. Raises `PlanError`."""
    arrangement = Arrangement.objects.get(pk=illustration.pk)
    read = replace(from_record(illustration.record), name=illustration.name)
    return plan_hand_over(read, tree_of(arrangement), illustration.sha256), arrangement.version


def described(plan: Plan, version: int, illustration: Illustration) -> dict[str, Any]:
    """A plan as plain values, each file compared with the last package: 'new', 'changed' or 'same'; and what is gone."""
    pixels = dict(LayerImage.objects.filter(illustration=illustration).values_list("layer", "pixels"))
    last = hand_overs_of(illustration).filter(job__state=Job.State.DONE).first()
    before = {file["file"]: file for file in last.plan["files"]} if last is not None else {}
    files = [_file(planned, pixels, before) for planned in plan.parts]
    names = {file["file"] for file in files}
    return {
        "version": version,
        "canvas": [plan.canvas.width, plan.canvas.height],
        "files": files,
        "beside": [name for name in plan.files if name not in names],
        "left_out": list(plan.left_out),
        "empty": list(plan.empty),
        "gone": sorted(set(before) - names),
        "compared_with": last.number if last is not None else None,
    }


def _file(planned: PlannedPart, pixels: dict[str, str], before: dict[str, dict[str, Any]]) -> dict[str, Any]:
    key = hashlib.sha256(
        " ".join(pixels[piece] for piece in planned.part.pieces if piece in pixels).encode()
    ).hexdigest()
    earlier = before.get(planned.file)
    return {
        "file": planned.file,
        "path": list(planned.path),
        "order": planned.order,
        "box": planned.box.as_xywh(),
        "shown": planned.shown,
        "key": key,
        "change": "new" if earlier is None else "same" if earlier["key"] == key else "changed",
        "bytes": None,
    }
