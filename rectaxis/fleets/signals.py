"""What fleets tells whoever keeps copies of its data. Sent within the transaction of the change."""

from django.dispatch import Signal

layout_changed = Signal()
"""``vehicle``: its axles or dimensions were corrected."""
adjusters_changed = Signal()
"""``vehicle``, and ``what`` was changed in its layout: ``adjusters`` or ``packings``."""
