"""The core on the command line; ``python -m alignment`` without words lists the commands."""

from __future__ import annotations

import gc
import json
import math
import os
import sys
import time
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, TypeVar

from alignment.errors import JobFileError

if TYPE_CHECKING:
    from alignment.judge.results import PhaseResults

T = TypeVar("T")

USAGE = """\
usage: python -m alignment solve JOB.json            the results file of a job
       python -m alignment plan JOB.json             what to turn, how far, in which order, and what is then seen
       python -m alignment explain JOB.json [--kit KIT] [--ratio N]
                                                     what the results mean, in sentences
       python -m alignment explain JOB.json --why PATH
                                                     which readings carry one result, such as axles/1/total_toe_deg
       python -m alignment simulate KIT PATTERN [--seed N] [--exact] [--truth FILE]
                                                     a made-up job file; the hidden truth goes to FILE
       python -m alignment pictures SETUP.json [--why]
                                                     readings from pictures of targets; or which doubts they lean on
       python -m alignment targets --axles N [--paper a3|a4] > FILE.pdf
                                                     targets to print at true size
       python -m alignment calibrate SETUP.json      a camera's lens, and two cameras' mutual pose, from pictures
       python -m alignment example FOLDER [--seed N]
                                                     made-up pictures with their files, to try the last three with
       python -m alignment schema                    the JSON Schema of the job file"""
REFUSED = 2


class WrongCallError(Exception):
    """The words on the command line make no command; the text says which are expected."""


def _options(words: Sequence[str], *, known: Sequence[str], flags: Sequence[str] = ()) -> dict[str, str]:
    """Options and their values. **Raises** WrongCallError."""
    found: dict[str, str] = {}
    left = list(words)
    while left:
        word = left.pop(0)
        if word in flags:
            found[word] = ""
        elif word in known and left:
            found[word] = left.pop(0)
        else:
            raise WrongCallError(f"{word}: expected one of {', '.join((*known, *flags))}, each followed by its value")
    return found


def _solve(path: str) -> str:
    from alignment.jobfile import load, solve_job

    return json.dumps(solve_job(load(path)), indent=2)


def _plan(path: str) -> str:
    from alignment.jobfile import load, plan_job

    return json.dumps(plan_job(load(path)), indent=2)


def _schema() -> str:
    from alignment.jobfile.schema import job_schema

    return json.dumps(job_schema(), indent=2)


def _explain(path: str, words: Sequence[str]) -> str:
    from alignment.jobfile import load, solve_phase
    from alignment.procedure.kit import kit
    from alignment.words.explain import explain

    options = _options(words, known=("--kit", "--ratio", "--why"))
    ratio = _positive("--ratio", options["--ratio"]) if "--ratio" in options else None
    chosen = _named("kit", kit, options["--kit"]) if "--kit" in options else None
    job = load(path)
    if "--why" in options:
        return "\n\n".join(_explain_why(solve_phase(job, phase), phase, options["--why"]) for phase in job.phases)
    found = [(phase, explain(solve_phase(job, phase), chosen, ratio).as_text()) for phase in job.phases]
    return "\n\n".join(f"{phase.upper()}\n\n{text}" for phase, text in found) or "The job has no readings yet."


def _explain_why(results: PhaseResults, phase: str, path: str) -> str:
    from alignment.errors import UnknownQuantityError
    from alignment.words.explain import explain_why

    try:
        return f"{phase.upper()}\n\n{explain_why(results, path)}"
    except UnknownQuantityError:
        raise WrongCallError(
            f"--why: this vehicle has no {path}; expected a path such as axles/1/total_toe_deg or thrust_angle_deg"
        ) from None


def _simulate(kit_code: str, pattern_code: str, words: Sequence[str]) -> str:
    from pathlib import Path

    from alignment.patterns import pattern
    from alignment.procedure.kit import kit
    from alignment.simulate.jobs import simulate

    options = _options(words, known=("--seed", "--truth"), flags=("--exact",))
    made = simulate(
        _named("pattern", pattern, pattern_code), _named("kit", kit, kit_code), options.get("--seed", "1"),
        noise="--exact" not in options,
    )  # fmt: skip
    if "--truth" in options:
        try:
            Path(options["--truth"]).write_text(json.dumps(made.truth, indent=2) + "\n", encoding="utf-8")
        except OSError as error:
            raise WrongCallError(f"--truth: {options['--truth']} cannot be written: {error.strerror}") from None
    return json.dumps(made.document, indent=2)


def _named(what: str, find: Callable[[str], T], code: str) -> T:
    """A kit or a pattern by its code. **Raises** WrongCallError that lists the codes there are."""
    try:
        return find(code)
    except KeyError as error:
        raise WrongCallError(f"{what}: {error.args[0]}") from None


def _positive(option: str, text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = 0.0
    if not 0 < value < math.inf:
        raise WrongCallError(f"{option}: expected a number above 0, got {text}")
    return value


class Telling:
    """Says on standard error how far long work has come, once it takes over a second."""

    def __init__(self) -> None:
        self._began = self._said = time.monotonic()

    def __call__(self, what: str) -> None:
        now = time.monotonic()
        if now - self._said > _PATIENCE:
            self._said = now
            print(f"{now - self._began:.0f} s: {what}", file=sys.stderr)


_PATIENCE = 1.0
"""Seconds of silence."""


def _pictures(path: str, words: Sequence[str]) -> str:
    from alignment.camera.measure import measure
    from alignment.camera.pictures import reader
    from alignment.camera.setups import load
    from alignment.camera.why import explain

    options = _options(words, known=(), flags=("--why",))
    setup = load(path)
    if "--why" in options:
        return explain(setup, reader(setup), Telling())
    return json.dumps(measure(setup, reader(setup), Telling()), indent=2)


def _targets(words: Sequence[str]) -> bytes:
    from alignment.camera import sheets

    options = _options(words, known=("--axles", "--paper"))
    axles = options.get("--axles", "2")
    if not (axles.isdecimal() and 1 <= int(axles) <= sheets.MOST_AXLES):
        raise WrongCallError(f"--axles: expected a number from 1 to {sheets.MOST_AXLES}, got {axles}")
    paper = options.get("--paper", "a3")
    if paper not in sheets.PAPERS:
        raise WrongCallError(f"--paper: expected one of {', '.join(sheets.PAPERS)}, got {paper}")
    return sheets.pdf(int(axles), sheets.PAPERS[paper])


def _calibrate(path: str) -> str:
    from alignment.camera.calibration import calibrate, load

    return json.dumps(calibrate(load(path), Telling()), indent=2)


def _example(folder: str, words: Sequence[str]) -> str:
    from pathlib import Path

    from alignment.simulate.example import write

    seed = _options(words, known=("--seed",)).get("--seed", "1")
    if not seed.isdecimal():
        raise WrongCallError(f"--seed: expected a whole number, got {seed}")
    try:
        return "\n".join(str(Path(folder) / name) for name in write(Path(folder), int(seed)))
    except OSError as error:
        raise WrongCallError(f"{folder}: cannot be written: {error.strerror}") from None


def run(arguments: Sequence[str]) -> str | bytes:
    """What a command prints. **Raises** WrongCallError, and JobFileError for a faulty job file."""
    match arguments:
        case ["solve", path]:
            return _solve(path)
        case ["plan", path]:
            return _plan(path)
        case ["schema"]:
            return _schema()
        case ["explain", path, *words]:
            return _explain(path, words)
        case ["simulate", kit, pattern, *words]:
            return _simulate(kit, pattern, words)
        case ["pictures", path, *words]:
            return _pictures(path, words)
        case ["targets", *words]:
            return _targets(words)
        case ["calibrate", path]:
            return _calibrate(path)
        case ["example", folder, *words]:
            return _example(folder, words)
    raise WrongCallError(USAGE)


def start_lean() -> None:
    """Make a short-lived process start fast: no collection of garbage that its end collects, no threads for small matrices."""
    gc.disable()
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def keep_the_answer_apart() -> None:
    """Send what libraries print of their own accord to standard error, so that standard output has the answer alone."""
    answer = os.dup(1)
    os.dup2(2, 1)
    sys.stdout = os.fdopen(answer, "w", encoding="utf-8")


def main(arguments: Sequence[str]) -> int:
    """Run one command; answers the exit status: 0, or 2 for a fault in what was given."""
    try:
        answer = run(arguments)
        if isinstance(answer, bytes):
            sys.stdout.buffer.write(answer)
        else:
            print(answer)
    except JobFileError as error:
        for fault in error.faults:
            print(fault, file=sys.stderr)
        return REFUSED
    except WrongCallError as error:
        print(error, file=sys.stderr)
        return REFUSED
    return 0


if __name__ == "__main__":
    start_lean()
    keep_the_answer_apart()
    sys.exit(main(sys.argv[1:]))
