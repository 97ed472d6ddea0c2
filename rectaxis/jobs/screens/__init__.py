"""What each stage's page shows: plain data for its template, from a job's ``Work``."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rectaxis.jobs.screens.page import Page, base
from rectaxis.jobs.screens.readings import readings_page
from rectaxis.jobs.screens.setting import set_page
from rectaxis.jobs.screens.stages import arrive_page, hand_over_page, judge_page, look_page, rig_page, roll_page

SCREENS: dict[str, Callable[[Page], dict[str, Any]]] = {
    "arrive": arrive_page,
    "look": look_page,
    "rig": rig_page,
    "roll": roll_page,
    "read": readings_page,
    "judge": judge_page,
    "set": set_page,
    "prove": readings_page,
    "hand-over": hand_over_page,
}


def screen(page: Page) -> dict[str, Any]:
    """Everything a stage's template needs."""
    return base(page) | SCREENS[page.stage](page)


__all__ = ["Page", "screen"]
