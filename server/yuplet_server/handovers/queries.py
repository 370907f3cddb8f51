"""Questions to recipes and hand-overs: what one would write, and what earlier ones wrote."""

import hashlib
import json
import tempfile
import threading
from collections import OrderedDict
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from django.core.cache import cache
from django.db import transaction
from django.db.models import QuerySet
from django.http import Http404

from yuplet.arrangement.records import from_json as arrangement_from_json
from yuplet.arrangement.records import to_json as arrangement_to_json
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.errors import NoSuchPicture, NoSuchRow
from yuplet.findings.order import look_over_order
from yuplet.geometry import Box
from yuplet.handover import require_no_findings, with_shapes
from yuplet.illustration.credit import Credit
from yuplet.illustration.layers import Illustration as Read
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.measuring import Measured, measure, wants_measuring
from yuplet.plan.plan import plan_hand_over
from yuplet.plan.planned import Plan, PlannedFile, PlannedPart
from yuplet.plan.recipe import Recipe, from_json, shipped, to_json
from yuplet.plan.tolerance import allowed
from yuplet.writing.files import alone
from yuplet.writing.manifest import WrittenFile
from yuplet.writing.package import earlier_package, require_same_illustration
from yuplet.writing.pictures import Sources
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.arrangement.queries import tree_of
from yuplet_server.base.errors import ChangedMeanwhile
from yuplet_server.handovers.models import HandOver, Planned
from yuplet_server.handovers.models import Recipe as SavedRecipe
from yuplet_server.handovers.roots import folder_at
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.illustrations.queries import StoredPixels, digests_of, drawing_of, read_of
from yuplet_server.projects import queries
from yuplet_server.projects.models import Member, Project

FIRST_RECIPE = "cut-out-rig.json"
"""The shipped recipe that an illustration begins with."""
_REMEMBERED = 7 * 24 * 3600


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


def last_done(illustration: Illustration, recipe: str) -> HandOver | None:
    """The newest hand-over by a recipe of that name that came to its end."""
    return hand_overs_of(illustration).filter(report__isnull=False, recipe__name=recipe).first()


def recipe_for(user: User, recipe_id: int, role: Member.Role) -> SavedRecipe:
    """A saved recipe, if somebody has at least a role in its project."""
    found = SavedRecipe.objects.filter(pk=recipe_id).first()
    if found is None:
        raise Http404
    queries.require(user, found.project_id, role)
    return found


def recipes_of(project: Project) -> list[dict[str, Any]]:
    """The recipes of a project by name, and after them those that come with Yuplet; documents in full."""
    own = [
        {"id": one.pk, "file": None, "document": to_json(from_json(one.document))}
        for one in SavedRecipe.objects.filter(project=project).order_by("name")
    ]
    return [*own, *({"id": None, "file": file, "document": to_json(one)} for file, one in shipped().items())]


def recipe_of(illustration: Illustration, document: Any = None) -> Recipe:
    """The recipe that is meant: as given, else that of the last hand-over that came to its end, else the first one. Raises `RecipeNotUnderstood`."""
    if document is not None:
        return from_json(document)
    last = hand_overs_of(illustration).filter(report__isnull=False).first()
    return from_json(last.recipe) if last is not None else shipped()[FIRST_RECIPE]


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """A hand-over that somebody thinks of: by which recipe, of the arrangement as it is now or of some of its rows; `whole` is all of it."""

    illustration: Illustration
    revision: Revision
    read: Read
    arrangement: Tree
    version: int
    recipe: Recipe
    folder: Path | None = None
    whole: Tree | None = None


def asked(
    illustration: Illustration,
    document: Any = None,
    only: Iterable[str] | None = None,
    folder: str = "",
    version: int | None = None,
    user: User | None = None,
) -> Asked:
    """What a hand-over would be of now, or of an earlier version whose plan was seen.

    Raises `RecipeNotUnderstood`, `NoSuchRow`, `FolderNotAllowed`, or `ChangedMeanwhile` where a version is not known any more.
    """
    revision = illustration.revision
    with transaction.atomic():
        # Nobody changes rows between two of them.
        arrangement = Arrangement.objects.select_for_update().get(pk=illustration.pk)
        tree, number = tree_of(arrangement), arrangement.version
    name, credit = illustration.name, illustration.credit
    if version is not None:
        kept = Planned.objects.filter(illustration=illustration, version=version).select_related("revision").first()
        if kept is None and version != number:
            raise _changed(arrangement)
        if kept is not None:
            tree, number, revision = arrangement_from_json(kept.arrangement), version, kept.revision
            name, credit = (kept.name or name), (kept.credit or credit)
    whole = tree
    if only is not None:
        known = tree.index()
        for row in only:
            if row not in known:
                raise NoSuchRow(row)
        tree = tree.only(set(only))
    recipe = recipe_of(illustration, document)
    read, target = (
        read_as(revision, name, credit),
        (folder_at(folder, user, illustration.project_id) if folder else None),
    )
    return Asked(
        illustration=illustration,
        revision=revision,
        read=read,
        arrangement=tree,
        version=number,
        recipe=recipe,
        folder=target,
        whole=whole,
    )


def asked_again(made: HandOver) -> Asked:
    """What was asked for by a hand-over that waits to be carried out."""
    tree = arrangement_from_json(made.arrangement)
    return Asked(
        illustration=made.illustration,
        revision=made.revision,
        read=read_as(made.revision, made.name or made.illustration.name, made.credit or made.illustration.credit),
        arrangement=tree,
        version=made.version,
        recipe=from_json(made.recipe),
        folder=folder_at(made.folder, made.created_by, made.illustration.project_id) if made.folder else None,
        whole=tree,
    )


def unchanged(one: Asked) -> HandOver | None:
    """The last hand-over by this recipe, where what is asked for would be the same again, and its package is still kept."""
    last = last_done(one.illustration, one.recipe.name)
    if last is None or not last.files or not (last.report or {})["proof"]["ok"]:
        return None
    said = [one.revision.pk, one.read.name, one.read.credit.as_json(), to_json(one.recipe)]
    known = [last.revision_id, last.name, last.credit, to_json(from_json(last.recipe))]
    # As they are kept, where a tuple is a list.
    same = json.loads(json.dumps([*said, arrangement_to_json(one.arrangement)])) == [*known, last.arrangement]
    return last if same else None


def _changed(arrangement: Arrangement) -> ChangedMeanwhile:
    last = arrangement.steps.order_by("-version").select_related("user").first()
    who = last.user.username if last is not None and last.user is not None else "Somebody"
    return ChangedMeanwhile(who, last.title if last is not None else "a step was undone")


def read_as(revision: Revision, name: str, credit: Mapping[str, Any]) -> Read:
    """What was read of a revision, under a name and with a credit."""
    return replace(read_of(revision), name=name, credit=Credit(**credit))


_PLANS: OrderedDict[str, tuple[Asked, Plan]] = OrderedDict()
_MOST_PLANS = 4
_PLANS_LOCK = threading.Lock()


def plan_for(
    illustration: Illustration,
    document: Any = None,
    only: list[str] | None = None,
    folder: str = "",
    user: User | None = None,
) -> tuple[Asked, Plan]:
    """What is asked for and its plan, remembered by this process for as long as nothing changes: a page asks for every picture of it.

    Raises what `asked` and `planned` raise.
    """
    recipe = to_json(recipe_of(illustration, document))
    version = Arrangement.objects.values_list("version", flat=True).get(pk=illustration.pk)
    said = [
        str(illustration.uid),
        illustration.name,
        illustration.credit,
        illustration.current_id,
        version,
        recipe,
        only,
        folder,
        user.pk if user is not None and folder else None,
    ]
    key = json.dumps(said)
    with _PLANS_LOCK:
        if key in _PLANS:
            _PLANS.move_to_end(key)
            return _PLANS[key]
    one = asked(illustration, recipe, only, folder, user=user)
    found = (one, planned(one))
    if one.version == version:
        with _PLANS_LOCK:
            _PLANS[key] = found
            while len(_PLANS) > _MOST_PLANS:
                _PLANS.popitem(last=False)
    return found


def plan_shown(
    illustration: Illustration,
    document: Any = None,
    only: list[str] | None = None,
    folder: str = "",
    user: User | None = None,
) -> dict[str, Any]:
    """A plan as plain values; its rows are remembered, so that it can be carried out as it was seen, whatever colleagues change meanwhile."""
    one, plan = plan_for(illustration, document, only, folder, user)
    assert one.whole is not None
    Planned.objects.update_or_create(
        illustration=illustration,
        version=one.version,
        defaults={
            "revision": one.revision,
            "arrangement": arrangement_to_json(one.whole),
            "name": one.read.name,
            "credit": one.read.credit.as_json(),
        },
    )
    return plan_payload(plan, one)


def picture_shown(illustration: Illustration, document: Any, only: list[str] | None, file: str) -> tuple[bytes, str]:
    """A picture of the plan; see `picture_of`."""
    return picture_of(*plan_for(illustration, document, only), file)


def plan_to_do(one: Asked) -> dict[str, Any]:
    """The plan of what is asked for, as plain values, once it is sure that nothing stops it. Raises `PlanError`."""
    plan = planned(one)
    plan.require_no_errors()
    require_no_findings(one.read, one.arrangement)
    return plan_payload(plan, one)


def planned(one: Asked) -> Plan:
    """The plan of a hand-over. Raises `PlanError`."""
    with tempfile.TemporaryDirectory() as folder, SpillFile(folder) as scratch:
        pixels = StoredPixels(digests_of(one.revision), scratch)
        found = _measured(one, pixels)
    uid = str(one.illustration.uid)
    digests = with_shapes(pixels.digests, one.read, one.recipe, drawing_of(one.revision))
    return plan_hand_over(one.read, one.arrangement, one.revision.sha256, uid, one.recipe, found, digests)


def _measured(one: Asked, pixels: StoredPixels) -> dict[str, Measured]:
    """What the pixels tell of those parts whose boxes do not say enough; looked at once and remembered."""
    boxes, canvas = one.read.boxes, one.read.canvas
    found = {}
    for around, part in one.arrangement.parts():
        images, _ = one.recipe.images_of((*(group.name for group in around), part.name), part)
        if not part.included or not wants_measuring(part, images, boxes, canvas):
            continue
        frames = [
            [
                (pixels.digests.get(piece.layer), boxes.get(piece.layer), piece.opacity, piece.blend)
                for piece in frame.pieces
            ]
            for frame in part.frames
        ]
        said = [images.threshold, canvas, part.offset, part.beyond, frames]
        key = f"measured-2-{hashlib.sha256(json.dumps(said).encode()).hexdigest()}"
        known = cache.get(key)
        if known is None:
            made = measure(part, images.threshold, boxes, canvas, pixels)
            known = (made.box and tuple(made.box), made.opaque, made.frames)
            cache.set(key, known, _REMEMBERED)
        found[part.id] = Measured(known[0] and Box(*known[0]), known[1], tuple(known[2]))
    return found


def plan_payload(plan: Plan, one: Asked) -> dict[str, Any]:
    """A plan as plain values, each file compared with the last package by this recipe: 'new', 'changed' or 'same'; what is gone; and
    everything that stops it or is to be known before.
    """
    last = last_done(one.illustration, plan.recipe.name)
    before = _before(one, last)
    parts = {planned.part.id: planned for planned in plan.parts}
    files = [_file(file, before) for file in plan.listed]
    boxes = one.arrangement.boxes(one.read)
    findings = look_over_order(one.arrangement, boxes, one.read.canvas)
    stops = [
        {
            "kind": "finding",
            "severity": "error",
            "sentence": found.sentence,
            "parts": list(found.rows),
            "files": [],
            "fits": None,
        }
        for found in findings
        if found.severity == "error"
    ]
    notes = [
        {
            "kind": note.kind,
            "severity": note.severity,
            "sentence": note.sentence,
            "parts": [row for row in note.parts if row in parts],
            "files": list(note.files),
            "fits": note.fits,
        }
        for note in plan.notes
    ]
    return {
        "version": one.version,
        "recipe": to_json(plan.recipe),
        "canvas": list(plan.canvas),
        "scales": [
            {"name": at.scale.label, "factor": float(at.factor), "canvas": list(at.canvas)} for at in plan.scales
        ],
        "parts": [
            {
                "id": row,
                "path": list(planned.path),
                "order": planned.order,
                "shown": planned.shown,
                "frames": len(planned.part.frames),
                "format": planned.images.format,
                "file": plan.main.images[row].file,
                "box": plan.main.images[row].box.as_xywh(),
                "moments": _moments(plan, planned),
            }
            for row, planned in parts.items()
        ],
        "files": files,
        "notes": [*stops, *notes],
        "left_out": list(plan.left_out),
        "empty": list(plan.empty),
        "gone": sorted(set(before) - {file["file"] for file in files}),
        "allowed": asdict(allowed(plan.recipe, plan.parts, plan.main.factor)),
        "compared_with": last.number if last is not None and one.folder is None else None,
        "folder": str(one.folder or ""),
    }


def _moments(plan: Plan, planned: PlannedPart) -> list[dict[str, Any]]:
    """The moments of an animated part whose pictures are files of their own, in order."""
    frames = plan.main.images[planned.part.id].frames
    if len(frames) < 2 or any(frame.id != frame.file for frame in frames):
        return []
    return [
        {"file": frame.file, "milliseconds": moment.milliseconds}
        for frame, moment in zip(frames, planned.part.frames, strict=True)
    ]


def _before(one: Asked, last: HandOver | None) -> dict[str, WrittenFile]:
    """What is there already: in the folder that is written to, else in the last package by the same recipe."""
    if one.folder is not None:
        earlier = earlier_package(one.folder)
        require_same_illustration(earlier, str(one.illustration.uid), one.folder)
        return {name: earlier.known.get(name, WrittenFile(0, "")) for name in earlier.files}
    if last is None:
        return {}
    sizes = {file["file"]: file["bytes"] for file in last.files}
    return {file["file"]: WrittenFile(sizes.get(file["file"], 0), "", key=file["key"]) for file in last.plan["files"]}


def _file(file: PlannedFile, before: Mapping[str, WrittenFile]) -> dict[str, Any]:
    earlier = before.get(file.name)
    same = earlier is not None and bool(file.key) and earlier.key == file.key
    change = "new" if earlier is None else "same" if same else "changed" if file.key else "made anew"
    return {
        "file": file.name,
        "kind": file.kind,
        "scale": file.scale,
        "size": file.size and list(file.size),
        "parts": list(file.parts),
        "key": file.key,
        "change": change,
        "bytes": earlier.bytes if same and earlier is not None else None,
    }


def picture_of(one: Asked, plan: Plan, file: str) -> tuple[bytes, str]:
    """A picture of the plan exactly as it would be written, and its media type. Raises `NoSuchPicture`, or `PlanError` where it is too large."""
    plan.require_within_budget()
    with tempfile.TemporaryDirectory() as folder, SpillFile(folder) as scratch:
        sources = Sources(StoredPixels(digests_of(one.revision), scratch), drawing_of(one.revision))
        found = alone(plan, file, sources)
    if found is None:
        raise NoSuchPicture(file)
    return found
