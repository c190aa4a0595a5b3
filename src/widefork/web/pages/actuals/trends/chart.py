"""Pictures of a series and its forecast, as coordinates: the whole of it, its years over one another, how far off."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import isfinite, isnan

import numpy as np

from widefork.core.analysis.trends import Forecast, Known, Series, Values, filled_of
from widefork.core.axes import Month, Timeline
from widefork.core.history import StepKind
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, path, round_ticks

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 1036, 232, 54, 132, 22, 40
SMALL, SMALL_HEIGHT = 226, 132
CLOSE = 46
"""Pixels two tags need between them; nearer ones show their number only."""
BEYOND = 1.1
"""A value so many times above all that is kept stands at the top, with a mark that it goes on."""


@dataclass(frozen=True, kw_only=True)
class Tag:
    """A numbered step in the picture: a cross where the value came, a ring where it is now. NaN where there is none."""

    number: int
    x: float
    came: float
    now: float
    words: str
    is_gap: bool
    is_line: bool
    is_beyond: bool


@dataclass(frozen=True, kw_only=True)
class YearMark:
    """A fiscal year under the picture: where it begins, and its total with growth in words."""

    x: float
    label: str
    words: str


@dataclass(frozen=True, kw_only=True)
class Picture:
    """The whole series. Paths, tags, years, ticks; ``months`` for walking along it, as JSON: [x, y, words]."""

    line: str
    dashed: str
    untouched: str
    plan: str
    band: str
    forecast: str
    split: tuple[float, str] | None
    last: tuple[float, float] | None
    end: tuple[float, float, str, str] | None
    tags: tuple[Tag, ...]
    years: tuple[YearMark, ...]
    y_ticks: tuple[tuple[float, str], ...]
    zero: float | None
    months: str
    ground: tuple[float, float]


def draw_picture(
    known: Known, timeline: Timeline, made: Forecast | None, plan: Series | None, shows_original: bool = False
) -> Picture:
    """Return the picture of a series, with its forecast where one is made, and what the plan says today."""
    shown = known.raw if shows_original else known.series
    start, per_year = known.raw.start, known.raw.per_year
    before = (shown.start.ordinal - start.ordinal) * per_year // 12
    values = np.full(before + len(shown.values), np.nan)
    values[before:] = shown.values
    filled = values.copy() if shows_original else filled_of(known)
    ahead = np.zeros(0)
    first = len(values)
    if made is not None:
        shift = (made.series.start.ordinal - start.ordinal) * per_year // 12
        filled[shift : shift + len(made.filled)] = made.filled
        ahead, first = made.amounts, shift + len(made.filled)
    low, high = (made.bands[0].low, made.bands[0].high) if made is not None else (ahead, ahead)
    today = np.full(first + len(ahead), np.nan)
    if plan is not None:
        for place, value in enumerate(plan.values):
            at = (plan.start.ordinal - start.ordinal) * per_year // 12 + place
            if first <= at < len(today):
                today[at] = value
    kept = np.concatenate([filled, ahead, low, high, today])
    kept = kept[np.isfinite(kept)]
    raw = known.raw.values[np.isfinite(known.raw.values)]
    top = float(kept.max(initial=0.0)) if kept.size else float(raw.max(initial=1.0))
    bottom = min(0.0, float(kept.min(initial=0.0)), float(raw.min(initial=0.0)) if shows_original else 0.0)
    if raw.size and raw.max() > top:
        top = float(raw.max()) if shows_original or raw.max() <= top * BEYOND else top * BEYOND
    ticks = round_ticks(bottom, top, 5)
    y = Scale(low=ticks[0], high=ticks[-1], start=HEIGHT - BOTTOM, end=TOP)
    x = Scale(low=0, high=max(1, first + len(ahead) - 1), start=LEFT, end=WIDTH - RIGHT)
    points = [(x(place), y(value) if isfinite(value) else float("nan")) for place, value in enumerate(values)]
    over = [(x(place), y(value)) for place, value in enumerate(filled) if isfinite(value)]
    joined = [(x(first - 1), over[-1][1])] if over and made is not None and first >= 1 else []
    said = [(x(first + place), y(float(amount))) for place, amount in enumerate(ahead)]
    end = None
    if made is not None and said:
        unit = known.unit
        inside = "" if isnan(low[-1]) else f"{_level(made)}: {_words(low[-1], unit)} to {_words(high[-1], unit)}"
        label = made.series.label_at(len(made.filled) + len(ahead) - 1)
        end = (*said[-1], f"{_period(label)}: {_words(float(ahead[-1]), unit)}", inside)
    return Picture(
        line=path(points),
        dashed=path(over),
        untouched=path([(x(p), y(v) if isfinite(v) else float("nan")) for p, v in enumerate(known.raw.values)])
        if shows_original else "",
        plan=path([(x(p), y(v) if isfinite(v) else float("nan")) for p, v in enumerate(today)]),
        band=_band(x, y, first, low, high),
        forecast=path([*joined, *said]),
        split=(x(first - 1), f"{known.series.known_count} {_many(known)}") if made is not None else None,
        last=joined[0] if joined else None,
        end=end,
        tags=_tags(known, x, y, filled, start),
        years=_years(known, timeline, filled, ahead, x),
        y_ticks=tuple((y(tick), _words(tick, known.unit)) for tick in ticks),
        zero=y(0.0) if ticks[0] <= 0 <= ticks[-1] else None,
        months=_walk(known, filled, ahead, low, high, x, y),
        ground=(x(before), round(x(max(first - 1, 0)) - x(before), 1)),
    )  # fmt: skip


def _words(value: float, unit: str) -> str:
    return formats.amount(float(value), unit)


def _many(known: Known) -> str:
    return known.raw.period if known.series.known_count == 1 else f"{known.raw.period}s"


def _level(made: Forecast) -> str:
    level = made.bands[0].level
    return f"{level * 10:g} of 10" if round(level * 10, 6) == round(level * 10) else f"{level * 100:g} of 100"


def _period(label: str) -> str:
    """A period as the rest of the application writes it."""
    year, _, part = label.partition("-")
    if not part:
        return year
    return Month.parse(label).label if part.isdecimal() else f"{part} {year[2:]}"


def _band(x: Scale, y: Scale, first: int, low: Values, high: Values) -> str:
    if not low.size or np.isnan(low).any():
        return ""
    upper = [(x(first + place), y(float(value))) for place, value in enumerate(high)]
    lower = [(x(first + place), y(float(value))) for place, value in enumerate(low)]
    return f"{path([*upper, *reversed(lower)])}Z"


def _tags(known: Known, x: Scale, y: Scale, filled: Values, start: Month) -> tuple[Tag, ...]:
    found = []
    for number, step in enumerate(known.steps, 1):
        place = (step.month.ordinal - start.ordinal) * known.raw.per_year // 12
        if not 0 <= place < len(known.raw.values) or number - 1 in known.faults:
            continue
        came, now = float(known.raw.values[place]), float(filled[place]) if place < len(filled) else float("nan")
        words = {
            StepKind.GAP: "no figure",
            StepKind.DOUBLED: f"twice, {_words(came, known.unit)} in all",
            StepKind.LEAVE_OUT: f"{step.note or 'left out'}, {_words(came, known.unit)}",
            StepKind.SINCE: "from here",
            StepKind.LEVEL: "level",
        }[step.kind]
        is_line = step.kind in (StepKind.SINCE, StepKind.LEVEL)
        is_beyond = isfinite(came) and came > y.high
        found.append(
            Tag(
                number=number,
                x=x(place),
                came=TOP + 4 if is_beyond else (y(came) if isfinite(came) else came),
                now=y(now) if isfinite(now) else now,
                words=words,
                is_gap=step.kind is StepKind.GAP,
                is_line=is_line,
                is_beyond=is_beyond,
            )
        )
    places = sorted(tag.x for tag in found)
    crowded = {one for one, other in pairwise(places) if other - one < CLOSE}
    return tuple(Tag(**{**tag.__dict__, "words": ""}) if tag.x in crowded or len(found) > 8 else tag for tag in found)


def signed_percent(share: float) -> str:
    """Return a change as ``+8 %`` or ``−3 %``; one of less than half a per cent as ``0 %``, without a sign."""
    text = f"{share * 100:+.0f} %".replace("-", "−")
    return "0 %" if text in ("+0 %", "−0 %") else text


def _years(
    known: Known, timeline: Timeline, filled: Values, ahead: Values, x: Scale
) -> tuple[YearMark, ...]:  # fmt: skip
    """Whole fiscal years with their totals, or means of what does not add up; growth on the whole year before."""
    per_year, start = known.raw.per_year, known.raw.start
    adds = known.line is None or known.line.is_flow
    every = np.concatenate([filled, ahead])
    by_year: dict[int, list[int]] = {}
    for place in range(len(every)):
        by_year.setdefault(timeline.fiscal_year(start.plus(place * 12 // per_year)), []).append(place)
    found, earlier = [], float("nan")
    for year, places in by_year.items():
        part = every[places]
        is_whole = len(places) == per_year and bool(np.isfinite(part).all())
        total = float(part.sum() if adds else part.mean()) if is_whole else float("nan")
        words = ""
        if is_whole:
            words = _words(total, known.unit) if adds else f"mean {_words(total, known.unit)}"
            if isfinite(earlier) and earlier > 0:
                words += f" {signed_percent(total / earlier - 1)}"
        found.append(YearMark(x=x(places[0]), label=f"FY{year % 100:02d}", words=words))
        earlier = total
    step = max(1, -(-len(found) // 12))
    return tuple(mark for place, mark in enumerate(found) if place % step == 0)


def _walk(
    known: Known, filled: Values, ahead: Values, low: Values, high: Values, x: Scale, y: Scale
) -> str:  # fmt: skip
    raw, unit, found = known.raw, known.unit, []
    for place in range(len(filled) + len(ahead)):
        label = _period(raw.label_at(place))
        if place < len(filled):
            value, came = float(filled[place]), float(raw.values[place]) if place < len(raw.values) else float("nan")
            if not isfinite(value):
                continue
            words = f"{label}: {_words(came, unit)}" if isfinite(came) else f"{label}: no figure"
            if not isfinite(came) or came != value:
                words += f", taken as {_words(value, unit)}"
        else:
            at = place - len(filled)
            value = float(ahead[at])
            words = f"{label}: {_words(value, unit)} forecast"
            if isfinite(low[at]):
                words += f", {_words(low[at], unit)} to {_words(high[at], unit)}"
        found.append([x(place), y(value), words])
    return json.dumps(found)


@dataclass(frozen=True, kw_only=True)
class Overlay:
    """Years over one another: (path, label, x and y of its end, whether it is a year with forecast in it)."""

    years: tuple[tuple[str, str, float, float, bool], ...]
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    words: str


MONTHS = "JFMAMJJASOND"


def draw_overlay(
    known: Known, timeline: Timeline, filled: Values, ahead: Values, width: int = SMALL,
    height: int = SMALL_HEIGHT,
) -> Overlay | None:  # fmt: skip
    """Return every fiscal year as a line of its own; None where there is less than a year, or no part of one."""
    per_year = known.raw.per_year
    every = np.concatenate([filled, ahead])
    if per_year == 1 or len(every) <= per_year:
        return None
    by_year: dict[int, dict[int, float]] = {}
    for place, value in enumerate(every):
        month = known.raw.start.plus(place * 12 // per_year)
        if isfinite(value):
            part = (timeline.fiscal_month(month) - 1) * per_year // 12
            by_year.setdefault(timeline.fiscal_year(month), {})[part] = float(value)
    values = [value for parts in by_year.values() for value in parts.values()]
    if not values:
        return None
    ticks = round_ticks(min(0.0, *values), max(values), 3)
    y = Scale(low=ticks[0], high=ticks[-1], start=height - 18, end=6)
    x = Scale(low=0, high=per_year - 1, start=40, end=width - 36)
    last_known = timeline.fiscal_year(known.raw.start.plus(max(0, len(filled) - 1) * 12 // per_year))
    ends = _apart([(year, y(list(parts.values())[-1])) for year, parts in by_year.items()])
    years = tuple(
        (path([(x(part), y(value)) for part, value in sorted(parts.items())]), f"FY{year % 100:02d}", x(max(parts)),
            ends[year],
         year >= last_known and len(ahead) > 0)
        for year, parts in by_year.items()
    )  # fmt: skip
    first = timeline.fiscal_year_start
    names = [MONTHS[(first - 1 + part * 12 // per_year) % 12] for part in range(per_year)]
    return Overlay(
        years=years,
        x_ticks=tuple((x(part), name) for part, name in enumerate(names)),
        y_ticks=tuple((y(tick), formats.amount(tick, known.unit)) for tick in ticks),
        words=_season_words(by_year, timeline, per_year),
    )


def _apart(ends: Sequence[tuple[int, float]]) -> dict[int, float]:
    """Labels at the ends of lines, moved so far apart that they can be read."""
    found: dict[int, float] = {}
    last = -100.0
    for year, place in sorted(ends, key=lambda end: end[1]):
        last = max(place, last + 11)
        found[year] = last
    return found


def _season_words(by_year: dict[int, dict[int, float]], timeline: Timeline, per_year: int) -> str:
    whole = [parts for parts in by_year.values() if len(parts) == per_year and sum(parts.values()) > 0]
    if len(whole) < 2 or per_year != 12:
        return ""
    shares = [float(np.mean([parts[part] / sum(parts.values()) for parts in whole])) for part in range(12)]
    high, low = int(np.argmax(shares)), int(np.argmin(shares))
    first = timeline.fiscal_year_start
    names = [Month(2000, (first - 1 + part) % 12 + 1).label[:3] for part in (high, low)]
    if shares[low] <= 0 or shares[high] / shares[low] < 1.1:
        return "Hardly any season in the years shown."
    times = shares[high] / shares[low]
    return f"Highest in {names[0]}, {times:.1f} times the lowest, {names[1]}, on the mean of whole years."


@dataclass(frozen=True, kw_only=True)
class Off:
    """How far off by periods ahead: (path, label, y of its end, whether it is the one taken)."""

    lines: tuple[tuple[str, str, float, bool], ...]
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]


def draw_off(made: Forecast) -> Off | None:
    """Return the errors of what is taken and of both simple methods by periods ahead; None where none is tested."""
    wanted = [
        each for each in made.candidates
        if (each.name == made.method or each.name in ("naive", "seasonal_naive")) and np.isfinite(each.by_horizon).any()
    ]  # fmt: skip
    if made.candidate is None or not wanted:
        return None
    horizon = max(int(np.flatnonzero(np.isfinite(each.by_horizon))[-1]) + 1 for each in wanted)
    if horizon < 2:
        return None  # one point is no course
    top = max(float(np.nanmax(each.by_horizon)) for each in wanted)
    ticks = round_ticks(0.0, top or 1.0, 3)
    y = Scale(low=0.0, high=ticks[-1], start=SMALL_HEIGHT - 18, end=6)
    x = Scale(low=1, high=max(2, horizon), start=38, end=SMALL - 4)
    names = {"naive": "last value", "seasonal_naive": "last year’s", made.method: "chosen"}
    lines = []
    ends = _apart(
        [(place, y(float(each.by_horizon[np.isfinite(each.by_horizon)][-1]))) for place, each in enumerate(wanted)]
    )
    for place, each in enumerate(wanted):
        points = [(x(at + 1), y(float(v)) if isfinite(v) else float("nan")) for at, v in enumerate(each.by_horizon)]
        lines.append((path(points), names[each.name], ends[place], each.name == made.method))
    marks = [at for at in (1, 6, 12, 18, 24, 36) if at <= horizon] or [1]
    return Off(
        lines=tuple(lines),
        x_ticks=tuple((x(at), str(at)) for at in marks),
        y_ticks=tuple((y(tick), f"{tick * 100:g} %") for tick in ticks),
    )
