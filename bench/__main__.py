"""``./run bench``, or ``./run bench WHICH``. Without a word: solving, pages and drawing; trust, fuzz, pictures, broken and history take
minutes.
"""

import os
import sys

# As the program runs: no threads for small matrices (settings, and the core's own command line).
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def main(words: list[str]) -> int:
    """Run what is asked for; 2 for a word that is none of ours."""
    unknown = set(words) - set(_KNOWN)
    if unknown:
        print(f"{', '.join(sorted(unknown))}: expected some of {', '.join(_KNOWN)}", file=sys.stderr)
        return 2
    wanted = words or ["solving", "pages", "drawing"]
    if "trust" in wanted:
        from bench import trust

        trust.report()
    if "fuzz" in wanted:
        from bench import fuzz

        if not fuzz.report():
            return 1
    if {"camera", "pictures", "broken"} & set(wanted) and not _of_pictures(wanted):
        return 1
    if "history" in wanted:
        from bench import history

        history.report()
    if "setting" in wanted:
        from bench import setting

        setting.report()
    if "solving" in wanted:
        from bench import solving

        solving.report()
    if "requests" in wanted:
        from bench import anything

        if not anything.report():
            return 1
    if {"pages", "drawing", "live", "open", "reports", "scale"} & set(wanted):
        _in_the_application(wanted)
    return 0


_KNOWN = (
    "solving",
    "setting",
    "pages",
    "drawing",
    "live",
    "open",
    "reports",
    "scale",
    "camera",
    "history",
    "trust",
    "fuzz",
    "requests",
    "pictures",
    "broken",
)


def _of_pictures(wanted: list[str]) -> bool:
    from bench import broken, pictures

    if "camera" in wanted:
        pictures.camera()
    if "pictures" in wanted:
        pictures.report()
    return "broken" not in wanted or broken.report()


def _in_the_application(wanted: list[str]) -> None:
    import django
    from django.test.utils import setup_databases, setup_test_environment, teardown_databases

    django.setup()
    setup_test_environment()
    from bench import drawing, live, pages, reports, scale

    made = setup_databases(verbosity=0, interactive=False)
    try:
        if "drawing" in wanted:
            drawing.report()  # first: it empties the database when it is done
        if "pages" in wanted:
            pages.report()
        if "live" in wanted:
            live.report()
        if "reports" in wanted:
            reports.report()
        if "scale" in wanted:
            scale.report()
        if "open" in wanted:
            live.left_open()
    finally:
        teardown_databases(made, verbosity=0)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
