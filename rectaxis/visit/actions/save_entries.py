"""Save what was typed, field by field. Each field is answered for itself; repeats are harmless; the server's order counts."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from django.db.models import Q

from rectaxis.common.keys import made_key
from rectaxis.devices.models import Device
from rectaxis.devices.taken import read_taken
from rectaxis.people.models import User
from rectaxis.record.errors import KeyUsedError, RecordError
from rectaxis.record.models import Entry, Job
from rectaxis.record.slot import FIGURES, SEALED, Phase, Scale, Slot, Trued, parse
from rectaxis.record.snapshot import Snapshot
from rectaxis.record.writing import Book, closed, writing
from rectaxis.visit.actions.carry_over import carry_over
from rectaxis.visit.fields import Fields, plain_text

MOST_AT_ONCE = 200
SAVED, REFUSED, OTHER_COUNTS = "saved", "refused", "other counts"


@dataclass(frozen=True)
class Saved:
    """What became of one field.

    ``saved``: it is on the record and counts. ``other counts``: it is on the record, but what somebody else typed in the
    meantime counts. ``refused``: it is not on the record. ``text`` is what was understood, or the reason. ``counts`` is what
    the field says now, ``entry`` the key of that, ``sequence`` its place in the record: a page tells by it which of two
    answers is the newer.
    """

    id: str
    slot: str
    status: str
    text: str
    counts: str = ""
    entry: str = ""
    sequence: int = 0

    def as_dict(self) -> dict[str, str | int]:
        return dict(vars(self))


@dataclass(frozen=True)
class Sent:
    """One field as a browser sends it. ``replaces`` are the keys of entries that its sender had seen, or made, in the slot;
    None where the sender says nothing of them, and means to overrule whatever stands there.
    """

    key: UUID
    slot: Slot
    typed: str
    replaces: frozenset[str] | None
    taken: dict[str, object] | None = None

    @classmethod
    def read(cls, item: Mapping[str, object]) -> Sent:
        """**Raises** ValueError with a sentence for the person."""
        replaces = item.get("replaces")
        seen = frozenset(map(str, replaces)) if isinstance(replaces, list) else None
        return cls(
            made_key(item.get("id")), parse(str(item.get("slot", ""))), plain_text(str(item.get("typed", ""))), seen,
            read_taken(item.get("taken")),
        )  # fmt: skip


def save_entries(person: User, job: Job, items: Sequence[Mapping[str, object]]) -> list[Saved]:
    """Save fields of a job; answers for each what became of it, in order.

    Each item has ``id`` (a version 7 UUID that the browser made), ``slot``, ``typed`` and ``replaces``.
    **Raises** PermissionDenied.
    """
    with writing(person, job, closed_too=True) as book:
        return _Saving(book).save_all(items[:MOST_AT_ONCE])


class _Saving:
    """One batch, while the job's lock is held."""

    def __init__(self, book: Book) -> None:
        self.book = book
        self.stands: dict[str, Entry] = {}
        self.fields = Fields(Snapshot.of(book.job))
        self.known: dict[UUID, Entry] = {}

    def save_all(self, items: Sequence[Mapping[str, object]]) -> list[Saved]:
        """What became of each item; the new entries are added."""
        sent = [_read(item) for item in items]
        keys = [one.key for one in sent if isinstance(one, Sent)]
        self._look_up(keys, {str(one.slot) for one in sent if isinstance(one, Sent)})
        before = frozenset(self.known)
        answers = [self._answered(item, one) for item, one in zip(items, sent, strict=True)]
        added = [entry for key, entry in self.known.items() if key not in before]
        first = bool(added) and self._is_first()
        self.book.add_all(added)
        if first:
            carry_over(self.book)
        if added:
            self.book.begin_work()
        places = {str(entry.pk): entry.sequence for entry in (*self.stands.values(), *self.known.values())}
        return [replace(answer, sequence=places.get(answer.entry, 0)) for answer in answers]

    def _is_first(self) -> bool:
        """Whether the work begins with this save: in a visit that is planned, or paused before anything was typed. Figures may
        be chosen before any work is done.
        """
        if self.book.job.status == Job.Status.PAUSED:
            return not Entry.objects.filter(job=self.book.job).exclude(slot=str(FIGURES)).exists()
        return self.book.job.status == Job.Status.PLANNED

    def _look_up(self, keys: Sequence[UUID], slots: Collection[str]) -> None:
        """Entries under these keys, and those that stand in these slots: in one query, whatever the history."""
        mine = Entry.objects.filter(job=self.book.job, counts=True, slot__in=slots)
        newest = mine.order_by("slot", "-sequence").distinct("slot").values("pk")
        for entry in Entry.objects.filter(Q(pk__in=keys) | Q(pk__in=newest)).select_related("by").order_by("sequence"):
            if entry.pk in keys:
                self.known[entry.pk] = entry
            if entry.job_id == self.book.job.pk and entry.slot in slots and entry.counts:
                self.stands[entry.slot] = entry

    def _answered(self, item: Mapping[str, object], sent: Sent | ValueError) -> Saved:
        if isinstance(sent, ValueError):
            return self._refused(item, str(sent))
        try:
            return self._save(sent)
        except ValueError as error:
            return self._refused(item, str(error))

    def _save(self, sent: Sent) -> Saved:
        repeat = self.known.get(sent.key)
        if repeat is not None and (repeat.job_id, repeat.slot, repeat.typed) != (
            self.book.job.pk,
            str(sent.slot),
            sent.typed,
        ):
            raise KeyUsedError
        if repeat is None:
            if self.book.job.closed:
                raise closed(self.book.job)
            self._refuse_sealed(sent.slot)
        understood = self.fields.read(sent.slot, sent.typed)
        return self._answer(repeat or self._new(sent, understood.value), understood.text)

    def _refuse_sealed(self, slot: Slot) -> None:
        """**Raises** RecordError for a number of a phase that is sealed."""
        phase = slot.phase if isinstance(slot, Scale) else Phase.BEFORE if isinstance(slot, Trued) else None
        if phase in SEALED and phase in self.book.sealed:
            raise RecordError(f"The {phase} is already saved and sealed; its readings stay as they are.")

    def _new(self, sent: Sent, value: float | None) -> Entry:
        """The entry of a field that is saved for the first time. It counts unless its sender had not seen what stands there."""
        stands = self.stands.get(str(sent.slot))
        unseen = stands is not None and sent.replaces is not None and str(stands.pk) not in sent.replaces
        counts = not unseen or stands is None or stands.typed == sent.typed
        entry = Entry(
            pk=sent.key,
            job=self.book.job,
            by=self.book.person,
            slot=str(sent.slot),
            typed=sent.typed,
            value=value,
            counts=counts,
            taken=sent.taken and _with_device(sent.taken, self.book.job),
        )
        self.known[entry.pk] = entry
        if counts:
            self.stands[entry.slot] = entry
        return entry

    def _answer(self, entry: Entry, text: str) -> Saved:
        """What became of an entry, and what stands in its slot now."""
        stands = self.stands.get(entry.slot, entry)
        if entry.counts:
            return Saved(str(entry.pk), entry.slot, SAVED, text, stands.typed, str(stands.pk))
        said = (
            f"{stands.by.shown_name} typed {stands.typed or 'nothing'} here in the meantime, and that counts. "
            f"Yours is on the record: {entry.typed or 'emptied'}."
        )
        return Saved(str(entry.pk), entry.slot, OTHER_COUNTS, said, stands.typed, str(stands.pk))

    def _refused(self, item: Mapping[str, object], why: str) -> Saved:
        """A field that is not on the record, with what counts in it."""
        slot = str(item.get("slot", ""))
        stands = self.stands.get(slot)
        counts, key = (stands.typed, str(stands.pk)) if stands else ("", "")
        return Saved(str(item.get("id", "")), slot, REFUSED, why, counts, key)


def _with_device(taken: dict[str, object], job: Job) -> dict[str, object] | None:
    """What is kept of a number that was taken: the device with its certificate of the day, and its samples. None where the
    device named is none of the visit's kits: then a person typed it.
    """
    device = Device.objects.filter(pk=str(taken["device"]), kit__in=job.kits, unpaired=False).first()
    return None if device is None else {**taken, **device.as_taken()}


def _read(item: Mapping[str, object]) -> Sent | ValueError:
    try:
        return Sent.read(item)
    except ValueError as error:
        return error
