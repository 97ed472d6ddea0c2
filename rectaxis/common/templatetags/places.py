"""Addresses of places above an app: it names the place, and the settings say where that is."""

from __future__ import annotations

from django import template
from django.conf import settings
from django.urls import reverse

register = template.Library()


@register.simple_tag
def place(name: str, *about: object) -> str:
    """The address of one of ``settings.PLACES``, about an object's key where it needs one."""
    return reverse(settings.PLACES[name], args=about)
