"""Connections to the database, given back as soon as a thread is done with them."""

from django.db import connection


def give_back() -> None:
    """Give this thread's connection back to the pool; one in a transaction is left to whoever began it."""
    if not connection.in_atomic_block:
        connection.close_if_unusable_or_obsolete()
