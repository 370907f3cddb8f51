"""Makes an account and prints its first password."""

from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from yuplet_server.accounts.actions import add_account
from yuplet_server.accounts.names import AccountRefused


class Command(BaseCommand):
    help = "Make an account with a random first password, which is printed once."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name")
        parser.add_argument(
            "--administrator", action="store_true", help="who sees the queue of all projects, and may end work there"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            user, password = add_account(options["name"], options["administrator"])
        except AccountRefused as error:
            raise CommandError(str(error)) from error
        self.stdout.write(f"Account: {user.username}\nPassword: {password}")
