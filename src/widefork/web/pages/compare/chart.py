"""A line's course for all sides: month by month, indexed to 100, as a running total, or small, line by line."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import isfinite

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Grain
from widefork.core.lines import Line
from widefork.web.pages.compare.sides import Sides
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, path, round_ticks
from widefork.web.shared.context import View

Values = NDArray[np.float64]
SIZE = (1030, 268)
MARGINS = (70, 190, 12, 26)
LABEL = 27
SHAPES = (("level", "as it is"), ("indexed", "indexed to 100"), ("total", "running total"), ("small", "small charts"))
SMALL = (150, 54)


@dataclass(frozen=True, kw_only=True)
class Course:
    """A side's line; ``end`` is its last value as text."""

    key: str
    label: str
    style: int
    is_active: bool
    path: str
    mark: tuple[float, float]
    label_y: float
    end: str


@dataclass(frozen=True, kw_only=True)
class Chart:
    """The drawing; ``why`` says why it is empty. ``ticks`` are (text, y, is zero), ``months`` (x, text, is January)."""

    label: str
    words: str
    width: int
    height: int
    left: float
    right: float
    top: float
    bottom: float
    ticks: tuple[tuple[str, float, bool], ...]
    months: tuple[tuple[float, str, bool], ...]
    boundary_x: float | None
    waterline: tuple[str, float] | None
    courses: tuple[Course, ...]
    why: str


@dataclass(frozen=True, kw_only=True)
class Small:
    """One line of one side, small; all of a line on one scale."""

    path: str
    yardstick: str
    zero_y: float
    end: str
    style: int


@dataclass(frozen=True, kw_only=True)
class SmallRow:
    """A line over all sides."""

    label: str
    cells: tuple[Small, ...]


def build_chart(view: View, sides: Sides, name: str, shape: str) -> Chart:
    """Return the drawing of a line over the months in view."""
    model = view.snapshot.model
    line, timeline = model.line(name), model.timeline
    months = timeline.periods(Grain.MONTH, view.address.first, view.address.last)
    series = [each.side.rolled(name, months) for each in sides.compared]
    why = ""
    if shape == "indexed":
        series, why = _indexed(series)
    if shape == "total" and not line.is_flow:
        why = f"{line.label} is no amount by month, so it has no running total."
    elif shape == "total":
        series = [np.cumsum(values) for values in series]
    width, height = SIZE
    left, right, top, bottom = MARGINS
    finite = [values[np.isfinite(values)] for values in series]
    known = np.concatenate([*finite, [100.0 if shape == "indexed" else 0.0]])
    level = _waterline(view, name, shape)
    if level is not None:
        known = np.append(known, level)
    ticks = round_ticks(float(known.min()), float(known.max()), 5)
    y = Scale(low=ticks[0], high=ticks[-1], start=height - bottom, end=top)
    x = Scale(low=0, high=max(1, len(months) - 1), start=left, end=width - right)
    unit = "" if shape == "indexed" else line.unit
    courses = _courses(sides, series, x, y, unit)
    past = sum(timeline.is_actual(month.last) for month in months)
    every = 1 if len(months) <= 12 else 3 if len(months) <= 48 else 6
    return Chart(
        label=line.label,
        words=_words(line, shape, f"{months[0].label} to {months[-1].label}"),
        width=width,
        height=height,
        left=left,
        right=width - right,
        top=top,
        bottom=height - bottom,
        ticks=tuple((formats.amount(tick, unit), y(tick), tick == 0) for tick in ticks),
        months=tuple(
            (x(n), month.label if month.first.month == 1 or not n else month.label[:3], month.first.month == 1)
            for n, month in enumerate(months)
            if (month.first.month - 1) % every == 0
        ),
        boundary_x=x(past - 0.5) if 0 < past < len(months) else None,
        waterline=(f"waterline {formats.amount(level, line.unit)}", y(level)) if level is not None else None,
        courses=courses if not why else (),
        why=why,
    )


def build_small(view: View, sides: Sides, names: Sequence[str]) -> tuple[SmallRow, ...]:
    """Return small drawings, lines down and sides across, each line on a scale of its own."""
    model = view.snapshot.model
    months = model.timeline.periods(Grain.MONTH, view.address.first, view.address.last)
    rows = []
    for name in names:
        line = model.line(name)
        series = [each.side.rolled(name, months) for each in sides.compared]
        known = np.concatenate([*(values[np.isfinite(values)] for values in series), [0.0]])
        y = Scale(low=float(known.min()), high=float(known.max()), start=SMALL[1] - 4, end=4)
        x = Scale(low=0, high=max(1, len(months) - 1), start=2, end=SMALL[0] - 4)
        paths = [path([(x(n), y(float(v))) for n, v in enumerate(values)]) for values in series]
        cells = tuple(
            Small(
                path=paths[place],
                yardstick="" if each.is_yardstick else paths[0],
                zero_y=y(0.0),
                end=formats.cell(float(values[-1]), line.unit),
                style=each.style,
            )
            for place, (each, values) in enumerate(zip(sides.compared, series, strict=True))
        )
        rows.append(SmallRow(label=line.label, cells=cells))
    return tuple(rows)


def _indexed(series: Sequence[Values]) -> tuple[list[Values], str]:
    """Each side as per cent of its own first month in view; where that is not above 0, it says nothing."""
    found, left_out = [], 0
    for values in series:
        first = float(values[0])
        if isfinite(first) and first > 0:
            found.append(values / first * 100)
        else:
            left_out += 1
            found.append(np.full(len(values), np.nan))
    if left_out == len(series):
        return found, "Nothing to index by: the first month in view is 0 or below. Let the view begin in another month."
    return found, ""


def _words(line: Line, shape: str, span: str) -> str:
    said = {
        "indexed": "each as per cent of its own first month in view",
        "total": "running total from the first month in view",
    }.get(shape, "by month" if line.is_flow else "at month end")
    unit = "" if shape == "indexed" or not line.unit else f", {line.unit}"
    return f"{said}, {span}{unit}"


def _waterline(view: View, name: str, shape: str) -> float | None:
    """The level cash must not fall below, where the line drawn is cash and the level the same all along."""
    if name != "cash_after_overdraft" or shape not in ("level", "small"):
        return None
    level = view.snapshot.results.series("waterline", (), view.place)
    return float(level[-1]) if np.ptp(level) == 0 else None


def _courses(sides: Sides, series: Sequence[Values], x: Scale, y: Scale, unit: str) -> tuple[Course, ...]:
    ends = []
    for values in series:
        known = np.flatnonzero(np.isfinite(values))
        ends.append(int(known[-1]) if known.size else None)
    marks = [
        (x(end), y(float(values[end]))) if end is not None else None for end, values in zip(ends, series, strict=True)
    ]
    labels = _apart([mark[1] if mark is not None else None for mark in marks], y.end, y.start)
    found = []
    for each, values, end, mark, at in zip(sides.compared, series, ends, marks, labels, strict=True):
        if mark is None or end is None:
            continue
        found.append(
            Course(
                key=each.key,
                label=each.label,
                style=each.style,
                is_active=each.is_active,
                path=path([(x(n), y(float(value))) for n, value in enumerate(values)]),
                mark=mark,
                label_y=at,
                end=formats.amount(float(values[end]), unit),
            )
        )
    return tuple(found)


def _apart(wanted: Sequence[float | None], top: float, bottom: float) -> list[float]:
    """Where labels stand so that none covers another, in the order of their marks."""
    order = sorted((place for place, at in enumerate(wanted) if at is not None), key=lambda place: wanted[place] or 0.0)
    placed = [0.0] * len(wanted)
    floor = top
    for place in order:
        placed[place] = max(wanted[place] or 0.0, floor)
        floor = placed[place] + LABEL
    ceiling = bottom
    for place in reversed(order):
        placed[place] = min(placed[place], ceiling)
        ceiling = placed[place] - LABEL
    return placed
