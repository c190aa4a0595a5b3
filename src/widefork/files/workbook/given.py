"""What is assumed as cells: a rule's parameters stand in cells, and its months are formulas on them.

One function for each kind of rule, one line each in the table below. A rule without one (month by month, a forecast,
totals spread over their months) is written as its months, which are its parameters.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from widefork.core.axes import Month
from widefork.core.rules import Rule
from widefork.core.rules.by_quarter import ByQuarter
from widefork.core.rules.by_year import ByYear
from widefork.core.rules.every import Every
from widefork.core.rules.flat import Flat
from widefork.core.rules.growth import Growth, Pace
from widefork.core.rules.one_off import OneOff
from widefork.core.rules.points import Points
from widefork.core.rules.seasonal import Seasonal
from widefork.core.rules.steps import Steps
from widefork.files.workbook.pieces import At, Fixed, Piece, Pieces, Ref

FIRST = 2
"""The column a rule's parameters begin in; before it stand the line and what they are."""


@dataclass(frozen=True)
class InCell:
    """A parameter worked out from others: pieces of a formula, given the place of the rule's first row."""

    pieces: Callable[[At], Pieces]
    shown: float


Cell = float | Month | InCell


@dataclass(frozen=True)
class Parameters:
    """A row of a rule's parameters. ``is_amount`` : in the unit of the line; ``is_share`` : shown in percent."""

    label: str
    cells: tuple[Cell, ...]
    is_amount: bool = False
    is_share: bool = False


@dataclass(frozen=True)
class RuleCells:
    """A rule's parameters, row by row, and its months' formula.

    Parameters
    ----------
    pieces : the formula, given the place of the first row, the rows of counters, and that of the months' dates.
    """

    rows: tuple[Parameters, ...]
    pieces: Callable[[At, Mapping[str, At]], Pieces]


DATE = "date"
"""The months' own row among the counters: the first day of each."""


def rule_cells(rule: Rule) -> RuleCells | None:
    """Return a rule as cells; None for one whose months are its parameters."""
    written = RULES_IN_CELLS.get(type(rule))
    return written(rule) if written is not None else None


def running(date: Piece) -> Pieces:
    """Return the running number of a month from its date (see ``Month.ordinal``)."""
    return ("(YEAR(", date, ")*12+MONTH(", date, ")-1)")


def _run(at: At, below: int, count: int = 1, skip: int = 0) -> Fixed:
    return Fixed(at.below(below), FIRST + skip, FIRST + skip + count - 1)


def _latest(asked: Sequence[Piece], keys: Fixed, values: Fixed) -> Pieces:
    """The value of the latest key reached; 0 before the first."""
    first = Fixed(keys.at, keys.first, keys.first)
    return ("IF(", *asked, "<", first, ",0,LOOKUP(", *asked, ",", keys, ",", values, "))")


def _flat(rule: Flat) -> RuleCells:
    return RuleCells((Parameters("amount", (rule.value,), True),), lambda at, counters: (_run(at, 0),))


def _by_keys(
    label: str, keys: Sequence[Cell], values: Sequence[float], counter: Callable[[Mapping[str, At]], Pieces]
) -> RuleCells:
    count = len(keys)

    def pieces(at: At, counters: Mapping[str, At]) -> Pieces:
        return _latest(counter(counters), _run(at, 0, count), _run(at, 1, count))

    return RuleCells((Parameters(label, tuple(keys)), Parameters("amount", tuple(values), True)), pieces)


def _steps(rule: Steps) -> RuleCells:
    months, values = zip(*rule.steps, strict=True)
    return _by_keys("from month", months, values, lambda counters: (Ref(counters[DATE]),))


def _by_year(rule: ByYear) -> RuleCells:
    years, values = zip(*rule.years, strict=True)
    return _by_keys("from fiscal year", [float(year) for year in years], values,
                    lambda counters: (Ref(counters["fiscal_year"]),))  # fmt: skip


def _by_quarter(rule: ByQuarter) -> RuleCells:
    quarters, values = zip(*rule.quarters, strict=True)
    return _by_keys("from quarter: fiscal year, then 1 to 4", [year * 10.0 + each for year, each in quarters], values,
                    lambda counters: (Ref(counters["fiscal_year"]), "*10+", Ref(counters["quarter"])))  # fmt: skip


def _one_off(rule: OneOff) -> RuleCells:
    months, amounts = zip(*rule.amounts, strict=True)
    count = len(months)
    return RuleCells(
        (Parameters("in month", months), Parameters("amount", amounts, True)),
        lambda at, counters: ("SUMIF(", _run(at, 0, count), ",", Ref(counters[DATE]), ",", _run(at, 1, count), ")"),
    )


def _growth(rule: Growth) -> RuleCells:
    def pieces(at: At, counters: Mapping[str, At]) -> Pieces:
        base, rate, since = (_run(at, place) for place in range(3))
        grown: Pieces = ("MAX(0,", Ref(counters["month"]), "-", *running(since), "+1)")
        periods: dict[Pace, Pieces] = {
            Pace.MONTHLY: grown,
            Pace.YEARLY_STEP: ("(-INT(-", *grown, "/12))"),
            Pace.YEARLY_SMOOTH: ("(", *grown, "/12)"),
        }
        return (base, "*(1+", rate, ")^", *periods[rule.pace])

    rows = (
        Parameters("amount", (rule.base,), True),
        Parameters(f"growing {rule.pace.value}", (rule.rate,), is_share=True),
        Parameters("from month", (rule.since,)),
    )
    return RuleCells(rows, pieces)


def _every(rule: Every) -> RuleCells:
    def pieces(at: At, counters: Mapping[str, At]) -> Pieces:
        amount, months, since = (_run(at, place) for place in range(3))
        now, begun = Ref(counters["month"]), running(since)
        return ("IF(AND(", now, ">=", *begun, ",MOD(", now, "-", *begun, ",", months, ")=0),", amount, ",0)")

    rows = (
        Parameters("amount", (rule.amount,), True),
        Parameters("every so many months", (float(rule.months),)),
        Parameters("from month", (rule.since,)),
    )
    return RuleCells(rows, pieces)


def _seasonal(rule: Seasonal) -> RuleCells:
    count = len(rule.totals)

    def pieces(at: At, counters: Mapping[str, At]) -> Pieces:
        months, shape = _run(at, 2, 12), _run(at, 3, 12)
        year = _latest((Ref(counters["fiscal_year"]),), _run(at, 0, count), _run(at, 1, count))
        return (*year, "*SUMIF(", months, ",", Ref(counters["month_of_year"]), ",", shape, ")/SUM(", shape, ")")

    rows = (
        Parameters("from fiscal year", tuple(float(year) for year, _ in rule.totals)),
        Parameters("total of the year", tuple(amount for _, amount in rule.totals), True),
        Parameters("month of the year", tuple(float(month) for month in range(1, 13))),
        Parameters("weight", tuple(rule.shape)),
    )
    return RuleCells(rows, pieces)


def _points(rule: Points) -> RuleCells:
    months, values = zip(*rule.points, strict=True)
    count = len(months)

    def slope(place: int) -> Cell:
        if place == count - 1:
            return 0.0

        def pieces(at: At) -> Pieces:
            begins, ends = (_run(at, 0, 1, place + later) for later in (0, 1))
            low, high = (_run(at, 1, 1, place + later) for later in (0, 1))
            return ("(", high, "-", low, ")/(", *running(ends), "-", *running(begins), ")")

        steps = months[place + 1].ordinal - months[place].ordinal
        return InCell(pieces, (values[place + 1] - values[place]) / steps)

    def pieces(at: At, counters: Mapping[str, At]) -> Pieces:
        keys, amounts, steep, begins = (_run(at, place, count) for place in range(4))
        date, now, first = Ref(counters[DATE]), Ref(counters["month"]), _run(at, 0)
        amount, begun, slope = (("LOOKUP(", date, ",", keys, ",", each, ")") for each in (amounts, begins, steep))
        on_the_way = (*amount, "+(", now, "-", *begun, ")*", *slope)
        return ("IF(", date, "<", first, ",", _run(at, 1), ",", *on_the_way, ")")

    def number(place: int) -> InCell:
        return InCell(lambda at: running(_run(at, 0, 1, place)), float(months[place].ordinal))

    rows = (
        Parameters("in month", months),
        Parameters("amount", values, True),
        Parameters("more a month from there", tuple(slope(place) for place in range(count))),
        Parameters("running number of the month", tuple(number(place) for place in range(count))),
    )
    return RuleCells(rows, pieces)


RULES_IN_CELLS: dict[type[Any], Callable[[Any], RuleCells]] = {
    Flat: _flat, Steps: _steps, ByYear: _by_year, ByQuarter: _by_quarter, OneOff: _one_off, Growth: _growth,
    Every: _every, Seasonal: _seasonal, Points: _points,
}  # fmt: skip
