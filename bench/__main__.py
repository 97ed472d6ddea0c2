"""``./run bench``, or ``./run bench solving|pages|trust|fuzz``. Without a word: solving and pages."""

import sys


def main(words: list[str]) -> int:
    """Run what is asked for; 2 for a word that is none of ours."""
    unknown = set(words) - {"solving", "pages", "trust", "fuzz"}
    if unknown:
        print(f"{', '.join(sorted(unknown))}: expected solving, pages, trust or fuzz", file=sys.stderr)
        return 2
    wanted = words or ["solving", "pages"]
    if "trust" in wanted:
        from bench import trust

        trust.report()
    if "fuzz" in wanted:
        from bench import fuzz

        if not fuzz.report():
            return 1
    if "solving" in wanted:
        from bench import solving

        solving.report()
    if "pages" in wanted:
        _pages()
    return 0


def _pages() -> None:
    import django
    from django.test.utils import setup_databases, teardown_databases

    django.setup()
    from bench import pages

    made = setup_databases(verbosity=0, interactive=False)
    try:
        pages.report()
    finally:
        teardown_databases(made, verbosity=0)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
