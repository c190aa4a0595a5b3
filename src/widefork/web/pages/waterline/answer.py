"""The answer in sentences a bank can use: how much, from when to when, why, how it is paid back, and a proposal."""

from dataclasses import dataclass

from widefork.core.analysis.waterline import (
    LimitProposal,
    LoanProposal,
    Need,
    need_of,
    propose_limit,
    propose_loan,
    read_waterline,
)
from widefork.web.shared import formats
from widefork.web.shared.context import View

MOST_CAUSES = 4


@dataclass(frozen=True, kw_only=True)
class Answer:
    """What is said of the active case.

    Parameters
    ----------
    sentence : the whole of it. causes : what lowers cash most by the worst month, as (label, amount, address).
    because : what the causes are compared with. loan, limit : proposals in words; empty for none.
    amount, month : what is needed and from when, as a form has them.
    """

    is_short: bool
    sentence: str
    because: str
    causes: tuple[tuple[str, str, str], ...]
    loan: str
    limit: str
    amount: str
    month: str


def need_in(view: View) -> Need | None:
    """Return what the active case is short of."""
    model = view.snapshot.model
    case = model.cases[view.place]
    parent = view.snapshot.place(case.parent) if case.parent else None
    before = view.before if view.sketch is not None and view.sketch.case == case.name else None
    earlier = before.results if before is not None and before.case_names == view.snapshot.case_names else None
    return need_of(view.snapshot.results, view.place, parent, earlier)


def loan_in(view: View, need: Need) -> LoanProposal | None:
    """Return the loan that would carry the active case; worked out once for a revision and a sketch."""
    model = view.snapshot.stored.model
    changes = view.snapshot.model.changes_of(view.address.case)
    return view.snapshot.kept(f"loan:{view.address.case}", lambda: propose_loan(model, changes, need))


def limit_in(view: View, need: Need) -> LimitProposal | None:
    """Return how much more overdraft would carry the active case; None where none would, or there is no overdraft."""
    overdraft = has_overdraft(view)
    if not overdraft or view.snapshot.model.liquidity.level is not None:
        return None
    plan, changes = view.snapshot.plan, view.snapshot.model.changes_of(view.address.case)
    return view.snapshot.kept(
        f"limit:{view.address.case}", lambda: propose_limit(plan, f"{overdraft}_limit", changes, need)
    )


def has_overdraft(view: View) -> str:
    """Return the name of the overdraft whose limit could be raised; empty for none."""
    return next((given.name for given in view.snapshot.model.schedules if given.kind == "overdraft"), "")


def build_answer(view: View) -> Answer:
    """Return the answer for the active case."""
    model = view.snapshot.model
    unit, label = model.currency, model.case(view.address.case).label
    need = need_in(view)
    first_plan = min(model.timeline.first_plan, model.timeline.end)
    if need is None:
        return Answer(
            is_short=False,
            sentence=_calm(view, label),
            because="",
            causes=(),
            loan="",
            limit="",
            amount="",
            month=first_plan.label,
        )
    amount = formats.amount(need.amount, unit)
    under = f"{need.reading.months_under} {'month' if need.reading.months_under == 1 else 'months'}"
    back = f"is back above in {need.back.label}" if need.back else "is not back above by the end of the plan"
    sentence = (
        f"{label} needs {amount} {unit} from {need.first.label}, most in {need.worst.label}: cash is below the lowest "
        f"level allowed for {under} and {back}."
    )
    because = "Against the usual month of this plan, by then"
    if need.is_since:
        because = "Against the plan before this sketch, by then"
    if need.against:
        because = f"Against {model.case(need.against).label}, by then"
    causes = tuple(
        (cause.label, formats.signed(cause.amount, unit), view.address.url("roots", line=cause.name))
        for cause in need.causes[:MOST_CAUSES]
    )
    loan = _loan_words(view, loan_in(view, need))
    limit = _limit_words(view, limit_in(view, need))
    return Answer(
        is_short=True,
        sentence=sentence,
        because=because,
        causes=causes,
        loan=loan,
        limit=limit,
        amount=amount,
        month=need.first.label,
    )


def _calm(view: View, label: str) -> str:
    reading = read_waterline(view.snapshot.results, view.place)
    if reading is None:
        return f"{label}: cash cannot be computed in every month of the plan; the checks under Statements say why."
    unit = view.snapshot.model.currency
    room = formats.amount(reading.room, unit)
    narrowest = f"the narrowest month is {reading.lowest_month.label}, with {room} {unit} of room"
    return f"{label} stays above the lowest level allowed; {narrowest}."


def _loan_words(view: View, loan: LoanProposal | None) -> str:
    if loan is None:
        return ""
    unit = view.snapshot.model.currency
    waits = f", interest only for {loan.waits} months" if loan.waits else ""
    return (
        f"A loan of {formats.amount(loan.amount, unit)} {unit} drawn in {loan.drawn.label}{waits}, then repaid in "
        f"equal parts by {loan.repaid_by.label}, at {formats.amount(loan.rate, '%')} a year, keeps every month above."
    )


def _limit_words(view: View, limit: LimitProposal | None) -> str:
    if limit is None:
        return ""
    unit = view.snapshot.model.currency
    until = f" to {limit.last.label}" if limit.last else " to the end of the plan"
    return f"Or an overdraft limit {formats.amount(limit.amount, unit)} {unit} higher from {limit.first.label}{until}."
