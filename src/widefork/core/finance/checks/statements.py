"""Checks of the statements: they tie, and so do the schedules behind them."""

from collections.abc import Iterator

import numpy as np

from widefork.core.finance.assemble import opening_balances
from widefork.core.finance.checks.check import Check, Checked, Finding


def _tie(checked: Checked, line: str, steady: str, sudden: str) -> Iterator[Finding]:
    every = checked.months_of(line)
    for place, first in checked.beyond(every).items():
        case, gaps = checked.cases[place], every[:, place]
        if not np.isfinite(gaps[first]):
            cause = "It cannot be computed there; its Roots say why."
            yield Finding(case, checked.months[first], float("nan"), cause, line)
        elif first == 0 and np.ptp(gaps) <= checked.tolerated[:, place].max():
            yield Finding(case, checked.months[0], float(gaps[0]), steady, line)
        else:
            yield Finding(case, checked.months[first], float(gaps[first]), sudden, line)


def _balances(checked: Checked) -> Iterator[Finding]:
    return _tie(
        checked,
        "balance_difference",
        "The difference is the same in every month, so the opening balance sheet does not balance.",
        "Something posts to one side only from that month on: a line of yours that posts to a balance or to cash.",
    )


def _cash(checked: Checked) -> Iterator[Finding]:
    said = "Cash moves by something no row of the cash flow shows."
    return _tie(checked, "cash_difference", said, said)


def _methods(checked: Checked) -> Iterator[Finding]:
    said = "A receipt or payment is missing or counted twice: a line settled by lines of your own and by a schedule."
    return _tie(checked, "methods_difference", said, said)


def _earnings(checked: Checked) -> Iterator[Finding]:
    model = checked.results.plan.model
    opening = model.opening_balances.get("retained_earnings", 0.0)
    moved = checked.months_of("net_profit") - checked.months_of("dividends") - checked.months_of("owners_draw")
    gaps = checked.months_of("retained_earnings") - opening - np.cumsum(moved, axis=0)
    cause = "Retained earnings are not the opening plus profit less what owners took."
    for place, first in checked.beyond(gaps).items():
        amount = float(gaps[first, place])
        yield Finding(checked.cases[place], checked.months[first], amount, cause, "retained_earnings")


def _schedules(checked: Checked) -> Iterator[Finding]:
    model = checked.results.plan.model
    for draft in checked.drafts:
        for roll in draft.rolls:
            opening = model.line(roll.balance).opening
            moved = np.zeros((len(checked.months), len(checked.cases)))
            for name in roll.adds:
                moved = moved + checked.months_of(name)
            for name in roll.takes:
                moved = moved - checked.months_of(name)
            gaps = checked.months_of(roll.balance) - opening - np.cumsum(moved, axis=0)
            cause = f"{draft.given.label} does not close at its opening and movements."
            for place, first in checked.beyond(gaps).items():
                amount = float(gaps[first, place])
                yield Finding(checked.cases[place], checked.months[first], amount, cause, roll.balance)


def _opening(checked: Checked) -> Iterator[Finding]:
    model = checked.results.plan.model
    openings = opening_balances([line for line in model.lines if line.posts_to], model)
    gap = openings["total_assets"] - openings["equity_and_liabilities"]
    if abs(gap) > 0.005:
        cause = (
            f"Retained earnings of {openings['retained_earnings'] + gap:,.2f} at the start would balance it.".replace(
                "-", "−"
            )
        )
        yield Finding("", model.timeline.start.plus(-1), gap, cause)


OPENING = Check(
    "opening", "Opening balance sheet", "Assets equal equity and liabilities before the first month.", _opening
)
BALANCES = Check("balances", "Balance sheet", "Assets equal equity and liabilities in every month.", _balances)
CASH = Check("cash", "Cash", "The cash flow ends at the balance sheet's cash.", _cash)
METHODS = Check(
    "methods", "Cash flow by both methods", "From profit and from receipts, operations bring the same.", _methods
)
EARNINGS = Check(
    "earnings", "Retained earnings", "They close at their opening plus profit less what owners took.", _earnings
)
SCHEDULES_TIE = Check("schedules", "Schedules", "Every schedule closes at its opening and its movements.", _schedules)
