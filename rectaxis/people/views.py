"""Signing in and out, preferences, and the people who sign in."""

from __future__ import annotations

from typing import Any

from allauth.account.views import LoginView
from allauth.mfa.models import Authenticator
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import login, update_session_auth_hash
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LogoutView, PasswordChangeView, PasswordResetConfirmView
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse, reverse_lazy
from django.views.decorators.http import require_GET, require_POST

from rectaxis.common.fields import way_back
from rectaxis.common.pages import one_form
from rectaxis.people.access import demand, may_manage
from rectaxis.people.actions.add_first_person import add_first_person
from rectaxis.people.actions.add_person import add_person
from rectaxis.people.actions.change_person import change_person
from rectaxis.people.actions.sign_out_everywhere import sign_out_everywhere as sign_out
from rectaxis.people.actions.take_second_factor import take_second_factor as take
from rectaxis.people.forms import FirstPersonForm, PersonChangeForm, PersonForm, PreferencesForm, QuickPreferencesForm
from rectaxis.people.models import User
from rectaxis.people.requests import Request


class SignIn(LoginView):  # type: ignore[misc] # allauth ships no types
    """The sign-in page; in demo mode it shows the demo's people."""

    template_name = "people/sign_in.html"

    def get(self, request: HttpRequest, *args: Any, **named: Any) -> HttpResponse:
        """The page; of an empty program the one on which its first person is entered."""
        answer: HttpResponse = (
            super().get(request, *args, **named) if User.objects.exists() else redirect("people:first")
        )
        return answer


@login_not_required
def first(request: HttpRequest) -> HttpResponse:
    """Enter the first person of an empty program, who then is signed in."""
    if User.objects.exists():
        return redirect("account_login")
    form = FirstPersonForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        made = add_first_person(**form.cleaned_data)
        login(request, made, backend="django.contrib.auth.backends.ModelBackend")
        return redirect(settings.LOGIN_REDIRECT_URL)
    return render(request, "people/first.html", {"form": form}, status=422 if form.errors else 200)


def preferences(request: Request) -> HttpResponse:
    """A person's own units and theme."""
    kind = QuickPreferencesForm if "next" in request.POST else PreferencesForm
    form = kind(request.POST or None, instance=request.user)
    if request.method == "POST" and form.is_valid():
        form.save()
        if not request.POST.get("next"):
            messages.success(request, "Preferences are saved.")
        return redirect(way_back(request, reverse("people:preferences")))
    return render(request, "people/preferences.html", {"form": form}, status=422 if form.errors else 200)


class OwnPassword(PasswordChangeView):
    """A person's own password."""

    template_name = "one_form.html"
    extra_context = {"title": "Another password"}
    success_url = reverse_lazy("people:preferences")

    def form_valid(self, form: Any) -> HttpResponse:
        """Say that it is done."""
        messages.success(self.request, "Your password is changed.")
        return super().form_valid(form)


class SetPassword(PasswordResetConfirmView):
    """Where a letter leads: a person sets a password, and signs in with it."""

    template_name = "people/set_password.html"
    success_url = reverse_lazy("account_login")

    def form_valid(self, form: Any) -> HttpResponse:
        """Say that it is done."""
        messages.success(self.request, "Your password is set. Sign in with it.")
        return super().form_valid(form)


@require_GET
def people(request: Request) -> HttpResponse:
    """Everybody who signs in, those who may first."""
    demand(allowed=may_manage(request.user))
    shown = User.objects.select_related("fleet").order_by("-is_active", "role", "username")
    guarded = set(Authenticator.objects.filter(type=Authenticator.Type.TOTP).values_list("user_id", flat=True))
    return render(request, "people/people.html", {"people": shown, "guarded": guarded})


def new(request: Request) -> HttpResponse:
    """Add a person."""
    demand(allowed=may_manage(request.user))
    form = PersonForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        made = add_person(request.user, **form.cleaned_data)
        messages.success(request, f"{made.shown_name} is added.")
        return redirect("people:people")
    return one_form(request, form, "Add a person")


def edit(request: Request, pk: int) -> HttpResponse:
    """Change a person."""
    demand(allowed=may_manage(request.user))
    other = get_object_or_404(User, pk=pk)
    name = other.shown_name
    form = PersonChangeForm(request.POST or None, instance=other)
    if request.method == "POST" and form.is_valid():
        try:
            changed = change_person(request.user, other, **form.cleaned_data)
        except ValidationError as error:
            for field, texts in error.message_dict.items():
                form.add_error(field if field in form.fields else None, texts)
        else:
            if changed.pk == request.user.pk:
                update_session_auth_hash(request, changed)
            messages.success(request, f"{changed.shown_name} is changed.")
            return redirect("people:people")
    return one_form(request, form, name)


class SignOut(LogoutView):
    """Signs out here; what the browser kept of the pages goes, so that the next person does not come back to them."""

    def dispatch(self, request: HttpRequest, *words: Any, **named: Any) -> HttpResponse:
        """The answer, which tells the browser."""
        answer = super().dispatch(request, *words, **named)
        answer["Clear-Site-Data"] = '"cache"'
        return answer


@require_POST
def sign_out_everywhere(request: Request, pk: int) -> HttpResponse:
    """Sign oneself, or somebody else, out on every device; oneself not on this one."""
    other = sign_out(request.user, get_object_or_404(User, pk=pk))
    if other.pk == request.user.pk:
        update_session_auth_hash(request, other)
        messages.success(request, "You are signed out everywhere but here.")
        return redirect("people:preferences")
    messages.success(request, f"{other.shown_name} is signed out everywhere.")
    return redirect("people:people")


@require_POST
def take_second_factor(request: Request, pk: int) -> HttpResponse:
    """Take away the second factor of somebody who lost it."""
    other = get_object_or_404(User, pk=pk)
    taken = take(request.user, other)
    told = ", and is told by e-mail" if taken and other.email else ""
    messages.success(request, f"{other.shown_name} signs in with the password alone now{told}.")
    return redirect("people:people")
