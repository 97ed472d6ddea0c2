"""Contacts, the letters that went or go out, and sending a report."""

from __future__ import annotations

from uuid import UUID

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from rectaxis.common.pages import one_form
from rectaxis.common.paging import page_of
from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_ask, may_work
from rectaxis.people.models import User
from rectaxis.people.requests import Request
from rectaxis.post.actions.change_contact import add_contact, change_contact
from rectaxis.post.actions.invite_person import forgot_password, invite_person
from rectaxis.post.actions.send_report import TRIED_AGAIN, send_report, try_again
from rectaxis.post.forms import ContactForm, ForgotForm
from rectaxis.post.models import Contact, Letter
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.reports.find import versions_of

A_PAGE = 50


@require_GET
def letters(request: Request) -> HttpResponse:
    """All letters, newest first, those that need a person above them."""
    demand(allowed=may_work(request.user))
    found = Letter.objects.select_related("contact__fleet", "job__vehicle")
    page = page_of(found, "made_at", request.GET.get("before", ""), A_PAGE)
    context = {"page": page, "stuck": found.filter(status__in=TRIED_AGAIN)[:A_PAGE]}
    return render(request, "post/letters.html", context)


@require_POST
def again(request: Request, pk: UUID) -> HttpResponse:
    """Try a letter again."""
    try:
        letter = try_again(request.user, get_object_or_404(Letter, pk=pk))
        messages.success(request, f"The letter to {letter.to} is tried again.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("post:letters")


@require_POST
def invite(request: Request, pk: int) -> HttpResponse:
    """Invite a person once more."""
    try:
        letter = invite_person(request.user, get_object_or_404(User, pk=pk))
        messages.success(request, f"An invitation goes to {letter.to}.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("people:people")


@login_not_required
def forgot(request: HttpRequest) -> HttpResponse:
    """Ask for a letter that leads to another password; the answer is the same whoever asks."""
    form = ForgotForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        forgot_password(form.cleaned_data["email"])
        messages.success(request, "If somebody signs in with that address, a letter is on its way.")
        return redirect("account_login")
    return render(request, "post/forgot.html", {"form": form}, status=422 if form.errors else 200)


@require_GET
def contacts(request: Request, pk: UUID) -> HttpResponse:
    """Who of a fleet gets what."""
    demand(allowed=may_ask(request.user, pk))
    fleet = get_object_or_404(Fleet, pk=pk)
    return render(request, "post/contacts.html", {"fleet": fleet, "contacts": fleet.contacts.all()})


def new_contact(request: Request, pk: UUID) -> HttpResponse:
    """Add a contact to a fleet."""
    demand(allowed=may_ask(request.user, pk))
    fleet = get_object_or_404(Fleet, pk=pk)
    form = ContactForm(request.POST or None, instance=Contact(fleet=fleet))
    if request.method == "POST" and form.is_valid():
        try:
            add_contact(request.user, fleet, **form.cleaned_data)
        except ValidationError:
            form.add_error("email", "This fleet has a contact with that address already.")
        else:
            return redirect("post:contacts", pk=pk)
    return one_form(request, form, f"Add a contact of {fleet.name}")


def contact(request: Request, pk: UUID) -> HttpResponse:
    """Change a contact."""
    found = get_object_or_404(Contact, pk=pk)
    demand(allowed=may_ask(request.user, found.fleet_id))
    name, fleet = found.name, found.fleet_id
    form = ContactForm(request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        try:
            change_contact(request.user, found, **form.cleaned_data)
        except ValidationError:
            form.add_error("email", "This fleet has a contact with that address already.")
        else:
            return redirect("post:contacts", pk=fleet)
    return one_form(request, form, name)


def report(request: Request, pk: UUID) -> HttpResponse:
    """Choose who gets a report, and send it."""
    demand(allowed=may_work(request.user))
    job = get_object_or_404(Job.objects.select_related("vehicle__fleet"), pk=pk)
    people = job.vehicle.fleet.contacts.filter(former=False)
    if request.method == "POST":
        chosen = [one for one in people if str(one.pk) in request.POST.getlist("contact")]
        try:
            sent = send_report(request.user, job, chosen)
            messages.success(request, f"{len(sent)} {'letter goes' if len(sent) == 1 else 'letters go'} out.")
            return redirect("post:report", pk=pk)
        except RecordError as error:
            messages.error(request, str(error))
    context = {
        "job": job,
        "contacts": people,
        "letters": job.letters.select_related("contact"),
        "latest": len(versions_of(job)),
    }
    return render(request, "post/report.html", context)
