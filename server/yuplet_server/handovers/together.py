"""Several illustrations of a project handed over together: each by its recipe, then an index beside the packages, and sheets that they share."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.db import transaction
from django.db.models import F, Prefetch, QuerySet
from django.http import Http404
from django.utils import timezone

from yuplet.arrangement.names import usable
from yuplet.errors import WriteError, some
from yuplet.paths import PackagePath, within
from yuplet.plan.recipe import Sheets, from_json, shipped
from yuplet.rehearsal.index import faults_of_sheets
from yuplet.writing.index import INDEX, require_index_of_ours, write_index
from yuplet.writing.shared_sheets import FOLDER as SHEETS
from yuplet.writing.stores import alone_in
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.base.errors import NotNow
from yuplet_server.files.store import blobs
from yuplet_server.handovers import actions, queries
from yuplet_server.handovers.models import HandOver, PackageOf, ProjectHandOver
from yuplet_server.handovers.roots import folder_at
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.illustrations.queries import illustrations
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs.models import Job
from yuplet_server.projects.models import Member, Project
from yuplet_server.projects.queries import require


@dataclass(frozen=True, slots=True)
class Wanted:
    """An illustration that is to be handed over, and by which recipe (None: the one that it was handed over by last)."""

    illustration: Illustration
    document: Any = None


def project_hand_over_for(user: User, number: int, role: Member.Role) -> ProjectHandOver:
    """One that was asked for, if somebody has at least a role in its project."""
    found = ProjectHandOver.objects.filter(pk=number).select_related("job").first()
    if found is None:
        raise Http404
    require(user, found.project_id, role)
    return found


def project_hand_overs_of(project: Project) -> QuerySet[ProjectHandOver]:
    """All of a project, the newest first, each with what is told of its packages: without their plans, files and the rest of their reports."""
    packages = PackageOf.objects.select_related("hand_over__job").defer(
        *(f"hand_over__{name}" for name in ("plan", "files", "report", "arrangement", "credit", "recipe"))
    )
    told = packages.annotate(
        recipe=F("hand_over__recipe__name"),
        parts=F("hand_over__report__parts"),
        proved=F("hand_over__report__proof__ok"),
        differing_pixels=F("hand_over__report__proof__differing_pixels"),
    )
    found = ProjectHandOver.objects.filter(project=project).select_related("job", "created_by")
    return found.prefetch_related(Prefetch("packages", told))


def candidates(project: Project) -> list[dict[str, Any]]:
    """What of a project can be handed over: each illustration that was read, the recipe that it would be by, and whether anything of it has
    changed since it was by that.
    """
    ready = illustrations().filter(project=project, current__state=Revision.State.READY).order_by("name", "pk")
    versions = dict(Arrangement.objects.filter(illustration__project=project).values_list("pk", "version"))
    done = HandOver.objects.filter(illustration__project=project, report__isnull=False).order_by("number")
    # Without plans and reports, which are long; of each the newest comes last.
    columns = ("illustration_id", "number", "version", "revision_id", "name", "recipe__name")
    newest = {number: rest for number, *rest in done.values_list(*columns)}
    found = []
    for one in ready:
        last, *then, recipe = newest.get(one.pk) or (None, shipped()[queries.FIRST_RECIPE].name)
        found.append(
            {
                "illustration": one.pk,
                "name": one.name,
                "recipe": recipe,
                "last": last,
                "has_changed": then != [versions[one.pk], one.current_id, one.name],
            }
        )
    return found


def ask(
    project: Project, user: User, wanted: Sequence[Wanted], folder: str = "", remove_obsolete: bool = False
) -> ProjectHandOver:
    """Hand illustrations over together, as they are now; into a folder of this machine too, where one is given.

    Whatever stops one of them, which its own hand-over says, does not stop the others. Raises `RecipeNotUnderstood`, `FolderNotAllowed`, or
    `WriteError` where the folder is taken.
    """
    if not wanted:
        raise NotNow("No illustration is selected. Tick those to hand over.")
    target = folder_at(folder, user, project.pk) if folder else None
    if target is not None:
        require_index_of_ours(target)
    names: dict[int, str] = {}
    for one in wanted:
        names[one.illustration.pk] = usable(one.illustration.name, [INDEX, SHEETS, *names.values()], "picture")
    asked = [
        queries.asked(
            one.illustration,
            one.document,
            folder=str(target / names[one.illustration.pk]) if target is not None else "",
            user=user,
        )
        for one in sorted(wanted, key=lambda one: one.illustration.pk)
    ]
    # A package in a folder may have been changed by hand.
    same = {each.illustration.pk: None if each.folder is not None else queries.unchanged(each) for each in asked}
    with transaction.atomic():
        # One number after the other.
        Project.objects.select_for_update().get(pk=project.pk)
        last = ProjectHandOver.objects.filter(project=project).values_list("number", flat=True).first() or 0
        made = ProjectHandOver.objects.create(
            project=project, number=last + 1, title=project.name, folder=str(target or ""), created_by=user
        )
        made.job = jobs.start(Job.Kind.GATHER, project.pk, made.pk, user)
        made.save(update_fields=["job"])
        for each in asked:
            known = same[each.illustration.pk]
            PackageOf.objects.create(
                together=made,
                hand_over=known or actions.start(each, user, None, remove_obsolete, made.job),
                name=names[each.illustration.pk],
                is_new=known is None,
            )
    return made


def gather(together_id: int, folder: Path, progress: jobs.Progress) -> jobs.Landing:
    """Write what lies beside the packages, once all of them are done."""
    together = ProjectHandOver.objects.select_related("created_by").get(pk=together_id)
    packages = list(together.packages.select_related("hand_over__job"))
    done = [one for one in packages if one.hand_over.report is not None and one.hand_over.files]
    if not done:
        raise WriteError(
            f"None of {some([one.name for one in packages])} could be handed over. What stopped each is said beside it. Nothing was kept."
        )
    for one in done:
        for file in one.hand_over.files:
            # Under the package's folder a path is longer; better said now than when half of it is downloaded.
            PackagePath(f"{one.name}/{file['file']}")
    sharing = {one.name: sheets for one in done if (sheets := from_json(one.hand_over.recipe).sheets).shared}
    title = together.title or "project"
    if together.folder:
        root = folder_at(together.folder, together.created_by, together.project_id)
        with alone_in(root / INDEX):
            index = write_index(root, title, sharing)
    else:
        root = folder / "together"
        for number, one in enumerate(done):
            progress("gather", number, len(done))
            for file in _needed(one.hand_over, sharing.get(one.name)):
                blobs().link(file["sha256"], root / one.name, PackagePath(file["file"]))
        index = write_index(root, title, sharing)
    progress("prove", 0, 1)
    faults = faults_of_sheets(root, index)
    files = []
    now = timezone.now().isoformat()
    for name in (INDEX, *(sheet["file"] for sheet in index["sheets"])):
        path = within(root, PackagePath(name))
        with path.open("rb") as source:
            files.append({"file": name, "sha256": blobs().keep(source), "bytes": path.stat().st_size, "at": now})
    report = {
        "done": [one.name for one in done],
        "counts": index["counts"],
        "sheets": [
            {"file": one["file"], "width": one["width"], "height": one["height"], "pictures": len(one["pictures"])}
            for one in index["sheets"]
        ],
        "faults": faults,
    }

    def land() -> None:
        ProjectHandOver.objects.filter(pk=together_id).update(report=report, files=files)

    return land


def _needed(made: HandOver, sheets: Sheets | None) -> Iterable[dict[str, Any]]:
    """The files of a package that are looked at: its manifest, and all where its images lie on shared sheets."""
    return made.files if sheets is not None else [file for file in made.files if file["file"] == "manifest.json"]


def file_name(together: ProjectHandOver) -> str:
    """What it is called when it is downloaded."""
    return f"{together.project.name} hand-over {together.number}.zip"


def is_kept(together: ProjectHandOver) -> bool:
    """Whether all of it can be downloaded: files of old packages are let go."""
    there = {one.name for one in together.packages.all() if one.hand_over.package_bytes}
    return bool(together.files) and there.issuperset((together.report or {}).get("done", ()))


def zipped(together: ProjectHandOver) -> Iterator[bytes]:
    """All packages and what lies beside them as one ZIP, piece by piece."""
    packages = [one for one in together.packages.select_related("hand_over") if one.hand_over.report is not None]
    inside = ((f"{one.name}/{file['file']}", file) for one in packages for file in one.hand_over.files)
    beside = ((file["file"], file) for file in together.files)
    return actions.zip_of((*beside, *inside))


def what_stopped(one: PackageOf) -> str:
    """Why a package is not there, in a sentence; empty where nothing did."""
    job = one.hand_over.job
    return job.error if job is not None and job.state in (Job.State.FAILED, Job.State.CANCELLED) else ""
