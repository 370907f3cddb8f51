"""Doing long work exactly once, whatever falls over meanwhile.

The queue only wakes a worker up, and may do so twice or never; the rows decide. Which job is next, `turns` says. A worker claims a job with one conditional update, sends
heartbeats under its claim, and lands the result in the same transaction that marks the job as done, again under its
claim. So a result lands once or not at all. `take_up_again` finds what a killed worker left. Times are those of the database: clocks of several
machines differ, and jump.
"""

import datetime
import errno
import logging
import os
import secrets
import shutil
import socket
import threading
import time
from collections.abc import Callable, Collection
from contextlib import suppress
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import DatabaseError, InterfaceError, OperationalError, connection, transaction
from django.db.models import F, QuerySet
from django.db.models.functions import Now
from django.utils import timezone
from django_tasks import task

from yuplet.errors import Cancelled, YupletError
from yuplet_server.accounts.models import User
from yuplet_server.base.errors import NO_ROOM, OUR_FAULT, NotNow, StoreAway, our_fault, without_paths
from yuplet_server.jobs import apart, turns, versions
from yuplet_server.jobs.models import Job, Worker

log = logging.getLogger(__name__)

ATTEMPTS = 3
BEAT = 0.4
"""Seconds between two heartbeats, which also carry the progress."""
SILENCE = datetime.timedelta(seconds=15)
"""A running job that was silent for so long has lost its worker."""
PATIENCE = 60.0
"""Seconds for which a finished result waits for the database to come back."""
ROOM = 1 << 28
"""Bytes that are free on the disk of a machine that begins work."""
WORKER_SILENCE = datetime.timedelta(seconds=30)
"""For which a worker may say nothing; it does every five seconds."""
STORE_AWAY = datetime.timedelta(hours=1)
"""For so long, counted from when it was asked for, a job is tried again while the store of files is away."""

Landing = Callable[[], None]
Progress = Callable[[str, int, int], None]

Work = Callable[[int, Path, Progress], Landing]
"""What a kind of job does with (subject, work folder, progress); it returns how its result lands."""
_work: dict[Job.Kind, Work] = {}


def register(kind: Job.Kind, does: Work) -> None:
    """Say what a kind of job does; each app does so for its own when Django starts."""
    _work[kind] = does


class LostClaim(Exception):
    """Another worker has taken this job up."""


class ShuttingDown(Exception):
    """The worker is told to stop."""


_shutting_down = threading.Event()


def start(
    kind: Job.Kind,
    project_id: int,
    subject: int,
    user: User | None,
    followed_by: Job | None = None,
    lane: Job.Lane = Job.Lane.LONG,
) -> Job:
    """Ask for long work; it is queued when the surrounding transaction is committed. A job that it is `followed_by` waits for its end."""
    job = Job.objects.create(
        kind=kind, project_id=project_id, subject=subject, created_by=user, followed_by=followed_by, lane=lane
    )
    transaction.on_commit(lambda: _wake(lane))
    return job


def cancel(job: Job) -> None:
    """Ask for the end of a job, and of those that it waits for; raises `NotNow` when it has ended already."""
    cancel_all(job.first.all())
    waiting = Job.objects.filter(pk=job.pk, state=Job.State.WAITING).update(state=Job.State.CANCELLED)
    if waiting:
        _go_on_after(job.pk)
        return
    if not Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(cancel_asked=True):
        raise NotNow("This has ended already. Reload to see how.")


def cancel_all(some: QuerySet[Job]) -> None:
    """Ask for the end of those that have not ended."""
    waiting = list(some.filter(state=Job.State.WAITING).values_list("pk", flat=True))
    Job.objects.filter(pk__in=waiting, state=Job.State.WAITING).update(state=Job.State.CANCELLED)
    some.filter(state=Job.State.RUNNING).update(cancel_asked=True)
    for job_id in waiting:
        _go_on_after(job_id)


def run_next(lanes: Collection[str]) -> None:
    """Do whatever is next of some lanes, if anything waits there; a machine whose disk is full leaves it to others."""
    if _knows_another_version.is_set():
        return
    if not _has_room():
        _pass_on(lanes)
        return
    while not _shutting_down.is_set() and (job_id := turns.next_in(lanes)) is not None:
        if run(job_id):
            break
        # Another took it at the same moment.


def _pass_on(lanes: Collection[str]) -> None:
    """Give the others another chance to be woken up; where nobody has room, what waits is looked after by `take_up_again`."""
    job_id = turns.next_in(lanes)
    if job_id is None:
        return
    lane = Job.Lane(Job.objects.get(pk=job_id).lane)
    if not held_up(lane):
        # Not at once, so that it is not given back and forth.
        _shutting_down.wait(1)
        _wake(lane)


def run(job_id: int) -> bool:
    """Do a job, if it is still waiting; answers whether it was."""
    if Job.objects.filter(followed_by=job_id, state__in=(Job.State.WAITING, Job.State.RUNNING)).exists():
        return False  # the last of these goes on with it
    claim = secrets.token_hex(16)
    claimed = Job.objects.filter(pk=job_id, state=Job.State.WAITING).update(
        state=Job.State.RUNNING,
        claim=claim,
        started_at=Now(),
        heartbeat=Now(),
        attempts=F("attempts") + 1,
        done=0,
        total=0,
    )
    if not claimed:
        return False
    job = Job.objects.get(pk=job_id)
    folder = work_folder(job)
    try:
        folder.mkdir(parents=True)
        with _Heart(job_id, claim) as heart:
            if settings.APART:
                with apart.Apart(apart.for_jobs()) as process:
                    process.call(work, job_id, claim, folder, report=heart.report)
            else:
                work(job_id, claim, folder, heart.report)
    except ShuttingDown:
        _put_back(job_id, claim)
    except LostClaim:
        log.warning("job %s was taken up by another worker", job_id)
    except StoreAway as error:
        if timezone.now() - job.created_at < STORE_AWAY:
            _put_back(job_id, claim)
        else:
            _end(job_id, claim, Job.State.FAILED, error.code, str(error))
    except Cancelled as error:
        _end(job_id, claim, Job.State.CANCELLED, error.code, str(error))
    except YupletError as error:
        _end(job_id, claim, Job.State.FAILED, error.code, without_paths(str(error)))
    except (OperationalError, InterfaceError):
        log.exception("job %s lost the database; it will be taken up again", job_id)
    except Exception as error:
        if isinstance(error, OSError) and error.errno == errno.ENOSPC:
            if job.attempts < ATTEMPTS:
                # Another machine may have room, and so may this one when others have ended.
                _put_back(job_id, claim, not_begun=False)
            else:
                _end(job_id, claim, Job.State.FAILED, "no-room", f"{NO_ROOM} Nothing was changed.")
        else:
            # Files that are missing here are ours: what the artist's file did has been said already.
            _end(job_id, claim, Job.State.FAILED, OUR_FAULT, our_fault(f"job {job_id}"))
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    with suppress(DatabaseError):  # else `take_up_again` does it
        _go_on_after(job_id)
        if settings.JOBS_EACH:
            # Somebody who had as many as they may can have the next one.
            _wake(Job.Lane(job.lane))
    return True


def _go_on_after(job_id: int) -> None:
    """Queue the job that waits for one that has ended; it looks itself whether there are others that have not."""
    following = Job.objects.filter(first=job_id, state=Job.State.WAITING).values_list("lane", flat=True).first()
    if following is not None:
        transaction.on_commit(lambda: _wake(Job.Lane(following)))


def work(job_id: int, claim: str, folder: Path, progress: Progress) -> None:
    """What the process does that a job has of its own: the work itself, and landing what it came to."""
    job = Job.objects.get(pk=job_id)
    _finish(job_id, claim, _work[Job.Kind(job.kind)](job.subject, folder, progress))


def shut_down() -> None:
    """End the work of this process at once; jobs go back to the queue as if they had not been begun."""
    _shutting_down.set()


def _put_back(job_id: int, claim: str, not_begun: bool = True) -> None:
    # As old as what the queue has lost, so that the next worker takes it up without waiting.
    mine = Job.objects.filter(pk=job_id, claim=claim)
    attempts = F("attempts") - int(not_begun)
    mine.update(state=Job.State.WAITING, claim="", attempts=attempts, queued_at=Now() - 3 * SILENCE)


def _has_room() -> bool:
    # What is not finished may lie on a disk of its own.
    disks = {Path(settings.VAR), Path(settings.WORK)}
    return all(shutil.disk_usage(disk).free >= ROOM for disk in disks if disk.exists())


def held_up(lane: Job.Lane = Job.Lane.LONG) -> str:
    """Why nothing that waits in a lane is begun, in a sentence; nothing where somebody begins work."""
    here = [one for one in Worker.objects.filter(seen_at__gt=Now() - WORKER_SILENCE) if lane in one.lanes]
    if not here:
        return f"Nobody does {lane} work. Start a worker."
    fitting = [one for one in here if one.fits]
    if not fitting:
        return "All workers are of another version than the tables. Bring the machines to one version."
    if not any(one.has_room for one in fitting):
        return f"The disks of all machines that do {lane} work are full. Make room; it goes on by itself."
    return ""


def say_here(lanes: Collection[str] = Job.Lane.values) -> None:
    """Let others know that this process does work of some lanes; whoever has said nothing for a day is forgotten."""
    fits = versions.fits()
    if fits == _knows_another_version.is_set():
        log.warning(
            "this worker and the tables are %s",
            "of one version again" if fits else "of two versions; it begins nothing",
        )
    (_knows_another_version.clear if fits else _knows_another_version.set)()
    here = {"seen_at": Now(), "fits": fits, "has_room": _has_room(), "lanes": [*lanes]}
    Worker.objects.update_or_create(name=_OWN_NAME, defaults=here)
    Worker.objects.filter(seen_at__lt=Now() - datetime.timedelta(days=1)).delete()


def say_gone() -> None:
    """Let others know that this process does no more work."""
    Worker.objects.filter(name=_OWN_NAME).delete()


_knows_another_version = threading.Event()
_OWN_NAME = f"{socket.gethostname()[:150]} {os.getpid()}"


def take_up_again() -> int:
    """Put back what a killed worker left, and what the queue lost; answers how many jobs were touched."""
    touched = 0
    for job in Job.objects.filter(state=Job.State.RUNNING, heartbeat__lt=Now() - SILENCE):
        still_so = Job.objects.filter(pk=job.pk, claim=job.claim, state=Job.State.RUNNING)
        if job.attempts >= ATTEMPTS:
            sentence = f"The work ended {job.attempts} times before it was finished. Nothing was changed. Try again, or with a smaller file."
            touched += still_so.update(state=Job.State.FAILED, error_code="worker-ended", error=sentence, claim="")
        elif still_so.update(state=Job.State.WAITING, claim="", queued_at=Now()):
            _wake(Job.Lane(job.lane))
            touched += 1
        shutil.rmtree(work_folder(job), ignore_errors=True)
    for lane in Job.Lane:
        overdue = Job.objects.filter(state=Job.State.WAITING, lane=lane, queued_at__lt=Now() - 2 * SILENCE)
        # Not one for each that waits: whoever is woken up takes the next, and a long queue is not made longer.
        found = overdue.update(queued_at=Now())
        for _ in range(min(found, settings.WORKERS)):
            _wake(lane)
        touched += found
    return touched


def work_folder(job: Job) -> Path:
    """Where a job keeps what is not finished; one for each claim."""
    return Path(settings.WORK) / f"job-{job.pk}-{job.claim}"


def clear_work_folders() -> None:
    """Remove the folders of jobs that nobody does any more: their worker was killed."""
    for folder in Path(settings.WORK).glob("job-*-*"):
        _, number, claim = folder.name.split("-", 2)
        if number.isdigit() and not Job.objects.filter(pk=int(number), claim=claim, state=Job.State.RUNNING).exists():
            shutil.rmtree(folder, ignore_errors=True)


@task(queue_name=Job.Lane.LONG)
def do_next(lane: str) -> None:
    """What the queue hands out: that something waits in a lane. Django's Tasks interface, so that another queue needs only another setting."""
    run_next([lane])


def _wake(lane: Job.Lane) -> None:
    do_next.using(queue_name=lane.value).enqueue(lane.value)


def _finish(job_id: int, claim: str, land: Landing) -> None:
    """Land the result and mark the job as done, both or neither; wait for a database that restarts."""
    deadline = time.monotonic() + PATIENCE
    while True:
        try:
            with transaction.atomic():
                held = Job.objects.select_for_update().filter(pk=job_id, claim=claim, state=Job.State.RUNNING).first()
                if held is None:
                    raise LostClaim
                if held.cancel_asked:
                    raise Cancelled
                land()
                Job.objects.filter(pk=job_id).update(state=Job.State.DONE, claim="", done=F("total"))
            return
        except (OperationalError, InterfaceError):
            if time.monotonic() > deadline:
                raise
            connection.close()
            time.sleep(1)


def _end(job_id: int, claim: str, state: Job.State, code: str, sentence: str) -> None:
    Job.objects.filter(pk=job_id, claim=claim).update(state=state, error_code=code, error=sentence, claim="")


class _Heart:
    """Sends progress under a claim while the block lasts, and stops the work when it was cancelled or lost."""

    def __init__(self, job_id: int, claim: str) -> None:
        self._row = Job.objects.filter(pk=job_id, claim=claim, state=Job.State.RUNNING)
        self._now = ("", 0, 0)
        self._stop: type[Exception] | None = None
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> "_Heart":
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._ended.set()
        self._thread.join()

    def report(self, *said: Any) -> None:
        """Remember how far the work is: stage, done, total. Raises `Cancelled`, `LostClaim` or `ShuttingDown`."""
        if said:
            self._now = (str(said[0]), int(said[1]), int(said[2]))
        if _shutting_down.is_set():
            raise ShuttingDown
        if self._stop is not None:
            raise self._stop()

    def _beat(self) -> None:
        try:
            while not self._ended.wait(BEAT):
                stage, done, total = self._now
                try:
                    held = self._row.update(heartbeat=Now(), stage=stage, done=done, total=total)
                    if not held:
                        self._stop = LostClaim
                    elif self._row.filter(cancel_asked=True).exists():
                        self._stop = Cancelled
                except DatabaseError:
                    connection.close()  # the next beat opens a new one
        finally:
            connection.close()
