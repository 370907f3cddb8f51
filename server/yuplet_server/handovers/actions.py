"""Handing over: asked for with the version of the plan that was seen, done by a worker, proven before it is kept."""

import zipfile
from pathlib import Path
from typing import Any

from django.db import transaction

from yuplet.arrangement.records import from_json, to_json
from yuplet.handover import HandOverReport, hand_over
from yuplet.pixels.scratch import Scratch
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.arrangement.queries import tree_of
from yuplet_server.handovers import queries
from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.queries import load_pixels
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs.models import Job
from yuplet_server.project.errors import ChangedMeanwhile
from yuplet_server.projects.storage import blobs


@transaction.atomic
def ask(illustration: Illustration, user: User, version: int) -> HandOver:
    """Ask for a hand-over of the version whose plan was seen. Raises `ChangedMeanwhile` or `PlanError`."""
    arrangement = Arrangement.objects.select_for_update().get(pk=illustration.pk)
    if arrangement.version != version:
        last = arrangement.steps.order_by("-version").select_related("user").first()
        who = last.user.username if last is not None and last.user is not None else "Somebody"
        raise ChangedMeanwhile(who, last.title if last is not None else "a step was undone")
    plan, _ = queries.planned_now(illustration)
    made = HandOver.objects.create(
        illustration=illustration,
        revision=illustration.revision,
        number=(queries.hand_overs_of(illustration).values_list("number", flat=True).first() or 0) + 1,
        version=version,
        arrangement=to_json(tree_of(arrangement)),
        plan=queries.described(plan, version, illustration),
        created_by=user,
    )
    made.job = jobs.start(Job.Kind.HAND_OVER, illustration.project_id, made.pk, user)
    made.save(update_fields=["job"])
    return made


def carry_out(hand_over_id: int, folder: Path, progress: jobs.Progress) -> jobs.Landing:
    """Write and prove a package and keep it as a ZIP; answers how that lands in the database."""
    asked = HandOver.objects.select_related("illustration", "revision").get(pk=hand_over_id)
    illustration, revision = asked.illustration, asked.revision
    read = queries.read_of(illustration, revision)
    arrangement = from_json(asked.arrangement)
    wanted = {layer for _, part in arrangement.parts() if part.included for layer in part.layers}
    package = folder / "package"
    with Scratch(str(folder)) as scratch:
        load_pixels(revision, wanted, scratch, progress)
        uid = str(illustration.uid)
        report = hand_over(read, arrangement, scratch, package, revision.sha256, progress, illustration_id=uid)
    archive = folder / "package.zip"
    _zip(package, report.files, archive)
    size = archive.stat().st_size
    with archive.open("rb") as file:
        digest = blobs().keep(file)

    def land() -> None:
        HandOver.objects.filter(pk=hand_over_id).update(report=_report(report), package=digest, package_bytes=size)

    return land


def file_name(hand_over_made: HandOver) -> str:
    """What a package is called when it is downloaded."""
    return f"{hand_over_made.illustration.name} hand-over {hand_over_made.number}.zip"


def _zip(package: Path, files: list[str], archive: Path) -> None:
    """The images are compressed already, so they are only stored."""
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_STORED) as out:
        for name in files:
            out.write(package / name, name, zipfile.ZIP_STORED if name.endswith(".png") else zipfile.ZIP_DEFLATED)


def _report(report: HandOverReport) -> dict[str, Any]:
    return {
        "parts": report.parts,
        "files": [{"file": name, "bytes": report.file_bytes[name]} for name in report.files],
        "bytes": report.bytes,
        "seconds": report.seconds,
        "empty": report.empty,
        "left_out": report.left_out,
        "proof": report.proof.as_json(),
    }
