"""Parts of drawings that are made once for what they show."""

from __future__ import annotations

from collections.abc import Hashable
from functools import lru_cache

from django import template
from django.template.loader import render_to_string
from django.utils.safestring import SafeString, mark_safe

register = template.Library()
_KEPT = 3_000
"""Of about 2.3 kB each: what fifty people have before them, twice over. More would only fill the memory with numbers that were corrected since."""


@register.simple_tag
def drawn(name: str, **given: Hashable) -> SafeString:
    """A template of what is given alone, all of it frozen. After a number is saved most scales and strips of a page are as they were: those
    are taken as they were made before, in this request or another.
    """
    return _rendered(name, tuple(given.items()))


@lru_cache(maxsize=_KEPT)
def _rendered(name: str, given: tuple[tuple[str, Hashable], ...]) -> SafeString:
    return mark_safe(render_to_string(name, dict(given)))  # noqa: S308 - it was escaped as it was rendered
