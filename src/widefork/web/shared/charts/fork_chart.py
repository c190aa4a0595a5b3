"""The fork chart: one trunk of actuals, then one tine per case, with the waterline."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.charts.scale import Scale, path, round_ticks

Values = NDArray[np.float64]
LABEL_HEIGHT = 30


@dataclass(frozen=True, kw_only=True)
class Tine:
    """One case's line. ``mark_y`` is its end; ``label_y`` where its label has room; low_* is its lowest month."""

    case: str
    label: str
    style: int
    is_active: bool
    path: str
    end: float
    mark_y: float
    label_y: float
    low: float
    low_month: Month
    low_x: float
    low_y: float
    mark_x: float
    same_as: str = ""


@dataclass(frozen=True, kw_only=True)
class ForkChart:
    """Everything a template needs to draw the chart."""

    width: int
    height: int
    left: float
    right: float
    top: float
    bottom: float
    ticks: tuple[tuple[float, float], ...]
    month_ticks: tuple[tuple[float, str, bool], ...]
    boundary_x: float | None
    trunk: str
    trunk_end: tuple[float, float] | None
    tines: tuple[Tine, ...]
    waterline: str
    waterline_y: float
    waterline_value: float
    short: str
    zero_y: float


def fork_chart(
    months: Sequence[Month],
    actual_count: int,
    series: Sequence[tuple[str, str, Values]],
    active: str,
    waterline: Values,
    size: tuple[int, int],
    margins: tuple[float, float, float, float] = (64, 130, 12, 26),
    columns: Sequence[float] | None = None,
    places: Sequence[int] | None = None,
) -> ForkChart:
    """Return the chart's geometry.

    Parameters
    ----------
    months : shown months. actual_count : how many of them, from the first, are actual.
    series : (case, label, values of shape (months,)) per case, the root first.
    waterline : the active case's lowest level allowed, shape (months,).
    size : width, height in pixels. margins : left, right, top, bottom.
    places : of the cases among all of the model, which give them their colour; as they come when None.
    columns : x of each month where the chart stands above a table; evenly spread when None.
    """
    width, height = size
    left, right, top, bottom = margins
    finite = np.concatenate(
        [values[np.isfinite(values)] for _, _, values in series] + [waterline[np.isfinite(waterline)], [0.0]]
    )
    ticks = round_ticks(float(finite.min()), float(finite.max()), 5)
    y = Scale(low=ticks[0], high=ticks[-1], start=height - bottom, end=top)
    along = Scale(low=0, high=max(1, len(months) - 1), start=left, end=width - right)
    xs = list(columns) if columns is not None else [along(place) for place in range(len(months))]
    fork = max(0, actual_count - 1)
    tines = _spread_labels(
        [
            _tine(months, xs, y, fork, entry, active, place)
            for place, entry in zip(places or range(len(series)), series, strict=True)
        ],
        top,
        height - bottom,
    )
    tines = _name_twins(tines, [values for _, _, values in series], fork)
    root = series[0][2]
    own = next(values for case, _, values in series if case == active)
    boundary = (xs[fork] + xs[fork + 1]) / 2 if 0 < actual_count < len(months) else None
    return ForkChart(
        width=width,
        height=height,
        left=left,
        right=width - right,
        top=top,
        bottom=height - bottom,
        ticks=tuple((value, y(value)) for value in ticks),
        month_ticks=_month_ticks(months, xs),
        boundary_x=boundary,
        trunk=path([(xs[i], y(float(root[i]))) for i in range(actual_count)]),
        trunk_end=(xs[fork], y(float(root[fork]))) if actual_count and np.isfinite(root[fork]) else None,
        tines=tines,
        waterline=_waves(xs[0], width - right, y(float(waterline[-1])))
        if np.ptp(waterline) == 0
        else path([(x, y(float(v))) for x, v in zip(xs, waterline, strict=True)]),
        waterline_y=y(float(waterline[-1])),
        waterline_value=float(waterline[-1]),
        short=_short_area(xs, y, own, waterline),
        zero_y=y(0.0),
    )


def _tine(
    months: Sequence[Month],
    xs: list[float],
    y: Scale,
    fork: int,
    entry: tuple[str, str, Values],
    active: str,
    place: int,
) -> Tine:
    case, label, values = entry
    shown = [(xs[i], y(float(values[i]))) for i in range(fork, len(months))]
    calm = np.where(np.isfinite(values), values, np.inf)
    low = fork + int(calm[fork:].argmin())
    end = float(values[-1])
    mark = y(end) if np.isfinite(end) else y(0.0)
    return Tine(
        case=case,
        label=label,
        style=style_of(place),
        is_active=case == active,
        path=path(shown),
        end=end,
        mark_y=mark,
        label_y=mark,
        low=float(values[low]),
        low_month=months[low],
        low_x=xs[low],
        low_y=y(float(values[low])) if np.isfinite(values[low]) else y(0.0),
        mark_x=xs[-1],
    )


def _spread_labels(tines: list[Tine], top: float, bottom: float) -> tuple[Tine, ...]:
    """Move labels apart so that each can be read, keeping their order by value."""
    order = sorted(range(len(tines)), key=lambda i: tines[i].mark_y)
    placed: dict[int, float] = {}
    floor = top
    for i in order:
        placed[i] = max(tines[i].mark_y, floor)
        floor = placed[i] + LABEL_HEIGHT
    ceiling = bottom
    for i in reversed(order):
        placed[i] = min(placed[i], ceiling)
        ceiling = placed[i] - LABEL_HEIGHT
    return tuple(Tine(**{**tine.__dict__, "label_y": placed[i]}) for i, tine in enumerate(tines))


def _name_twins(tines: tuple[Tine, ...], series: list[Values], fork: int) -> tuple[Tine, ...]:
    """Say where a case runs on top of another, instead of hiding one under the other."""
    named = []
    for i, tine in enumerate(tines):
        twin = next(
            (tines[j].label for j in range(i) if np.allclose(series[i][fork:], series[j][fork:], equal_nan=True)), ""
        )
        named.append(Tine(**{**tine.__dict__, "same_as": twin}))
    return tuple(named)


def _month_ticks(months: Sequence[Month], xs: list[float]) -> tuple[tuple[float, str, bool], ...]:
    every = 1 if len(months) <= 12 else 3 if len(months) <= 48 else 6
    return tuple(
        (x, month.label if month.month == 1 or i == 0 else month.label[:3], month.month == 1)
        for i, (month, x) in enumerate(zip(months, xs, strict=True))
        if (month.month - 1) % every == 0
    )


def _waves(start: float, end: float, y: float) -> str:
    """A wavy line, so that the waterline is never taken for an axis."""
    count = max(1, int((end - start) // 14))
    return f"M{start:g} {y:g}" + "q3.5 -4 7 0t7 0" * count


def _short_area(xs: list[float], y: Scale, values: Values, waterline: Values) -> str:
    """The area between the waterline and a line below it, with exact crossings."""
    areas: list[str] = []
    run: list[tuple[float, float]] = []
    base: list[tuple[float, float]] = []

    def close() -> None:
        if len(run) > 1:
            areas.append(path(run) + "".join(f"L{x:g} {level:g}" for x, level in reversed(base)) + "Z")
        run.clear()
        base.clear()

    gaps = waterline - values
    for i, x in enumerate(xs):
        if i and np.isfinite(gaps[i - 1]) and np.isfinite(gaps[i]) and (gaps[i - 1] > 0) != (gaps[i] > 0):
            share = float(gaps[i - 1] / (gaps[i - 1] - gaps[i]))
            at = round(xs[i - 1] + share * (x - xs[i - 1]), 1)
            level = y(float(waterline[i - 1] + share * (waterline[i] - waterline[i - 1])))
            run.append((at, level))
            base.append((at, level))
            if gaps[i] <= 0:
                close()
        if np.isfinite(gaps[i]) and gaps[i] > 0:
            run.append((x, y(float(values[i]))))
            base.append((x, y(float(waterline[i]))))
    close()
    return "".join(areas)
