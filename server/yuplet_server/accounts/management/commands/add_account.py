"""Makes an account and prints its first password."""

import secrets
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from yuplet_server.accounts.models import User


class Command(BaseCommand):
    help = "Make an account with a random first password, which is printed once."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name")

    def handle(self, *args: Any, **options: Any) -> None:
        if User.objects.filter(username=options["name"]).exists():
            raise CommandError(f"There is an account '{options['name']}' already. Choose another name.")
        password = secrets.token_urlsafe(12)
        User.objects.create_user(options["name"], password=password)
        self.stdout.write(f"Account: {options['name']}\nPassword: {password}")
