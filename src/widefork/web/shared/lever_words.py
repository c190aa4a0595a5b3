"""What is moved, by how much, and why a curve bends, in words."""

from widefork.core.analysis.grid import line_phrase
from widefork.core.analysis.sensitivity import Axis, Bend, Moved, Of, Stretch
from widefork.core.axes import Month
from widefork.core.changes import Operation
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.model import Model
from widefork.core.language import syntax
from widefork.core.language.printing import print_formula
from widefork.core.language.syntax import Node
from widefork.core.lines import Line
from widefork.web.shared import formats

LONGEST_PIECE = 44
MOST_LISTED = 400


def moved_words(model: Model, moved: Moved) -> str:
    """Return what is moved: ``Kit price``, ``Kit price, Coast``, ``Kit price with 2 more``."""
    label = model.line(moved.lines[0]).label
    if len(moved.lines) > 1:
        return f"{label} with {len(moved.lines) - 1} more"
    where = ", ".join(member for _, member in moved.members)
    return f"{label}, {where}" if where else label


def percent(share: float) -> str:
    """Return a share as a change: ``+9.0 %``, ``−12.5 %``, ``0 %``."""
    text = formats.plain_number(share * 100, 1).removesuffix(".0")
    return f"+{text} %" if share > 0 and text.strip("0.") else f"{text} %"


def amount_words(model: Model, stretch: Stretch, amount: float) -> str:
    """Return an amount of what is moved: a change in per cent, a value, a difference, or how far several went."""
    way = stretch.ways[0]
    if stretch.is_single:
        return step_words(model.line(way.line), way.operation, amount)
    reaches = {(each.operation, each.low, each.high) for each in stretch.ways}
    if len(reaches) == 1 and way.operation is Operation.SCALE:
        return percent(amount * (way.high - 1) if amount > 0 else amount * (1 - way.low))
    if not amount:
        return "as planned"
    return f"{formats.plain_number(abs(amount) * 100, 0)} % of the way {'up' if amount > 0 else 'down'}"


def step_words(line: Line, operation: Operation, amount: float) -> str:
    """Return what an operation does to a line."""
    match operation:
        case Operation.SCALE:
            return percent(amount - 1)
        case Operation.ADD:
            return formats.exact_difference(amount, line.unit) if amount else "as planned"
        case Operation.DELAY:
            return f"{amount:g} month{'' if amount == 1 else 's'} later" if amount else "as planned"
    return formats.amount(amount, line.unit)


def end_words(model: Model, stretch: Stretch, amount: float) -> str:
    """Return the value an end comes to, where it is one; else the change."""
    if stretch.is_single:
        way = stretch.ways[0]
        value = way.becomes(amount)
        if value == value:
            return formats.amount(value, model.line(way.line).unit)
    return amount_words(model, stretch, amount)


def bend_words(model: Model, stretch: Stretch, bend: Bend, figure: Figure, slope_of: str) -> tuple[str, str]:
    """Return where a curve bends with its reason in a few words, and in a sentence."""
    at = amount_words(model, stretch, bend.amount)
    slopes = f"before it {slope_of} is worth {_slope(bend.before)}, from there on {_slope(bend.after)}"
    if not bend.line:
        if bend.month is None:
            return f"{at}: bends", f"At {at} the curve bends, for no one reason: {slopes}."
        short = f"{at}: {bend.month.label} decides"
        return short, f"From {at} on the month that decides {figure.label} is {bend.month.label}; {slopes}."
    line = model.line(bend.line)
    where = "".join(f", {member}" for member in bend.members)
    when = f" in {bend.month.label}" if bend.month is not None else ""
    if bend.left is None:
        holds = "holds" if bend.holds else "no longer holds"
        said = f"{line.label}{where}: {_piece(model, bend.taken)} {holds}, first{when}"
    else:
        said = f"{line.label}{where} is {_piece(model, bend.taken)} instead of {_piece(model, bend.left)}, first{when}"
    return f"{at}:{when.removeprefix(' in') or f' {line.label}'}", f"From {at} on {said}; {slopes}."


def _slope(value: float) -> str:
    return formats.plain_number(value, 0 if abs(value) >= 10 else 2)


def _piece(model: Model, node: Node | None) -> str:
    """A piece of a formula: the label of a line, else as it is written."""
    if isinstance(node, syntax.Name) and node.name in model.line_by_name:
        return model.line(node.name).label
    text = print_formula(node) if node is not None else "nothing"
    return formats.shortened(text, LONGEST_PIECE)


def read_goal(figure: Figure, line: Line, text: str) -> float | None:
    """Return the goal typed for a figure, in its unit, a running number for a month; None for nothing.

    Raises
    ------
    InvalidValue: neither an amount nor, for a figure that is a month, a month.
    """
    said = text.strip()
    if not said:
        return None
    if figure.reduction.gives_month:
        return float(Month.parse(said).ordinal)
    value = formats.read_number(said.removesuffix("%").strip())
    if "%" in said and not line.unit.startswith("%"):
        raise InvalidValue(f"{figure.label} is in {line.unit or 'plain numbers'}, not in per cent; got “{said}”.")
    return value / 100 if line.unit.startswith("%") else value


def axis_words(model: Model, axis: Axis, amount: float) -> str:
    """Return an amount along a side as it is read."""
    match axis.of:
        case Of.START:
            return Month.from_ordinal(int(amount)).label
        case Of.STRENGTH:
            return percent(amount).lstrip("+")
    return step_words(model.line(axis.name), axis.operation, amount)


def lever_phrases(model: Model) -> tuple[str, ...]:
    """Return what can be named as a lever: assumptions, moves by start and strength, members of assumptions."""
    lines = [line for line in model.lines if line.is_assumption][:MOST_LISTED]
    phrases = {line.name: line_phrase(model, line.name) for line in lines}
    members = [
        f"{phrases[line.name]} at {', '.join(key)}" for line in lines if line.dimensions for key in model.keys_of(line)
    ][:MOST_LISTED]
    moves = [f"{way} of {move.label}" for move in model.moves for way in ("start", "strength")]
    return (*phrases.values(), *moves, *members)
