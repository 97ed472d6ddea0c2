"""What fleets tells whoever keeps copies of its data. Sent within the transaction of the change."""

from django.dispatch import Signal

adjusters_changed = Signal()
"""``vehicle``, and ``what`` was changed in its layout: ``adjusters`` or ``packings``."""
