"""The Waterline's edits: the lowest level, days and money under way."""

from collections.abc import Mapping

from werkzeug.datastructures import MultiDict

from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model
from widefork.core.liquidity import MOST_DAYS_UNDER_WAY, DayRule
from widefork.store import edits
from widefork.store.edits import Apply
from widefork.web.shared.rule_words import exact_phrase, read_phrase

Form = Mapping[str, str]


def level_edit(model: Model, form: Form) -> Apply:
    """Return the edit of the lowest level allowed; an empty text goes back to what the overdraft allows."""
    text = form.get("level", "").strip()
    level = model.liquidity.level
    was = "what the overdraft allows" if level is None else exact_phrase(level, model.currency).removeprefix("flat ")
    if not text:
        return edits.set_lowest_level(None, f"Lowest level allowed: {was} to what the overdraft allows")
    rule = read_phrase(text, model.currency, model.timeline.start)
    return edits.set_lowest_level(rule, f"Lowest level allowed: {was} to {text}")


def days_edit(model: Model, form: Form) -> Apply:
    """Return the edit of when in the month a receipt or payment moves."""
    line, text = form.get("line", ""), form.get("days", "").strip()
    label = model.line(line).label
    rule = DayRule.parse(text) if text else None
    known = model.liquidity.days.get(line)
    was, became = (one.words if one else "on its usual days" for one in (known, rule))
    return edits.set_days(line, rule, f"{label}: {became}, before {was}")


def under_way_edit(model: Model, form: "MultiDict[str, str]") -> Apply:
    """Return the edit of which receivables count as money under way."""
    names = form.getlist("schedule")
    typed = form.get("days", "").strip() or str(model.liquidity.under_way_days)
    if not typed.isascii() or not typed.isdecimal():
        raise InvalidValue(f"Expected working days, 1 to {MOST_DAYS_UNDER_WAY}; got “{typed}”.")
    days = int(typed[:6])
    labels = [given.label for given in model.schedules if given.name in names]
    told = f"{', '.join(labels)}, arriving on working day {days}" if labels else "none"
    return edits.set_under_way(names, days, f"Money under way: {told}")
