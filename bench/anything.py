"""20,000 requests of any sort to every address, and 2,000 spoiled files: what came of them, and how much memory they took."""

from __future__ import annotations

import os

REQUESTS, FILES = 20_000, 2_000


def report() -> bool:
    """Send them; whether nothing broke."""
    os.environ |= {"RECTAXIS_FUZZ_REQUESTS": str(REQUESTS), "RECTAXIS_FUZZ_UPLOADS": str(FILES)}
    from tests.parts import run_here

    return run_here(["tests.test_anything"])[1] == 0
