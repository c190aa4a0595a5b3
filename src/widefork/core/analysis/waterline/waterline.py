"""Cash against the lowest level allowed: the question a healthy year-end does not answer."""

from dataclasses import dataclass

import numpy as np

from widefork.core.axes import Month
from widefork.core.graph.calculate import Results


@dataclass(frozen=True)
class Reading:
    """One case's liquidity over its plan months.

    Parameters
    ----------
    lowest, lowest_month : cash after overdraft where the room above the waterline is smallest.
    room : what is above the waterline there, in currency; negative is short of cash.
    first_under : first month below the waterline, None when none is.
    months_under : how many are. back_above : first month after ``first_under`` from which no month is under
        any more; None while it is not back by the end.
    """

    lowest: float
    lowest_month: Month
    room: float
    first_under: Month | None
    months_under: int
    back_above: Month | None

    @property
    def is_short(self) -> bool:
        """Whether any plan month is below the waterline."""
        return self.months_under > 0


def read_waterline(results: Results, batch: int) -> Reading | None:
    """Return one change list's reading; None where there is no plan month or cash cannot be computed."""
    timeline = results.plan.model.timeline
    months = timeline.months[timeline.actual_count :]
    cash = results.series("cash_after_overdraft", (), batch)[timeline.actual_count :]
    room = results.series("headroom", (), batch)[timeline.actual_count :]
    if not len(months) or not np.isfinite(room).all():
        return None
    deepest = int(room.argmin())
    under = np.flatnonzero(room < 0)
    back = int(under[-1]) + 1 if under.size else 0
    return Reading(
        float(cash[deepest]),
        months[deepest],
        float(room[deepest]),
        months[int(under[0])] if under.size else None,
        int(under.size),
        months[back] if under.size and back < len(months) else None,
    )
