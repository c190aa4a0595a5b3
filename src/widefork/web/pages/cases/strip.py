"""The strip under a row: what one case does to one line or with one move, each step to edit, drop or put back."""

from dataclasses import dataclass

from widefork.core.changes import Change, Layer, Operation, Switch
from widefork.core.lines import Line
from widefork.web.pages.cases.differs import day, entry_words, key_of
from widefork.web.pages.cases.reading import Reading
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.wording import change_words

OPERATIONS = (
    (Operation.SET, "set to"),
    (Operation.ADD, "add"),
    (Operation.SCALE, "multiply by"),
    (Operation.STOP, "stop"),
    (Operation.DELAY, "come later by months"),
    (Operation.DEFER, "put off this share, %"),
)


@dataclass(frozen=True, kw_only=True)
class StepForm:
    """A step as a form. ``at`` says which: own by its place, inherited by its place among all; empty for a new one.

    ``amount`` is empty where it differs by month; then ``by_month`` says it in words.
    """

    at: str
    kind: str
    words: str
    source: str
    author: str
    operation: str
    amount: str
    by_month: str
    first: str
    last: str
    members: tuple[str, ...]
    note: str
    catch_up: str
    start: str
    strength: str
    drop: str


@dataclass(frozen=True, kw_only=True)
class Strip:
    """The whole strip; ``unit`` and ``dimensions`` are the line's: (name, members)."""

    case: str
    case_label: str
    style: int
    is_root: bool
    line: str
    move: str
    label: str
    unit: str
    dimensions: tuple[tuple[str, tuple[str, ...]], ...]
    forms: tuple[StepForm, ...]
    is_on: bool
    is_movable: bool
    operations: tuple[tuple[str, str], ...]
    first: str
    last: str
    drivers_url: str
    close_url: str
    others: tuple[tuple[str, str, int], ...]


def build_strip(reading: Reading, opened: str) -> Strip | None:
    """Return the strip of ``case/line`` or ``case/move:name``; None where there is no such cell."""
    model, view = reading.model, reading.view
    name, _, key = opened.partition("/")
    move = key.removeprefix("move:") if key.startswith("move:") else ""
    if name not in model.case_by_name or (key not in model.line_by_name and move not in model.move_by_name):
        return None
    case, line = model.case(name), model.line_by_name.get(key) if not move else None
    stack = reading.family.layers_of(name)
    forms = [_form(reading, layer, f"{place}", name) for place, layer in enumerate(stack) if key_of(layer) == key]
    forms += [
        _form(reading, layer, "", name, "dropped") for layer in reading.family.dropped_by(name) if key_of(layer) == key
    ]
    timeline, is_flow = model.timeline, line is not None and line.is_flow
    return Strip(
        case=name,
        case_label=case.label,
        style=style_of(view.snapshot.place(name)),
        is_root=case.parent is None,
        line=line.name if line else "",
        move=move,
        label=line.label if line else model.move_by_name[move].label,
        unit=line.unit if line else "",
        dimensions=tuple((one.name, one.members) for one in model.dimensions_of(line)) if line else (),
        forms=tuple(forms),
        is_on=any(layer.move == move for layer in stack) if move else False,
        is_movable=is_flow,
        operations=tuple((op.value, words) for op, words in OPERATIONS if op is not Operation.DEFER or is_flow),
        first=str(timeline.first_plan),
        last=str(timeline.end),
        drivers_url=view.address.url("drivers", case=name, line=key) if line else "",
        close_url=view.address.url(open=""),
        others=tuple(
            (other.name, other.label, style_of(place)) for place, other in enumerate(model.cases) if other.name != name
        ),
    )


def _form(reading: Reading, layer: Layer, at: str, name: str, kind: str = "") -> StepForm:
    model, step = reading.model, layer.step
    author = reading.author(layer)
    change = step if isinstance(step, Change) else Change("", Operation.STOP)
    line = model.line(step.line) if isinstance(step, Change) else None
    is_own = layer.case == name
    switch = step if isinstance(step, Switch) else Switch("")
    words = change_words(step, model) if isinstance(step, Change) else " ".join(entry_words(reading, layer))
    return StepForm(
        at=at,
        kind=kind or ("own" if is_own else "inherited"),
        words=words,
        source=reading.family.case(layer.case).label,
        author=f"{author.person}, {day(author.made_at)}" if author is not None else "",
        operation=change.operation.value,
        amount=amount_typed(change, line) if line is not None and change.course is None else "",
        by_month=change_words(change, model) if line is not None and change.course is not None else "",
        first=str(change.first or ""),
        last=str(change.last or ""),
        members=tuple(f"{dimension}/{member}" for dimension, member in change.members),
        note=change.note,
        catch_up=str(change.catch_up_months or ""),
        start=str(switch.start or model.move_by_name[switch.move].start) if switch.move else "",
        strength=formats.written_out(switch.strength * 100),
        drop=layer.name,
    )


def amount_typed(change: Change, line: Line) -> str:
    """Return a change's amount as a person types it into the strip."""
    match change.operation:
        case Operation.STOP:
            return ""
        case Operation.SCALE | Operation.DELAY:
            return formats.written_out(change.amount)
        case Operation.DEFER:
            return formats.written_out(change.amount * 100)
    return formats.typed(change.amount, line.unit)
