"""What specs asks of whoever keeps copies of its data."""

from django.dispatch import Signal

asked_who_uses = Signal()
"""``key`` of a specification: each receiver answers with how many visits went by it."""
