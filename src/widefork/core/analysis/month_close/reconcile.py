"""A month closed on trial, reconciled: each balance from its opening to the books, and what that leaves unexplained."""

from collections.abc import Callable
from dataclasses import dataclass

from widefork.core.axes import Month
from widefork.core.finance.assemble import write_schedules
from widefork.core.finance.books import CLOSED_BALANCES, CLOSED_INCOME, unexplained_lines
from widefork.core.finance.schedules import Roll
from widefork.core.finance.statements import CAPTION_BY_NAME
from widefork.core.graph.calculate import Results


@dataclass(frozen=True)
class Explained:
    """A balance from its opening to what the books say, or an amount of the income statement, in currency.

    Parameters
    ----------
    moved : what the model's movements make of it in the month. closing : what the books say.
    unexplained : closing less opening and moved. line : whose Roots show it.
    """

    label: str
    opening: float
    moved: float
    closing: float
    unexplained: float
    line: str


@dataclass(frozen=True)
class Reconciled:
    """A month reconciled.

    Parameters
    ----------
    balances, income : what the books gave, explained. equity : the model's at the month's end.
    unexplained : of cash: what all that is known does not explain.
    """

    balances: tuple[Explained, ...]
    income: tuple[Explained, ...]
    profit: float
    equity: float
    unexplained: float


def reconcile(results: Results, month: Month) -> Reconciled:
    """Return a closed month of a plan, its first change list, reconciled."""
    model = results.plan.model
    place = model.timeline.index(month)

    def at(name: str, earlier: int = 0) -> float:
        where = place - earlier
        return float(results.series(name)[where]) if where >= 0 else model.line(name).opening

    def given(name: str) -> bool:
        return name in model.closed and model.closed[name][place] == model.closed[name][place]

    balances = []
    if given("cash"):
        unexplained = at("unexplained_in_cash")
        opening, closing = at("cash_after_overdraft", 1), at("cash_after_overdraft")
        moved = closing - opening - unexplained
        balances.append(Explained("Cash after overdraft", opening, moved, closing, unexplained, "cash_after_overdraft"))
    for draft in write_schedules(model):
        for roll in draft.rolls:
            if given(roll.balance):
                label = f"{_caption(roll.caption)}: {draft.given.label}"
                balances.append(_explained(label, roll, at))
    for name in CLOSED_BALANCES:
        if given(name):
            line = f"books_{name}"
            label = f"{CAPTION_BY_NAME[name].label}: no schedule keeps it"
            balances.append(Explained(label, at(line, 1), 0.0, at(line), at(line) - at(line, 1), line))
    income = []
    for name in CLOSED_INCOME:
        if given(name):
            unexplained = at(f"unexplained_{name}")
            made = at(f"books_{name}") - unexplained
            label = CAPTION_BY_NAME[name].label
            income.append(Explained(label, 0.0, made, at(f"books_{name}"), unexplained, name))
    return Reconciled(tuple(balances), tuple(income), at("net_profit"), at("total_equity"), at("unexplained_cash"))


def unexplained_of(results: Results, month: Month) -> float:
    """Return how much a month closed leaves unexplained: the sizes of all its unexplained movements, added up."""
    model = results.plan.model
    place = model.timeline.index(month)
    return float(sum(abs(results.series(line.name)[place]) for line in unexplained_lines(model)))


def _caption(name: str) -> str:
    known = CAPTION_BY_NAME.get(name)
    return known.label if known is not None else name


def _explained(label: str, roll: Roll, at: Callable[..., float]) -> Explained:
    opening, closing = at(roll.balance, 1), at(roll.balance)
    moved = sum(at(name) for name in roll.adds if not name.endswith("_unexplained"))
    moved -= sum(at(name) for name in roll.takes if not name.endswith("_unexplained"))
    return Explained(label, opening, moved, closing, closing - opening - moved, roll.balance)
