"""A signature's lines as an SVG path."""

from __future__ import annotations

from collections.abc import Sequence

from django import template

register = template.Library()
WIDTH, HEIGHT = 360, 120


@register.filter
def as_path(strokes: Sequence[Sequence[Sequence[float]]]) -> str:
    """Lines of points, shares of the field, in a field of 360 by 120."""
    return "".join("M" + "L".join(f"{x * WIDTH:.1f} {y * HEIGHT:.1f}" for x, y in line) for line in strokes)
