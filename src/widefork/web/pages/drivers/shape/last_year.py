"""“Last year + 6 %”: a row that grows on what it was twelve months before, the actual one where there is one.

No entry rule sees a line's actuals, so this becomes a formula, and the growth an assumption of its own that cases can
change and that can be swung.
"""

import re

from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model
from widefork.core.lines import Line, MemberKey
from widefork.core.rules import RULES, Rule, read_rule
from widefork.store.edits import Apply, add_line, make_calculated, together
from widefork.web.shared import formats
from widefork.web.shared.naming import name_from

_SAID = re.compile(r"last year(?:\s*(?P<way>[+\-−]|growing|rising|plus|falling|less)\s*(?P<rate>[^%]+)%)?", re.I)
_DOWN = ("-", "−", "falling", "less")


def read_last_year(phrase: str) -> float | None:
    """Return the growth a phrase like “last year + 6 %” says, 0.06; None where it is another phrase.

    Raises
    ------
    InvalidValue: a growth that is no number.
    """
    said = _SAID.fullmatch(" ".join(phrase.split()))
    if said is None:
        return None
    rate = formats.read_number(said["rate"]) / 100 if said["rate"] else 0.0
    return -rate if said["way"] and said["way"].lower() in _DOWN else rate


def last_year_edit(model: Model, line: Line, rate: float, sentence: str) -> Apply:
    """Return the edit that makes a line grow on last year.

    Raises
    ------
    InvalidValue: the line is a schedule's, or not all twelve months before the plan are known.
    """
    if line.is_generated:
        raise InvalidValue(f"{line.label} belongs to a schedule, which asks for a rule of its own.")
    before = () if line.dimensions else line.history
    known = [(*before, *line.actuals.get(key, ()))[-12:] for key in model.keys_of(line)]
    is_whole = all(len(line.actuals.get(key, ())) == model.timeline.actual_count for key in model.keys_of(line))
    if not is_whole or any(len(months) < 12 or any(value != value for value in months) for months in known):
        raise InvalidValue(
            f"{line.label} has no twelve months of actuals before {model.timeline.first_plan.label} to grow on. Give "
            "them first, or a growth with its base, such as “1200 growing 6 % once a year from Jan 27”."
        )
    name = name_from(f"{line.name} growth", model.line_by_name)
    label = f"{line.label}: growth on last year"
    rules: dict[MemberKey, Rule] = {(): read_rule(RULES, rate)}
    growth = Line(name, label, "%", line.section, rules=rules, note=line.note)
    formula = f"before({line.name}, 12) * (1 + {name})"
    return together([add_line(growth, "", line.name), make_calculated(line.name, formula, "")], sentence)
