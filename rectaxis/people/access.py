"""Who may do what. Every action and every view asks here, and nowhere else decides."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.core.exceptions import PermissionDenied

from rectaxis.people.models import User

if TYPE_CHECKING:
    from uuid import UUID

_STAFF = {User.Role.TECHNICIAN, User.Role.OFFICE}


def may_work(person: User) -> bool:
    """Whether a person belongs to the business that does the work, rather than to a fleet."""
    return bool(person.is_active) and person.role in _STAFF


def may_measure(person: User) -> bool:
    """Whether a person may enter readings, record moves and seal a phase."""
    return bool(person.is_active) and person.role == User.Role.TECHNICIAN


def may_manage(person: User) -> bool:
    """Whether a person may add people and change what the business says of itself: the office.

    Where nobody of the office can sign in, as in a business of one, the technicians may.
    """
    if not may_work(person):
        return False
    office = User.objects.filter(role=User.Role.OFFICE, is_active=True)
    return person.role == User.Role.OFFICE or not office.exists()


def may_see_fleet(person: User, fleet_id: UUID | None) -> bool:
    """Whether a fleet's vehicles and reports are open to a person."""
    return may_work(person) or (bool(person.is_active) and person.fleet_id is not None and person.fleet_id == fleet_id)


def may_ask(person: User, fleet_id: UUID | None) -> bool:
    """Whether a person may answer a fleet's advice, ask for visits and ask questions, and not only read."""
    return may_see_fleet(person, fleet_id) and (may_work(person) or person.asks)


def demand(*, allowed: bool) -> None:
    """**Raises** PermissionDenied unless allowed."""
    if not allowed:
        raise PermissionDenied
