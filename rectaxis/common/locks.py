"""Locking rows, everywhere in the same way."""

from __future__ import annotations

from typing import TypeVar

from django.db.models import Model, QuerySet

M = TypeVar("M", bound=Model)


def locking(model: type[M]) -> QuerySet[M]:
    """Rows to be locked until the transaction ends.

    Of a query over several tables only the row meant is locked. Its key is not: the database itself locks the keys of
    rows that others point to, at the end of a transaction and in an order of its own, and must not wait for us there.
    """
    return model._default_manager.select_for_update(of=("self",), no_key=True)
