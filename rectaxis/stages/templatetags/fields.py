"""Fields as components: every field that saves itself has its label, its note and its being closed from here."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import template
from django.utils.text import slugify

register = template.Library()


@register.inclusion_tag("stages/parts/typed.html", takes_context=True)
def typed(context: Mapping[str, Any], slot: str, value: str, label: str, **more: Any) -> dict[str, Any]:
    """A field to type in. ``more``: ``note`` to begin with, ``hint`` as a placeholder, ``most`` characters, ``mode`` of the
    keyboard, ``kind`` of the input, ``signed`` where a minus flips, ``quiet`` to hide the label from eyes, ``closed``.
    """
    closed = more.pop("closed", False) or not context.get("may_type", False)
    return {
        "slot": slot,
        "value": value,
        "label": label,
        "id": f"f-{slugify(slot)}",
        "closed": closed,
        **_PLAIN,
        **more,
    }


_PLAIN: dict[str, Any] = {
    "note": "",
    "hint": "",
    "most": "",
    "mode": "",
    "kind": "",
    "signed": False,
    "quiet": False,
    "rows": 0,
}


@register.inclusion_tag("stages/parts/choices.html", takes_context=True)
def choices(context: Mapping[str, Any], slot: str, chosen: str, of: Mapping[str, str]) -> dict[str, Any]:
    """Words to choose among, ``of`` by their codes; the note is below them."""
    return {"slot": slot, "chosen": chosen, "of": of, "closed": not context.get("may_type", False)}


@register.inclusion_tag("stages/parts/chooser.html", takes_context=True)
def chooser(context: Mapping[str, Any], field: Any) -> dict[str, Any]:
    """The same for a cell of a table: a list that unfolds."""
    return {"field": field, "closed": not context.get("may_type", False)}
