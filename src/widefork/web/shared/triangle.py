"""The cohort triangle: a row for each period somebody came in, folding into a line, with sums on both sides."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import isfinite

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month, Period
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.period_table import Column, columns_of

Values = NDArray[np.float64]
FULLEST = 4


@dataclass(frozen=True, kw_only=True)
class Joined:
    """Those who came in during a period: when in words and from which month, how many, and what they count by month."""

    label: str
    first: Month
    count: float
    months: Values


@dataclass(frozen=True, kw_only=True)
class CohortRow:
    """A cohort: its cells, with how full each is from 0 to 4, and its sum or end."""

    label: str
    joined: str
    cells: tuple[tuple[str, int], ...]
    side: str


@dataclass(frozen=True, kw_only=True)
class SumRow:
    """A row below the cohorts, with its sum or end; ``is_total`` where it is the line itself, or all cohorts."""

    label: str
    cells: tuple[str, ...]
    side: str
    is_total: bool


@dataclass(frozen=True, kw_only=True)
class Triangle:
    """The cohorts, and below them all cohorts, what was there besides, and the line they add to."""

    columns: tuple[Column, ...]
    rows: tuple[CohortRow, ...]
    sums: tuple[SumRow, ...]
    side: str
    unit: str
    is_folded: bool
    fold_url: str


def build_triangle(
    view: View, cohorts: Sequence[Joined], total: Values, labels: tuple[str, str], unit: str, sums: bool
) -> Triangle:
    """Return the triangle over the period in view; ``fold`` in the address folds the cohorts away.

    Parameters
    ----------
    total : float array, shape (months,), what the cohorts and the rest add to.
    labels : of the rest and of the total; an empty rest leaves both out.
    sums : whether months are amounts that add up, rather than a level read at a period's end.
    """
    table = columns_of(view)
    months = len(total)
    together = np.sum([one.months for one in cohorts], axis=0) if cohorts else np.zeros(months)
    are_whole = all(one.count.is_integer() for one in cohorts)
    is_folded = ("fold", "yes") in view.address.own
    below = [("all who came in", together, True)]
    if labels[0]:
        below += [(labels[0], total - together, False), (labels[1], total, True)]
    shown = [
        _row(view, one, table.periods, sums, unit, 0 if are_whole else 1)
        for one in cohorts
        if one.first <= view.address.last
    ]
    return Triangle(
        columns=tuple(column for column in table.columns if not column.is_year),
        rows=() if is_folded else tuple(shown),
        sums=tuple(_sum_row(view, label, values, table.periods, sums, unit, strong) for label, values, strong in below),
        side="sum" if sums else "at the end",
        unit=unit,
        is_folded=is_folded,
        fold_url=view.address.url(fold="" if is_folded else "yes"),
    )


def _rolled(view: View, months: Values, periods: Sequence[Period], sums: bool) -> Values:
    timeline = view.snapshot.model.timeline
    spans = [months[timeline.index(period.first) : timeline.index(period.last) + 1] for period in periods]
    return np.array([span.sum() if sums else span[-1] for span in spans])


def _row(view: View, one: Joined, periods: Sequence[Period], sums: bool, unit: str, decimals: int) -> CohortRow:
    values = _rolled(view, one.months, periods, sums)
    most = float(np.nan_to_num(np.abs(values if sums else one.months)).max()) or 1.0
    cells = tuple(
        (_shown(value, unit) if is_there else "", _fullness(value, most) if is_there else 0)
        for value, is_there in zip(values.tolist(), _counts(values).tolist(), strict=True)
    )
    return CohortRow(
        label=one.label,
        joined=formats.plain_number(one.count, decimals),
        cells=cells,
        side=_shown(_side(values, sums), unit),
    )


def _sum_row(
    view: View, label: str, months: Values, periods: Sequence[Period], sums: bool, unit: str, is_total: bool
) -> SumRow:
    values = _rolled(view, months, periods, sums)
    return SumRow(
        label=label,
        cells=tuple(_shown(value, unit) for value in values.tolist()),
        side=_shown(_side(values, sums), unit),
        is_total=is_total,
    )


def _counts(values: Values) -> NDArray[np.bool_]:
    """Where there is more than the rounding of a difference, or no value at all."""
    return np.asarray(~(np.abs(values) < formats.RESIDUE))


def _fullness(value: float, most: float) -> int:
    return min(FULLEST, 1 + int((FULLEST - 1) * abs(value) / most + 1e-9)) if isfinite(value) else 0


def _side(values: Values, sums: bool) -> float:
    return float(values.sum() if sums else values[-1])


def _shown(value: float, unit: str) -> str:
    """A figure of the triangle: heads all with one decimal, so that they stand under one another."""
    return formats.plain_number(value, 1) if unit == "heads" and isfinite(value) else formats.cell(value, unit)
