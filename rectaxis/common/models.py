"""The base of all records."""

from django.db import models
from uuid6 import uuid7


class Record(models.Model):
    """A record whose key is time-ordered and made anywhere, so that records made apart can be merged."""

    id = models.UUIDField(primary_key=True, default=uuid7, editable=False)

    class Meta:
        abstract = True
