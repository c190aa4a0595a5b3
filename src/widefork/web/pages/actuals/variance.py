"""A month against a plan: every row of the income statement with its difference, split where it can be, and why."""

from collections.abc import Mapping
from dataclasses import dataclass
from math import isfinite, nan

import numpy as np

from widefork.core.analysis.variance import Split, split_line
from widefork.core.axes import Month
from widefork.core.finance.statements import CAPTION_BY_NAME, Statement
from widefork.core.finance.statements.layouts import LAYOUTS
from widefork.core.graph.calculate import Results
from widefork.core.lines import Line
from widefork.web.shared import formats

_WORTH_SAYING = 0.005
AS_PLANNED = "filled from the plan"
"""Said of a row the books say nothing of."""


@dataclass(frozen=True, kw_only=True)
class VarianceRow:
    """A row: amounts as text; ``is_worse`` says that the difference costs profit, ``words`` how it came about."""

    name: str
    label: str
    depth: int
    emphasis: str
    actual: str
    plan: str
    difference: str
    share: str
    is_worse: bool
    parts: tuple[str, ...]
    last_year: str
    note: str


def variance_rows(
    actual: Results, planned: Results | None, month: Month, notes: Mapping[str, str]
) -> tuple[VarianceRow, ...]:
    """Return the income statement of a month, actual against plan and the year before.

    Parameters
    ----------
    actual : first change list is read. planned : of the plan compared with; None where there is none.
    """
    model = actual.plan.model
    rows = []
    for name in LAYOUTS["classic"].rows[Statement.INCOME]:
        caption = CAPTION_BY_NAME[name]
        own = {row.name for row in model.statements.rows if row.within == name}
        posted = [line for line in model.lines if line.posts_to == name or line.posts_to in own]
        head = _row(model.line(name), 0, caption.emphasis.value, caption.subtracts, actual, planned, month, notes)
        if head is None:
            continue
        rows.append(head)
        if len(posted) > 1 or (posted and _splits(posted[0], actual)):
            parts = (_row(line, 1, "part", caption.subtracts, actual, planned, month, notes) for line in posted)
            rows += [row for row in parts if row is not None]
    return tuple(rows)


def _splits(line: Line, results: Results) -> bool:
    return line.name in results.plan.formulas and not line.is_generated


def value_at(results: Results, name: str, month: Month) -> float:
    """Return a line in a month, members added up; from its history before the first month; NaN where not known."""
    line = results.plan.model.line_by_name.get(name)
    timeline = results.plan.model.timeline
    if line is None or month > timeline.end:
        return nan
    place = month.ordinal - timeline.start.ordinal
    if place >= 0:
        values = results.values(name)[..., place, 0]
        return float(np.sum(values))
    return line.history[place] if -place <= len(line.history) else nan


def _row(
    line: Line, depth: int, emphasis: str, subtracts: bool, actual: Results, planned: Results | None, month: Month,
    notes: Mapping[str, str],
) -> VarianceRow | None:  # fmt: skip
    now = value_at(actual, line.name, month)
    plan = value_at(planned, line.name, month) if planned is not None else nan
    if planned is not None and line.name not in planned.plan.model.line_by_name:
        plan = 0.0
    before = value_at(actual, line.name, month.plus(-12))
    if all(not isfinite(amount) or abs(amount) < _WORTH_SAYING for amount in (now, plan)):
        return None
    gap = now - plan
    differs = isfinite(gap) and abs(gap) >= _WORTH_SAYING
    split = None
    if depth and planned is not None and differs:
        places = (actual.plan.model.timeline.index(month), planned.plan.model.timeline.index(month))
        split = split_line(planned, actual, line.name, *places)
    return VarianceRow(
        name=line.name,
        label=line.label,
        depth=depth,
        emphasis=emphasis,
        actual=formats.cell(now, line.unit),
        plan=formats.cell(plan, line.unit) if isfinite(plan) else "",
        difference=formats.signed(gap, line.unit).replace("same", formats.DASH) if isfinite(gap) else "",
        share=formats.signed(gap / abs(plan), "%").replace(" pt", " %")
        if isfinite(gap) and plan and abs(gap) >= _WORTH_SAYING
        else "",
        # A cost above its plan is unfavourable, revenue above it favourable (common practice).
        is_worse=differs and (gap > 0) == subtracts,
        parts=(AS_PLANNED,)
        if depth and not differs and _is_filled(line, actual, month)
        else _parts(split, subtracts, line.unit),
        last_year=formats.cell(before, line.unit) if isfinite(before) else "",
        note=notes.get(line.name, ""),
    )


def _is_filled(line: Line, actual: Results, month: Month) -> bool:
    """Whether the books said nothing of a row, so that the plan fills it."""
    place = actual.plan.model.timeline.index(month)
    given = [months[place] for months in line.actuals.values() if place < len(months)]
    return not any(amount == amount for amount in given)


def _parts(split: Split | None, subtracts: bool, unit: str) -> tuple[str, ...]:
    if split is None:
        return ()
    named = (("volume", split.volume), ("mix", split.mix), ("cost" if subtracts else "price", split.price),
             ("other", split.other))  # fmt: skip
    return tuple(f"{label} {formats.signed(amount, unit)}" for label, amount in named if abs(amount) >= _WORTH_SAYING)
