"""Makes the database ready for this version and, on a server that has nothing else, loads the demo: one process for both, before serving."""

from argparse import ArgumentParser
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from yuplet_server.jobs import versions


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument(
            "--demo", action="store_true", help="load the demo in any case, as 'load_demo --anyway' does"
        )

        parser.add_argument(
            "--shared",
            action="store_true",
            help="several machines share the database: only look whether it is of this version",
        )

    def handle(self, *args: Any, **options: Any) -> None:
        if not options["shared"]:
            call_command("migrate", verbosity=0)
        elif not versions.fits():
            raise CommandError(
                "The tables are of another version than this machine, or not there yet. Take a backup, stop all machines, and run once:"
                " ./yuplet-admin upgrade"
            )
        if options["demo"] or not options["shared"]:
            call_command("load_demo", anyway=options["demo"])
