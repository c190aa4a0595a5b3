"""The axes numbers are spread over: months, periods made of months, and dimensions with members."""

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property

from widefork.core.errors import InvalidModel, InvalidValue, UnknownName

MONTH_NAMES = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
LONGEST_TIMELINE = 240


@dataclass(frozen=True, order=True)
class Month:
    """A calendar month.

    Examples
    --------
    >>> Month(2026, 11).plus(3)
    Month(year=2027, month=2)
    >>> str(Month.parse("Jul 2026")), Month(2026, 7).label
    ('2026-07', 'Jul 26')
    """

    year: int
    month: int

    @classmethod
    def parse(cls, text: str) -> "Month":
        """Return the month written as ``2026-07``, ``Jul 2026`` or ``Jul 26``; raise InvalidValue otherwise."""
        numeric = re.fullmatch(r"(\d{4})-(\d{1,2})", text.strip())
        if numeric and 1 <= int(numeric[2]) <= 12:
            return cls(int(numeric[1]), int(numeric[2]))
        worded = re.fullmatch(r"([A-Z][a-z]{2}) (\d{4}|\d{2})", text.strip())
        if worded and worded[1] in MONTH_NAMES:
            year = int(worded[2]) + (2000 if len(worded[2]) == 2 else 0)
            return cls(year, MONTH_NAMES.index(worded[1]) + 1)
        raise InvalidValue(f"A month is written like 2026-07 or Jul 2026; “{text}” is neither.")

    @classmethod
    def from_ordinal(cls, ordinal: int) -> "Month":
        """Return the month with that running number (see ``ordinal``)."""
        return cls(ordinal // 12, ordinal % 12 + 1)

    @property
    def ordinal(self) -> int:
        """Running number of the month; consecutive months differ by 1."""
        return self.year * 12 + self.month - 1

    def plus(self, months: int) -> "Month":
        """Return the month so many months later (earlier when negative)."""
        return Month.from_ordinal(self.ordinal + months)

    @property
    def label(self) -> str:
        """Short form for tables: ``Jul 26``."""
        return f"{MONTH_NAMES[self.month - 1]} {self.year % 100:02d}"

    @property
    def words(self) -> str:
        """Form used in formulas and rules: ``Jul 2026``."""
        return f"{MONTH_NAMES[self.month - 1]} {self.year}"

    def __str__(self) -> str:
        return f"{self.year}-{self.month:02d}"


class Grain(StrEnum):
    """How finely a range of months is shown."""

    MONTH = "month"
    QUARTER = "quarter"
    YEAR = "year"

    @property
    def months(self) -> int:
        """How many months a whole period has."""
        return {Grain.MONTH: 1, Grain.QUARTER: 3, Grain.YEAR: 12}[self]


@dataclass(frozen=True)
class Period:
    """A run of months shown as one column.

    Parameters
    ----------
    first, last : inclusive. of : how many months a whole one has, where it is one of the calendar's; 0 otherwise.
    """

    key: str
    label: str
    first: Month
    last: Month
    of: int = 0

    def __len__(self) -> int:
        return self.last.ordinal - self.first.ordinal + 1

    @property
    def is_cut(self) -> bool:
        """Whether months of it are missing, so that nothing whole can be compared with it."""
        return len(self) < self.of

    @property
    def note(self) -> str:
        """Which part of a period that is cut is here: ``9 of 12 months``; empty for a whole one."""
        return f"{len(self)} of {self.of} months" if self.is_cut else ""


@dataclass(frozen=True)
class Timeline:
    """The months of a model.

    Parameters
    ----------
    start : Month. The first month.
    month_count : int, 1 to 240.
    fiscal_year_start : int, 1 to 12. Calendar month in which the fiscal year begins.
    last_actual : Month or None. Months up to and including it are history; None when all is plan.

    Raises
    ------
    InvalidModel: a length, fiscal start or boundary outside those limits.
    """

    start: Month
    month_count: int
    fiscal_year_start: int = 1
    last_actual: Month | None = None

    def __post_init__(self) -> None:
        if not 1 <= self.month_count <= LONGEST_TIMELINE:
            raise InvalidModel(
                f"A timeline has 1 to {LONGEST_TIMELINE} months; {self.month_count} were asked for.",
                "timeline/months",
            )
        if not 1 <= self.fiscal_year_start <= 12:
            raise InvalidModel(
                f"The fiscal year starts in a month from 1 to 12, not {self.fiscal_year_start}.",
                "timeline/fiscal_year_start",
            )
        if self.last_actual is not None and not self.start.plus(-1) <= self.last_actual <= self.end:
            raise InvalidModel(
                f"The last actual month must lie between {self.start.plus(-1)} and {self.end}.",
                "timeline/last_actual",
            )

    @property
    def end(self) -> Month:
        """The last month."""
        return self.start.plus(self.month_count - 1)

    @cached_property
    def months(self) -> tuple[Month, ...]:
        """All months in order."""
        return tuple(self.start.plus(offset) for offset in range(self.month_count))

    @property
    def actual_count(self) -> int:
        """How many months from the start are actual."""
        return 0 if self.last_actual is None else self.last_actual.ordinal - self.start.ordinal + 1

    @property
    def first_plan(self) -> Month:
        """The first month that is plan (one past the end when all months are actual)."""
        return self.start.plus(self.actual_count)

    def index(self, month: Month) -> int:
        """Return the month's place from 0; raise InvalidValue when it lies outside."""
        if not self.start <= month <= self.end:
            raise InvalidValue(f"{month} lies outside the model's months, {self.start} to {self.end}.")
        return month.ordinal - self.start.ordinal

    def span(self, first: Month | None, last: Month | None) -> slice:
        """Return the slice of months from ``first`` to ``last``, cut to the timeline; None means open."""
        begin = 0 if first is None else max(0, first.ordinal - self.start.ordinal)
        end = self.month_count if last is None else min(self.month_count, last.ordinal - self.start.ordinal + 1)
        return slice(begin, max(begin, end))

    def is_actual(self, month: Month) -> bool:
        """Whether the month is history."""
        return self.last_actual is not None and month <= self.last_actual

    def fiscal_month(self, month: Month) -> int:
        """Return the month's number within its fiscal year, from 1."""
        return (month.month - self.fiscal_year_start) % 12 + 1

    def fiscal_year(self, month: Month) -> int:
        """Return the fiscal year, named by the year in which it ends."""
        return month.plus(12 - self.fiscal_month(month)).year

    def fiscal_quarter(self, month: Month) -> tuple[int, int]:
        """Return the fiscal year and the quarter within it, from 1."""
        return self.fiscal_year(month), (self.fiscal_month(month) - 1) // 3 + 1

    def periods(self, grain: Grain, first: Month | None = None, last: Month | None = None) -> tuple[Period, ...]:
        """Return the columns of a range at a grain; the outermost ones are cut to the range."""
        known = self._known_periods.get((grain, first, last))
        if known is None:
            known = self._known_periods[grain, first, last] = self._periods(grain, first, last)
        return known

    @cached_property
    def _known_periods(self) -> dict[tuple[Grain, Month | None, Month | None], tuple[Period, ...]]:
        return {}

    def _periods(self, grain: Grain, first: Month | None, last: Month | None) -> tuple[Period, ...]:
        columns: list[Period] = []
        for month in self.months[self.span(first, last)]:
            key, label = self._period_name(grain, month)
            if columns and columns[-1].key == key:
                columns[-1] = replace(columns[-1], last=month)
            else:
                columns.append(Period(key, label, month, month, grain.months))
        return tuple(columns)

    def whole(self, grain: Grain, first: Month, last: Month) -> tuple[Month, Month]:
        """Return a range widened to whole periods of a grain, as far as the timeline has their months."""
        size = grain.months
        begin = first.plus(-((self.fiscal_month(first) - 1) % size))
        end = last.plus(size - 1 - (self.fiscal_month(last) - 1) % size)
        return max(begin, self.start), min(end, self.end)

    def fiscal_years(self) -> tuple[Period, ...]:
        """Return the fiscal years touched, each cut to the timeline."""
        return self.periods(Grain.YEAR)

    def _period_name(self, grain: Grain, month: Month) -> tuple[str, str]:
        year, quarter = self.fiscal_quarter(month)
        if grain is Grain.MONTH:
            return str(month), month.label
        if grain is Grain.QUARTER:
            return f"{year}Q{quarter}", f"Q{quarter} {year % 100:02d}"
        return f"FY{year}", f"FY{year % 100:02d}"


@dataclass(frozen=True)
class Dimension:
    """A named list of members a line may be spread over.

    Parameters
    ----------
    name : str. Lower-case, as used in formulas (``region``).
    members : tuple of str. In the order they are shown; unique.
    attributes : by member, what is known of it: text, numbers or dates by name. An attribute named like another
        dimension maps the member to one of that dimension's.

    Raises
    ------
    InvalidModel: no members, the same member twice, or attributes of a member that is not there.
    """

    name: str
    members: tuple[str, ...]
    label: str = ""
    attributes: Mapping[str, Mapping[str, str | float]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if not self.members:
            raise InvalidModel(f"The dimension {self.name} needs at least one member.", f"dimensions/{self.name}")
        if len(set(self.members)) != len(self.members):
            raise InvalidModel(f"A member is listed twice in {self.name}.", f"dimensions/{self.name}")
        for member in self.attributes:
            self.index(member)

    def index(self, member: str) -> int:
        """Return the member's place; raise UnknownName when it is not one of them."""
        if member not in self.members:
            raise UnknownName(f"member of {self.name}", member, self.members)
        return self.members.index(member)

    def mapping(self, attribute: str) -> dict[str, str]:
        """Return what an attribute says of each member that has it."""
        return {m: str(known[attribute]) for m, known in self.attributes.items() if attribute in known}

    def __iter__(self) -> Iterator[str]:
        return iter(self.members)

    def __len__(self) -> int:
        return len(self.members)
