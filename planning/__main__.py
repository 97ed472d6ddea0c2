"""The planner on the command line; ``python -m planning`` without words lists the commands."""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

import msgspec

from planning.checker import check
from planning.errors import DayFileError
from planning.model import Days, schema
from planning.result import Plan

USAGE = """\
usage: python -m planning plan DAYS.json [--seconds N]   a plan of the days, as JSON
       python -m planning check DAYS.json PLAN.json      what in a plan cannot be; nothing where it can be carried out
       python -m planning example [--seed N]             made-up days, to try it with
       python -m planning schema                         the JSON Schema of a file of days"""
REFUSED = 2


class WrongCallError(Exception):
    """The words on the command line make no command."""


def _option(words: Sequence[str], name: str, usual: float, most: float) -> float:
    """A number after its name, or what is usual where there is neither. **Raises** WrongCallError."""
    if not words:
        return usual
    try:
        found, value = words
        number = float(value)
    except ValueError:
        found, number = "", math.nan
    if found != name or not 0 <= number <= most:
        raise WrongCallError(f"{' '.join(words)}: expected {name} and a number from 0 to {most:g}, or nothing")
    return number


def _paths(words: Sequence[str], count: int) -> list[Path]:
    if len(words) < count:
        raise WrongCallError(USAGE)
    return [Path(word) for word in words[:count]]


def _plan(words: Sequence[str]) -> str:
    from planning.plan import SECONDS, plan_of

    (path,) = _paths(words, 1)
    seconds = _option(words[1:], "--seconds", SECONDS, 3600)
    return plan_of(Days.from_json(path.read_bytes()), seconds=seconds).to_json().decode()


def _check(words: Sequence[str]) -> str:
    days, plan = (path.read_bytes() for path in _paths(words, 2))
    Days.from_json(days)
    msgspec.json.decode(plan, type=Plan)
    return "\n".join(check(json.loads(days), json.loads(plan)))


def _example(words: Sequence[str]) -> str:
    from planning.examples import random_days

    return random_days(int(_option(words, "--seed", 1, 2**31))).to_json().decode()


def _schema(_words: Sequence[str]) -> str:
    return json.dumps(schema(), indent=2)


COMMANDS: dict[str, Callable[[Sequence[str]], str]] = {
    "plan": _plan,
    "check": _check,
    "example": _example,
    "schema": _schema,
}


def main(words: Sequence[str]) -> int:
    """Run a command; 2 where it or its file is refused."""
    command = COMMANDS.get(words[0]) if words else None
    if command is None:
        print(USAGE, file=sys.stderr)
        return REFUSED
    try:
        print(command(words[1:]))
    except (WrongCallError, DayFileError, OSError) as error:
        print(error, file=sys.stderr)
        return REFUSED
    except msgspec.DecodeError as error:
        print(f"{words[-1]}: expected a plan as this program writes it: {error}", file=sys.stderr)
        return REFUSED
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
