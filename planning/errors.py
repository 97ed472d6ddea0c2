"""Errors of the planner: the data is in attributes, the text is made from the data."""

from __future__ import annotations


class PlanningError(Exception):
    """Base of every error that the planner raises on purpose."""


class DayFileError(PlanningError, ValueError):
    """A file of days is refused; ``faults`` says each reason in a sentence."""

    def __init__(self, faults: list[str]) -> None:
        self.faults = faults
        super().__init__("\n".join(faults))
