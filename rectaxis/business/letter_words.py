"""What a letter says: the office's own words, with names in braces that are filled in."""

from __future__ import annotations

import re
from collections.abc import Mapping

from django.core.exceptions import ValidationError

NAMES = {
    "name": "the contact's name", "fleet": "the fleet", "unit": "the vehicle", "day": "the day of the visit", "number": "the report's number",
    "answer": "whether it is in order", "next": "when to measure it again", "business": "the business",
}  # fmt: skip
"""What may stand in braces, with what takes its place."""


def check_words(text: str) -> None:
    """Raises ValidationError for a name in braces that there is not."""
    unknown = sorted({name for name in re.findall(r"\{([^{}]*)\}", text) if name not in NAMES})
    if unknown:
        known = ", ".join(f"{{{name}}}" for name in NAMES)
        raise ValidationError(
            f"Nothing is known by {', '.join(f'{{{name}}}' for name in unknown)}. There are: {known}."
        )


def filled(text: str, values: Mapping[str, str]) -> str:
    """A text with its names filled in; any other braces stay as they are."""
    return re.sub(r"\{(\w+)\}", lambda found: values.get(found[1], found[0]), text)
