"""What may drive a series: lines of the plan and other series, working days, events; each as a driver of it."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from widefork.core.analysis.trends.drivers import Driver
from widefork.core.analysis.trends.of_model import Known, known_names, known_of
from widefork.core.analysis.trends.series import Series, Values
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.graph.model import Model
from widefork.core.history import history_name
from widefork.core.lines import Line, MemberKey

LONGEST_LAG = 24
LONGEST_EVENT = 40
DAYS, EVENT, EVERY = "@days", "@event", "every "
CalendarMonth = int
LineValues = Callable[[str, MemberKey], Values]
"""By line and member key: its values in every month of the plan, as the case asked about has them."""


class CauseKind(StrEnum):
    """What sort of thing drives the series."""

    LINE = "line"
    DAYS = "working days"
    EVENT = "event"


@dataclass(frozen=True)
class Cause:
    """Something that may drive a series.

    Parameters
    ----------
    name : a line of the plan or a series of its own; of working days the country whose public holidays are none of
        them, by its two letters, or empty; of an event what it is called.
    lag : months later in which it is felt. months : of an event that happens once or now and then. every : of one that
        happens each year, the calendar month, 1 to 12; 0 for none.

    Raises
    ------
    InvalidValue: a lag out of bounds, an event without a month.
    """

    kind: CauseKind
    name: str = ""
    lag: int = 0
    months: tuple[Month, ...] = ()
    every: CalendarMonth = 0

    def __post_init__(self) -> None:
        if not 0 <= self.lag <= LONGEST_LAG:
            raise InvalidValue(f"A driver is felt 0 to {LONGEST_LAG} months later; {self.lag} was given.")
        if self.kind is CauseKind.EVENT:
            if not self.months and not 1 <= self.every <= 12:
                raise InvalidValue("An event has months, such as Sep 24, or a calendar month, such as every May.")
            if not 1 <= len(self.name) <= LONGEST_EVENT or set(self.name) & set(":|~@"):
                said = f"An event is called by 1 to {LONGEST_EVENT} characters without : | ~ @."
                raise InvalidValue(f"{said} “{self.name}” was given.")

    @property
    def text(self) -> str:
        """The cause as an address writes it; ``read_cause`` reads it back."""
        what = self.name
        if self.kind is CauseKind.DAYS:
            what = f"{DAYS}:{self.name}"
        elif self.kind is CauseKind.EVENT:
            when = f"{EVERY}{self.every}" if self.every else ",".join(map(str, self.months))
            what = f"{EVENT}:{self.name}:{when}"
        return f"{what}~{self.lag}" if self.lag else what


def read_cause(text: str) -> Cause:
    """Return the cause a text describes; raise InvalidValue."""
    what, _, lag = text.partition("~")
    own = int(lag) if lag.isdecimal() else 0
    if what.startswith(f"{DAYS}:"):
        return Cause(CauseKind.DAYS, what.partition(":")[2], own)
    if what.startswith(f"{EVENT}:"):
        _, name, when = [*what.split(":", 2), "", ""][:3]
        if when.startswith(EVERY):
            every = when.removeprefix(EVERY)
            return Cause(CauseKind.EVENT, name, own, every=int(every) if every.isdecimal() else 0)
        months = tuple(Month.parse(part.strip()) for part in when.split(",") if part.strip())
        return Cause(CauseKind.EVENT, name, own, months)
    if not what:
        raise InvalidValue("Choose what drives the series.")
    return Cause(CauseKind.LINE, what, own)


def cause_label(cause: Cause, model: Model) -> str:
    """Return what a cause is called in words, without its lag; ``driver_name`` says it too."""
    if cause.kind is CauseKind.DAYS:
        return "Working days" + (f" ({cause.name})" if cause.name else "")
    if cause.kind is CauseKind.EVENT:
        return cause.name
    line = model.line_by_name.get(cause.name)
    own = next((history.label for history in model.histories if history.line == cause.name and history.label), "")
    return line.label if line is not None else own or cause.name


def driver_name(cause: Cause, model: Model) -> str:
    """Return what a cause is called among others: the same line felt at once and later is two drivers."""
    later = f", {cause.lag} month{'' if cause.lag == 1 else 's'} later" if cause.lag else ""
    return cause_label(cause, model) + later


def driver_of(cause: Cause, known: Known, model: Model, values: LineValues) -> Driver:
    """Return a cause as a driver of a series: what happened, and what is to come as far as the plan has it.

    A line is taken at the series' own members, from its history and the actual months on as the case has it; so cases
    differ. A series that is no line's is known as far as it is known. Days and events are known for good.

    Raises
    ------
    UnknownName: no such line, series or country. InvalidValue: a line by members the series does not have.
    """
    label = driver_name(cause, model)
    if cause.kind is CauseKind.LINE:
        return Driver(label, _line_series(cause, label, known, model, values), cause.lag)
    first, last = known.raw.start, model.timeline.end
    months = [first.plus(at) for at in range(last.ordinal - first.ordinal + 1)]
    if cause.kind is CauseKind.DAYS:
        found = working_days([month.plus(-cause.lag) for month in months], cause.name)
    else:
        found = event_months(cause, months)
    return Driver(label, Series(label, first, found))


def event_months(cause: Cause, months: list[Month]) -> Values:
    """Return 1 in the months an event is felt, 0 in all others; shape (months,)."""
    happened = [month.plus(-cause.lag) for month in months]
    return np.array([float(month in cause.months or month.month == cause.every) for month in happened])


def working_days(months: list[Month], country: str = "") -> Values:
    """Return the days from Monday to Friday in each month that are no public holidays of a country, shape (months,).

    ``country`` : by its two letters (ISO 3166); empty to take no holidays away. Raises UnknownName.
    """
    free: list[str] = []
    if country:
        import holidays  # imported where used: it is slow to load

        able = holidays.list_supported_countries()
        if country not in able:
            raise UnknownName("country", country, sorted(able))
        years = range(min(month.year for month in months), max(month.year for month in months) + 1)
        free = sorted(str(day) for day in holidays.country_holidays(country, years=years))
    begins = np.array([str(month) for month in months], dtype="datetime64[M]")
    return np.asarray(np.busday_count(begins.astype("datetime64[D]"), (begins + 1).astype("datetime64[D]"),
                                      holidays=np.array(free, dtype="datetime64[D]")), dtype=float)  # fmt: skip


def _line_series(cause: Cause, label: str, known: Known, model: Model, values: LineValues) -> Series:
    line = model.line_by_name.get(cause.name)
    if line is None:
        return replace(known_of(model, cause.name).series, name=label)
    members = members_at(line, known)
    timeline = model.timeline
    planned = values(line.name, tuple(member for _, member in members))
    name = history_name(line.name, members)
    if name not in known_names(model):
        return Series(label, timeline.start, planned)
    own = known_of(model, name).series
    if own.per_year != 12:
        return Series(label, timeline.start, planned)
    first = min(own.start, timeline.start)
    found = np.full(timeline.end.ordinal - first.ordinal + 1, np.nan)
    found[timeline.start.ordinal - first.ordinal :] = planned
    begin = own.start.ordinal - first.ordinal
    before = own.values[: len(found) - begin]
    span = slice(begin, begin + len(before))
    found[span] = np.where(np.isnan(before), found[span], before)
    return Series(label, first, found)


def members_at(line: Line, known: Known) -> tuple[tuple[str, str], ...]:
    """Return the members of a line that belong to a series; raise InvalidValue where the series does not have them."""
    at = dict(known.members)
    missing = [dimension for dimension in line.dimensions if dimension not in at]
    if missing:
        raise InvalidValue(
            f"{line.label} is told apart by {missing[0]}, and {known.label} is not; choose another line."
        )
    return tuple((dimension, at[dimension]) for dimension in line.dimensions)
