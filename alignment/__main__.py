"""``python -m alignment solve JOB.json`` and ``python -m alignment schema``."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence

from alignment.errors import JobFileError

USAGE = "usage: python -m alignment solve JOB.json | schema"
REFUSED = 2


def main(arguments: Sequence[str]) -> int:
    """Run one command; answers the exit status: 0, or 2 for a fault in what was given."""
    match arguments:
        case ["schema"]:
            from alignment.schema import job_schema

            print(json.dumps(job_schema(), indent=2))
            return 0
        case ["solve", path]:
            from alignment.jobfile import load, solve_job

            try:
                results = solve_job(load(path))
            except JobFileError as error:
                for fault in error.faults:
                    print(fault, file=sys.stderr)
                return REFUSED
            print(json.dumps(results, indent=2))
            return 0
        case _:
            print(USAGE, file=sys.stderr)
            return REFUSED


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
