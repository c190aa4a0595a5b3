"""What would carry a case through: a loan that is paid back, found by trying it on the plan itself."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from widefork.core.analysis.waterline.need import Need
from widefork.core.analysis.waterline.waterline import Reading, read_waterline
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.model import Model, ScheduleSettings
from widefork.core.graph.plan import Plan

USUAL_RATE = 0.08
"""A rate a year to propose with, invented; whoever lends says another."""
_REPAID_OVER = (12, 24, 36)
_STEPS = tuple(1 + n / 40 for n in range(25))
_NAME = "proposed_loan"


@dataclass(frozen=True)
class LoanProposal:
    """A loan that keeps every month above the lowest level allowed.

    Parameters
    ----------
    amount : in currency, its own interest covered. drawn : the month. waits : months of interest only.
    term : months in all. repaid_by : its last payment; beyond the model's end where it reaches there.
    """

    amount: float
    drawn: Month
    waits: int
    term: int
    rate: float

    @property
    def repaid_by(self) -> Month:
        """The month of the last payment."""
        return self.drawn.plus(self.term)

    @property
    def settings(self) -> dict[str, Any]:
        """The loan schedule's settings, at 0."""
        return {"amount": 0, "drawn_in": str(self.drawn), "rate": self.rate, "term_months": self.term,
                "interest_only_months": self.waits, "repayment": "straight"}  # fmt: skip


def propose_loan(model: Model, changes: Sequence[Change], need: Need) -> LoanProposal | None:
    """Return the smallest loan tried that carries a case; None where no loan of these kinds does.

    It is drawn in the first month under, interest only until cash is back, and repaid in equal parts of principal over
    a year, or two or three where a year is too steep.

    Parameters
    ----------
    model : as stored, without generated lines. changes : the case's, from the root down.
    """
    back = need.back or model.timeline.end.plus(1)
    waits = max(0, back.ordinal - need.first.ordinal)
    for over in _REPAID_OVER:
        proposal = LoanProposal(need.amount, need.first, waits, waits + over, USUAL_RATE)
        schedule = ScheduleSettings("loan", _NAME, "Proposed loan", proposal.settings)
        plan = build_plan(replace(model, schedules=(*model.schedules, schedule), sketch=None))
        amounts = [float(round(need.amount * step, -2)) for step in _STEPS]
        drawn = [(*changes, Change(f"{_NAME}_amount", Operation.ADD, amount)) for amount in amounts]
        results = evaluate(plan, drawn, ("cash_after_overdraft", "headroom"))
        for place, amount in enumerate(amounts):
            reading = read_waterline(results, place)
            if reading is not None and not reading.is_short:
                return replace(proposal, amount=amount)
    return None


@dataclass(frozen=True)
class LimitProposal:
    """So much more of an overdraft's limit, in currency, from ``first`` to ``last`` (None for the end of the plan)."""

    amount: float
    first: Month
    last: Month | None


def propose_limit(plan: Plan, limit: str, changes: Sequence[Change], need: Need) -> LimitProposal | None:
    """Return the least more of an overdraft's limit tried that carries a case, its own interest covered; None for none.

    Parameters
    ----------
    limit : the assumption of the limit. changes : the case's, from the root down.
    """
    amounts = [float(round(need.amount * step, -2)) for step in _STEPS]
    for last in (need.back.plus(-1) if need.back else None, need.back.plus(2) if need.back else None, None):
        raised = [Change(limit, Operation.ADD, amount, (), need.first, last) for amount in amounts]
        results = evaluate(plan, [(*changes, change) for change in raised], ("cash_after_overdraft", "headroom"))
        for place, amount in enumerate(amounts):
            reading = read_waterline(results, place)
            if reading is not None and not reading.is_short:
                return LimitProposal(amount, need.first, last)
    return None


def stairs(plan: Plan, before: Sequence[Change], steps: Sequence[Sequence[Change]]) -> tuple[Reading | None, ...]:
    """Return how a case stands without any step, and after each of them.

    Parameters
    ----------
    before : the case's changes without the steps. steps : the changes of each step, in their order.
    """
    lists: list[tuple[Change, ...]] = [tuple(before)]
    for step in steps:
        lists.append((*lists[-1], *step))
    results = evaluate(plan, lists, ("cash_after_overdraft", "headroom"))
    return tuple(read_waterline(results, place) for place in range(len(lists)))
