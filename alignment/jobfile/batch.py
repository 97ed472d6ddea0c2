"""Many jobs at once, over all cores: for histories, for studies, for a night's work on a fleet."""

from __future__ import annotations

import gc
import os
from collections.abc import Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor
from typing import Any

from alignment.errors import JobFileError
from alignment.jobfile import parse, read_document, solve_job

_CHUNK = 50
"""Jobs handed to a process at a time: enough that handing over costs little, few enough that all stay busy."""

Answer = dict[str, Any] | list[str]
"""A results file, or the faults of a job file that was refused, a line each."""


def solve_document(raw: bytes) -> Answer:
    """The results of one job file, or its faults."""
    try:
        return solve_job(parse(read_document(raw)))
    except JobFileError as error:
        return [str(fault) for fault in error.faults]


def _solve_chunk(chunk: list[bytes]) -> list[Answer]:
    return [solve_document(raw) for raw in chunk]


def solve_many(documents: Iterable[bytes], processes: int | None = None) -> Iterator[Answer]:
    """The answer to each job file (its bytes), in the order given, from as many processes as there are cores.

    A faulty file is answered with its faults and stops nothing.
    """
    waiting = list(documents)
    chunks = [waiting[start : start + _CHUNK] for start in range(0, len(waiting), _CHUNK)]
    count = processes or os.cpu_count() or 1
    if count == 1 or len(chunks) == 1:
        for chunk in chunks:
            yield from _solve_chunk(chunk)
        return
    # What a job leaves behind is freed as it goes; looking for rings among it all the time costs a fifth.
    with ProcessPoolExecutor(count, initializer=gc.disable) as pool:
        for answers in pool.map(_solve_chunk, chunks):
            yield from answers
