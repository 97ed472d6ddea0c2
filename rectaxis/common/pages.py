"""Pages that several rooms show alike."""

from __future__ import annotations

from django.forms import BaseForm
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


def one_form(request: HttpRequest, form: BaseForm, title: str) -> HttpResponse:
    """A page with one form; 422 where it has faults, so that what was typed comes back beside them."""
    return render(request, "one_form.html", {"form": form, "title": title}, status=422 if form.errors else 200)
