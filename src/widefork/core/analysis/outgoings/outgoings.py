"""Every outgoing of a plan, by the rhythm its months show: costs as they are charged, all else as it is paid."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Grain
from widefork.core.finance.statements import CAPTION_BY_NAME
from widefork.core.finance.statements.captions import OPERATING_EXPENSES
from widefork.core.graph.calculate import Results
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line

Values = NDArray[np.float64]

COSTS = ("cost_of_sales", *OPERATING_EXPENSES)
PAID = (
    "sales_tax_payments", "income_tax_payments", "interest_expense", "loan_repayments", "lease_repayments",
    "capital_expenditure", "intangibles_bought", "deposits_placed", "owners_draw", "dividends", "other_payments",
)  # fmt: skip
FEW_LEVELS = 6
"""An amount that changes at most so often over a plan is agreed, not driven."""


class Rhythm(StrEnum):
    """How an outgoing comes."""

    FIXED = "every month, as agreed"
    DRIVEN = "every month, with what drives it"
    QUARTERLY = "every quarter"
    YEARLY = "every year"
    REGULAR = "every few months"
    ONCE = "once"
    IRREGULAR = "now and then"
    NEVER = "not in the plan"


@dataclass(frozen=True)
class Outgoing:
    """An outgoing.

    Parameters
    ----------
    line : its name. caption : the label of what it posts to. is_cost : charged to the income statement.
    when : in words, where the rhythm alone does not say: “in Mar”, “in Feb 26”.
    months : float array, shape (months,), all members together, in currency.
    """

    line: Line
    caption: str
    is_cost: bool
    rhythm: Rhythm
    when: str
    months: Values


def outgoings(results: Results, case: int = 0) -> tuple[Outgoing, ...]:
    """Return every line that is charged as a cost or paid besides, by rhythm and within it the largest first.

    Parameters
    ----------
    results : of all lines. case : place in the batch.
    """
    model = results.plan.model
    within = {row.name: row.within for row in model.statements.rows}
    timeline = model.timeline
    found = []
    for line in model.lines:
        caption = within.get(line.posts_to, line.posts_to)
        if caption not in (*COSTS, *PAID) or not line.is_flow:
            continue
        months = roll_up(results, line.name, timeline.periods(Grain.MONTH))[:, case]
        rhythm, when = _rhythm(months[timeline.actual_count :], months, results)
        found.append(Outgoing(line, CAPTION_BY_NAME[caption].label, caption in COSTS, rhythm, when, months))
    order = list(Rhythm)
    return tuple(sorted(found, key=lambda one: (order.index(one.rhythm), -float(np.nansum(one.months)))))


def _rhythm(plan: Values, every: Values, results: Results) -> tuple[Rhythm, str]:
    """The rhythm of the plan's months, and when it falls."""
    timeline = results.plan.model.timeline
    if not np.any(every):
        return Rhythm.NEVER, ""
    places = np.flatnonzero(np.nan_to_num(every))
    if len(places) == 1:
        return Rhythm.ONCE, f"in {timeline.months[int(places[0])].label}"
    planned = np.flatnonzero(np.nan_to_num(plan))
    if not len(planned):
        return Rhythm.NEVER, f"last in {timeline.months[int(places[-1])].label}"
    gaps = set(np.diff(places).tolist())
    first = timeline.months[int(places[0])]
    if gaps == {12}:
        return Rhythm.YEARLY, f"in {first.label.split()[0]}"
    if gaps == {3}:
        return Rhythm.QUARTERLY, f"from {first.label}"
    if len(gaps) == 1 and gaps != {1}:
        return Rhythm.REGULAR, f"every {gaps.pop()} months"
    if gaps == {1}:
        levels = 1 + int(np.count_nonzero(np.diff(every[places[0] :])))
        since = "" if places[0] == 0 else f"from {first.label}"
        return (Rhythm.FIXED if levels <= FEW_LEVELS else Rhythm.DRIVEN), since
    return Rhythm.IRREGULAR, f"{len(planned)} times in the plan"
