"""Makes the demo account, its project and its illustrations on a server that has nothing else; once removed, they stay away."""

import subprocess
import sys
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from yuplet.illustration.credit import Credit
from yuplet.reading.choices import Choices
from yuplet_server.accounts.models import User
from yuplet_server.illustrations.actions import keep_revision, keep_upload, rename, say_credit
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.jobs.actions import run
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import start_project
from yuplet_server.projects.models import Project
from yuplet_server.transfer.demo import hand_over, put_in_order
from yuplet_server.transfer.demo_motion import move

PROJECT = "Marsh Line"
FILES = {
    "brindle.ora": "Brindle",
    "lever-frame.svg": "Lever frame",
    "reed-marsh.svg": "Reed marsh",
    "waybill-stamps.svg": "Waybill stamps",
    "semaphore lamp.zip": "Semaphore lamp",
    "tin inspector.png": "Tin inspector",
}
"""What each file is called; those that are not in demo/ as they are, are built by demo/build.py."""
SECOND = ("brindle.ora", "brindle second.ora")
"""A file, and what its artist made of it afterwards: that waits for a review."""
CREDIT = Credit(author="The Marsh Line studio", licence="MIT", note="Drawn for Yuplet")
"""For files whose format has no place for it."""


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument(
            "--anyway", action="store_true", help="load it again, although it was removed or other projects are here"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        if options["anyway"] or self._is_wanted():
            self._load()
            _mark().write_text("The demo was loaded; './start --demo' loads it again.\n")

    def _is_wanted(self) -> bool:
        """Whether nothing else is here, and the demo was never here as a whole: what was removed stays away."""
        if _mark().exists():
            return False
        if User.objects.exclude(username="demo").exists() or Project.everything.exclude(name=PROJECT).exists():
            return False
        return not Project.everything.exclude(removed_at=None).exists()

    def _load(self) -> None:
        user = User.objects.filter(username="demo").first()
        if user is None:
            user = User.objects.create_user("demo", password=settings.DEMO_PASSWORD)
        project = Project.objects.filter(name=PROJECT, members__user=user).first() or start_project(user, PROJECT)
        wanted = settings.DEMO or set(FILES.values())
        for file_name, name in FILES.items():
            if name in wanted and not project.illustrations.filter(revisions__file_name=file_name).exists():
                self.stdout.write(f"Bringing in {name} ...")
                self.stdout.flush()
                self._bring_in(project, user, file_name, name)

    def _bring_in(self, project: Project, user: User, file_name: str, name: str) -> None:
        path = _file(file_name)
        with path.open("rb") as file:
            illustration = keep_upload(project, user, file_name, path.stat().st_size, file)
        rename(illustration, name)
        _read(illustration, illustration.revision)
        if Credit(**Illustration.objects.get(pk=illustration.pk).credit).is_empty:
            say_credit(illustration, CREDIT)
        if file_name == SECOND[0]:
            changed = _file(SECOND[1])
            with changed.open("rb") as file:
                size = changed.stat().st_size
                revision = keep_revision(illustration, user, changed.name, size, file, Choices())
            _read(illustration, revision)
        put_in_order(Illustration.objects.get(pk=illustration.pk), user)
        # Asked for only: the worker does it once it runs.
        hand_over(Illustration.objects.get(pk=illustration.pk), user)
        move(Illustration.objects.get(pk=illustration.pk))


def _mark() -> Path:
    return Path(settings.VAR) / "demo-loaded"


def _read(illustration: Illustration, revision: Revision) -> None:
    assert revision.job is not None
    run(revision.job.pk)
    job = Job.objects.get(pk=revision.job.pk)
    if job.state != Job.State.DONE:
        illustration.delete()
        raise CommandError(f"{revision.file_name} could not be brought in: {job.error}")


def _file(name: str) -> Path:
    """A demo file as it is in demo/, or built from its source there."""
    source = settings.ROOT / "demo" / name
    if source.exists():
        return source
    path = Path(settings.VAR) / "demo" / name
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        unfinished = path.parent / "unfinished" / name
        unfinished.parent.mkdir(exist_ok=True)
        subprocess.run([sys.executable, settings.ROOT / "demo" / "build.py", unfinished], check=True)
        unfinished.replace(path)
    return path
