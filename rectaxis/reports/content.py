"""What a report shows, from what is sealed and nothing else."""

from __future__ import annotations

import hashlib
import zoneinfo
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import segno
from django.conf import settings
from django.urls import reverse
from django.utils.safestring import SafeString, mark_safe

from rectaxis.drawing.plan import VehicleLook
from rectaxis.drawing.sealed_plan import SealedPlan, sealed_plan
from rectaxis.drawing.strips import Judged, StripGroup, Words, strip_groups
from rectaxis.record.chain import printed_link
from rectaxis.record.models import Job, Seal
from rectaxis.record.seal import Answered, Photographed, Statement, readings_of
from rectaxis.record.slot import SEALED
from rectaxis.reports.front import Front
from rectaxis.reports.looked import by_what_was_found, other_photos, part_photos

FINGERPRINT = 24
"""Of how many of a digest's 64 characters a report's fingerprint is: 96 bits."""


@dataclass(frozen=True)
class Report:
    """A report's content as plain data for its template, in a reader's angle style.

    ``statement`` is the one sealed last, or a draft while the job is open. ``versions`` are the seals of its versions up to the one
    that is shown, the first one first, and ``of`` is how many there are by now; both are empty of a draft.
    """

    job: Job
    statement: Statement
    style: str
    draft: bool = False
    versions: tuple[Seal, ...] = ()
    of: int = 0

    @property
    def dates(self) -> str:
        """How the business writes a day."""
        return self.statement.sender.dates if self.statement.sender else "j F Y"

    @property
    def zone(self) -> zoneinfo.ZoneInfo:
        """The business's time zone, as it was then."""
        return zoneinfo.ZoneInfo(self.statement.sender.zone if self.statement.sender else "UTC")

    @cached_property
    def front(self) -> Front:
        """The first page."""
        return Front(self.statement, self.said_in, self.dates)

    @cached_property
    def plans(self) -> list[SealedPlan]:
        """The vehicle as found and as left, each where it was sealed."""
        return [
            sealed_plan(title, seal.job_file, self._look, seal.results, self._verdicts(seal), self.said_in)
            for seal, title in zip(self.seals, ("As found", "As left"), strict=False)
        ]

    @property
    def every_angle(self) -> list[tuple[str, str, str, str]]:
        """Every angle that was determined: its axle, its name, before and after in the reader's style."""
        style = self.said_in
        return [
            (one.title, one.label, one.before.get(style, ""), one.after.get(style, ""))
            for one in self.statement.measured
        ]

    @property
    def _look(self) -> VehicleLook:
        subject = self.statement.subject
        return VehicleLook(subject.group or "van", frozenset(subject.duals))

    def _verdicts(self, seal: Seal) -> list[tuple[int, str]]:
        """What each row says of a phase, with its axle."""
        newest = seal is self.seals[-1]
        return [(row.axle, row.stands if newest else row.earlier_verdict) for row in self.statement.judged]

    @property
    def said_in(self) -> str:
        """The reader's style; degrees where this was sealed before there was that style."""
        sealed = {style for of_phase in self.statement.sentences.values() for style in of_phase}
        return self.style if not sealed or self.style in sealed else "deg"

    @property
    def version(self) -> int:
        return len(self.versions)

    @property
    def latest(self) -> bool:
        """Whether no correction came after it."""
        return self.version == self.of

    @property
    def numbers(self) -> range:
        """The numbers of all its versions."""
        return range(1, self.of + 1)

    @property
    def fingerprint(self) -> str:
        """What tells this version from any other, in groups of four."""
        digest = self.versions[-1].digest[:FINGERPRINT] if self.versions else ""
        return " ".join(digest[at : at + 4] for at in range(0, len(digest), 4))

    @cached_property
    def link(self) -> str:
        """This version's place in the chain of all seals; empty where it has none."""
        return printed_link(self.versions[-1].pk) if self.versions else ""

    @property
    def address(self) -> str:
        """Where anybody can see whether this version is genuine, and the latest."""
        return f"{settings.SITE}{reverse('reports:genuine', args=[self.fingerprint.replace(' ', '')])}"

    @property
    def site_key(self) -> str:
        """What tells one address of this program from another."""
        return hashlib.sha256(settings.SITE.encode()).hexdigest()[:8]

    @property
    def file_name(self) -> str:
        """What a file of it is called, without its ending."""
        subject = self.statement.subject
        unit = "".join(c if c.isalnum() and c.isascii() else "-" for c in subject.unit.lower())
        return f"{unit}-{subject.day:%Y-%m-%d}"

    @property
    def code(self) -> SafeString:
        """The address as a QR code, an SVG."""
        made, title = segno.make(self.address, error="m", micro=False), "The address beside it as a QR code"
        drawn = made.svg_inline(scale=2, border=2, dark="#16213a", light="#ffffff", title=title)
        return mark_safe(drawn)  # noqa: S308 - of our own address

    @cached_property
    def changes(self) -> list[str]:
        """What is judged otherwise than in the first version, in words."""
        if self.version <= 1:
            return []
        was = {row.path: row for row in Statement.from_json(self.versions[0].statement).judged}
        pairs = ((was.get(row.path), row) for row in self.statement.judged)
        return [line for old, new in pairs if old is not None for line in _changed(old, new, self.said_in)]

    @cached_property
    def every_seal(self) -> list[Seal]:
        """Every seal and revision up to the version shown, in their order."""
        found = Seal.objects.filter(job=self.job).select_related("by").order_by("sequence")
        return list(found.filter(sequence__lte=self.versions[-1].sequence) if self.versions else found)

    @cached_property
    def seals(self) -> list[Seal]:
        """The newest seal of each phase that was read, in their order."""
        newest = {seal.phase: seal for seal in self.every_seal}
        return [newest[phase] for phase in SEALED if phase in newest]

    @property
    def groups(self) -> list[StripGroup]:
        """The strips of the last sealed phase, each term explained where it appears first."""
        told = {"scrub"} if any(plan.scrubs for plan in self.plans) else set()  # the first page has said it
        found = []
        for group in strip_groups(self.statement.judged, self.said_in):
            here = [
                (term, meaning)
                for term, meaning in self.statement.terms
                if any(_names(strip.label, term) for strip in group.strips)
            ]
            found.append(replace(group, terms=tuple(one for one in here if one[0] not in told)))
            told |= {term for term, _ in here}
        return found

    @property
    def set_up(self) -> list[tuple[str, list[tuple[str, str]]]]:
        """A competition car's set-up sheet, each part with its name; corners as the drawing has them: nose to the left, so its right above."""
        sheet, style = self.statement.set_up, self.said_in
        if sheet is None:
            return []
        corners = sorted(sheet.corners, key=lambda one: (one.side == "left", one.axle))
        parts = [(one.name, [*_in(one.angles, style), *one.lines]) for one in corners]
        return [*parts, ("The whole car", _in(sheet.whole, style))] if sheet.whole else parts

    def _sentences(self, phase: str) -> tuple[str, ...]:
        return self.statement.sentences.get(phase, {}).get(self.said_in, ())

    @property
    def before(self) -> tuple[str, ...]:
        return self._sentences("before")

    @property
    def after(self) -> tuple[str, ...]:
        return self._sentences("after")

    @property
    def answers(self) -> dict[str, Answered]:
        """What was answered, by the slot written as a template can name it: ``arrive_odometer``."""
        return {slot.replace("/", "_").replace("-", "_"): answer for slot, answer in self.statement.answers.items()}

    @property
    def not_safe(self) -> list[str]:
        """What was found unsafe, with what was said of it: a report begins with it."""
        found = [(one.part, one.why) for one in self.statement.left_out if one.part]
        return [f"{why} ({part[0].lower()}{part[1:]})" if why else part for part, why in found]

    @property
    def looked_over(self) -> dict[str, list[str]]:
        """What was looked over, by what was found, the worst first: "sound" with the names of what is."""
        return by_what_was_found(self.statement)

    @property
    def part_photos(self) -> list[Photographed]:
        """Photos of parts that were looked over, the unsafe and the worn first, each with what was found."""
        return part_photos(self.statement)

    @property
    def other_photos(self) -> list[Photographed]:
        """Photos of what is no part that was looked over: of damage, or of nothing in particular."""
        return other_photos(self.statement)

    @property
    def not_written(self) -> list[str]:
        """What was moved and has no torque written, by its name."""
        tightened = {one.adjuster for one in self.statement.tightened}
        moved = {move.adjuster: move.said.split(":")[0] for move in self.statement.moves}
        return [name for adjuster, name in moved.items() if adjuster not in tightened]

    @property
    def still_outside(self) -> list[str]:
        """What is outside in the after, with what would set it."""
        return [words[self.said_in] for words in self.statement.still_outside]

    @property
    def corrections(self) -> list[Seal]:
        """Phases of which a reading was corrected."""
        return [seal for seal in self.seals if seal.revision > 1]

    def job_file(self) -> dict[str, Any]:
        """One job file with the readings of both phases, as they were sealed; empty where nothing was."""
        if not self.seals:
            return {}
        readings = readings_of(self.seals)
        newest: dict[str, Any] = self.seals[-1].job_file
        return newest | {"readings": readings}


def _changed(old: Judged, new: Judged, style: str) -> Iterator[str]:
    """What became of a row by a correction: of its value before, and of the one after."""
    for was, now, phase in (
        (old.earlier_text, new.earlier_text, "before"),
        (old.text, new.text, "after" if new.earlier_text or old.earlier_text else "before"),
    ):
        if was.get(style) != now.get(style):
            yield f"{new.title}, {new.label}, {phase}: {was.get(style) or 'no value'} in the first, {now.get(style) or 'no value'} now"


def _in(values: Iterable[tuple[str, Words]], style: str) -> list[tuple[str, str]]:
    return [(label, said.get(style, "")) for label, said in values]


def _names(label: str, term: str) -> bool:
    """Whether a strip's label is a term, a side before it or not: "left camber"."""
    return label == term or label.partition(" ")[2] == term
