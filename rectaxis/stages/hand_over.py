"""Hand over: what is on the record, and the ways to take it away."""

from __future__ import annotations

from typing import Any

from rectaxis.stages.page import Page, fields
from rectaxis.stages.signatures import signatures_shown


def hand_over_page(page: Page) -> dict[str, Any]:
    """What is on the record, and the ways to take it away."""
    advice = fields(page, ["advice"])
    return {
        "reasons": page.visit.progress.reasons(),
        "not_done": [] if page.visit.job.closed else page.visit.progress.went_on_without(),
        "turns": page.visit.moves_said(),
        "plain": fields(page, [""]),
        "advice": list(zip(advice[::2], advice[1::2], strict=True)),
        **signatures_shown(page.visit, page.person),
        "next": fields(page, ["next"]),
        "sign_off": fields(page, ["sign-off"]),
    }
