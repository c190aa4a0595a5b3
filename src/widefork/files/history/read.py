"""Histories read from tables: long (a row for each period) or wide (periods across), recognised by themselves."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import timedelta

import numpy as np

from widefork.core.analysis.trends import Series, one_of
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue
from widefork.core.history import Doubled
from widefork.files.history.numbers import decimal_mark, is_nothing, read_number
from widefork.files.history.periods import DAY, WEEK, Spelled, as_months, read_period, settled
from widefork.files.tables import Rows

PER_YEAR = {"month": 12, "quarter": 4, "half-year": 2, "year": 1}
FEWEST_ACROSS = 3
"""Periods in a row from which on it is taken for the head of a wide table."""
PERIOD_NAMES = ("month", "date", "period", "day", "week", "quarter", "year", "time", "monat", "datum", "mois", "mes")
LONGEST = 1200
"""Periods a series may reach over."""
MOST_NOTES = 20
EDGE_DAYS = 7


@dataclass(frozen=True)
class HistoryTable:
    """What a table holds.

    Parameters
    ----------
    series : by name, in the order of the table. members : by name, what tells it from the others, as (column, member).
    measures : by name, the head of the column its numbers stand in; empty where periods stand across.
    doubled : by name, and first month of the period, the values of periods that stood more than once.
    notes : what was made of the table and what could not be read, in sentences.
    """

    series: Mapping[str, Series]
    members: Mapping[str, tuple[tuple[str, str], ...]]
    measures: Mapping[str, str] = field(default_factory=dict)
    doubled: Mapping[str, Mapping[Month, tuple[float, ...]]] = field(default_factory=dict)
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Entry:
    name: str
    members: tuple[tuple[str, str], ...]
    period: Spelled
    value: float
    measure: str = ""


def read_history(rows: Rows, doubled: Doubled = Doubled.SUM, by: Sequence[str] | None = None) -> HistoryTable:
    """Return the series of a table.

    Parameters
    ----------
    rows : cells as text, the head first where there is one.
    doubled : what is taken where a period of a series stands more than once.
    by : the columns whose members are told apart; all that hold words where it is None. Others are summed up.

    Raises
    ------
    InvalidValue: no column or row of periods, no numbers, a column asked for that is not there.
    """
    notes: list[str] = []
    across = _periods_across(rows)
    entries = _wide(rows, across, by, notes) if across else _long(rows, by, notes)
    if not entries:
        raise InvalidValue("There are periods but no numbers beside them; expected a column or a row of each.")
    gathered: dict[str, list[_Entry]] = {}
    for entry in entries:
        gathered.setdefault(entry.name, []).append(entry)
    series, members, measures, twice = {}, {}, {}, {}
    for name, own in gathered.items():
        found, repeated = _series_of(name, own, doubled, by is not None, notes)
        if found is not None:
            series[name], members[name], measures[name] = found, own[0].members, own[0].measure
            if repeated:
                twice[name] = repeated
    if not series:
        raise InvalidValue("No series could be read. " + " ".join(notes[:3]))
    if len(notes) > MOST_NOTES:
        notes = [*notes[:MOST_NOTES], f"And {len(notes) - MOST_NOTES} more of the kind."]
    return HistoryTable(series, members, measures, twice, tuple(dict.fromkeys(notes)))


def _periods_across(rows: Rows) -> tuple[int, dict[int, Spelled]] | None:
    """The row that heads a wide table, and its periods by column; None for a long one."""
    for place, row in enumerate(rows[:10]):
        found = {at: period for at, cell in enumerate(row) if (period := read_period(cell)) is not None}
        if len(found) >= FEWEST_ACROSS and len(found) >= len(row) - 6:
            below = rows[place + 1 : place + 6]
            dates = sum(read_period(cell) is not None for line in below for cell in line[:1])
            if below and dates < max(2, len(below)):
                return place, found
    return None


def _wide(
    rows: Rows, across: tuple[int, dict[int, Spelled]], by: Sequence[str] | None, notes: list[str]
) -> list[_Entry]:
    head, periods = across
    columns = list(periods)
    read, said = _columns_read([periods[at] for at in columns])
    notes += said
    names = [cell or f"column {at + 1}" for at, cell in enumerate(rows[head])]
    mark = decimal_mark([row[at] for row in rows[head + 1 :] for at in columns if at < len(row)])
    entries = []
    for line, row in enumerate(rows[head + 1 :], head + 2):
        words = [(names[at], row[at]) for at in range(len(row)) if at not in periods and row[at]]
        members = _told_apart(words, by)
        name = " / ".join(member for _, member in members) or "value"
        for at, period in zip(columns, read, strict=True):
            cell = row[at] if at < len(row) else ""
            value = read_number(cell, mark)
            if value is None:
                notes.append(f"Row {line}: “{cell[:30]}” is no number; it is taken for unknown.")
                value = float("nan")
            if period is not None:
                entries.append(_Entry(name, members, period, value))
    return entries


def _told_apart(words: Sequence[tuple[str, str]], by: Sequence[str] | None) -> tuple[tuple[str, str], ...]:
    if by is None:
        return tuple(words)
    wanted = {each.casefold() for each in by}
    known = {name.casefold() for name, _ in words}
    missing = next((each for each in by if each.casefold() not in known), None)
    if missing is not None:
        raise InvalidValue(
            f"There is no column “{missing}” that holds members; known: {', '.join(n for n, _ in words)}."
        )
    return tuple((name, member) for name, member in words if name.casefold() in wanted)


def _columns_read(periods: Sequence[Spelled | None]) -> tuple[list[Spelled | None], list[str]]:
    """Periods of one column or row with one order of day and month, days that stand for months as such."""
    read, said = settled(periods)
    monthly, _ = as_months(read)
    return monthly, [said] if said else []


def _long(rows: Rows, by: Sequence[str] | None, notes: list[str]) -> list[_Entry]:
    width = max(len(row) for row in rows)
    full = [(*row, *[""] * (width - len(row))) for row in rows]
    body = full[1:]
    when = _period_column(full)
    has_head = read_period(full[0][when]) is None
    head = [cell or f"column {at + 1}" for at, cell in enumerate(full[0])] if has_head else []
    body = full[1:] if has_head else full
    head = head or [f"column {at + 1}" for at in range(width)]
    read, said = _columns_read([read_period(row[when]) for row in body])
    notes += said
    numeric = [at for at in range(width) if at != when and _is_numeric([row[at] for row in body])]
    words = [at for at in range(width) if at != when and at not in numeric and any(row[at] for row in body)]
    if not numeric:
        raise InvalidValue(
            f"Column “{head[when]}” holds periods, but no other holds numbers; expected rows like 2026-07, 1250."
        )
    marks = {at: decimal_mark([row[at] for row in body]) for at in numeric}
    entries, previous, is_unordered = [], None, False
    for line, (row, period) in enumerate(zip(body, read, strict=True), 2 if has_head else 1):
        if period is None:
            if any(row):
                notes.append(f"Row {line}: “{row[when][:30]}” is no period; expected one like 2026-07. It is left out.")
            continue
        members = _told_apart([(head[at], row[at]) for at in words], by)
        is_unordered = is_unordered or (previous is not None and not words and period.month < previous)
        previous = period.month
        for at in numeric:
            value = read_number(row[at], marks[at])
            if value is None:
                notes.append(f"Row {line}: “{row[at][:30]}” is no number; it is taken for unknown.")
                value = float("nan")
            parts = [member for _, member in members if member]
            name = " / ".join([*parts, head[at]] if len(numeric) > 1 or not parts else parts)
            entries.append(_Entry(name, members, period, value, head[at]))
    if is_unordered:
        notes.append("Rows were not in order of time; they were put in order.")
    return entries


def _period_column(rows: Sequence[Sequence[str]]) -> int:
    """The column of periods: one named so, else the first in which most cells spell one."""
    body = rows[1:] or rows
    shares = []
    for at in range(len(rows[0])):
        cells = [row[at] for row in body if row[at]]
        spelled = sum(read_period(cell) is not None for cell in cells)
        is_named = any(name in rows[0][at].casefold() for name in PERIOD_NAMES)
        shares.append((spelled >= 0.5 * max(1, len(cells)) and spelled > 0, is_named, spelled))
    for wanted in (True, False):
        for at, (holds, is_named, _) in enumerate(shares):
            if holds and is_named is wanted:
                return at
    raise InvalidValue(
        "No column and no row holds periods; expected one of months like 2026-07, Jul 2026 or 31.07.2026, of quarters "
        "like 2026-Q3, or of years."
    )


def _is_numeric(cells: Sequence[str]) -> bool:
    said = [cell for cell in cells if not is_nothing(cell)]
    mark = decimal_mark(said)
    return bool(said) and sum(read_number(cell, mark) is not None for cell in said) >= 0.8 * len(said)


def _series_of(
    name: str, entries: Sequence[_Entry], doubled: Doubled, is_summed: bool, notes: list[str]
) -> tuple[Series | None, dict[Month, tuple[float, ...]]]:
    kinds = [entry.period.kind for entry in entries]
    kind = max(set(kinds), key=kinds.count)
    others = sum(each != kind for each in kinds)
    if others:
        notes.append(f"{name}: {others} of {len(kinds)} periods are no {kind}s; they are left out.")
    own = [entry for entry in entries if entry.period.kind == kind]
    if kind in (DAY, WEEK):
        return _summed_to_months(name, own, kind, notes), {}
    step = 12 // PER_YEAR[kind]
    first = min(entry.period.month.ordinal for entry in own)
    start = Month.from_ordinal(first - first % step)
    count = (max(entry.period.month.ordinal for entry in own) - start.ordinal) // step + 1
    if count > LONGEST:
        notes.append(f"{name}: reaches over {count:,} {kind}s; at most {LONGEST:,} can be. Look at its first and last.")
        return None, {}
    at: dict[int, list[float]] = {}
    for entry in own:
        at.setdefault((entry.period.month.ordinal - start.ordinal) // step, []).append(entry.value)
    values = np.full(count, np.nan)
    for place, found in at.items():
        values[place] = one_of(found, Doubled.SUM if is_summed else doubled)
    series = Series(name, start, values, PER_YEAR[kind])
    twice = {place: found for place, found in sorted(at.items()) if len(found) > 1 and not is_summed}
    repeated = {series.month_at(place): tuple(found) for place, found in twice.items()}
    if repeated:
        which = ", ".join(map(series.label_at, list(twice)[:3])) + (" and more" if len(repeated) > 3 else "")
        notes.append(f"{name}: {which} {'stands' if len(repeated) == 1 else 'stand'} more than once; {doubled.value}.")
    return series, repeated


def _summed_to_months(name: str, entries: Sequence[_Entry], kind: str, notes: list[str]) -> Series | None:
    """Days, or weeks spread over their days, summed to months; months at the ends that are not whole are left out."""
    length = 1 if kind == DAY else 7
    totals: dict[int, float] = {}
    days = sorted(entry.period.day for entry in entries if entry.period.day is not None)
    for entry in entries:
        if entry.period.day is None or entry.value != entry.value:
            continue
        for offset in range(length):
            day = entry.period.day + timedelta(days=offset)
            ordinal = Month(day.year, day.month).ordinal
            totals[ordinal] = totals.get(ordinal, 0.0) + entry.value / length
    if not totals:
        notes.append(f"{name}: no numbers.")
        return None
    first, last = days[0], days[-1] + timedelta(days=length - 1)
    begin, end = Month(first.year, first.month).ordinal, Month(last.year, last.month).ordinal
    after = last + timedelta(days=EDGE_DAYS)
    if first.day > EDGE_DAYS:
        begin += 1
    if after.month == last.month:
        end -= 1
    if end < begin:
        notes.append(f"{name}: no whole month.")
        return None
    values = np.array([totals.get(ordinal, np.nan) for ordinal in range(begin, end + 1)])
    notes.append(f"{name}: {kind}s were summed to months; months at the ends that are not whole were left out.")
    return Series(name, Month.from_ordinal(begin), values, 12)
