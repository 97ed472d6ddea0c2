"""Choosing one vehicle of any number: by words, from those that are found, or from those that were seen last."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID

from django import forms
from django.urls import reverse

from rectaxis.common.fields import without_nul
from rectaxis.day.finding import found_vehicles
from rectaxis.fleets.models import Vehicle
from rectaxis.record.models import Job

_LATELY = 8


class VehiclePick(forms.Widget):
    """A search field and a choice of what it finds; without scripts, what it finds is offered when the form comes back."""

    template_name = "day/vehicle_pick.html"
    words = ""

    def __init__(self, *, kits: bool = False) -> None:
        """``kits``: which of them can judge the vehicle is shown beside the form, as one is chosen."""
        super().__init__()
        self.kits = kits

    def value_from_datadict(self, data: Mapping[str, Any], files: Any, name: str) -> Any:
        """The key that is chosen; the words are kept, to be shown again."""
        self.words = without_nul(str(data.get(f"{name}_words", "")))[:60]
        return super().value_from_datadict(data, files, name)

    def id_for_label(self, id_: str) -> str:
        """Where the words are typed."""
        return f"{id_}_words"

    def get_context(self, name: str, value: Any, attrs: dict[str, Any] | None) -> dict[str, Any]:
        """What is offered: the one that is chosen, else what the words find, else those that were seen last."""
        context: dict[str, Any] = super().get_context(name, value, attrs)
        context["widget"] |= {
            "vehicles": offered(self.words, value) or _lately(), "words": self.words, "value": str(value or ""),
            "find": f"{reverse('day:find')}?choose={name}{'&kits=1' if self.kits else ''}", "kits": reverse("day:kits-for") if self.kits else "",
        }  # fmt: skip
        return context


def offered(words: str, chosen: object) -> Sequence[Vehicle]:
    """The vehicle that is chosen already, and those that the words find."""
    there = _chosen(chosen)
    return [*there, *(one for one in found_vehicles(words) if one not in there)]


def _chosen(value: object) -> list[Vehicle]:
    try:
        return list(Vehicle.objects.filter(pk=UUID(str(value))).select_related("fleet"))
    except ValueError:
        return []


def _lately() -> Sequence[Vehicle]:
    """The vehicles of the last visits, each once; of a program without visits those that come first."""
    last = Job.objects.order_by("-planned_at", "-pk").values_list("vehicle_id", flat=True)[: 3 * _LATELY]
    keys = list(dict.fromkeys(last))[:_LATELY]
    vehicles = Vehicle.objects.select_related("fleet")
    return list(vehicles.filter(pk__in=keys) if keys else vehicles[:_LATELY])
