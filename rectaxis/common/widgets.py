"""Parts of forms that are not Django's own."""

from __future__ import annotations

from django import forms


class LongSelect(forms.Select):
    """A choice among hundreds, without groups: all in one template, where Django renders one for each option."""

    template_name = "common/long_select.html"
