"""Questions to hand-overs: what one would write, and what earlier ones wrote."""

import hashlib
import json
from collections import Counter
from dataclasses import replace
from typing import Any

from django.db.models import QuerySet
from django.http import Http404

from yuplet.illustration.credit import Credit
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.records import from_record
from yuplet.plan.plan import Plan, PlannedPart, plan_hand_over
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.arrangement.queries import tree_of
from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.models import Illustration, LayerImage, Revision
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
    revision = illustration.revision
    plan = plan_hand_over(read_of(illustration, revision), tree_of(arrangement), revision.sha256, str(illustration.uid))
    return plan, arrangement.version


def read_of(illustration: Illustration, revision: Revision) -> Read:
    """What was read of a revision, under the name and with the credit that the illustration has by now."""
    return replace(from_record(revision.record), name=illustration.name, credit=Credit(**illustration.credit))


def described(plan: Plan, version: int, illustration: Illustration) -> dict[str, Any]:
    """A plan as plain values, each file compared with the last package: 'new', 'changed' or 'same'; and what is gone."""
    pixels = dict(LayerImage.objects.filter(revision=illustration.current).values_list("layer", "pixels"))
    last = hand_overs_of(illustration).filter(job__state=Job.State.DONE).first()
    before = {file["file"]: file for file in last.plan["files"]} if last is not None else {}
    places = Counter(planned.file for planned in plan.parts)
    own = (planned for planned in plan.parts if planned.has_own_image)
    files = [_file(planned, places[planned.file], pixels, before) for planned in own]
    names = {file for planned in plan.parts for file in planned.files}
    return {
        "version": version,
        "canvas": [plan.canvas.width, plan.canvas.height],
        "files": files,
        "beside": [name for name in plan.files if name not in names],
        "left_out": list(plan.left_out),
        "empty": list(plan.empty),
        "gone": sorted(set(before) - {file["file"] for file in files}),
        "compared_with": last.number if last is not None else None,
    }


def _file(
    planned: PlannedPart, places: int, pixels: dict[str, str], before: dict[str, dict[str, Any]]
) -> dict[str, Any]:
    frames = [
        [(pixels.get(piece.layer), piece.opacity, piece.blend) for piece in frame.pieces]
        for frame in planned.part.frames
    ]
    key = hashlib.sha256(json.dumps(frames).encode()).hexdigest()
    earlier = before.get(planned.file)
    return {
        "file": planned.file,
        "images": len(planned.files),
        "places": places,
        "path": list(planned.path),
        "order": planned.order,
        "box": planned.box.as_xywh(),
        "shown": planned.shown,
        "key": key,
        "change": "new" if earlier is None else "same" if earlier["key"] == key else "changed",
        "bytes": None,
    }
