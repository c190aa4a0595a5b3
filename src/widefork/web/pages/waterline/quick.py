"""A first plan from a list of what comes in and goes out, before any balance sheet exists.

Amounts are a month's, as they move in the bank, tax included. What is owed for (loans, leases, sales tax) and what
comes later than it is earned (card sales, late payers, wage support) becomes the schedule it is, so that it can be put
off like any other; what is in the bank is the owners' less what is owed.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from werkzeug.datastructures import MultiDict

from widefork.core.analysis.waterline import arrival_day
from widefork.core.errors import InvalidValue, WideforkError
from widefork.core.finance.schedules import annuity
from widefork.core.graph.model import Model
from widefork.core.lines import Line
from widefork.core.liquidity import USUAL_DAYS_UNDER_WAY, DayRule
from widefork.core.rules import RULES, write_rule
from widefork.store import edits
from widefork.store.edits import Apply, together
from widefork.web.shared import formats
from widefork.web.shared.naming import name_from
from widefork.web.shared.rule_words import read_phrase

USUAL_OUTGOINGS = (
    ("Wages and salaries", "people_costs"),
    ("Employer's charges", "people_costs"),
    ("Rent", "premises_costs"),
    ("Energy and water", "premises_costs"),
    ("Materials and goods", "cost_of_sales"),
    ("Subcontractors", "cost_of_sales"),
    ("Freight", "cost_of_sales"),
    ("Insurance", "administration_costs"),
    ("Software and telephone", "administration_costs"),
    ("Advisers and audit", "administration_costs"),
    ("Vehicles and travel", "administration_costs"),
    ("Marketing", "marketing_costs"),
    ("Anything else", "administration_costs"),
)
USUAL_RECEIPTS = (("From customers", "revenue"), ("Card sales", "revenue"), ("Anything else", "other_income"))
CUSTOMERS, CARDS = USUAL_RECEIPTS[0][0], USUAL_RECEIPTS[1][0]
_SECTION = "Receipts and payments"
_DAYS_A_MONTH, _WORKING_DAYS_A_MONTH = 30, 21
"""Working days become days of a month of 30 at this pace, as terms in days count them."""


@dataclass(frozen=True)
class Field:
    """A field of the list: what it asks, and what it holds when it is shown; a hint beside it."""

    name: str
    label: str
    usual: str = ""
    hint: str = ""


THERE_IS = (
    Field("bank", "In the bank now"),
    Field("limit", "Overdraft limit"),
    Field("limit_rate", "at a rate a year of", "8 %"),
    Field("under_way", "Under way to the bank"),
    Field("under_way_days", "arrives on working day", str(USUAL_DAYS_UNDER_WAY)),
)
COMES_LATER = (
    Field("late_share", "Customers who pay late, of what they pay", "0 %"),
    Field("late_months", "months later", "1"),
    Field("owed_before", "Late ones still to pay from before"),
    Field("card_days", "Card sales arrive after working days", "3"),
    Field("support", "Wage support, a month"),
    Field("support_after", "received after months", "1"),
)
OWED = (
    Field("loan", "Loan payments, a month"),
    Field("loan_left", "payments left", "36"),
    Field("loan_rate", "at a rate a year of", "6 %"),
    Field("lease", "Leases and rented equipment, a month"),
    Field("lease_left", "payments left", "36"),
    Field("lease_rate", "at a rate a year of", "6 %"),
    Field("tax", "Sales tax to be paid", hint="such as 9000 every 3 months from Jan 27"),
)
FIELDS = tuple(one.name for one in (*THERE_IS, *COMES_LATER, *OWED))


@dataclass
class _Start:
    """The edits of a first plan as they are gathered.

    Parameters
    ----------
    owners : what of the opening balances is the owners': cash and what is coming, less what is owed.
    """

    model: Model
    form: "MultiDict[str, str]"
    taken: set[str]
    made: list[Apply] = field(default_factory=list)
    named: dict[str, str] = field(default_factory=dict)
    cash: float = 0.0
    owners: float = 0.0
    counted: int = 0

    def text(self, key: str) -> str:
        """What a field holds; what it is shown with where it was not sent."""
        return self.form.get(key, _field(key).usual).strip()

    def number(self, key: str) -> float:
        text = self.text(key)
        try:
            return formats.read_number(text) if text else 0.0
        except InvalidValue as fault:
            raise _at(key, fault) from fault

    def share(self, key: str) -> float:
        try:
            share = formats.read_number((self.text(key) or "0").removesuffix("%")) / 100
        except InvalidValue as fault:
            raise _at(key, fault) from fault
        if not 0 <= share <= 1:
            raise InvalidValue(f"{_label(key)}: expected 0 % to 100 %; got “{self.text(key)}”.")
        return share

    def whole(self, key: str, most: int, least: int = 1) -> int:
        text = self.text(key)
        if not text.isascii() or not text.isdecimal() or not least <= int(text[:6]) <= most:
            raise InvalidValue(f"{_label(key)}: expected a whole number from {least} to {most}; got “{text}”.")
        return int(text)

    def rule(self, key: str) -> Any:
        """What is typed as a file keeps it."""
        try:
            return write_rule(RULES, read_phrase(self.text(key), self.model.currency, self.model.timeline.start))
        except WideforkError as fault:
            raise _at(key, fault) from fault

    def schedule(self, kind: str, label: str, settings: Mapping[str, Any]) -> str:
        name = name_from(label, self.taken)
        self.taken.add(name)
        self.made.append(edits.add_schedule(kind, name, label, dict(settings), ""))
        self.counted += 1
        return name


def _field(key: str) -> Field:
    return next(one for one in (*THERE_IS, *COMES_LATER, *OWED) if one.name == key)


def _label(key: str) -> str:
    groups = (THERE_IS, COMES_LATER, OWED)
    group, place = next((g, n) for g in groups for n, one in enumerate(g) if one.name == key)
    label = group[place].label
    # A field that goes on from the one before it is named by that one.
    head = next(one.label for one in reversed(group[: place + 1]) if one.label[0].isupper())
    return label if label == head else f"{head}, {label}"


def _at(key: str, fault: WideforkError) -> InvalidValue:
    return InvalidValue(f"{_label(key)}: {getattr(fault, 'sentence', fault)}")


def start_edit(model: Model, form: "MultiDict[str, str]") -> Apply:
    """Return the edit that makes a first plan of receipts and payments from a list; amounts have their tax in them.

    Raises
    ------
    InvalidValue: not a single amount; a field that cannot be read, by its label.
    """
    start = _Start(model, form, {*model.line_by_name, *(given.name for given in model.schedules)})
    section = name_from(_SECTION)
    if all(known.name != section for known in model.sections):
        start.made.append(edits.add_section(section, _SECTION, "as they move in the bank, tax included", ""))
    _write_rows(start, section)
    if start.text("bank"):
        start.cash = start.number("bank")
        start.owners += start.cash
    for write in (_limit, _under_way, _late, _cards, _support, _loan, _lease, _tax):
        write(start)
    if not start.counted:
        raise InvalidValue("Give at least one amount a month, such as what customers pay or the rent.")
    if start.owners or start.cash:
        opening = {"cash": start.cash, "retained_earnings": start.owners}
        start.made.append(edits.change_model("", opening_balances=opening))
    return together(start.made, "First plan of receipts and payments")


def _write_rows(start: _Start, section: str) -> None:
    known = {"in": dict(USUAL_RECEIPTS), "out": dict(USUAL_OUTGOINGS)}
    form = start.form
    for label, side, text in zip(form.getlist("label"), form.getlist("side"), form.getlist("amount"), strict=False):
        if not text.strip() or not label.strip():
            continue
        try:
            rule = read_phrase(text.strip(), start.model.currency, start.model.timeline.start)
        except WideforkError as fault:
            raise InvalidValue(f"{label}: {getattr(fault, 'sentence', fault)}") from fault
        way = "in" if side == "in" else "out"
        caption = known[way].get(label, "revenue" if way == "in" else "administration_costs")
        name = name_from(label if side == "out" else f"{label} in", start.taken)
        start.taken.add(name)
        if way == "in":
            start.named[label] = name
        line = Line(name, label.strip()[:60], start.model.currency, section, rules={(): rule}, posts_to=caption)
        start.made.append(edits.add_line(line, ""))
        start.counted += 1


def _limit(start: _Start) -> None:
    if start.text("limit"):
        settings = {"limit": start.rule("limit"), "rate": start.share("limit_rate")}
        start.schedule("overdraft", "Overdraft", settings)


def _under_way(start: _Start) -> None:
    """What was earned before the plan and is on its way: a receivable that arrives on its day, and no income."""
    amount = start.number("under_way")
    if not amount:
        return
    first = start.model.timeline.first_plan
    after = start.whole("under_way_days", 20)
    settings = {"caption": "other_receivables", "added": 0, "taken": {"one_off": {str(first): amount}},
                "opening_balance": amount}  # fmt: skip
    name = start.schedule("other_balance", "Money under way", settings)
    day = DayRule(arrival_day(first, after))
    start.made.append(edits.set_days(f"{name}_paid_out", day, ""))
    start.owners += amount


def _late(start: _Start) -> None:
    share, owed = start.share("late_share"), start.number("owed_before")
    if not share and not owed:
        return
    if CUSTOMERS not in start.named:
        raise InvalidValue(f"{_label('late_share')}: give what comes in under “{CUSTOMERS}”, of which it is a share.")
    if not share:
        raise InvalidValue(f"{_label('owed_before')}: give the share of customers who pay late, so that it runs off.")
    months = start.whole("late_months", 6)
    settings = {"of": [start.named[CUSTOMERS]], "method": "shares", "share_0": 1 - share, f"share_{months}": share,
                "opening_balance": owed}  # fmt: skip
    start.schedule("receivables", "Late payers", settings)
    start.owners += owed


def _cards(start: _Start) -> None:
    if CARDS not in start.named or not start.text("card_days") or start.text("card_days") == "0":
        return
    after = start.whole("card_days", 20)
    days = round(after * _DAYS_A_MONTH / _WORKING_DAYS_A_MONTH, 1)
    name = start.schedule("receivables", "Card sales under way", {"of": [start.named[CARDS]], "days": days})
    start.made.append(edits.set_under_way([*start.model.liquidity.under_way, name], after, ""))


def _support(start: _Start) -> None:
    if start.text("support"):
        settings = {"granted": start.rule("support"), "treatment": "income",
                    "received_after": start.whole("support_after", 24, least=0)}  # fmt: skip
        start.schedule("grant", "Wage support", settings)


def _loan(start: _Start) -> None:
    """Owed is what the payments left are worth at the rate, so that a month's payment is the one given."""
    payment = start.number("loan")
    if payment:
        months, rate = start.whole("loan_left", 600), start.share("loan_rate")
        owed = payment * annuity(rate / 12, months)
        settings = {"opening_balance": owed, "rate": rate, "term_months": months, "repayment": "level"}
        start.schedule("loan", "Loan", settings)
        start.owners -= owed


def _lease(start: _Start) -> None:
    """The asset stands at what is owed for it."""
    payment = start.number("lease")
    if payment:
        months, rate = start.whole("lease_left", 600), start.share("lease_rate")
        owed = payment * annuity(rate / 12, months)
        settings = {"payment": payment, "term_months": months, "rate": rate, "opening_liability": owed,
                    "opening_asset": owed}  # fmt: skip
        start.schedule("lease", "Lease", settings)


def _tax(start: _Start) -> None:
    if start.text("tax"):
        start.schedule("sales_tax", "Sales tax", {"known_payments": start.rule("tax")})
