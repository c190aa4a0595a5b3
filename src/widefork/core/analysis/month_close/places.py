"""Where an account of the books may go in a model."""

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from enum import StrEnum

from widefork.core.finance.assemble import write_schedules
from widefork.core.finance.books import CLOSED_BALANCES, CLOSED_INCOME, overdrafts
from widefork.core.finance.statements import CAPTION_BY_NAME, Statement
from widefork.core.finance.statements.captions import CURRENT_ASSETS, INCOME, LONG_ASSETS
from widefork.core.graph.plan import Plan
from widefork.core.lines import Line, MemberKey

NEAR_ENOUGH = 0.82
"""How alike an account's name and a place's need to be to be proposed, from 0 to 1; chosen by trying."""


USUAL_NAMES: Mapping[str, frozenset[str]] = {
    name: frozenset(said.split(", "))
    for name, said in {
        "cash": "bank, bank account, bank accounts, cash at bank, cash in hand, cash at bank and in hand, petty cash, "
        "cash and cash equivalents, current account, bank current account",
        "receivables": "debtors, trade debtors, trade receivables, accounts receivable, customers, "
        "sales ledger control",
        "other_receivables": "other debtors, sundry debtors",
        "inventory": "stock, stocks, closing stock, inventories, finished goods, raw materials",
        "prepaid_costs": "prepayments, prepaid expenses, prepayments and accrued income",
        "property_and_equipment": "fixed assets, tangible fixed assets, property plant and equipment, "
        "plant and machinery, equipment, office equipment, motor vehicles, fixtures and fittings",
        "intangible_assets": "intangible fixed assets, intangibles, goodwill, software",
        "right_of_use_assets": "right of use assets",
        "payables": "creditors, trade creditors, trade payables, accounts payable, suppliers, purchase ledger control",
        "sales_tax_payable": "vat, vat payable, vat liability, vat control, sales tax, output tax, gst payable",
        "payroll_liabilities": "wages payable, salaries payable, net wages, paye, payroll taxes, social security, "
        "social security payable, payroll liabilities",
        "accrued_costs": "accruals, accrued expenses, accrued liabilities",
        "deferred_revenue": "deferred income, contract liabilities, unearned revenue, payments on account, "
        "customer prepayments",
        "tax_payable": "corporation tax, corporation tax payable, income tax payable, tax provision, "
        "income taxes payable",
        "overdraft": "bank overdraft",
        "loans": "bank loan, bank loans, borrowings, loan payable, loans payable, long term loan, term loan",
        "leases": "lease liabilities, finance leases, lease liability",
        "other_liabilities": "other creditors, sundry creditors, other payables",
        "revenue": "sales, turnover, net sales, sales revenue, total revenue",
        "cost_of_sales": "cost of goods sold, cogs, purchases, direct costs, cost of revenue",
        "people_costs": "wages, salaries, wages and salaries, staff costs, payroll, personnel costs, people costs",
        "premises_costs": "rent and rates, occupancy costs",
        "marketing_costs": "advertising, advertising and marketing, sales and marketing",
        "administration_costs": "administrative expenses, admin expenses, general and administrative, office costs",
        "bad_debts": "bad debt expense, bad debts written off",
        "depreciation": "depreciation expense, depreciation and amortization, amortisation, amortization",
        "interest_expense": "interest paid, interest payable, bank interest paid, finance costs, loan interest",
        "interest_income": "interest received, interest receivable, bank interest received",
        "income_tax": "tax expense, corporation tax expense, income tax expense, tax on profit",
        "other_income": "sundry income, other operating income",
        "equity": "share capital, ordinary shares, capital, owners equity, shareholders equity, retained earnings, "
        "retained profits, reserves, profit and loss account, total equity, called up share capital",
    }.items()
}
"""By caption, what accounts are usually called (common practice), as ``_bare`` leaves them."""


class Nature(StrEnum):
    """On which side of the books an account stands; each is positive in its natural sense."""

    INCOME = "income"
    COST = "costs"
    ASSET = "assets"
    OWED = "what is owed"
    EQUITY = "equity"
    QUANTITY = "quantities"
    RATE = "prices and rates"


@dataclass(frozen=True)
class Place:
    """A place for figures of the books.

    Parameters
    ----------
    name : line or caption; empty for what is compared only. members : of a line of the user's own, () for all.
    parts : a schedule's balances the figure is shared out to; empty where it is the line's own.
    """

    name: str
    members: MemberKey
    label: str
    nature: Nature
    parts: tuple[str, ...] = ()


_WHOLE, _COMPARED = ", as a whole", ", compared only"
_ASSETS = frozenset(name for name, _ in (*CURRENT_ASSETS, *LONG_ASSETS))
_PARTED = {"loans": "Loans", "leases": "Leases owed"}


def places_of(plan: Plan) -> tuple[Place, ...]:
    """Return every place, in the order of the statements and then of the model's own lines; labels are unique.

    Parameters
    ----------
    plan : a model with all its lines.
    """
    found = [Place("cash", (), "Cash", Nature.ASSET), *_balances(plan)]
    found.append(Place("", (), f"Equity{_COMPARED}", Nature.EQUITY))
    return _told_apart([*found, *_income(plan), *_lines(plan)], plan)


def _balances(plan: Plan) -> list[Place]:
    """Captions of the balance sheet, shared out to the balances schedules keep of them, and each of these."""
    model = plan.model
    kept: dict[str, list[str]] = {}
    for draft in write_schedules(model):
        for roll in draft.rolls:
            kept.setdefault(roll.caption, []).append(roll.balance)
    if overdrafts(model):
        kept["overdraft"] = list(overdrafts(model))
    found = []
    for caption in (*CLOSED_BALANCES, *(name for name in ("overdraft", *_PARTED) if name in kept)):
        label = _PARTED.get(caption) or CAPTION_BY_NAME[caption].label
        nature = Nature.ASSET if caption in _ASSETS else Nature.OWED
        parts = tuple(kept.get(caption, ()))
        found.append(Place(caption, (), label, nature, parts))
        if len(parts) > 1:
            found += [Place(name, (), f"{label}: {_short(model.line(name))}", nature, (name,)) for name in parts]
    return found


def _income(plan: Plan) -> Iterator[Place]:
    """Captions of the income statement as a whole; where one line alone makes a caption, that line is the whole."""
    model = plan.model
    for caption in CLOSED_INCOME:
        within = {row.name for row in model.statements.rows if row.within == caption}
        posted = [line for line in model.lines if line.posts_to == caption or line.posts_to in within]
        if sum(not line.name.startswith("unexplained_") for line in posted) != 1:
            yield Place(caption, (), f"{CAPTION_BY_NAME[caption].label}{_WHOLE}", _side(caption))


def _lines(plan: Plan) -> Iterator[Place]:
    """The user's own lines with their members, and what schedules charge or earn."""
    model = plan.model
    within = {row.name: row.within for row in model.statements.rows}
    for line in model.lines:
        if line.is_generated:
            if line.posts_to in _OF_INCOME and not line.name.startswith("unexplained_") and not line.dimensions:
                yield Place(line.name, (), line.label, _side(line.posts_to))
            continue
        nature = _nature(line, within)
        yield Place(line.name, (), line.label, nature)
        if line.dimensions:
            for key in model.keys_of(line):
                yield Place(line.name, key, f"{line.label}: {', '.join(key)}", nature)


_OF_INCOME = frozenset(caption.name for caption in INCOME)


def _short(line: Line) -> str:
    return line.label.split(":")[0]


def _side(caption: str) -> Nature:
    known = CAPTION_BY_NAME[caption]
    return Nature.COST if known.statement is Statement.INCOME and known.subtracts else Nature.INCOME


def _nature(line: Line, within: Mapping[str, str]) -> Nature:
    caption = within.get(line.posts_to, line.posts_to)
    if caption in _OF_INCOME:
        return _side(caption)
    return Nature.RATE if "/" in line.unit or line.unit.startswith("%") else Nature.QUANTITY


def _told_apart(found: list[Place], plan: Plan) -> tuple[Place, ...]:
    """Places with labels no two share: what is called alike says its section too."""
    labels = [place.label.lower() for place in found]
    sections = {section.name: section.label for section in plan.model.sections}
    taken: set[str] = set()
    told = []
    for place in found:
        label = place.label
        if labels.count(label.lower()) > 1 and place.name in plan.model.line_by_name:
            label = f"{label} ({sections[plan.model.line(place.name).section]})"
        while label.lower() in taken:
            label += f" ({place.name})"
        taken.add(label.lower())
        told.append(Place(place.name, place.members, label, place.nature, place.parts))
    return tuple(told)


def guess(account: str, places: tuple[Place, ...]) -> Place | None:
    """Return the place whose name is an account's, or nearly; None where none is near enough to propose.

    Prices and rates are never proposed: books hold amounts.
    """
    known = [place for place in places if place.nature is not Nature.RATE]
    for place in known:
        if place.label.lower() == account.strip().lower():
            return place
    wanted = _bare(account)
    usual = next((name for name, said in USUAL_NAMES.items() if wanted in said), "")
    found = next((place for place in known if _is_usual(place, usual)), None)
    if found is not None:
        return found
    by_name = {_bare(place.label.removesuffix(_WHOLE).removesuffix(_COMPARED)): place for place in reversed(known)}
    if wanted in by_name:
        return by_name[wanted]
    words = set(wanted.split())
    within = [name for name in by_name if words and (words <= set(name.split()) or set(name.split()) <= words)]
    if len(within) == 1:
        return by_name[within[0]]
    near = get_close_matches(wanted, by_name, 1, NEAR_ENOUGH)
    return by_name[near[0]] if near else None


def _is_usual(place: Place, usual: str) -> bool:
    if usual == "equity":
        return place.nature is Nature.EQUITY
    return bool(usual) and place.name == usual and not place.members


def _bare(text: str) -> str:
    """A name without its number and punctuation, for comparing."""
    return " ".join(re.findall(r"[^\W\d_]+", text.lower()))
