"""Signing in: what this program says and decides where allauth asks it to."""

from __future__ import annotations

import base64
import hashlib
import secrets
from typing import Any

from allauth.account.adapter import DefaultAccountAdapter
from allauth.account.forms import LoginForm
from allauth.mfa.adapter import DefaultMFAAdapter
from allauth.mfa.utils import is_mfa_enabled
from cryptography.fernet import Fernet, InvalidToken
from django.conf import settings
from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.shortcuts import resolve_url
from django.urls import reverse
from django.utils.translation import gettext_lazy as _

from rectaxis.people.access import may_manage
from rectaxis.people.models import User
from rectaxis.people.signals import person_told

A_DAY_S = 24 * 3600
_TOLD = {
    "mfa/email/totp_activated": "From now on a code is asked for, besides your password, when you sign in.",
    "mfa/email/totp_deactivated": "From now on no code is asked for when you sign in, only your password.",
    "mfa/email/recovery_codes_generated": "You have new recovery codes. The old ones no longer work.",
}
"""What a person is told by a letter when how they sign in changes, by allauth's name of it."""


class SignInForm(LoginForm):  # type: ignore[misc] # allauth ships no types
    """Name and password."""

    def __init__(self, *words: Any, **named: Any) -> None:
        super().__init__(*words, **named)
        self.fields["login"].label = "Name"
        for field in self.fields.values():
            field.widget.attrs.pop("placeholder", None)

    def login(self, request: HttpRequest, redirect_url: str | None = None) -> HttpResponseBase:
        """Signs in for as long as suits the role: whoever manages people and figures signs in each day."""
        answer: HttpResponseBase = super().login(request, redirect_url)
        request.session.set_expiry(A_DAY_S if may_manage(self.user) else settings.SESSION_COOKIE_AGE)
        return answer


class Accounts(DefaultAccountAdapter):  # type: ignore[misc] # allauth ships no types
    """People are added by the office. Wrong passwords are counted by axes, for each name from each address."""

    error_messages = DefaultAccountAdapter.error_messages | {
        "username_password_mismatch": _("That name and password do not go together."),
        "too_many_login_attempts": _("Too many tries. Wait five minutes, then try the next code."),
    }

    def is_open_for_signup(self, request: HttpRequest) -> bool:  # noqa: ARG002 - allauth's signature
        """Nobody adds themselves."""
        return False

    def pre_authenticate(self, request: HttpRequest, **credentials: Any) -> None:
        """Not counted a second time here: a name that anybody could lock would lock its owner out."""

    def add_message(self, *_words: Any, **_named: Any) -> None:
        """The pages say themselves what was done."""

    def get_login_redirect_url(self, request: HttpRequest) -> str:
        """The first page; whoever manages people is asked for a second factor before, unless this is the demo."""
        person = request.user
        if not settings.DEMO and isinstance(person, User) and may_manage(person) and not is_mfa_enabled(person):
            return reverse("mfa_index")
        return resolve_url(settings.LOGIN_REDIRECT_URL)

    def send_notification_mail(self, template_prefix: str, user: Any, *_words: Any, **_named: Any) -> None:
        """Tell a person by a letter how they sign in from now on."""
        if template_prefix in _TOLD:
            person_told.send(sender=User, told=user, words=_TOLD[template_prefix])


class SecondFactors(DefaultMFAAdapter):  # type: ignore[misc] # allauth ships no types
    """Secrets of second factors are kept encrypted, by a key that is not in the database."""

    error_messages = DefaultMFAAdapter.error_messages | {
        "incorrect_code": _("That code does not fit. Type the one that the app shows now."),
    }

    def get_totp_label(self, user: Any) -> str:
        """The name a person signs in with."""
        return str(user.username)

    def encrypt(self, text: str) -> str:
        """A secret as it is kept."""
        return _box().encrypt(text.encode()).decode()

    def decrypt(self, encrypted_text: str) -> str:
        """A kept secret; where it was kept under another key one that nobody knows, so that no code fits."""
        try:
            return _box().decrypt(encrypted_text.encode()).decode()
        except InvalidToken:
            return base64.b32encode(secrets.token_bytes(20)).decode()


def _box() -> Fernet:
    key = hashlib.sha256(b"second factors:" + settings.SECRET_KEY.encode()).digest()
    return Fernet(base64.urlsafe_b64encode(key))
