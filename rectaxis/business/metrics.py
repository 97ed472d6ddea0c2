"""How the program is, in numbers, for whatever watches over it: in the text format of Prometheus.

What web processes count stands in files that they share (``PROMETHEUS_MULTIPROC_DIR``); what the database knows is asked when it is asked for.
"""

from __future__ import annotations

import os
import secrets
from collections.abc import Iterator

from django.conf import settings
from django.db.models import Count
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob
from prometheus_client import REGISTRY, CollectorRegistry, generate_latest
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.multiprocess import MultiProcessCollector

from rectaxis.business.wellness import disk, last_heard
from rectaxis.kits.models import Kit
from rectaxis.record.chain import head

_STATES = ("todo", "doing", "failed")


class Now:
    """What the database and the disk say at the moment of asking."""

    def collect(self) -> Iterator[GaugeMetricFamily]:
        """Each as a gauge."""
        now = timezone.now()
        tasks = GaugeMetricFamily("rectaxis_tasks", "Tasks of the worker by state", labels=["state"])
        counts = dict(
            ProcrastinateJob.objects.filter(status__in=_STATES).values_list("status").annotate(Count("id")).order_by()
        )
        for state in _STATES:
            tasks.add_metric([state], counts.get(state, 0))
        yield tasks
        seen = last_heard()
        yield GaugeMetricFamily(
            "rectaxis_worker_silent_seconds", "Seconds since a worker was heard of; -1 where none ever was",
            value=-1 if seen is None else (now - seen).total_seconds(),
        )  # fmt: skip
        yield GaugeMetricFamily("rectaxis_disk_free_bytes", "Free where files are kept", value=disk()[0])
        today = timezone.localdate(now)
        expired = sum(kit.needs_certificate(today) for kit in Kit.objects.filter(retired=False))
        yield GaugeMetricFamily(
            "rectaxis_kits_without_certificate", "Kits whose certificate needs seeing to", value=expired
        )
        yield GaugeMetricFamily("rectaxis_seals", "Seals in the chain", value=int(head().partition("-")[0] or 0))


def may_read(authorization: str) -> bool:
    """Whether a header carries the token that is set; nobody may where none is."""
    token = settings.METRICS_TOKEN
    return bool(token) and secrets.compare_digest(authorization.encode(), f"Bearer {token}".encode())


def metrics() -> bytes:
    """All of it."""
    kept = os.environ.get("PROMETHEUS_MULTIPROC_DIR")
    counted = CollectorRegistry() if kept else REGISTRY
    if kept:
        MultiProcessCollector(counted, kept)  # type: ignore[no-untyped-call] # the library has no types there
    asked = CollectorRegistry()
    asked.register(Now())
    return generate_latest(counted) + generate_latest(asked)
