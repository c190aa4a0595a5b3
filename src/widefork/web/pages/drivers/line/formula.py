"""The formula editor: what a formula would give before it is used, and the words it may use."""

from dataclasses import dataclass, replace
from typing import Any

from widefork.core.axes import Month, Period
from widefork.core.engine import evaluate
from widefork.core.errors import FormulaError, WideforkError
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.counters import COUNTERS
from widefork.core.graph.model import Model
from widefork.core.graph.rollup import roll_up
from widefork.core.language.functions import FUNCTIONS
from widefork.core.lines import Line
from widefork.web.shared import formats
from widefork.web.shared.context import View, sentence_of


@dataclass(frozen=True, kw_only=True)
class Tried:
    """What a formula would give. With a fault there is no value; ``caret`` places it under the text."""

    value: str = ""
    before: str = ""
    unit: str = ""
    month: str = ""
    warnings: tuple[str, ...] = ()
    fault: str = ""
    caret: str = ""


def try_formula(view: View, line: Line, text: str, month: Month) -> Tried:
    """Return what a line would be in a month with another formula; nothing is stored.

    Only this one line is computed anew, with what it needs.
    """
    model = view.snapshot.stored.model
    if not text.strip():
        return Tried(fault="The formula is empty. Write one like units * price, or press Esc to leave it as it was.")
    changed = replace(line, formula=text.strip(), rules={})
    others = tuple(changed if other.name == line.name else other for other in model.lines)
    lines = others if line.name in model.line_by_name else (*others, changed)
    try:
        plan = build_plan(replace(model, lines=lines))
        problem = plan.problems.get(line.name)
        if problem is not None:
            caret = problem.error.caret if isinstance(problem.error, FormulaError) else ""
            return Tried(fault=problem.sentence, caret=caret)
        results = evaluate(plan, [plan.model.changes_of(view.address.case)], [line.name])
    except WideforkError as fault:
        return Tried(fault=sentence_of(fault), caret=getattr(fault, "caret", ""))
    at = [Period("", "", month, month)]
    before = ""
    if line.name in view.snapshot.model.line_by_name:
        now = roll_up(view.snapshot.results, line.name, at)[0, view.place]
        before = formats.amount(float(now), line.unit)
    return Tried(
        value=formats.amount(float(roll_up(results, line.name, at)[0, 0]), line.unit),
        before=before,
        unit="" if line.unit.startswith("%") else line.unit,
        month=month.label,
        warnings=tuple(warning.sentence for warning in plan.warnings.get(line.name, ())),
    )


def words_of(model: Model) -> list[dict[str, Any]]:
    """Return all that a formula may name: lines, functions, counters, dimensions, profiles, each with a few words."""
    lines = [{"name": line.name, "label": line.label, "aside": _aside(line), "kind": "line"} for line in model.lines]
    functions = [
        {
            "name": f"{function.name}()",
            "label": function.name.replace("_", " "),
            "aside": function.summary,
            "kind": "does",
        }
        for function in FUNCTIONS
    ]
    counters = [
        {"name": name, "label": name.replace("_", " "), "aside": said, "kind": "time"}
        for name, (said, _) in COUNTERS.items()
    ]
    flags = [{"name": flag.name, "label": flag.label, "aside": "flag", "kind": "time"} for flag in model.flags]
    curves = [{"name": p.name, "label": p.label, "aside": "profile", "kind": "curve"} for p in model.profiles]
    sides = [
        {"name": dimension.name, "label": dimension.label or dimension.name, "aside": "dimension", "kind": "side"}
        for dimension in model.dimensions
    ]
    return [*lines, *functions, *flags, *counters, *curves, *sides]


def _aside(line: Line) -> str:
    over = f"by {', '.join(line.dimensions)}" if line.dimensions else ""
    return ", ".join(part for part in (line.unit, over) if part)
