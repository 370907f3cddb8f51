"""Makes the database ready for this version and, on a server that has nothing else, loads the demo: one process for both, before serving."""

from argparse import ArgumentParser
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument(
            "--demo", action="store_true", help="load the demo in any case, as 'load_demo --anyway' does"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        call_command("migrate", verbosity=0)
        call_command("load_demo", anyway=options["demo"])
