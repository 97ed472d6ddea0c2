"""Lists of figures: a line for each row of a set, the sets told apart by what they are for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from itertools import groupby

from simple_history.utils import bulk_create_with_history

from alignment.errors import SpecificationError
from alignment.judge.heights import check_heights
from alignment.quantities import QUANTITIES
from rectaxis.exchange.kinds.base import FAULTY, NEW, THERE, Field, Kind, Line
from rectaxis.people.models import User
from rectaxis.specs.forms import GIVEN, RowForm
from rectaxis.specs.models import Specification
from rectaxis.specs.signals import asked_who_uses

_SET = ("make", "model", "year_from", "year_to", "tyres", "applies")
_ROW = ("axle", "side", "least", "preferred", "most", "over", "height")
Key = tuple[str, ...]


class Figures(Kind):
    """Sets of figures. One that is there already is left as it is: a further version of it is made by hand, by who looks at it."""

    CODE, NAME, MODEL = "figures", "Figures, a line for each angle", Specification
    FIELDS = (
        Field("make", "Make", True, ("make", "manufacturer", "brand")),
        Field("model", "Model", True, ("model", "series")),
        Field("year_from", "From year", False, ("from year", "year from", "from", "first year")),
        Field("year_to", "To year", False, ("to year", "year to", "to", "last year")),
        Field("tyres", "Tyre sizes", False, ("tyre", "tyres", "tires", "tyre size", "wheels")),
        Field("applies", "What else tells it apart", False, ("applies", "remark", "remarks", "load", "variant")),
        Field("source", "Where the figures come from", False, ("source", "book", "page")),
        Field("quantity", "What", True, ("angle", "quantity", "what")),
        Field("axle", "Axle", False, ("axle", "axle no")),
        Field("side", "Side", False, ("side", "wheel")),
        Field("least", "Least", False, ("least", "min", "minimum", "low")),
        Field("preferred", "Preferred", False, ("preferred", "nominal", "target")),
        Field("most", "Most", False, ("most", "max", "maximum", "high")),
        Field("given", "Given in", False, ("unit", "units", "given in")),
        Field("over", "At a diameter, or over a length, mm", False, ("diameter", "over", "at diameter")),
        Field("height", "Ride height, mm", False, ("ride height", "height")),
    )
    USUAL = ("make", "given", "source")

    def choices(self, code: str) -> Sequence[tuple[str, str]]:
        """The units; nothing else has a list to choose from."""
        return tuple(GIVEN.items()) if code == "given" else ()

    def lines(self, given: Iterable[Mapping[str, str]]) -> list[Line]:
        """Every line; a set of which one line is faulty or which is no table of ride heights is faulty as a whole."""
        there = {_key_of(one) for one in Specification.objects.only(*_SET)}
        found = [_line(number, line, there) for number, line in enumerate(given, start=1)]
        bad: dict[Key, str] = {}
        for key, lines in _by_set(found):
            faulty = [line.number for line in lines if line.becomes == FAULTY]
            if faulty:
                bad[key] = (
                    f"Line {faulty[0]} of the same set cannot be taken: half a set of figures is worse than none."
                )
                continue
            try:
                check_heights([row for line in lines for row in line.made])
            except SpecificationError as error:
                bad[key] = f"{error.reason[0].upper()}{error.reason[1:]}."
        return [
            line if line.becomes != NEW or (why := bad.get(_key(line.given))) is None else Line(line.number, line.given, FAULTY, (why,))
            for line in found
        ]  # fmt: skip

    def make(self, lines: Sequence[Line], by: User) -> list[str]:
        """The sets that are new, each with its entry in the history."""
        made = [_made(of) for _, of in _by_set(lines)]
        bulk_create_with_history(
            made, Specification, batch_size=500, default_user=by, default_change_reason="read in from a list"
        )
        return [str(one.pk) for one in made]

    def in_use(self, keys: Sequence[str]) -> int:
        """Those that a visit went by."""
        return sum(any(count for _, count in asked_who_uses.send(sender=Specification, key=key)) for key in keys)


def _by_set(lines: Iterable[Line]) -> list[tuple[Key, list[Line]]]:
    ordered = sorted(lines, key=lambda line: (_key(line.given), line.number))
    return [(key, list(of)) for key, of in groupby(ordered, key=lambda line: _key(line.given))]


def _key(line: Mapping[str, str]) -> Key:
    return tuple(line[name].casefold() for name in _SET)


def _key_of(one: Specification) -> Key:
    return tuple(str(getattr(one, name) or "").casefold() for name in _SET)


def _line(number: int, line: Mapping[str, str], there: set[Key]) -> Line:
    faults = [f"Say the {name}." for name in ("make", "model") if not line[name]]
    faults += [
        f"Expected a year such as 2019, got {line[name]}."
        for name in ("year_from", "year_to")
        if line[name] and not _is_year(line[name])
    ]
    form = RowForm({f"row-{name}": text for name, text in _row(line).items()}, prefix="row")
    faults += [str(text) for texts in form.errors.values() for text in texts]
    rows = [] if form.errors else form.rows()
    if not rows and not faults:
        faults.append("Say what the figures are for, by its name or its code, such as camber.")
    becomes = FAULTY if faults else THERE if _key(line) in there else NEW
    return Line(number, line, becomes, tuple(faults), rows)


def _row(line: Mapping[str, str]) -> dict[str, str]:
    """The line as the form of one row takes it: what it is of by its code or its name, its unit likewise."""
    what, unit = line["quantity"].casefold(), line["given"].casefold()
    quantity = next((code for code, one in QUANTITIES.items() if what in (code, one.label.casefold())), "")
    given = next((code for code, name in GIVEN.items() if unit in (code, name.casefold())), unit or "deg")
    return {
        "quantity": quantity,
        "given": given,
        **{name: line[name].lower() if name == "side" else line[name] for name in _ROW},
    }


def _is_year(text: str) -> bool:
    return text.isdecimal() and 1900 <= int(text) <= 2100  # noqa: PLR2004 - years


def _made(lines: Sequence[Line]) -> Specification:
    first = lines[0].given
    years = {name: int(first[name]) if first[name] else None for name in ("year_from", "year_to")}
    return Specification(
        name=f"{first['make']} {first['model']}"[:80], make=first["make"][:40], model=first["model"][:40], tyres=first["tyres"][:120],
        applies=first["applies"][:80], source=first["source"][:120], rows=[row for line in lines for row in line.made],
        typed=[_row(line.given) for line in lines], **years,
    )  # fmt: skip
