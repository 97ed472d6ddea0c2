"""What people tells whoever acts on it. Sent within the transaction of the change."""

from django.dispatch import Signal

person_invited = Signal()
"""``invited``, ``by``: somebody was added without a password, and sets their own by a letter."""

person_told = Signal()
"""``told``, ``words``: something about how a person signs in has changed, and they should know."""
