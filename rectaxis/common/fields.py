"""Form fields that read what people type as the core does."""

from typing import Any

from django import forms
from django.http import HttpRequest
from django.utils.http import url_has_allowed_host_and_scheme

from alignment.errors import TypedValueError
from alignment.quantities import parse_typed


def without_nul(text: str) -> str:
    """The text without the one character that PostgreSQL cannot keep; no keyboard types it."""
    return text.replace("\x00", "")


def way_back(request: HttpRequest, otherwise: str) -> str:
    """The address of this program that a form's hidden ``next`` names, or else another. Anything can stand there: what is no path from the
    root would be taken for the name of an address, or lead elsewhere.
    """
    after = request.POST.get("next", "")
    here = after.startswith("/") and url_has_allowed_host_and_scheme(after, allowed_hosts={request.get_host()})
    return after if here else otherwise


_DIGITS = 3


def number(text: str) -> int:
    """A small whole number from an address or a hidden field, 0 for anything else."""
    return int(text) if text.isdecimal() and len(text) <= _DIGITS else 0


class TypedField(forms.CharField):
    """A length in mm, an angle in degrees or a plain number, typed in any unit that the core reads."""

    def __init__(self, dimension: str, *, above_zero: bool = False, **named: Any) -> None:
        super().__init__(max_length=60, **named)
        self.dimension = dimension
        self.unit = "mm" if dimension == "length" else "deg"
        self.above_zero = above_zero

    def clean(self, value: Any) -> float | None:
        """The number, or None for an empty field that may be. Raises ValidationError."""
        text = super().clean(value)
        if not text:
            return None
        try:
            number = parse_typed(text, self.dimension, self.unit).value
        except TypedValueError as error:
            raise forms.ValidationError(str(error)) from None
        if self.above_zero and number <= 0:
            raise forms.ValidationError(f"Expected more than 0, got {text}.")
        return number
