"""Moving house: a project as one archive, out and in again on another machine, everything equal.

The format is docs/formats/project.md.
"""

import datetime
import json
import uuid
import zipfile
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path, PurePath
from typing import IO, Any

from django.db import models, transaction
from django.db.models import Q
from django.utils import timezone
from django.utils.dateparse import parse_datetime

from yuplet import documents
from yuplet.arrangement.records import FORMAT as ARRANGEMENT
from yuplet.arrangement.records import RowRecord
from yuplet.arrangement.records import from_json as arrangement_from_json
from yuplet.arrangement.tree import Decisions
from yuplet.editing.commands import CODEC
from yuplet.errors import ArrangementError, BrokenFile, ChoiceError, PlanError, TooLarge, UnsafePath, shown
from yuplet.geometry import Size
from yuplet.illustration.records import from_record
from yuplet.paths import PackagePath, is_plain, key, plain
from yuplet.plan.recipe import from_json as recipe_from_json
from yuplet.reading import archives, png
from yuplet.reading.choices import Choices
from yuplet.version import __version__
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement, Row, Step
from yuplet_server.arrangement.queries import record_of
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.base.errors import NotNow
from yuplet_server.files.store import blobs, open_blob
from yuplet_server.handovers.models import HandOver, Planned, Recipe
from yuplet_server.handovers.serializers import HandOverReportSerializer
from yuplet_server.illustrations.models import DerivedLayer, Illustration, LayerImage, Revision
from yuplet_server.illustrations.queries import masks_in
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs import apart
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import add_bytes, require_space, start_project
from yuplet_server.projects.models import Project
from yuplet_server.rehearsals.models import Film, Rehearsal
from yuplet_server.transfer.models import Archive
from yuplet_server.transfer.sizes import bytes_of_illustration, count_anew

FORMAT = "yuplet-project"
VERSION = 1
INDEX = "project.json"
MAX_INDEX = 512 << 20
MAX_UPLOAD = 16 << 30

# What is told of each kind of row; what refers to others is told by number, and digests are looked after below.
_ILLUSTRATION = ("name", "credit", "created_at")
_REVISION = (
    "number", "file_name", "sha256", "bytes", "choices", "state", "width", "height", "preview", "picture", "record", "report",
    "created_at",
)  # fmt: skip
_IMAGE = ("layer", "pixels", "thumbnail")
_OWN = frozenset({"id", "arrangement", "changed", "redrawn"})
"""Columns of a row that say nothing about the art."""
_ROW = tuple(field.name for field in Row._meta.fields if field.name not in _OWN)
_STEP = ("version", "title", "command", "inverse", "touched", "state", "at")
_HAND_OVER = (
    "number", "version", "arrangement", "recipe", "plan", "report", "files", "package_bytes", "created_at",
)  # fmt: skip
_DIGESTS = ("sha256", "preview", "picture", "pixels", "thumbnail")
_RECIPE = ("name", "document")


@transaction.atomic
def ask_to_pack(project: Project, user: User) -> Archive:
    """Ask for a project as one archive."""
    archive = Archive.objects.create(project=project, direction=Archive.Direction.OUT, created_by=user)
    archive.job = jobs.start(Job.Kind.PACK, project.pk, archive.pk, user)
    archive.save(update_fields=["job"])
    return archive


def keep_archive(user: User, file_name: str, size: int, content: IO[bytes]) -> Archive:
    """Keep an archive and ask for its project to be unpacked into a new one. Raises `ReadError`."""
    if size > MAX_UPLOAD:
        raise TooLarge(f"'{file_name}' has {size / 2**30:.1f} GiB; Yuplet takes up to {MAX_UPLOAD >> 30} GiB.")
    require_space(Project(name=plain(PurePath(file_name).stem)[:120]), size, starts=user)
    digest = blobs().keep(content)
    with blobs().local(digest) as path:
        name = apart.ask("an archive", _name_in, path, file_name)
    with transaction.atomic():
        project = start_project(user, plain(name)[:120] or plain(PurePath(file_name).stem)[:120] or "project")
        kept = Archive.objects.create(
            project=project, direction=Archive.Direction.IN, sha256=digest, bytes=size, created_by=user
        )
        add_bytes(project.pk, size)
        kept.job = jobs.start(Job.Kind.UNPACK, project.pk, kept.pk, user)
        kept.save(update_fields=["job"])
    return kept


def _name_in(path: Path, file_name: str) -> str:
    """The name of the project in an archive. Raises `ReadError`."""
    with archives.opened(path, file_name) as archive:
        return str(_index(archive, file_name)["name"])


def pack(archive_id: int, folder: Path, progress: jobs.Progress) -> jobs.Landing:
    """Write the archive of a project; answers how it lands in the database."""
    project = Archive.objects.select_related("project").get(pk=archive_id).project
    with transaction.atomic():
        value = _told(project)
    digests = sorted(_digests_in(value))
    target = folder / "project.zip"
    with zipfile.ZipFile(target, "w", zipfile.ZIP_STORED) as out:
        index = json.dumps(value, ensure_ascii=False, default=str)
        out.writestr(zipfile.ZipInfo(INDEX), index.encode(), zipfile.ZIP_DEFLATED)
        for done, digest in enumerate(digests, 1):
            with blobs().local(digest) as path:
                out.write(path, f"files/{digest}")
            progress("pack", done, len(digests))
    with target.open("rb") as file:
        packed = blobs().keep(file)
    size = target.stat().st_size

    def land() -> None:
        Archive.objects.filter(pk=archive_id).update(sha256=packed, bytes=size)

    return land


def unpack(archive_id: int, folder: Path, progress: jobs.Progress) -> jobs.Landing:
    """Read an archive; answers how its project lands in the database. Raises `ReadError`; nothing half-made is kept."""
    kept = Archive.objects.select_related("project", "created_by").get(pk=archive_id)
    name = "The archive"
    with blobs().local(kept.sha256) as path, archives.opened(path, name, MAX_UPLOAD) as archive:
        value = _index(archive, name)
        try:
            _check(value)
            digests = sorted(_digests_in(value))
        except _WRONG as error:
            raise _not_whole(name, error) from error
        for done, digest in enumerate(digests, 1):
            try:
                found = blobs().keep_pieces(archives.pieces(archive, archive.getinfo(f"files/{digest}")))
            except KeyError:
                raise BrokenFile(f"{name} lacks the file {digest[:12]}.... Pack the project again.") from None
            if found != digest:
                raise BrokenFile(f"The file {digest[:12]}... in {name.lower()} is damaged. Pack the project again.")
            progress("unpack", done, len(digests))
    try:
        _check_pictures(value)
    except ValueError as error:
        raise _not_whole(name, error) from error
    return lambda: _Landing(kept.project, kept.created_by, value).land()


@transaction.atomic
def duplicate(illustration: Illustration, user: User) -> Illustration:
    """Another illustration of the same project with the same art and parts; hand-overs and steps that can be undone begin anew. Raises `NotNow`.

    Its files are those that are there: it takes no room.
    """
    _require_ready(illustration)
    told = json.loads(json.dumps(_told_illustration(illustration, has_past=False), default=str))
    told |= {
        "uid": str(uuid.uuid4()),
        "name": f"{illustration.name[:190]} copy",
        "created_at": str(timezone.now()),
    }
    return _Landing(illustration.project, user, {}).illustration(told)


@transaction.atomic
def move(illustration: Illustration, project: Project) -> None:
    """Put an illustration, with all that belongs to it, into another project. Raises `NotNow` and `ProjectFull`."""
    before = illustration.project
    if before.pk == project.pk:
        return
    _require_ready(illustration)
    if Illustration.everything.filter(project=project, uid=illustration.uid).exists():
        raise NotNow(f"'{project.name}' holds this illustration already, or has it in its bin. Nothing was moved.")
    mine = Q(pk__in=illustration.revisions.values("job"))
    for kind, of in (
        (HandOver, {"illustration": illustration}),
        (Rehearsal, {"illustration": illustration}),
        (Film, {"rehearsal__illustration": illustration}),
    ):
        mine |= Q(pk__in=kind.objects.filter(**of).values("job"))
    works = Job.objects.filter(mine)
    if works.filter(state__in=(Job.State.WAITING, Job.State.RUNNING)).exists():
        raise NotNow(f"'{illustration.name}' is being worked on. Wait until that has ended, then move it.")
    require_space(project, bytes_of_illustration(illustration), of=before)
    works.update(project=project)
    illustration.project = project
    illustration.save(update_fields=["project"])
    record(Entry.Kind.MOVE, f"illustration '{illustration.name}' from '{before.name}' to '{project.name}'", project.pk)

    def count() -> None:
        for one in (before, project):
            one.refresh_from_db(fields=["bytes"])
            count_anew(one)

    transaction.on_commit(count)


def _require_ready(illustration: Illustration) -> None:
    Illustration.objects.select_for_update().get(pk=illustration.pk)
    if illustration.revision.state != Revision.State.READY:
        raise NotNow(f"'{illustration.name}' is not read yet. Wait until it is.")


def remove_unreachable(illustration: Illustration, before: datetime.datetime) -> int:
    """Remove derived layers that nothing leads to any more; return how many there were.

    A row leads to its layers, a step that can be undone or done again to those of its rows, a hand-over and a plan that was seen to theirs, and
    each derived layer to those that it was made of. What was discarded since `before` is left for another time.
    """
    if illustration.current is None or not DerivedLayer.objects.filter(revision__illustration=illustration).exists():
        return 0
    steps = Step.objects.filter(arrangement=illustration.pk).exclude(state=Step.State.DISCARDED, at__lt=before)
    roots: list[models.QuerySet[Any, Any]] = [
        Row.objects.filter(arrangement=illustration.pk).values_list("frames", flat=True)
    ]
    roots += [steps.values_list(name, flat=True) for name in ("command", "inverse")]
    roots += [
        kind.objects.filter(illustration=illustration).values_list("arrangement", flat=True)
        for kind in (HandOver, Planned)
    ]
    reached = set[str]()
    for values in roots:
        for value in values.iterator(chunk_size=200):
            reached |= _texts(value)
    derived = DerivedLayer.objects.filter(revision__illustration=illustration).order_by("pk")
    for _, layer, told in sorted(derived.values_list("pk", "layer", "record"), reverse=True, key=lambda row: row[0]):
        if layer in reached:
            reached |= _texts(told)
    gone = [one.pk for one in derived if one.layer not in reached]
    for kind in (LayerImage, DerivedLayer):
        layers = DerivedLayer.objects.filter(pk__in=gone).values_list("revision", "layer")
        for revision, layer in list(layers):
            kind.objects.filter(revision=revision, layer=layer).delete()
    return len(gone)


def _texts(value: Any) -> set[str]:
    """Every text in plain JSON values: the ids of layers are among them."""
    if isinstance(value, str):
        return {value}
    if isinstance(value, Mapping):
        return {text for one in value.values() for text in _texts(one)} | set(value)
    if isinstance(value, list | tuple):
        return {text for one in value for text in _texts(one)}
    return set()


def _not_whole(name: str, error: Exception) -> BrokenFile:
    return BrokenFile(f"{name} does not say all that a project has ({shown(error, 200)}). Pack the project again.")


_WRONG = (
    KeyError,
    TypeError,
    ValueError,
    AttributeError,
    LookupError,
    ArrangementError,
    ChoiceError,
    PlanError,
    UnsafePath,
)
"""What is raised where a description is not whole."""


def _told(project: Project) -> dict[str, Any]:
    illustrations = project.illustrations.select_related("current").order_by("id")
    return {
        "format": FORMAT,
        "version": VERSION,
        "made_by": f"Yuplet {__version__}",
        "name": project.name,
        "recipes": [_fields(one, _RECIPE) for one in project.recipes.order_by("name")],
        "illustrations": [
            _told_illustration(one) for one in illustrations if one.revision.state != Revision.State.READING
        ],
    }


def _told_illustration(illustration: Illustration, has_past: bool = True) -> dict[str, Any]:
    arrangement = Arrangement.objects.get(pk=illustration.pk)
    revisions = illustration.revisions.exclude(state=Revision.State.READING).order_by("number")
    return {
        "uid": str(illustration.uid),
        **_fields(illustration, _ILLUSTRATION),
        "current": illustration.revision.number,
        "revisions": [
            {**_told_revision(one), "images": [_fields(image, _IMAGE) for image in one.images.order_by("id")]}
            for one in revisions
        ],
        "arrangement": {
            "version": arrangement.version,
            "alone": arrangement.alone,
            "decisions": arrangement.decisions,
            "rows": [_fields(row, _ROW) for row in arrangement.rows.order_by("position")],
            "steps": [
                {**_fields(step, _STEP), "by": step.user.username if step.user else None}
                for step in arrangement.steps.select_related("user").order_by("id")
            ]
            if has_past
            else [],
        },
        "hand_overs": [
            {**_fields(one, _HAND_OVER), "revision": one.revision.number}
            for one in HandOver.objects.filter(illustration=illustration, report__isnull=False)
            .select_related("revision")
            .order_by("number")
        ]
        if has_past
        else [],
    }


def _told_revision(revision: Revision) -> dict[str, Any]:
    derived = revision.derived.order_by("pk").values_list("record", flat=True)
    told = _fields(revision, _REVISION)
    return {**told, "record": {**told["record"], "made": list(derived)}}


def _fields(row: models.Model, names: tuple[str, ...]) -> dict[str, Any]:
    return {name: getattr(row, name) for name in names}


def _digests_in(value: Mapping[str, Any]) -> set[str]:
    found: set[str] = set()
    for illustration in value["illustrations"]:
        for told in (*illustration["revisions"], *illustration["hand_overs"]):
            for row in (told, *told.get("images", ())):
                found.update(row[name] for name in _DIGESTS if row.get(name))
                found.update(file["sha256"] for file in row.get("files", ()))
            found |= masks_in(told.get("record", {}).get("made", ()))
    return found


def _index(archive: zipfile.ZipFile, file_name: str) -> dict[str, Any]:
    try:
        value = documents.parsed(archives.read(archive, INDEX, MAX_INDEX), MAX_INDEX)
        is_ours = value["format"] == FORMAT and value["version"] == VERSION and isinstance(value["name"], str)
    except (KeyError, ValueError, TypeError):
        is_ours = False
    if not is_ours:
        raise BrokenFile(
            f"'{file_name}' is no packed project. Pack a project on its page of projects, and bring that file."
        )
    return dict(value)


def _check(value: Mapping[str, Any]) -> None:
    """Hold everything against its schema, and read it once as it is read later, so that nothing is kept that could not be worked with.

    Raises `ValueError` or an error of the core.
    """
    documents.require(value, "project")
    _once([one["name"] for one in value.get("recipes", ())], "recipe")
    for recipe in value.get("recipes", ()):
        if recipe_from_json(recipe["document"]).name != recipe["name"]:
            raise ValueError(f"the recipe '{shown(recipe['name'])}' has another name in itself")
    _once([one["uid"] for one in value["illustrations"]], "illustration")
    if not is_plain(value["name"]) or not all(is_plain(one["name"]) for one in value["illustrations"]):
        raise ValueError("a name has invisible characters")
    for illustration in value["illustrations"]:
        _check_illustration(illustration)


def _check_illustration(told: Mapping[str, Any]) -> None:
    numbers = [revision["number"] for revision in told["revisions"]]
    _once(numbers, "revision")
    states = {revision["number"]: revision["state"] for revision in told["revisions"]}
    if states.get(told["current"]) != Revision.State.READY:
        raise ValueError("the current revision is not there, or not read")
    _time(told["created_at"])
    for revision in told["revisions"]:
        _check_revision(revision)
    kept = told["arrangement"]
    rows = [_row_record(row).as_json() for row in sorted(kept["rows"], key=lambda row: int(row["position"]))]
    _once([row["position"] for row in kept["rows"]], "place of a row")
    decisions = Decisions.from_json(kept.get("decisions", {})).as_json()
    document = {"format": ARRANGEMENT, "version": 1, "alone": kept["alone"], "decisions": decisions, "rows": rows}
    arrangement_from_json(document)
    for step in kept["steps"]:
        CODEC.from_log(step["command"])
        CODEC.from_log(step["inverse"])
        _time(step["at"])
    _once([one["number"] for one in told["hand_overs"]], "hand-over")
    for one in told["hand_overs"]:
        if one["revision"] not in numbers:
            raise ValueError("a hand-over is of a revision that is not there")
        arrangement_from_json(one["arrangement"])
        recipe_from_json(one["recipe"])
        _once([key(PackagePath(file["file"])) for file in one["files"]], "file of a package")
        for at in (one["created_at"], *(file["at"] for file in one["files"])):
            _time(at)
        checked_report = HandOverReportSerializer(data=one["report"])
        if not checked_report.is_valid():
            raise ValueError(f"the report of hand-over {one['number']} is not complete")


def _check_revision(told: Mapping[str, Any]) -> None:
    read = from_record(told["record"])
    if tuple(read.canvas) != (told["width"], told["height"]):
        raise ValueError(f"revision {told['number']} has a canvas of another size than it says")
    _time(told["created_at"])
    Choices.from_json(told.get("choices", {}))
    layers = [node.id for _, node in read.walk()] + [made.id for made in read.made]
    _once(layers, "layer")
    there = {image["layer"] for image in told["images"]}
    _once([image["layer"] for image in told["images"]], "image of a layer")
    if there != set(read.boxes):
        raise ValueError(f"revision {told['number']} has images of other layers than it lists")
    before = {layer.id for layer in read.leaves()}
    for made in read.made:
        if unknown := set(made.sources) - before:
            raise ValueError(f"a layer is made of '{shown(min(unknown))}', which does not come before it")
        before.add(made.id)


def _once(names: Sequence[object], what: str) -> None:
    twice = [name for name, count in Counter(names).items() if count > 1]
    if twice:
        raise ValueError(f"the {what} '{shown(twice[0])}' is there twice")


def _time(text: str) -> None:
    found = parse_datetime(text)
    if found is None or not 1970 <= found.year <= 9998:
        raise ValueError(f"'{shown(text)}' is no time")


def _check_pictures(value: Mapping[str, Any]) -> None:
    """That the kept files are the pictures that they are said to be, before any of them is decoded: a PNG each, of the size that is told."""
    for told in value["illustrations"]:
        for revision in told["revisions"]:
            read = from_record(revision["record"])
            for image in revision["images"]:
                _is_png(image["pixels"], read.boxes[image["layer"]].size)
                _is_png(image["thumbnail"], None)
            _is_png(revision.get("preview", ""), None)
            _is_png(revision.get("picture", ""), read.canvas)
            for made in read.made:
                mask = getattr(made.derivation, "mask", "")
                if mask:
                    _is_png(mask, made.derivation.mask_box.size)  # type: ignore[union-attr]
                if made.added:
                    _is_png(made.added, None if made.box is None else made.box.size)


def _is_png(digest: str, size: Size | None) -> None:
    """Raise `ValueError` unless a kept file is a PNG of a size; None: of that of a small picture or of a canvas at most."""
    if not digest:
        return
    with open_blob(digest) as file:
        found = png.size_of(file.read(24))
    if found is None or (found != size if size is not None else found.pixels > png.MAX_PIXELS):
        raise ValueError(f"the picture {digest[:12]}... is not what it is said to be")


def _row_record(value: Mapping[str, Any]) -> RowRecord:
    return record_of(Row(**value))


@dataclass(frozen=True, slots=True)
class _Landing:
    """What an archive tells, on its way into a project that is empty."""

    project: Project
    user: User | None
    value: Mapping[str, Any]

    def land(self) -> None:
        """Make every row; nothing of it is kept when one cannot be made."""
        self.recipes()
        for told in self.value["illustrations"]:
            self.illustration(told)

    def recipes(self) -> None:
        Recipe.objects.bulk_create(
            Recipe(project=self.project, created_by=self.user, **_taken(one, _RECIPE))
            for one in self.value.get("recipes", ())
        )

    def illustration(self, told: Mapping[str, Any]) -> Illustration:
        illustration = Illustration.objects.create(
            project=self.project, uid=told["uid"], created_by=self.user, **_taken(told, _ILLUSTRATION)
        )
        _set_time(illustration, told, "created_at")
        revisions = {one["number"]: self._revision(illustration, one) for one in told["revisions"]}
        illustration.current = revisions[told["current"]]
        illustration.save(update_fields=["current"])
        self._arrangement(illustration, told["arrangement"])
        for one in told["hand_overs"]:
            revision = revisions[one["revision"]]
            job = self._done(Job.Kind.HAND_OVER)
            made = HandOver.objects.create(
                illustration=illustration,
                revision=revision,
                job=job,
                created_by=self.user,
                **_taken(one, _HAND_OVER),
            )
            Job.objects.filter(pk=job.pk).update(subject=made.pk)
            _set_time(made, one, "created_at")
        return illustration

    def _revision(self, illustration: Illustration, told: Mapping[str, Any]) -> Revision:
        revision = Revision.objects.create(
            illustration=illustration,
            job=self._done(Job.Kind.BRING_IN),
            created_by=self.user,
            **_taken(told, _REVISION),
        )
        DerivedLayer.objects.bulk_create(
            DerivedLayer(revision=revision, layer=one["id"], record=one) for one in revision.record.pop("made", ())
        )
        revision.save(update_fields=["record"])
        _set_time(revision, told, "created_at")
        LayerImage.objects.bulk_create(
            LayerImage(revision=revision, **_taken(image, _IMAGE)) for image in told["images"]
        )
        return revision

    def _arrangement(self, illustration: Illustration, told: Mapping[str, Any]) -> None:
        arrangement = Arrangement.objects.create(
            illustration=illustration,
            version=told["version"],
            alone=told["alone"],
            decisions=Decisions.from_json(told.get("decisions", {})).as_json(),
        )
        Row.objects.bulk_create(Row(arrangement=arrangement, **_taken(row, _ROW)) for row in told["rows"])
        for one in told["steps"]:
            # Steps of accounts that are not known here are nobody's; whoever moves in goes on with their own.
            user = self.user if self.user is not None and one["by"] == self.user.username else None
            step = Step.objects.create(arrangement=arrangement, user=user, **_taken(one, _STEP))
            _set_time(step, one, "at")

    def _done(self, kind: Job.Kind) -> Job:
        return Job.objects.create(
            project=self.project, kind=kind, subject=0, state=Job.State.DONE, created_by=self.user
        )


def _taken(told: Mapping[str, Any], names: tuple[str, ...]) -> dict[str, Any]:
    # What an older version did not know yet is absent, and is as it is at first.
    return {name: told[name] for name in names if name not in ("created_at", "at") and name in told}


def _set_time(row: models.Model, told: Mapping[str, Any], name: str) -> None:
    """The time at which it was made elsewhere; Django puts its own in when a row is made."""
    type(row)._default_manager.filter(pk=row.pk).update(**{name: parse_datetime(told[name])})
