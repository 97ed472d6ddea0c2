"""What the worker does with letters."""

from __future__ import annotations

import datetime as dt

from django.utils import timezone
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from rectaxis.post.digest import write_digests
from rectaxis.post.models import Letter
from rectaxis.post.send import MOST_TRIES, TryAgainError, send
from rectaxis.post.write import enqueue

_STUCK = dt.timedelta(minutes=3)
"""Longer than a mail server is waited for: what is still being sent after that was left by a program that ended."""


@app.task(
    name="send_letter", queue="post", pass_context=False,
    retry=RetryStrategy(max_attempts=MOST_TRIES, exponential_wait=4, retry_exceptions={TryAgainError}),
)  # fmt: skip
def send_letter(letter: str) -> None:
    """Send one letter."""
    send(letter)


@app.periodic(cron="* * * * *")
@app.task(name="look_after_letters", queue="post", queueing_lock="look_after_letters")
def look_after_letters(timestamp: int) -> None:  # noqa: ARG001 - the queue says for when it is
    """Say of letters that were left in the middle that nobody knows, and put those that wait into the queue again."""
    left = Letter.objects.filter(status=Letter.Status.SENDING, changed_at__lt=timezone.now() - _STUCK)
    left.update(
        status=Letter.Status.UNSURE, said="The program ended while this was being sent.", changed_at=timezone.now()
    )
    for letter in Letter.objects.filter(status=Letter.Status.WAITING, tries=0, made_at__lt=timezone.now() - _STUCK):
        enqueue(letter)


@app.periodic(cron="0 6 * * 1")
@app.task(name="write_weekly", queue="post", queueing_lock="write_weekly")
def write_weekly(timestamp: int) -> None:
    """On Monday morning the list of last week's reports, to those who want it."""
    write_digests(dt.datetime.fromtimestamp(timestamp, dt.UTC).date())
