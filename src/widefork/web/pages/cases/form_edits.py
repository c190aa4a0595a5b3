"""What the page's forms say, as steps of cases."""

from widefork.core.axes import Month
from widefork.core.changes import MOST_STRENGTH, Case, Change, Layer, Move, Operation, Switch, plan_months
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.graph.model import Model
from widefork.core.lines import Line
from widefork.web.shared import formats
from widefork.web.shared.rule_words import read_amount

LONGEST_LABEL, LONGEST_NOTE = 40, 240
MOST_DIGITS = 4
GONE = "That step is no longer there; somebody may have changed the case. Reload the page."


def read_label(text: str) -> str:
    """Return a case's or move's name as typed; raise InvalidValue for none or one too long."""
    label = " ".join(text.split())
    if not label or len(label) > LONGEST_LABEL:
        raise InvalidValue(f"A name has 1 to {LONGEST_LABEL} letters, such as “Late grant”.")
    return label


def read_note(text: str) -> str:
    """Return a note as typed; raise InvalidValue for one too long."""
    note = " ".join(text.split())
    if len(note) > LONGEST_NOTE:
        raise InvalidValue(f"A note has up to {LONGEST_NOTE} letters; this one has {len(note)}.")
    return note


def read_weight(text: str) -> float | None:
    """Return a weight as a share; None for an empty field, a case that is a choice."""
    given = text.strip().removesuffix("%").strip()
    if not given:
        return None
    weight = formats.read_number(given) / 100
    if not 0 <= weight <= 1:
        raise InvalidValue(f"A weight lies between 0 and 100 %; “{text.strip()}” was given.")
    return weight


def read_month(text: str, what: str) -> Month | None:
    """Return a month of a form; None for an empty field."""
    if not text.strip():
        return None
    try:
        return Month.parse(text.strip())
    except InvalidValue:
        raise InvalidValue(f"Expected {what} like 2027-04; got “{text.strip()}”.") from None


def read_strength(text: str) -> float:
    """Return how much of a move happens, from a percentage."""
    strength = formats.read_number(text.strip().removesuffix("%").strip() or "100") / 100
    if not 0 <= strength <= MOST_STRENGTH:
        raise InvalidValue(f"A strength lies between 0 and 150 %; “{text.strip()}” was given.")
    return strength


def read_change(form: "Form", model: Model, line: Line, was: Change | None) -> Change:
    """Return the change the strip's form says.

    Parameters
    ----------
    was : the step it is written over: its name stays, and amounts that differ by month where none is typed.

    Raises
    ------
    InvalidValue: an amount that cannot be read, months the wrong way round or all of them history.
    UnknownName: no such member.
    """
    operation = formats.read_choice(Operation, form.text("operation"), "what to do")
    typed = form.text("amount").strip()
    course = was.course if was is not None and not typed and operation is was.operation else None
    first, last = read_month(form.text("first"), "the first month"), read_month(form.text("last"), "the last month")
    if first is not None and last is not None and last < first:
        raise InvalidValue(f"{last.label} lies before {first.label}. Swap them, or leave the last month empty.")
    change = Change(
        line.name,
        operation,
        was.amount if course is not None and was is not None else _amount(operation, typed, line),
        tuple(_member(text, model) for text in form.texts("members")),
        first,
        last,
        read_note(form.text("note")),
        _catch_up(form.text("catch_up")) if operation is Operation.DEFER else 0,
        was.strength if was is not None else 1.0,
        was.name if was is not None else "",
        course,
    )
    span = plan_months(change, model.timeline)
    if span.start >= span.stop:
        begin = model.timeline.first_plan.label
        raise InvalidValue(f"Actual months are history and stay as they are; choose a month from {begin} on.")
    return change


class Form:
    """A form's fields as text, missing ones empty."""

    def __init__(self, fields: "dict[str, list[str]]") -> None:
        self._fields = fields

    def text(self, name: str) -> str:
        """Return a field's text."""
        return next(iter(self._fields.get(name, ())), "")

    def texts(self, name: str) -> list[str]:
        """Return all texts of a field that may be there more than once."""
        return [text for text in self._fields.get(name, ()) if text]


def _amount(operation: Operation, typed: str, line: Line) -> float:
    if operation is Operation.STOP:
        return 0.0
    if not typed:
        raise InvalidValue("Expected an amount, got nothing. Type one like 1250 or 49.50.")
    if operation in (Operation.SET, Operation.ADD):
        return read_amount(typed, line.unit)
    number = formats.read_number(typed.removesuffix("%").strip())
    if operation is Operation.SCALE:
        return number / 100 if typed.endswith("%") else number
    return number / 100 if operation is Operation.DEFER else number


def _catch_up(text: str) -> int:
    if not text.strip().isdecimal() or not 1 <= int(text) <= 240:
        raise InvalidValue(f"Expected over how many months it is caught up, 1 to 240; got “{text.strip()}”.")
    return int(text)


def _member(text: str, model: Model) -> tuple[str, str]:
    dimension, _, member = text.partition("/")
    if dimension not in model.dimension_by_name:
        raise UnknownName("dimension", dimension, model.dimension_by_name)
    if member not in model.dimension_by_name[dimension].members:
        raise UnknownName(f"member of {dimension}", member, model.dimension_by_name[dimension].members)
    return dimension, member


def named_move(model: Model, name: str) -> Move:
    """Return a move; raise UnknownName."""
    if name not in model.move_by_name:
        raise UnknownName("move", name, model.move_by_name)
    return model.move_by_name[name]


def read_switch(form: "Form", model: Model, case: Case, move: Move) -> Switch:
    """Return from when and how strongly a form wants a move on; its own start is said by none.

    The form gives a start and a strength, or what was ``typed`` (a month, or a percentage), or by how many months and
    how much of a strength it is nudged; what it leaves out is as it stands in the case.
    """
    steps = [layer.step for layer in model.family.layers_of(case.name) if layer.move == move.name]
    standing = next((step for step in steps if isinstance(step, Switch)), Switch(move.name))
    start, strength = standing.start or move.start, standing.strength
    typed = form.text("typed").strip()
    if typed and (typed.endswith("%") or typed.replace(",", ".").replace(".", "", 1).isdecimal()):
        strength = read_strength(typed)
    elif typed:
        start = _month_typed(typed)
    elif form.text("by") or form.text("more"):
        start = start.plus(_whole(form.text("by")))
        strength = min(max(0.0, round(strength + _whole(form.text("more")) / 100, 6)), MOST_STRENGTH)
    else:
        start = read_month(form.text("start"), "the month it starts") or move.start
        strength = read_strength(form.text("strength"))
    return Switch(move.name, None if start == move.start else start, strength)


def _month_typed(text: str) -> Month:
    try:
        return Month.parse(text[:1].upper() + text[1:])
    except InvalidValue:
        raise InvalidValue(f"Type a month such as Feb 27, or a strength such as 80 %; got “{text}”.") from None


def _whole(text: str) -> int:
    sign, digits = ("-", text[1:]) if text.startswith("-") else ("", text)
    if text and (not digits.isdecimal() or len(digits) > MOST_DIGITS):
        raise InvalidValue(f"Expected a whole number of months or per cent; got “{text}”.")
    return int(f"{sign}{digits}") if text else 0


def layer_at(model: Model, case: str, at: str) -> Layer:
    """Return the step a form speaks of, by its place among all of a case's; raise InvalidValue where it has gone."""
    stack = model.family.layers_of(case)
    if not at.isdecimal() or int(at) >= len(stack):
        raise InvalidValue(GONE)
    return stack[int(at)]


def place_of(case: Case, layer: Layer) -> int:
    """Return a step's place among a case's own; raise InvalidValue for one of another case."""
    for place, step in enumerate(case.steps):
        if step is layer.step:
            return place
    raise InvalidValue(GONE)
