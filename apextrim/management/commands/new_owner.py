"""A new account, with the demo's car and circuit in its garage to begin with."""

from getpass import getpass
from typing import Any

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser

from apextrim.accounts.invitations import make


class Command(BaseCommand):
    """`manage.py new_owner NAME`."""

    help = "Makes an account; asks for its password."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("name")
        parser.add_argument("--password", help="asked for if left out")

    def handle(self, *args: Any, **options: Any) -> None:
        name = options["name"]
        if User.objects.filter(username=name).exists():
            raise CommandError(f"There is an account {name} already.")
        password = options["password"] or getpass("Password: ")
        user = User(username=name)
        try:
            user.full_clean(exclude=["password"])
            validate_password(password, user)
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from None
        user.set_password(password)
        make(user)
        self.stdout.write(f"{name} can sign in.")
