"""The planner on the command line; ``python -m planning`` without words lists the commands."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from planning.checker import check
from planning.errors import DayFileError
from planning.model import Days, schema

USAGE = """\
usage: python -m planning plan DAYS.json [--seconds N]   a plan of the days, as JSON
       python -m planning check DAYS.json PLAN.json      what in a plan cannot be; nothing where it can be carried out
       python -m planning example [--seed N]             made-up days, to try it with
       python -m planning schema                         the JSON Schema of a file of days"""
REFUSED = 2


class WrongCallError(Exception):
    """The words on the command line make no command."""


def _number(words: Sequence[str], name: str, usual: float) -> float:
    if not words:
        return usual
    if len(words) == 2 and words[0] == name:  # noqa: PLR2004 - the name and its value
        try:
            return float(words[1])
        except ValueError:
            raise WrongCallError(f"{name}: expected a number, got {words[1]}") from None
    raise WrongCallError(f"{' '.join(words)}: expected {name} and a number, or nothing")


def _plan(path: str, *words: str) -> str:
    from planning.plan import SECONDS, plan_of

    seconds = _number(words, "--seconds", SECONDS)
    return plan_of(Days.from_json(Path(path).read_bytes()), seconds=seconds).to_json().decode()


def _check(days: str, plan: str) -> str:
    told = Path(days).read_bytes()
    Days.from_json(told)
    return "\n".join(check(json.loads(told), json.loads(Path(plan).read_bytes())))


def _example(*words: str) -> str:
    from planning.examples import random_days

    return random_days(int(_number(words, "--seed", 1))).to_json().decode()


COMMANDS: dict[str, Callable[..., str]] = {
    "plan": _plan,
    "check": _check,
    "example": _example,
    "schema": lambda: json.dumps(schema(), indent=2),
}


def main(words: Sequence[str]) -> int:
    """Run a command; 2 where it or its file is refused."""
    command = COMMANDS.get(words[0]) if words else None
    if command is None:
        print(USAGE, file=sys.stderr)
        return REFUSED
    try:
        print(command(*words[1:]))
    except (WrongCallError, DayFileError, OSError, json.JSONDecodeError) as error:
        print(error, file=sys.stderr)
        return REFUSED
    except TypeError:
        print(USAGE, file=sys.stderr)
        return REFUSED
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
