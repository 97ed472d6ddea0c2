"""``./run bench``."""

import django
from django.test.utils import setup_databases, teardown_databases

from bench import solving

if __name__ == "__main__":
    solving.report()
    django.setup()
    from bench import pages

    made = setup_databases(verbosity=0, interactive=False)
    try:
        pages.report()
    finally:
        teardown_databases(made, verbosity=0)
