"""Handing over: asked for with the version of the plan that was seen, done by a worker, proven before it is kept."""

import io
import zipfile
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import IntegrityError, transaction
from django.utils import timezone
from django.utils.dateparse import parse_datetime

from yuplet.arrangement.records import from_json, to_json
from yuplet.errors import RecipeNotUnderstood
from yuplet.handover import HandOverReport, hand_over, with_shapes
from yuplet.paths import PackagePath, within
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.recipe import from_json as recipe_from_json
from yuplet.plan.recipe import to_json as recipe_to_json
from yuplet.writing.pictures import Sources
from yuplet_server.accounts.models import User
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.files.store import blobs, open_blob
from yuplet_server.handovers import queries
from yuplet_server.handovers.models import HandOver, Recipe
from yuplet_server.handovers.roots import folder_at
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.queries import StoredPixels, digests_of, drawing_of
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs import apart
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import add_bytes, require_space
from yuplet_server.projects.models import Project

_PIECE = 1 << 20


def save_recipe(project: Project, user: User, document: Any, recipe: Recipe | None = None) -> Recipe:
    """Keep a recipe in a project, a new one or in the place of an earlier. Raises `RecipeNotUnderstood`."""
    read = recipe_from_json(document)
    values = {"name": read.name, "document": recipe_to_json(read)}
    try:
        with transaction.atomic():
            if recipe is None:
                return Recipe.objects.create(project=project, created_by=user, **values)
            for name, value in values.items():
                setattr(recipe, name, value)
            recipe.save()
            return recipe
    except IntegrityError as error:
        raise RecipeNotUnderstood("name", f"the project has a recipe called '{read.name}' already") from error


def ask(
    illustration: Illustration,
    user: User,
    version: int,
    document: Any = None,
    only: Iterable[str] | None = None,
    folder: str = "",
    remove_obsolete: bool = False,
    prove_everything: bool = False,
) -> HandOver:
    """Ask for a hand-over of the version whose plan was seen, into a folder of this machine too where one is given.

    The rows are written as planned: what colleagues change meanwhile is no obstacle. Raises `ChangedMeanwhile` where the version is neither the
    present one nor one whose plan is remembered, `PlanError` or `WriteError`.
    """
    require_space(illustration.project, 1)
    one = queries.asked(illustration, document, only, folder, version, user)
    plan = apart.ask(illustration.pk, queries.plan_to_do, one)
    with transaction.atomic():
        return start(one, user, plan, remove_obsolete, prove_everything=prove_everything)


def start(
    one: queries.Asked,
    user: User,
    plan: dict[str, Any] | None = None,
    remove_obsolete: bool = False,
    followed_by: Job | None = None,
    prove_everything: bool = False,
) -> HandOver:
    """Start a hand-over within a transaction; without a plan that somebody saw it is made when it is carried out."""
    illustration = one.illustration
    # One number after the other.
    Illustration.objects.select_for_update().get(pk=illustration.pk)
    made = HandOver.objects.create(
        illustration=illustration,
        revision=one.revision,
        number=(queries.hand_overs_of(illustration).values_list("number", flat=True).first() or 0) + 1,
        version=one.version,
        arrangement=to_json(one.arrangement),
        name=one.read.name,
        credit=one.read.credit.as_json(),
        recipe=recipe_to_json(one.recipe),
        plan=plan or {},
        folder=str(one.folder or ""),
        remove_obsolete=remove_obsolete,
        prove_everything=prove_everything,
        created_by=user,
    )
    record(Entry.Kind.HAND_OVER, file_name(made), illustration.project_id, user.username if user else "")
    made.job = jobs.start(Job.Kind.HAND_OVER, illustration.project_id, made.pk, user, followed_by)
    made.save(update_fields=["job"])
    return made


def carry_out(hand_over_id: int, folder: Path, progress: jobs.Progress) -> jobs.Landing:
    """Write and prove a package and keep its files; answers how that lands in the database.

    What has not changed since the last package by the same recipe is taken over from it.
    """
    asked = HandOver.objects.select_related("illustration", "revision", "created_by").get(pk=hand_over_id)
    illustration, revision = asked.illustration, asked.revision
    plan = asked.plan or queries.plan_to_do(queries.asked_again(asked))
    last = queries.last_done(illustration, asked.recipe["name"])
    before = {file["file"]: file for file in last.files} if last is not None else {}
    package = folder / "package"
    if asked.folder:
        package = folder_at(asked.folder, asked.created_by, illustration.project_id)
    else:
        for file in before.values():
            blobs().link(file["sha256"], package, PackagePath(file["file"]))
    with SpillFile(str(folder)) as scratch:
        pixels, drawing = StoredPixels(digests_of(revision), scratch), drawing_of(revision)
        read, recipe = (
            queries.read_as(revision, asked.name or illustration.name, asked.credit or illustration.credit),
            recipe_from_json(asked.recipe),
        )
        report = hand_over(
            read,
            from_json(asked.arrangement),
            Sources(pixels, drawing),
            package,
            revision.sha256,
            progress,
            remove_obsolete=asked.remove_obsolete or not asked.folder,
            illustration_id=str(illustration.uid),
            recipe=recipe,
            digests=with_shapes(pixels.digests, read, recipe, drawing),
            prove_everything=asked.prove_everything,
        )
    files = []
    kept = set(report.kept)
    now = timezone.now().isoformat()
    for name in report.files:
        if name in kept and name in before and before[name]["bytes"] == report.file_bytes[name] and not asked.folder:
            files.append(before[name])
            continue
        with within(package, PackagePath(name)).open("rb") as source:
            digest = blobs().keep(source)
        files.append({"file": name, "sha256": digest, "bytes": report.file_bytes[name], "at": now})

    known = {file["sha256"] for file in before.values()}
    more = sum(
        size for digest, size in {file["sha256"]: file["bytes"] for file in files}.items() if digest not in known
    )

    def land() -> None:
        add_bytes(illustration.project_id, more)
        HandOver.objects.filter(pk=hand_over_id).update(
            plan=plan, report=_report(report), files=files, package_bytes=sum(file["bytes"] for file in files)
        )
        _let_go(asked)

    return land


def _let_go(newest: HandOver) -> None:
    """Keep the files of the newest packages by a recipe only; plan and report of older ones stay. `sweep_files` removes what nothing holds."""
    same = HandOver.objects.filter(illustration=newest.illustration_id, report__isnull=False).exclude(files=[])
    own = [
        pk for pk, name in same.order_by("-number").values_list("pk", "recipe__name") if name == newest.recipe["name"]
    ]
    HandOver.objects.filter(pk__in=own[settings.KEEP_PACKAGES :]).update(files=[], package_bytes=0)


def file_name(hand_over_made: HandOver) -> str:
    """What a package is called when it is downloaded."""
    return f"{hand_over_made.illustration.name} hand-over {hand_over_made.number}.zip"


def zipped(hand_over_made: HandOver) -> Iterator[bytes]:
    """The package as a ZIP, piece by piece, without ever being whole anywhere; files carry the time at which they were written first."""
    return zip_of((file["file"], file) for file in hand_over_made.files)


def zip_of(files: Iterable[tuple[str, dict[str, Any]]]) -> Iterator[bytes]:
    """Kept files as a ZIP, piece by piece, each under a name."""
    pipe = _Pipe()
    with zipfile.ZipFile(pipe, "w", zipfile.ZIP_STORED) as out:
        for name, file in files:
            at = parse_datetime(file["at"]) or timezone.now()
            entry = zipfile.ZipInfo(PackagePath(name), at.timetuple()[:6])
            # Images are compressed already, so they are only stored.
            is_text = name.endswith((".json", ".csv", ".txt", ".svg", ".html", ".css"))
            entry.compress_type = zipfile.ZIP_DEFLATED if is_text else zipfile.ZIP_STORED
            entry.external_attr = 0o644 << 16
            with open_blob(file["sha256"]) as source, out.open(entry, "w") as target:
                while piece := source.read(_PIECE):
                    target.write(piece)
                    yield pipe.taken()
    yield pipe.taken()


class _Pipe(io.RawIOBase):
    """What a ZIP is written to; it cannot be gone back in, so that the ZIP is written in one go."""

    def __init__(self) -> None:
        self._pieces: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self._pieces.append(bytes(data))
        return len(data)

    def taken(self) -> bytes:
        """What came in since it was last asked."""
        pieces, self._pieces = self._pieces, []
        return b"".join(pieces)


def _report(report: HandOverReport) -> dict[str, Any]:
    kept = set(report.kept)
    return {
        "parts": report.parts,
        "files": [{"file": name, "bytes": report.file_bytes[name], "kept": name in kept} for name in report.files],
        "bytes": report.bytes,
        "seconds": report.seconds,
        "empty": report.empty,
        "left_out": report.left_out,
        "warnings": report.warnings,
        "gone": report.obsolete,
        "proof": report.proof.as_json(),
    }
