"""Makes the demo account, its project and its illustrations where they are missing; changes nothing that is there."""

import subprocess
import sys
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from yuplet_server.accounts.models import User
from yuplet_server.illustrations.actions import keep_upload
from yuplet_server.jobs.actions import run
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import start_project
from yuplet_server.projects.models import Project

PROJECT = "Marsh Line"
FILES = {"brindle.ora": "Brindle", "lever-frame.svg": "Lever frame"}
"""What each file is called; those that are not in demo/ as they are, are built by demo/build.py."""


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        user = User.objects.filter(username="demo").first()
        if user is None:
            user = User.objects.create_user("demo", password=settings.DEMO_PASSWORD)
        project = Project.objects.filter(name=PROJECT, members__user=user).first() or start_project(user, PROJECT)
        for file_name, name in FILES.items():
            if not project.illustrations.filter(revisions__file_name=file_name).exists():
                self.stdout.write(f"Bringing in {name} ...")
                self.stdout.flush()
                self._bring_in(project, user, file_name, name)

    def _bring_in(self, project: Project, user: User, file_name: str, name: str) -> None:
        path = _file(file_name)
        with path.open("rb") as file:
            illustration = keep_upload(project, user, file_name, path.stat().st_size, file)
        illustration.name = name
        illustration.save(update_fields=["name"])
        asked = illustration.revision.job
        assert asked is not None
        run(asked.pk)
        job = Job.objects.get(pk=asked.pk)
        if job.state != Job.State.DONE:
            illustration.delete()
            raise CommandError(f"{name} could not be brought in: {job.error}")


def _file(name: str) -> Path:
    """A demo file as it is in demo/, or built from its source there."""
    source = settings.ROOT / "demo" / name
    if source.exists():
        return source
    path = Path(settings.VAR) / "demo" / name
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        unfinished = path.with_suffix(".part")
        subprocess.run([sys.executable, settings.ROOT / "demo" / "build.py", unfinished], check=True)
        unfinished.replace(path)
    return path
