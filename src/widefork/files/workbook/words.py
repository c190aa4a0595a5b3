"""Rules, formulas and steps in words, as they stand beside the cells that hold them."""

from widefork.core.changes import Change, Operation
from widefork.core.graph.model import Model
from widefork.core.language import syntax
from widefork.core.language.printing import print_formula
from widefork.core.language.syntax import Node
from widefork.core.lines import Line, MemberKey
from widefork.files.workbook.given import rule_cells

_LONGEST = 32_000
"""Characters a cell may hold, and some to spare."""


def rule_words(line: Line, key: MemberKey) -> str:
    """Return an assumption's rule; of one whose months are its parameters only what it is."""
    rule = line.rules.get(key, line.rules.get(()))
    if rule is None:
        return ""
    said = rule.words(lambda value: amount_words(value, line.unit))
    return (said if rule_cells(rule) is not None else said.partition(":")[0])[:_LONGEST]


def amount_words(value: float, unit: str) -> str:
    """Return an amount with all its digits, a share in percent."""
    return f"{round(value * 100, 10):,g} %" if unit.startswith("%") else f"{value:,.10g}"


def formula_words(tree: Node, model: Model) -> str:
    """Return a formula with labels in place of names."""

    def label(node: Node) -> str | None:
        if isinstance(node, syntax.Name) and node.name in model.line_by_name:
            return model.line_by_name[node.name].label
        if isinstance(node, syntax.At) and node.name in model.line_by_name:
            return f"{model.line_by_name[node.name].label} at {node.member}"
        return None

    return print_formula(tree, label).replace(" * ", " × ")[:_LONGEST]


def step_words(change: Change, unit: str) -> str:
    """Return what a step does."""
    amount = amount_words(change.amount, unit)
    match change.operation:
        case Operation.SET:
            said = "by month" if change.course is not None else f"set to {amount}"
        case Operation.ADD:
            by = amount_words(abs(change.amount), unit)
            said = "more, by month" if change.course is not None else f"{by} {'less' if change.amount < 0 else 'more'}"
        case Operation.SCALE:
            said = "factors by month" if change.course is not None else f"times {change.amount:g}"
        case Operation.DELAY:
            said = f"{change.amount:g} months later"
        case Operation.DEFER:
            said = f"{amount_words(change.amount, '%')} put off, caught up over {change.catch_up_months} months"
        case _:
            said = "stopped"
    return f"{said}: {change.note}" if change.note else said


def range_words(line: Line) -> str:
    """Return between what values an assumption may plausibly lie; empty where nobody said."""
    likely = line.plausible
    if likely is None:
        return ""
    if likely.is_relative:
        return f"{likely.low * 100:+g} % to {likely.high * 100:+g} %"
    return f"{amount_words(likely.low, line.unit)} to {amount_words(likely.high, line.unit)}"
