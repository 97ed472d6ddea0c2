"""``./run bench``, or ``./run bench WHICH``. Without a word: solving, pages and drawing; trust, fuzz, pictures, broken and history take
minutes.
"""

import importlib
import os
import sys

# As the program runs: no threads for small matrices (settings, and the core's own command line).
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


_ALONE = (
    "trust",
    "fuzz",
    "camera",
    "pictures",
    "broken",
    "history",
    "setting",
    "solving",
    "requests",
    "kills",
    "many",
    "planning",
)
"""In this order; each prints, and may answer that something is wrong."""
_IN_THE_APPLICATION = ("drawing", "pages", "live", "reports", "scale", "backups", "open")
_KNOWN = (*_ALONE, *_IN_THE_APPLICATION)
_IN = {"camera": ("pictures", "camera"), "open": ("live", "left_open"), "requests": ("anything", "report")}
"""Where a bench is not the ``report`` of a module of its own name."""


def main(words: list[str]) -> int:
    """Run what is asked for; 2 for a word that is none of ours, 1 where something is wrong."""
    unknown = set(words) - set(_KNOWN)
    if unknown:
        print(f"{', '.join(sorted(unknown))}: expected some of {', '.join(_KNOWN)}", file=sys.stderr)
        return 2
    wanted = words or ["solving", "pages", "drawing"]
    for name in _ALONE:
        if name in wanted and _run(name) is False:
            return 1
    if set(_IN_THE_APPLICATION) & set(wanted):
        _in_the_application(wanted)
    return 0


def _run(name: str) -> object:
    module, function = _IN.get(name, (name, "report"))
    return getattr(importlib.import_module(f"bench.{module}"), function)()


def _in_the_application(wanted: list[str]) -> None:
    import django
    from django.test.utils import setup_databases, setup_test_environment, teardown_databases

    django.setup()
    setup_test_environment()
    made = setup_databases(verbosity=0, interactive=False)
    try:
        for name in _IN_THE_APPLICATION:  # drawing first: it empties the database when it is done
            if name in wanted:
                _run(name)
    finally:
        teardown_databases(made, verbosity=0)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
