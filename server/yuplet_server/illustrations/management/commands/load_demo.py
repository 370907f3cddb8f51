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
NAMES = {"brindle": "Brindle"}
"""What each file in demo/ is called."""


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        user = User.objects.filter(username="demo").first()
        if user is None:
            user = User.objects.create_user("demo", password=settings.DEMO_PASSWORD)
        project = Project.objects.filter(name=PROJECT, members__user=user).first() or start_project(user, PROJECT)
        for stem, name in NAMES.items():
            if not project.illustrations.filter(file_name=f"{stem}.ora").exists():
                self.stdout.write(f"Drawing {name} ...")
                self.stdout.flush()
                self._bring_in(project, user, stem, name)

    def _bring_in(self, project: Project, user: User, stem: str, name: str) -> None:
        path = Path(settings.VAR) / "demo" / f"{stem}.ora"
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            unfinished = path.with_suffix(".part")
            subprocess.run([sys.executable, settings.ROOT / "demo" / "build.py", unfinished], check=True)
            unfinished.replace(path)
        with path.open("rb") as file:
            illustration = keep_upload(project, user, path.name, path.stat().st_size, file)
        illustration.name = name
        illustration.save(update_fields=["name"])
        assert illustration.job is not None
        run(illustration.job.pk)
        job = Job.objects.get(pk=illustration.job.pk)
        if job.state != Job.State.DONE:
            illustration.delete()
            raise CommandError(f"{name} could not be brought in: {job.error}")
