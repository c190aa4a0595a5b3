"""The counters and flags every formula may use by name."""

from calendar import monthrange
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month, Timeline
from widefork.core.flags import Flag

COUNTERS: dict[str, tuple[str, Callable[[Timeline, Month], float]]] = {
    "month": ("running number of the month; compares with months such as Sep 2026", lambda _, m: m.ordinal),
    "month_number": ("1 in the model's first month", lambda t, m: t.index(m) + 1),
    "month_of_year": ("1 in January", lambda _, m: m.month),
    "quarter": ("1 to 4 within the fiscal year", lambda t, m: (t.fiscal_month(m) - 1) // 3 + 1),
    "fiscal_month": ("1 in the fiscal year's first month", lambda t, m: t.fiscal_month(m)),
    "fiscal_year": ("named by the year in which it ends", lambda t, m: t.fiscal_year(m)),
    "year_number": (
        "1 in the model's first fiscal year",
        lambda t, m: t.fiscal_year(m) - t.fiscal_year(t.start) + 1,
    ),
    "days_in_month": ("28 to 31", lambda _, m: monthrange(m.year, m.month)[1]),
    "months_per_year": ("12; turns a rate a year into one a month: rate / months_per_year", lambda *_: 12.0),
    "days_per_month": ("30; turns days of terms into months: days / days_per_month", lambda *_: 30.0),
    "is_actual": ("1 in actual months, else 0", lambda t, m: float(t.is_actual(m))),
    "is_plan": ("1 in plan months, else 0", lambda t, m: float(not t.is_actual(m))),
}

COUNTER_UNITS = {"months_per_year": "1/year", "days_in_month": "days", "days_per_month": "days"}
"""Units of the counters that have one; the others are plain numbers that fit anything."""


def counter_values(timeline: Timeline, flags: Sequence[Flag] = ()) -> dict[str, NDArray[np.float64]]:
    """Return the months of every counter, and of a modeller's own flags, each of shape (months,)."""
    return {flag.name: flag.values(timeline) for flag in flags} | {
        name: np.array([value(timeline, month) for month in timeline.months], dtype=float)
        for name, (_, value) in COUNTERS.items()
    }
