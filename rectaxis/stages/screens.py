"""What each stage's page shows: plain data for its template, from a ``Visit``. A stage's file has its name."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rectaxis.stages.arrive import arrive_page
from rectaxis.stages.hand_over import hand_over_page
from rectaxis.stages.judge import judge_page
from rectaxis.stages.look import look_page
from rectaxis.stages.page import Page, base
from rectaxis.stages.prove import prove_page
from rectaxis.stages.read import read_page
from rectaxis.stages.rig import rig_page
from rectaxis.stages.roll import roll_page
from rectaxis.stages.set import set_page
from rectaxis.stages.shots import panel

SCREENS: dict[str, Callable[[Page], dict[str, Any]]] = {
    "arrive": arrive_page,
    "look": look_page,
    "rig": rig_page,
    "roll": roll_page,
    "read": read_page,
    "judge": judge_page,
    "set": set_page,
    "prove": prove_page,
    "hand-over": hand_over_page,
}


def screen(page: Page) -> dict[str, Any]:
    """Everything a stage's template needs."""
    return base(page) | {"pictures": panel(page)} | SCREENS[page.stage](page)


__all__ = ["Page", "screen"]
