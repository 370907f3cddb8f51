"""Removes an account; what it made stays. Whoever is the only owner of a project stays until there is another."""

from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from yuplet.errors import YupletError
from yuplet_server.accounts.models import User


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name")

    def handle(self, *args: Any, **options: Any) -> None:
        user = User.objects.filter(username=options["name"]).first()
        if user is None:
            raise CommandError(f"There is no account '{options['name']}'. Check the name.")
        try:
            user.delete()
        except YupletError as error:
            raise CommandError(str(error)) from error
        self.stdout.write(f"The account '{options['name']}' was removed.")
