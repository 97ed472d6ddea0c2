"""Days that are kept as text, in the way in which a reader writes them."""

from __future__ import annotations

from django import template
from django.utils.dateformat import format as written

from rectaxis.common.days import day_of

register = template.Library()


@register.filter
def in_dates(iso: str, style: str) -> str:
    """A day such as 2026-08-03 in Django's letters ``style``; any other text as it is."""
    day = day_of(iso)
    return iso if day is None else written(day, style)
