"""The Waterline's edits: the lowest level, days, money under way, and a first plan of receipts and payments."""

from collections.abc import Mapping

from werkzeug.datastructures import MultiDict

from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model
from widefork.core.lines import Line
from widefork.core.liquidity import DayRule
from widefork.core.rules import RULES, read_rule
from widefork.store import edits
from widefork.store.edits import Apply, together
from widefork.web.pages.waterline.view import USUAL_OUTGOINGS, USUAL_RECEIPTS
from widefork.web.shared import formats
from widefork.web.shared.naming import name_from
from widefork.web.shared.rule_words import read_phrase

Form = Mapping[str, str]
_SECTION = "Receipts and payments"


def level_edit(model: Model, form: Form) -> Apply:
    """Return the edit of the lowest level allowed; an empty text goes back to what the overdraft allows."""
    text = form.get("level", "").strip()
    if not text:
        return edits.set_lowest_level(None, "Lowest level allowed: what the overdraft allows")
    rule = read_phrase(text, model.currency)
    return edits.set_lowest_level(rule, f"Lowest level allowed: {text}")


def days_edit(model: Model, form: Form) -> Apply:
    """Return the edit of when in the month a receipt or payment moves."""
    line, text = form.get("line", ""), form.get("days", "").strip()
    label = model.line(line).label
    rule = DayRule.parse(text) if text else None
    return edits.set_days(line, rule, f"{label}: {rule.words if rule else 'on its usual days'}")


def under_way_edit(form: "MultiDict[str, str]") -> Apply:
    """Return the edit of which receivables count as money under way."""
    names = form.getlist("schedule")
    return edits.set_under_way(names, f"Money under way: {', '.join(names) or 'none'}")


def start_edit(model: Model, form: "MultiDict[str, str]") -> Apply:
    """Return the edit that makes a first plan of receipts and payments from a list; amounts have their tax in them.

    Raises
    ------
    InvalidValue: not a single amount.
    """
    known = {"in": dict(USUAL_RECEIPTS), "out": dict(USUAL_OUTGOINGS)}
    taken = set(model.line_by_name)
    section = name_from(_SECTION)
    made: list[Apply] = []
    if all(known_one.name != section for known_one in model.sections):
        made.append(edits.add_section(section, _SECTION, "as they move in the bank, tax included", ""))
    count = len(made)
    first = model.timeline.first_plan
    for label, side, text in zip(form.getlist("label"), form.getlist("side"), form.getlist("amount"), strict=False):
        if not text.strip() or not label.strip():
            continue
        rule = read_phrase(text.strip(), model.currency)
        way = "in" if side == "in" else "out"
        caption = known[way].get(label, "revenue" if way == "in" else "administration_costs")
        name = name_from(label if side == "out" else f"{label} in", taken)
        taken.add(name)
        line = Line(name, label.strip()[:60], model.currency, section, rules={(): rule}, posts_to=caption)
        made.append(edits.add_line(line, ""))
    if len(made) == count:
        raise InvalidValue("Give at least one amount a month, such as what customers pay or the rent.")
    bank = form.get("bank", "").strip()
    if bank:
        cash = formats.read_number(bank)
        # What is in the bank is the owners' until somebody says otherwise: the opening balance sheet balances.
        made.append(edits.change_model("", opening_balances={"cash": cash, "retained_earnings": cash}))
    arriving = form.get("under_way", "").strip()
    if arriving:
        amount = formats.read_number(arriving)
        rule = read_rule(RULES, {"one_off": {str(first): amount}})
        name = name_from("money under way", taken)
        made.append(edits.add_line(
            Line(name, "Money under way, arriving", model.currency, section, rules={(): rule}, posts_to="other_income"),
            ""))  # fmt: skip
    return together(made, "First plan of receipts and payments")
