"""Cash after overdraft of every case above a table's month columns, with the waterline of the active one."""

from collections.abc import Sequence

from widefork.core.analysis.waterline import read_waterline
from widefork.core.axes import Period
from widefork.web.shared import formats
from widefork.web.shared.charts.fork_chart import ForkChart, fork_chart
from widefork.web.shared.context import View

LABEL_ASIDE = 132
"""Room for the labels at the right where no columns of years give it."""


def cash_chart(
    view: View, periods: Sequence[Period], height: int, left: float, step: float, half: float, right: float = 0
) -> ForkChart:
    """Return the chart over month columns.

    Parameters
    ----------
    left : where the first column begins. step : from column to column. half : from a column's beginning to its middle.
    right : width of what stands behind the months, in pixels.
    """
    snapshot = view.snapshot
    timeline = snapshot.model.timeline
    span = timeline.span(view.address.first, view.address.last)
    months = timeline.months[span]
    series = [
        (case.name, case.label, snapshot.results.series("cash_after_overdraft", (), place)[span])
        for place, case in enumerate(snapshot.model.cases)
    ]
    actual = sum(timeline.is_actual(month) for month in months)
    xs = [left + step * place + half for place in range(len(periods))]
    level = snapshot.results.series("waterline", (), view.place)[span]
    aside = max(right, LABEL_ASIDE)
    size = (int(left + step * len(periods) + aside), height)
    return fork_chart(months, actual, series, view.address.case, level, size, (left, aside, 12, 12), xs)


def rooms(view: View) -> tuple[tuple[str, str], ...]:
    """Every case's room or gap in words, by case name."""
    words = []
    for place, case in enumerate(view.snapshot.model.cases):
        reading = read_waterline(view.snapshot.results, place)
        if reading is None:
            words.append((case.name, "no value"))
        else:
            verb = "short" if reading.is_short else "clear"
            size = formats.amount(abs(reading.room), view.snapshot.model.currency)
            words.append((case.name, f"{verb} by {size}, {reading.lowest_month.label}"))
    return tuple(words)
