"""What would change if there were an hour more, or a van more."""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import replace

from planning.model import Days, Hours, Technician
from planning.plan import plan_of
from planning.result import Plan


class More(Struct, frozen=True):
    """What more of something would bring: how many visits more are done, the minutes away for each visit, and a sentence."""

    code: str
    visits: int
    away_each: float
    said: str


def what_more_brings(
    days: Days, plan: Plan, *, seconds: float = 5.0, seed: int = 1, steps: int | None = None
) -> list[More]:
    """An hour more for everybody at the end of each day; and one more van with its technician, from where the first one lives."""
    found = []
    for code, words, other in (
        (
            "hour",
            "With an hour more at the end of each day",
            replace(days, technicians=tuple(map(_an_hour_more, days.technicians))),
        ),
        (
            "van",
            "With one more technician and van",
            replace(days, technicians=(*days.technicians, _another(days.technicians))),
        ),
    ):
        found.append(_compared(code, words, plan, plan_of(other, seconds=seconds, seed=seed, steps=steps), days))
    return found


def _compared(code: str, words: str, plan: Plan, other: Plan, days: Days) -> More:
    done, would = ({call.visit for out in one.turns for call in out.stops} for one in (plan, other))
    more = len(would) - len(done)
    each, now_each = other.away / max(1, len(would)), plan.away / max(1, len(done))
    names = {visit.key: visit.name for visit in days.visits}
    new = [names[key] for key in would - done]
    if more > 0:
        which = ", ".join(sorted(new)[:5]) + (" and others" if len(new) > 5 else "")  # noqa: PLR2004 - five fit in a sentence
        said = f"{words}, {more} more visit{'s' if more > 1 else ''} would be done: {which}."
    elif each < now_each - 1:
        said = f"{words}, no more visits would be done, and each would cost {now_each - each:.0f} minutes less on the road and waiting."
    else:
        said = f"{words}, nothing worth naming would change."
    return More(code, more, each, said)


def _an_hour_more(man: Technician) -> Technician:
    def longer(one: Hours) -> Hours:
        hour, minute = one.end.split(":")
        return replace(one, end="23:59" if hour == "23" else f"{int(hour) + 1:02}:{minute}")

    return replace(man, hours=tuple(map(longer, man.hours)))


def _another(crew: tuple[Technician, ...]) -> Technician:
    return replace(
        crew[0],
        key="one more",
        name="One more",
        standing=(),
        absences=(),
        skills=tuple({skill for man in crew for skill in man.skills}),
    )
