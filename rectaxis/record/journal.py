"""The record of one job, read: what counts in each slot, what was moved, what was sealed. Few queries, whatever the history."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from rectaxis.record.models import Entry, Event, Job, Mark, Move, Photo, Seal, Shot, Sighting, Signature
from rectaxis.record.slot import SEALED, Phase, Slot

_SHOWN = ("job", "slot", "typed", "value", "sequence", "at", "by__username", "by__first_name", "by__last_name")
"""What pages show of an entry: a job has hundreds, and each column costs."""

_NUMBER = ("job", "slot", "value", "sequence")
"""What is taught by a number that was typed while setting: hundreds of them, of which nothing else is asked."""


class Journal:
    """What was added to a job, in the server's order."""

    def __init__(self, job: Job) -> None:
        self.job = job

    @cached_property
    def entries(self) -> dict[str, Entry]:
        """The entry that counts in each slot, by the slot's text: the newest."""
        counting = Entry.objects.filter(job=self.job, counts=True).select_related("by").only(*_SHOWN)
        return {entry.slot: entry for entry in counting.order_by("slot", "-sequence").distinct("slot")}

    def entry(self, slot: Slot | str) -> Entry | None:
        """The entry that counts in a slot."""
        return self.entries.get(str(slot))

    def answer(self, slot: Slot | str) -> str:
        """What counts in a slot, as typed; empty where nothing was."""
        entry = self.entry(slot)
        return entry.typed if entry else ""

    def number(self, slot: Slot | str) -> float | None:
        """The number that counts in a slot; None where there is none."""
        entry = self.entry(slot)
        return entry.value if entry else None

    @cached_property
    def answers(self) -> Mapping[str, str]:
        """What counts in every slot, as typed."""
        return {slot: entry.typed for slot, entry in self.entries.items()}

    def numbers(self, phase: Phase, since: int = 0) -> list[Entry]:
        """Everything that counted when it was typed in a phase, superseded and emptied too, the oldest first."""
        typed = Entry.objects.filter(job=self.job, counts=True, slot__startswith=f"{phase}/").only(*_NUMBER)
        return list(typed.filter(sequence__gt=since).order_by("sequence"))

    @cached_property
    def all_moves(self) -> list[Move]:
        """Every move that was recorded, struck ones and what struck them too, the oldest first."""
        moves = list(Move.objects.filter(job=self.job).select_related("by"))
        by_key = {move.pk: move for move in moves}
        for move in moves:
            if move.strikes_id in by_key:
                move.strikes = by_key[move.strikes_id]  # of the same job: no join is needed
        return moves

    @cached_property
    def moves(self) -> list[Move]:
        """What was moved, the oldest first; without what was mistyped and struck."""
        struck = {move.strikes_id for move in self.all_moves}
        return [move for move in self.all_moves if move.strikes_id is None and move.pk not in struck]

    def words(self, slot: Slot) -> list[Entry]:
        """Everything that was typed in a slot and counted, emptied ones left out, the oldest first."""
        typed = Entry.objects.filter(job=self.job, slot=str(slot), counts=True).exclude(typed="")
        return list(typed.select_related("by").order_by("sequence"))

    @cached_property
    def sightings(self) -> list[Sighting]:
        """What pictures told, the oldest first; where no kit takes any there is nothing to be asked for."""
        if not self.job.rig.get("seen"):
            return []
        return list(Sighting.objects.filter(job=self.job).select_related("by"))

    @cached_property
    def shots(self) -> list[Shot]:
        """The pictures that count, the oldest first."""
        return list(Shot.objects.filter(job=self.job, removed=False).select_related("by"))

    @cached_property
    def all_seals(self) -> list[Seal]:
        """Every seal, the oldest first."""
        return list(Seal.objects.filter(job=self.job).select_related("by").order_by("sequence"))

    @cached_property
    def seals(self) -> dict[str, Seal]:
        """The newest seal of each sealed phase."""
        return {seal.phase: seal for seal in self.all_seals if seal.phase in SEALED}

    def with_seal(self, seal: Seal) -> Journal:
        """The same record with a seal that is about to be added."""
        further = Journal(self.job)
        further.all_seals = [*self.all_seals, seal]
        return further

    @cached_property
    def photos(self) -> dict[str, list[Photo]]:
        """The photos in sight, by the slot that they belong to."""
        found: dict[str, list[Photo]] = {}
        for photo in Photo.objects.filter(job=self.job, removed=False).select_related("by"):
            found.setdefault(photo.slot, []).append(photo)
        return found

    @cached_property
    def marks(self) -> list[Mark]:
        """Damage marked on the outline."""
        return list(Mark.objects.filter(job=self.job, removed=False).select_related("by"))

    @cached_property
    def signatures(self) -> list[Signature]:
        """The newest signature of each who signed."""
        newest = {one.whose: one for one in Signature.objects.filter(job=self.job).select_related("by")}
        return list(newest.values())

    @cached_property
    def events(self) -> list[Event]:
        """What happened to the job as a whole, the oldest first."""
        return list(Event.objects.filter(job=self.job).select_related("by"))
