"""Signing in and out, and preferences."""

from django.contrib import messages
from django.contrib.auth.views import LoginView
from django.http import HttpResponse, HttpResponseRedirect
from django.shortcuts import redirect, render
from django.utils.http import url_has_allowed_host_and_scheme

from rectaxis.people.forms import PreferencesForm
from rectaxis.people.requests import Request


class SignIn(LoginView):
    """The sign-in page; in demo mode it shows the demo's people."""

    template_name = "people/sign_in.html"
    redirect_authenticated_user = True


def preferences(request: Request) -> HttpResponse:
    """A person's own units and theme."""
    form = PreferencesForm(request.POST or None, instance=request.user)
    if request.method == "POST" and form.is_valid():
        form.save()
        messages.success(request, "Preferences are saved.")
        after = request.POST.get("next", "")
        safe = url_has_allowed_host_and_scheme(after, allowed_hosts={request.get_host()})
        return HttpResponseRedirect(after) if safe and after else redirect("people:preferences")
    return render(request, "people/preferences.html", {"form": form}, status=422 if form.errors else 200)
