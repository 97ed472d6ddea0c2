"""Add a person who works here, or change their role and password."""

from argparse import ArgumentParser
from getpass import getpass

from allauth.mfa.models import Authenticator
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError

from rectaxis.people.models import User


class Command(BaseCommand):
    help = "Add a technician or office person, or change one; asks for the password, and takes away a second factor."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name")
        parser.add_argument("role", choices=[User.Role.TECHNICIAN, User.Role.OFFICE])

    def handle(self, *_args: object, **options: str) -> None:
        password = getpass("Password, at least 12 characters: ")
        try:
            validate_password(password)
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from None
        person, made = User.objects.get_or_create(username=options["name"])
        person.role = options["role"]
        person.set_password(password)
        person.save()
        Authenticator.objects.filter(user=person).delete()  # whoever has this machine and lost the telephone gets in
        self.stdout.write(f"{person.username} is {'added' if made else 'changed'}: {person.get_role_display()}.")
