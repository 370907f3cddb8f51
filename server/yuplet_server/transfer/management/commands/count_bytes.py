"""Counts anew what the files of each project take: each file once, however many packages have it."""

from typing import Any

from django.core.management.base import BaseCommand

from yuplet_server.projects.models import Project
from yuplet_server.transfer.sizes import count_anew


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        for project in Project.everything.only("pk", "bytes"):
            count_anew(project)
