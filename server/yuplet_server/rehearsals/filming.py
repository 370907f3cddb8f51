"""Films: a motion written down by a worker, with the motion as it was when it was asked for."""

from pathlib import Path
from typing import cast

from django.db import transaction

from yuplet.playable.written import ENDINGS, Kind, write_motion
from yuplet.rehearsal.motion.document import motion_from_json
from yuplet.rehearsal.trying import opened_scene
from yuplet_server.accounts.models import User
from yuplet_server.base.errors import NotNow
from yuplet_server.files.store import blobs
from yuplet_server.illustrations.models import Illustration
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import add_bytes
from yuplet_server.rehearsals import moving
from yuplet_server.rehearsals.actions import RUNNING, reading_of, unpacked_package
from yuplet_server.rehearsals.models import Film, Rehearsal

MOST_FILMS = 10
"""Of a package that are kept; the oldest goes when another is asked for."""


@transaction.atomic
def ask(rehearsal: Rehearsal, user: User, kind: Kind, width: int | None) -> Film:
    """Have the motion of a package written down. Raises `NotNow`."""
    rig = moving.rig_for(rehearsal)
    Illustration.objects.select_for_update().get(pk=rehearsal.illustration_id)
    held = list(rehearsal.films.select_related("job").order_by("id"))
    if any(film.job is not None and film.job.state in RUNNING for film in held):
        raise NotNow("A film of this package is being written. Wait for it, or stop it first.")
    for old in held[: max(0, len(held) - MOST_FILMS + 1)]:
        old.delete()
    document = moving.document_of(moving.motion_of(rehearsal), rig).as_json()
    made = Film.objects.create(rehearsal=rehearsal, kind=kind, width=width, document=document, created_by=user)
    project = Illustration.objects.values_list("project_id", flat=True).get(pk=rehearsal.illustration_id)
    made.job = jobs.start(Job.Kind.FILM, project, made.pk, user)
    made.save(update_fields=["job"])
    return made


def carry_out(film_id: int, folder: Path, progress: jobs.Progress) -> jobs.Landing:
    """Draw a film and keep its file; answers how that lands in the database."""
    film = Film.objects.select_related("rehearsal__hand_over", "rehearsal__illustration").get(pk=film_id)
    scratch = folder / "scratch"
    scratch.mkdir()
    package, more = unpacked_package(film.rehearsal, folder)
    scene, rig = opened_scene(package, reading_of(film.rehearsal), scratch, elsewhere=more)
    kind = cast(Kind, film.kind)
    path = folder / f"film{ENDINGS[kind]}"
    written = write_motion(
        scene,
        rig,
        motion_from_json(film.document),
        kind,
        path,
        width=film.width,
        title=film.rehearsal.illustration.name,
        progress=lambda done, total: progress("film", done, total),
    )
    with path.open("rb") as source:
        digest = blobs().keep(source)
    size = path.stat().st_size

    def land() -> None:
        add_bytes(film.rehearsal.illustration.project_id, size)
        said = written.as_json()
        Film.objects.filter(pk=film_id).update(file=digest, bytes=size, **said)

    return land


@transaction.atomic
def discard(film: Film) -> None:
    """Forget a film; what is being written ends."""
    if film.job is not None and film.job.state in RUNNING:
        jobs.cancel(film.job)
    film.delete()
