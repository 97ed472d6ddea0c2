"""Whether a fingerprint on a paper is that of a report from here."""

from __future__ import annotations

import re
from dataclasses import dataclass

from rectaxis.record.models import Seal
from rectaxis.record.seal import Statement
from rectaxis.reports.content import FINGERPRINT
from rectaxis.reports.find import versions_of


@dataclass(frozen=True)
class Genuine:
    """A version of a report: what is said of it to anybody who holds its fingerprint, and nothing of what it says itself."""

    number: str
    unit: str
    seal: Seal
    version: int
    of: int
    dates: str

    @property
    def latest(self) -> bool:
        return self.version == self.of


def find_genuine(asked: str) -> Genuine | None:
    """The version whose fingerprint was typed, with or without its spaces; None where there is none, or the job is still open."""
    typed = re.sub(r"\s", "", asked).lower()
    if not re.fullmatch(f"[0-9a-f]{{{FINGERPRINT}}}", typed):
        return None
    for seal in Seal.objects.filter(digest__startswith=typed, statement__isnull=False).select_related("job", "by"):
        versions = versions_of(seal.job) if seal.job.closed else []
        if seal in versions:
            said = Statement.from_json(seal.statement)
            dates = said.sender.dates if said.sender else "j F Y"
            return Genuine(said.number, said.subject.unit, seal, versions.index(seal) + 1, len(versions), dates)
    return None
