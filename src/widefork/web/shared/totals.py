"""A total that is typed: each of its members moves in proportion to what it is."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from widefork.core.axes import Grain, Month
from widefork.core.changes import Change, Operation, changes_to
from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, OverMembers
from widefork.web.shared import formats
from widefork.web.shared.workspace import Snapshot


def stands_for_members(line: Line, members: tuple[str, ...], model: Model) -> bool:
    """Return whether a row is the total of members that may differ; the row of a single one is its own."""
    is_whole = bool(line.dimensions) and not members
    return is_whole and len(model.keys_of(line)) > 1 and line.rollup.over_members is not OverMembers.NONE


def scaled_to(snapshot: Snapshot, case: str, line: Line, wanted: Mapping[Month, float]) -> tuple[Change, ...]:
    """Return what gives a line these totals in a case: one factor a month for all its members.

    Raises
    ------
    InvalidValue: a month of history, a total of 0 or none, or heads, which are whole.
    """
    timeline = snapshot.model.timeline
    now = roll_up(snapshot.results, line.name, timeline.periods(Grain.MONTH), ())[:, snapshot.place(case)]
    count = len(snapshot.model.keys_of(line))
    if line.unit == "heads" and count > 1:
        raise InvalidValue(f"{line.label}: heads are whole, so a total of {count} is not spread. Open it and set one")
    factors = np.ones(timeline.month_count)
    for month, value in wanted.items():
        place = timeline.index(month)
        if timeline.is_actual(month):
            raise InvalidValue(f"{line.label}: actual months are corrected one by one. Open it and set one")
        if not np.isfinite(now[place]) or now[place] == 0:
            shown = formats.amount(float(now[place]), line.unit)
            raise InvalidValue(
                f"{line.label}: the {count} it stands for come to {shown} in {month.label}, so there is no proportion "
                "to move them by. Open it and set one"
            )
        factors[place] = value / now[place]
    changes = changes_to(line.name, (), np.ones(timeline.month_count), factors, timeline)
    return tuple(replace(change, operation=Operation.SCALE) for change in changes)
