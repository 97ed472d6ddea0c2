"""Choosing the figures of a visit, from within it."""

from __future__ import annotations

from uuid import UUID

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render

from rectaxis.common.fields import without_nul
from rectaxis.people.access import may_measure
from rectaxis.people.requests import Request
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Seal
from rectaxis.record.slot import Phase
from rectaxis.specs.choose import found_by_words
from rectaxis.stages.views.common import job_of
from rectaxis.visit.actions.choose_figures import GENERAL, NONE, choose_figures
from rectaxis.visit.figures import fits_of
from rectaxis.visit.visit import Visit

MOST = 30


def figures(request: Request, pk: UUID) -> HttpResponse:
    """Which figures there are for this vehicle, and others by their words; choose."""
    job = job_of(request, pk)
    if request.method == "POST":
        try:
            chosen = choose_figures(request.user, job, request.POST.get("figures", ""))
        except RecordError as error:
            messages.error(request, str(error))
            return redirect("stages:figures", pk=pk)
        messages.success(request, f"This visit is judged by {chosen.name}.")
        return redirect("stages:stage", pk=pk, stage="judge")
    words = without_nul(request.GET.get("q", ""))[:60]
    sealed = Seal.objects.filter(job=job, phase=Phase.BEFORE).exists()
    context = {
        "job": job, "fitting": fits_of(Visit(job)), "words": words,
        "others": found_by_words(words)[:MOST] if words else [], "general": GENERAL, "none": NONE, "sealed": sealed,
        "may_choose": may_measure(request.user) and not job.closed and not sealed,
    }  # fmt: skip
    return render(request, "stages/figures.html", context)
