"""A kit's check of itself, step by step by what a device says where it is laid."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping

from django.db import transaction
from django.utils import timezone

from alignment.live.self_check import Check, checks_of
from rectaxis.devices.models import Device, SelfCheck
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User

_MOST_VALUES, _LARGEST = 200, 400.0


class SelfCheckError(ValueError):
    """Why something is not done, in a sentence."""


def begin_self_check(person: User, device: Device) -> SelfCheck:
    """Begin, or go on with the one that is under way. **Raises** PermissionDenied, SelfCheckError."""
    demand(allowed=may_work(person))
    if not checks_of(device.kit.code):
        raise SelfCheckError(f"{device.kit.name} has no check that its devices can be asked for.")
    with transaction.atomic():
        Device.objects.select_for_update().get(pk=device.pk)
        return check_under_way(device) or SelfCheck.objects.create(device=device, by=person)


def check_under_way(device: Device) -> SelfCheck | None:
    """The self-check whose poses are taken now."""
    return device.self_checks.filter(ended_at=None, dropped=False).last()


def step_of(run: SelfCheck) -> tuple[Check, int]:
    """The check that a run stands at, and which of its poses is next."""
    done = len(run.taken)
    for check in checks_of(run.device.kit.code):
        if done < len(check.poses):
            return check, done
        done -= len(check.poses)
    raise SelfCheckError("That self-check is done: begin a new one.")


def take_pose(person: User, run: SelfCheck, number: str, sent: str) -> None:
    """Keep what the devices said in the pose of that ``number`` (as the page counted them), as JSON of value by key, and judge where it was
    the last of its check. The same pose twice is one. **Raises** PermissionDenied, SelfCheckError.
    """
    demand(allowed=may_work(person))
    with transaction.atomic():
        run = SelfCheck.objects.select_for_update().select_related("device__kit").get(pk=run.pk)
        if run.ended_at is not None or run.dropped:
            raise SelfCheckError("That self-check is closed: begin a new one.")
        if number != str(len(run.taken)):
            return
        check, pose = step_of(run)
        run.taken.append(_read(check, sent))
        if pose + 1 == len(check.poses):
            try:
                told = check.judge(run.taken[-len(check.poses) :])
            except ValueError:
                raise SelfCheckError(
                    "Not the same wheels have said something in each pose. Begin anew, with all of them on."
                ) from None
            run.results += [
                {"title": check.title, "limit": check.limit, "unit": check.unit, **one._asdict()} for one in told
            ]
        if len(run.taken) == sum(len(one.poses) for one in checks_of(run.device.kit.code)):
            run.ended_at = timezone.now()
        run.save(update_fields=["taken", "results", "ended_at"])


def _read(check: Check, sent: str) -> dict[str, float]:
    try:
        values = json.loads(sent)
    except (ValueError, RecursionError):
        values = None
    if not isinstance(values, Mapping) or len(values) > _MOST_VALUES:
        raise SelfCheckError("The page sent no numbers. Let everything rest until it is settled, and press again.")
    found = {key: value for key, value in values.items() if _is_of(check, key) and _is_number(value)}
    if not found:
        raise SelfCheckError(f"Nothing says its {check.what} yet. Switch everything on, let it rest, and press again.")
    return {key: float(value) for key, value in found.items()}


def _is_of(check: Check, key: str) -> bool:
    return len(key) <= _LONGEST_KEY and key.count("/") >= 2 and check.takes(key)  # noqa: PLR2004 - camber/1/left


def _is_number(value: object) -> bool:
    return (
        isinstance(value, int | float)
        and not isinstance(value, bool)
        and abs(value) < _LARGEST
        and math.isfinite(value)
    )


_LONGEST_KEY = 40


def drop_self_check(person: User, run: SelfCheck) -> None:
    """Nothing of it counts. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    SelfCheck.objects.filter(pk=run.pk, ended_at=None).update(dropped=True)
