"""The next 13 weeks as plain data: the course of every day, and a table of weeks that add up to months."""

from calendar import monthrange
from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.waterline import KINDS, Weekly, lines_of, read_weeks
from widefork.core.axes import Month
from widefork.core.graph.model import Model
from widefork.core.liquidity import DayRule
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, path, round_ticks
from widefork.web.shared.context import View

LABEL_WIDTH, DAYS_WIDTH, WEEK_WIDTH, HEIGHT = 218, 62, 56, 150


@dataclass(frozen=True, kw_only=True)
class WeekRow:
    """A row: ``days`` is its day rule as text where it has one; ``usual`` says that nobody set it."""

    name: str
    label: str
    look: str
    less: bool
    cells: tuple[str, ...]
    under: tuple[bool, ...] = ()
    fold: str = ""
    is_open: bool = False
    days: str = ""
    usual: bool = True


@dataclass(frozen=True, kw_only=True)
class DailyCourse:
    """Every day drawn: its course, the lowest level allowed, the lowest day, ticks, and where months end."""

    course: str
    level: str
    level_y: float
    low: tuple[float, float, str]
    ticks: tuple[tuple[str, float], ...]
    edges: tuple[float, ...]
    width: float
    height: float


@dataclass(frozen=True, kw_only=True)
class WeeksSheet:
    """The weeks: heads as (label, ends a month), rows, and the daily course above the columns."""

    heads: tuple[tuple[str, bool], ...]
    rows: tuple[WeekRow, ...]
    sentences: tuple[str, ...]
    days: DailyCourse


def build_weeks(view: View, fold: frozenset[str]) -> WeeksSheet | None:
    """Return the weeks of the active case; None where there is no plan month or cash cannot be computed."""
    weekly = read_weeks(view.snapshot.results, view.place)
    if weekly is None:
        return None
    weeks = weekly.weeks
    ends = tuple(place + 1 == len(weeks) or weeks[place + 1].month != week.month for place, week in enumerate(weeks))
    return WeeksSheet(
        heads=tuple((week.label, end) for week, end in zip(weeks, ends, strict=True)),
        rows=_rows(view, weekly, fold),
        sentences=_sentences(view, weekly),
        days=_drawn(view, weekly, ends),
    )


def _rows(view: View, weekly: Weekly, fold: frozenset[str]) -> tuple[WeekRow, ...]:
    model = view.snapshot.model
    unit = model.currency

    def texts(values: np.ndarray) -> tuple[str, ...]:
        return tuple(formats.cell(float(value), unit) for value in values)

    rows = [WeekRow(name="opening", label="Cash after overdraft, start", look="depth0", less=False,
                    cells=texts(np.array([weekly.opening, *weekly.cash[:-1]])))]  # fmt: skip
    for is_receipt, label in ((True, "Comes in"), (False, "Goes out")):
        total = np.zeros(len(weekly.weeks))
        for kind in (kind for kind in KINDS if kind.is_receipt is is_receipt):
            flows = weekly.flows[kind.name]
            total = total + flows
            if np.abs(flows).max() < formats.RESIDUE:
                continue
            lines = lines_of(kind, model)
            is_open = kind.name in fold
            address = view.address.url(fold=",".join(sorted(fold ^ {kind.name})) or None) if lines else ""
            rule, usual = _rule(model, kind.name, kind.days)
            rows.append(
                WeekRow(
                    name=kind.name,
                    label=kind.label,
                    look="depth0",
                    less=not is_receipt,
                    cells=texts(flows),
                    fold=address,
                    is_open=is_open,
                    days=rule.text,
                    usual=usual,
                )
            )
            for line in lines if is_open else ():
                own, follows = _rule(model, line.name, rule)
                rows.append(
                    WeekRow(
                        name=line.name,
                        label=line.label,
                        look="depth1",
                        less=False,
                        cells=texts(weekly.flows[line.name]),
                        days=own.text,
                        usual=follows,
                    )
                )
        rows.append(WeekRow(name=label, label=label, look="subtotal", less=False, cells=texts(total)))
    rows.append(
        WeekRow(name="cash", label="Cash after overdraft, end", look="total", less=False, cells=texts(weekly.cash))
    )
    under = tuple(bool(low < level) for low, level in zip(weekly.lowest, weekly.level, strict=True))
    rows.append(
        WeekRow(
            name="lowest",
            label="Lowest day of the week",
            look="depth0",
            less=False,
            cells=texts(weekly.lowest),
            under=under,
        )
    )
    rows.append(
        WeekRow(
            name="room",
            label="Room on that day",
            look="subtotal",
            less=False,
            cells=texts(weekly.lowest - weekly.level),
            under=under,
        )
    )
    return tuple(rows)


def _rule(model: Model, name: str, usual: DayRule) -> tuple[DayRule, bool]:
    known = model.liquidity.days.get(name)
    return (usual, True) if known is None else (known, False)


def _sentences(view: View, weekly: Weekly) -> tuple[str, ...]:
    unit = view.snapshot.model.currency
    room = weekly.days - np.array([_level(view, weekly, month) for month, _ in weekly.dates])
    worst = int(room.argmin())
    month, day = weekly.dates[worst]
    told = [
        f"The narrowest day is {day} {month.label}, with {formats.amount(float(room[worst]), unit)} {unit} of room."
    ]
    hidden = [
        f"{month.label} ends {formats.amount(float(ending), unit)} above, yet on its day {low_day} cash is "
        f"{formats.amount(-float(low), unit)} {unit} under."
        for month, ending, low, low_day in _by_month(weekly, room)
        if ending >= 0 > low
    ]
    return (
        *told,
        *hidden,
        *_after(view, weekly),
        "Weeks are cut at month ends, so that those of a month add up to it exactly.",
    )


def _after(view: View, weekly: Weekly) -> tuple[str, ...]:
    """What comes when the weeks are over: a month that ends under just behind them is no surprise any more."""
    snapshot, timeline = view.snapshot, view.snapshot.model.timeline
    month, day = weekly.dates[-1]
    is_whole = day == monthrange(month.year, month.month)[1]
    months = [month.plus(1)] if is_whole else [month, month.plus(1)]
    cash, level = (snapshot.results.series(name, (), view.place) for name in ("cash_after_overdraft", "waterline"))
    found = []
    for later in months:
        if later <= timeline.end:
            place = timeline.index(later)
            room = float(cash[place] - level[place])
            if room < 0:
                unit = snapshot.model.currency
                found.append(f"After these weeks {later.label} ends {formats.amount(-room, unit)} {unit} under.")
    return tuple(found[:1])


def _by_month(weekly: Weekly, room: np.ndarray) -> list[tuple[Month, float, float, int]]:
    found = []
    months = list(dict.fromkeys(month for month, _ in weekly.dates))
    for month in months:
        places = [place for place, (other, _) in enumerate(weekly.dates) if other == month]
        own = room[places]
        found.append((month, float(own[-1]), float(own.min()), weekly.dates[places[int(own.argmin())]][1]))
    return found


def _level(view: View, weekly: Weekly, month: Month) -> float:
    place = next(place for place, week in enumerate(weekly.weeks) if week.month == month)
    return float(weekly.level[place])


def _drawn(view: View, weekly: Weekly, ends: tuple[bool, ...]) -> DailyCourse:
    """The course of every day above the columns, its waterline, its lowest day, ticks and the edges of months."""
    left = LABEL_WIDTH + DAYS_WIDTH
    xs = []
    for place, week in enumerate(weekly.weeks):
        count = week.last - week.first + 1
        xs += [left + WEEK_WIDTH * (place + (day + 0.5) / count) for day in range(count)]
    levels = [
        float(weekly.level[place]) for place, week in enumerate(weekly.weeks) for _ in range(week.first, week.last + 1)
    ]
    ticks = round_ticks(min(float(weekly.days.min()), *levels, 0.0), max(float(weekly.days.max()), *levels, 0.0), 4)
    y = Scale(low=ticks[0], high=ticks[-1], start=HEIGHT - 12, end=12)
    low = int((weekly.days - np.array(levels)).argmin())
    unit = view.snapshot.model.currency
    month, day = weekly.dates[low]
    edges = tuple(left + WEEK_WIDTH * (place + 1) for place, end in enumerate(ends) if end)
    points = [(round(x, 1), y(float(value))) for x, value in zip(xs, weekly.days, strict=True)]
    return DailyCourse(
        course=path(points),
        level=path([(round(x, 1), y(level)) for x, level in zip(xs, levels, strict=True)]),
        level_y=y(levels[-1]),
        low=(*points[low], f"{formats.amount(float(weekly.days[low]), unit)} on {day} {month.label}"),
        ticks=tuple((formats.amount(tick, unit), y(tick)) for tick in ticks),
        edges=edges,
        width=left + WEEK_WIDTH * len(weekly.weeks) + 20,
        height=HEIGHT,
    )
