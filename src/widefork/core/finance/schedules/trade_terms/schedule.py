"""Receivables and payables: when customers pay and suppliers are paid, sales tax included.

By days, the balance is the last days of invoices, counted back in 30-day months (decision 0006). What falls due is
what the terms no longer leave open; what is settled is a line of its own, so that a payment put off stays owed.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from widefork.core.closing import latest_closing
from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Role, Setting, SettingKind, choices
from widefork.core.language.printing import write_number
from widefork.core.lines import BALANCE, MemberKey

DAYS_IN_MONTH = 30
LONGEST_SHARE = 6
LEAST_SHARE = 1e-9
"""An invoice of which less than that is open is paid: nothing can be reckoned back from what is left of it."""
MOST_DAYS = 720
_AGES = (("open_0", "open, of this month"), ("open_1", "open, of last month"), ("open_2", "open, of two months ago"))
_PAID = ("paid in the month", "paid after a month", *(f"paid after {n} months" for n in range(2, LONGEST_SHARE + 1)))
_SHARES = tuple(f"share_{months}" for months in range(LONGEST_SHARE + 1))


@dataclass(frozen=True)
class _Side:
    """Whose invoices they are."""

    of: str
    days: str
    invoiced: str
    settled_part: str
    settled: str
    settles_as: str
    balance: str


_CUSTOMERS = _Side(
    "the revenue lines invoiced", "days until customers pay", "invoiced", "collected", "collected",
    "customer_receipts", "receivables",
)  # fmt: skip
_SUPPLIERS = _Side(
    "the cost lines bought on credit", "days until suppliers are paid", "bought on credit", "paid", "paid",
    "supplier_payments", "payables",
)  # fmt: skip


def _settings(side: _Side) -> tuple[Setting, ...]:
    shares = (
        Setting(key, _PAID[months], SettingKind.SERIES, "%",
                default=0, least=0, most=1, when=("method", ("shares",)))
        for months, key in enumerate(_SHARES)
    )  # fmt: skip
    lost = (
        Setting("bad_debt", "share never paid", SettingKind.SERIES, "%", default=0, least=0, most=1,
                hint="Of each month's invoices; charged as a bad debt in the month of the invoice.", is_rare=True),
    )  # fmt: skip
    return (
        Setting("of", side.of, SettingKind.LINES, is_required=True, role=Role.SETTLED),
        Setting(
            "method",
            "how it is reckoned",
            SettingKind.CHOICE,
            default="days",
            choices=choices(
                days="days, counted back over invoices",
                shares="shares paid after 0, 1, 2 … months",
                simple="the month's flow × days / 30",
                percent="balance as a share of the month's flow",
            ),
        ),
        Setting(
            "days",
            side.days,
            SettingKind.SERIES,
            "days",
            default=0,
            least=0,
            most=MOST_DAYS,
            when=("method", ("days", "simple")),
        ),
        *shares,
        Setting(
            "percent",
            "balance as a share of the flow",
            SettingKind.SERIES,
            "%",
            default=0,
            least=0,
            when=("method", ("percent",)),
        ),
        Setting(
            "new_terms",
            "other days touch",
            SettingKind.CHOICE,
            default="open",
            choices=choices(open="open invoices too", new="new invoices only"),
            when=("method", ("days",)),
            is_rare=True,
        ),
        *(lost if side is _CUSTOMERS else ()),
        Setting("opening_balance", "the opening balance", SettingKind.AMOUNT, default=0.0, least=0),
        Setting(
            "opening_invoices",
            "invoices of the months before the start",
            SettingKind.AMOUNTS,
            default=(),
            hint="Latest last; the opening balance then runs off from its ages.",
            is_rare=True,
        ),
        Setting(
            "opening_ages",
            "the opening balance by age",
            SettingKind.AMOUNTS,
            default=(),
            least=0,
            hint="What is still open of each month before the start, latest last.",
            is_rare=True,
        ),
    )


def _write(draft: Draft, side: _Side) -> None:
    method = draft.value("method")
    if draft.has("days") and method not in ("days", "simple"):
        draft.assume("days")  # kept for cases that change it, and for the way back
    ages = draft.value("opening_ages")
    opening = sum(ages) if ages else draft.value("opening_balance")
    open_share, share_open = _METHODS[method](draft)

    def still_open(months: int, place: int) -> float:
        share = share_open(months, place)
        return share if share > LEAST_SHARE else 0.0

    history = draft.value("opening_invoices") or _invoices_behind(draft, ages, opening, still_open)
    invoiced = draft.calculate("invoiced", side.invoiced, draft.book.invoiced(draft.lines_of("of")), history=history)
    expected = invoiced
    lost: tuple[str, ...] = ()
    if side is _CUSTOMERS and draft.has("bad_debt"):
        share = draft.assume("bad_debt", history=[draft.first("bad_debt")])
        lost = (draft.calculate("bad_debts", "never paid", f"{invoiced} * {share}", "bad_debts"),)
        kept = [amount * (1 - draft.first("bad_debt")) for amount in history]
        expected = draft.calculate("expected", "expected to be paid", f"{invoiced} - {lost[0]}", history=kept)
    terms, counted = draft.name("terms_open"), _counted(draft, expected, still_open)
    if method == "days" and draft.value("new_terms") == "open":
        # Longer days keep open what is open; what was paid is not owed again.
        formula = counted(lambda line: f"min(before({terms}) + {expected}, outstanding({line}, {draft.name('days')}))")
    else:
        formula = counted(lambda line: " + ".join(open_share(line, months) for months in range(_reach(draft, method))))
    # What the books say is open falls due from there on, whatever the terms would have left open.
    draft.balance("terms_open", "open by the terms", formula, "", opening, actuals=_closed(draft, "balance"))
    due = draft.calculate("due", "falls due", f"before({terms}) + {expected} - {terms}")
    settled = draft.calculate(side.settled_part, side.settled, due, side.settles_as)
    balance = draft.roll("balance", "open at month end", side.balance, opening, (invoiced,), (*lost, settled))
    _write_ages(draft, method, counted, balance, open_share)


_Counted = Callable[[Callable[[str], str]], str]


def _closed(draft: Draft, part: str) -> dict[MemberKey, tuple[float, ...]]:
    """What the books say of one of the schedule's lines, as a line's actuals."""
    return {(): draft.model.closed[draft.name(part)]} if draft.is_closed(part) else {}


def _counted(draft: Draft, expected: str, still_open: Callable[[int, int], float]) -> _Counted:
    """Return how a formula reads the invoices the terms count back over, from what it makes of a line of them.

    After a month closed with what is open by age, these are the invoices it is left of, as with the opening balance;
    what is older than the terms leave open is expected in the month after.
    """
    timeline = draft.model.timeline
    closing = latest_closing(draft.model.closings, timeline)
    ages = closing.ages.get(draft.given.name, ()) if closing is not None else ()
    if closing is None or not ages or not draft.is_closed("balance"):
        return lambda of: of(expected)
    month = closing.month.words
    invoices = [0.0] * timeline.actual_count
    for months, amount in enumerate(reversed(ages[-len(invoices) :])):
        share = still_open(months, len(invoices) - 1)
        invoices[-1 - months] = amount / share if share else amount
    left = draft.calculate("still_open", "invoices as they are still open", expected, actuals={(): tuple(invoices)})
    return lambda of: f"if month < {month} then {of(expected)} else {of(left)}"


def _write_ages(
    draft: Draft, method: str, counted: _Counted, balance: str, open_share: Callable[[str, int], str]
) -> None:
    known: list[str] = []
    for months, (part, label) in enumerate(_AGES):
        # These two methods do not know ages: what is open counts as the newest invoices.
        is_plain = method in ("simple", "percent")
        share = _earlier if is_plain else open_share
        aged = counted(partial(_swapped, share, months))
        left = " - ".join((balance, *known))
        known.append(draft.calculate(part, label, f"min({left}, {aged})", rollup=BALANCE))
    older = " - ".join((balance, *known))
    draft.calculate("open_older", "open, older or put off", older, rollup=BALANCE)


def _swapped(share: Callable[[str, int], str], months: int, line: str) -> str:
    return share(line, months)


def _earlier(line: str, months: int) -> str:
    return f"before({line}, {months})" if months else line


def _days_open(days: float, months: int) -> float:
    return min(1.0, max(0.0, (days - DAYS_IN_MONTH * months) / DAYS_IN_MONTH))


_Method = tuple[Callable[[str, int], str], Callable[[int, int], float]]
"""The formula of what is left open of a line's month so many months ago; and that share as a number, in the root
case, from so many months ago and the place of the month it is asked in."""


def _by_days(draft: Draft) -> _Method:
    first = draft.first("days")
    _need(draft, "days")
    days = draft.assume("days", history=[first] * (_reach(draft, "days") + 1))
    touches_new = draft.value("new_terms") == "new"

    def share(expected: str, months: int) -> str:
        then = _earlier(days, months) if touches_new else days
        left = f"{then} / days_per_month" + (f" - {months}" if months else "")
        return f"{_earlier(expected, months)} * min(1, max(0, {left}))"

    return share, lambda months, place: _days_open(draft.at("days", place), months)


def _by_shares(draft: Draft) -> _Method:
    given = [key for key in _SHARES if draft.has(key)]
    totals = sum(draft.value(key).values(draft.model.timeline) for key in given) if given else None
    if totals is None or abs(totals - 1).max() > 1e-9:
        place = 0 if totals is None else int(abs(totals - 1).argmax())
        total = 0.0 if totals is None else float(totals[place])
        rest = f"{abs(1 - total) * 100:g} % " + ("are missing" if total < 1 else "are too many")
        raise draft.refuse(
            f"The shares paid add to {total * 100:g} % in {draft.model.timeline.months[place].label}; {rest}. They "
            "need to add to 100 %; what is never paid is a bad debt.",
            given[-1] if given else "share_0",
        )
    names = {key: draft.assume(key, history=[draft.first(key)] * (LONGEST_SHARE + 1)) for key in given}
    if len(names) > 1:
        draft.calculate("shares", "shares together", " + ".join(names.values()), rollup=BALANCE, unit="%")

    def share(expected: str, months: int) -> str:
        later = [_earlier(names[key], months) for key in given if _SHARES.index(key) > months]
        return f"{_earlier(expected, months)} * ({' + '.join(later) or '0'})"

    return share, lambda months, place: sum(draft.at(key, place) for key in given if _SHARES.index(key) > months)


def _unknown(months: int, place: int) -> float:
    """These methods know a balance and no ages."""
    return 0.0


def _simple(draft: Draft) -> _Method:
    _need(draft, "days")
    days = draft.assume("days")
    return (
        lambda expected, months: "0" if months else f"{expected} * {days} / days_per_month",
        _unknown,
    )


def _by_percent(draft: Draft) -> _Method:
    _need(draft, "percent")
    percent = draft.assume("percent")
    return lambda expected, months: "0" if months else f"{expected} * {percent}", _unknown


_METHODS = {"days": _by_days, "shares": _by_shares, "simple": _simple, "percent": _by_percent}


def _need(draft: Draft, key: str) -> None:
    if not draft.has(key):
        raise draft.refuse(f"{draft.schedule.label} needs {draft.schedule.setting(key).label}.", key)


def _reach(draft: Draft, method: str) -> int:
    """How many months of invoices can be open at once."""
    if method == "shares":
        return LONGEST_SHARE
    return 1 if method != "days" else MOST_DAYS // DAYS_IN_MONTH


def _invoices_behind(
    draft: Draft, ages: tuple[float, ...], opening: float, still_open: Callable[[int, int], float]
) -> tuple[float, ...]:
    """The invoices the opening balance is made of, latest last: from its ages, or else as an even flow."""
    if not ages:
        shares: list[float] = []
        while (share := still_open(len(shares), 0)) > 0:
            shares.append(share)
        return (opening / sum(shares),) * len(shares) if shares else ()
    invoices = []
    for months, amount in enumerate(reversed(ages)):
        share = still_open(months, 0)
        invoices.append(amount / share if share else 0.0)
        if amount and not share:
            draft.notices.append(
                f"{write_number(amount)} of the opening balance is older than the terms; it is expected in "
                f"{draft.model.timeline.start.label}."
            )
    return tuple(reversed(invoices))


def _words(draft: Draft) -> str:
    match draft.value("method"):
        case "days":
            return f"{draft.shown('days')} days after the invoice"
        case "shares":
            given = [(months, key) for months, key in enumerate(_SHARES) if draft.has(key)]
            when = {0: "in the month", 1: "after a month"}
            return ", ".join(f"{draft.shown(key)} {when.get(n, f'after {n} months')}" for n, key in given)
        case "simple":
            return f"{draft.shown('days')} days of the month's flow"
    return f"{draft.shown('percent')} of the month's flow stays open"


RECEIVABLES = Schedule(
    "receivables",
    "Receivables",
    "Trade",
    "Customers pay so many days after the invoice, or in shares after 0, 1, 2 … months; the rest is still open.",
    _settings(_CUSTOMERS),
    lambda draft: _write(draft, _CUSTOMERS),
    {"of": ["sales"], "days": 47},
    words=_words,
)
PAYABLES = Schedule(
    "payables",
    "Payables",
    "Trade",
    "Suppliers are paid so many days after their invoice, or in shares after 0, 1, 2 … months.",
    _settings(_SUPPLIERS),
    lambda draft: _write(draft, _SUPPLIERS),
    {"of": ["costs"], "days": 30},
    words=_words,
)
