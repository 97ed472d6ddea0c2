"""What kits tells whoever keeps copies of its data. Sent within the transaction of the change."""

from django.dispatch import Signal

kit_changed = Signal()
"""``kit``: its certificate, its name or its zones are others now."""
