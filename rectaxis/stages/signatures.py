"""What the Hand over page shows of signatures: those that are there, and a pad for each who may sign."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from rectaxis.drawing.templatetags.signature import as_path
from rectaxis.people.access import may_measure
from rectaxis.people.models import User
from rectaxis.record.models import Signature
from rectaxis.visit.visit import Visit


@dataclass(frozen=True)
class Pad:
    """Where one signs: what was typed and drawn stays after a fault."""

    whose: str
    said: str
    name: str
    strokes: str = ""
    fault: str = ""

    @property
    def path(self) -> str:
        try:
            return as_path(json.loads(self.strokes or "[]"))
        except (ValueError, TypeError):
            return ""


def signatures_shown(
    visit: Visit, person: User, given: Mapping[str, str] | None = None, fault: str = ""
) -> dict[str, Any]:
    """The context of ``stages/parts/signatures.html``. ``given`` is what was sent and refused with ``fault``."""
    names = {
        Signature.Whose.CUSTOMER: visit.journal.answer("hand-over/received-by"),
        Signature.Whose.TECHNICIAN: visit.job.technician.shown_name,
    }
    pads = []
    for whose, name in names.items():
        pad = Pad(whose, str(whose.label), name)
        if fault and given is not None and given.get("whose") == whose:
            pad = Pad(whose, str(whose.label), given.get("name", ""), given.get("strokes", ""), fault)
        pads.append(pad)
    may = may_measure(person) and not visit.job.closed
    return {"job": visit.job, "signatures": visit.journal.signatures, "pads": pads if may else [], "may_sign": may}
