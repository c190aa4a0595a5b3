"""Steps on a series as plain data, and as forms send them: what each did, other ways, what is suggested."""

from collections.abc import Mapping
from dataclasses import dataclass
from math import isfinite

from widefork.core.analysis.trends import Known, Values, suggested_steps, taken_steps
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue, WideforkError
from widefork.core.history import WAYS, Step, StepKind
from widefork.web.shared import formats

LONGEST_NOTE = 120
MOST_SUGGESTED = 12
KIND_LABELS = {
    StepKind.LEAVE_OUT: "leave out an event",
    StepKind.SINCE: "begin later",
    StepKind.LEVEL: "bring what was before to the level since",
    StepKind.GAP: "fill a gap",
    StepKind.DOUBLED: "take one of a doubled period",
}


@dataclass(frozen=True, kw_only=True)
class StepRow:
    """A step taken: its place, in words, what it was and what it is, and the ways it could be done."""

    place: int
    title: str
    words: str
    before: str
    after: str
    ways: tuple[tuple[str, bool], ...]
    note: str
    fault: str


@dataclass(frozen=True, kw_only=True)
class Suggestion:
    """A step that could be taken, as its form sends it."""

    kind: str
    month: str
    way: str
    words: str


def step_rows(known: Known, filled: Values) -> tuple[StepRow, ...]:
    """Return the steps of a series in order. ``filled`` : values without gaps, from the first period that came."""
    found = []
    for place, step in enumerate(known.steps):
        done, fault = known.stepped.get(place), known.faults.get(place, "")
        before, after = "", ""
        says_more = step.kind in (StepKind.DOUBLED, StepKind.LEVEL, StepKind.SINCE)
        words = done.words.replace(known.raw.label_at(done.place), step.month.label) if done and says_more else ""
        if done is not None and step.kind not in (StepKind.SINCE, StepKind.LEVEL):
            at = (step.month.ordinal - known.raw.start.ordinal) * known.raw.per_year // 12
            now = float(filled[at]) if 0 <= at < len(filled) else float("nan")
            before = formats.amount(done.before, known.unit) if isfinite(done.before) else "–"
            after = formats.amount(now, known.unit) if isfinite(now) else "–"
        ways = tuple((way, way == step.way) for way in WAYS.get(step.kind, ()))
        found.append(
            StepRow(
                place=place,
                title=_title(step),
                words=words,
                before=before,
                after=after,
                ways=ways,
                note=step.note,
                fault=fault,
            )
        )
    return tuple(found)


def _title(step: Step) -> str:
    month = step.month.label
    match step.kind:
        case StepKind.GAP:
            return f"{month} is missing"
        case StepKind.DOUBLED:
            return f"{month} stands more than once"
        case StepKind.LEAVE_OUT:
            return f"{month} left out" + (f": {step.note}" if step.note else "")
        case StepKind.SINCE:
            return f"Begins with {month}"
    return f"Another level since {month}"


def suggestions(known: Known) -> tuple[Suggestion, ...]:
    """Return what could be done to a series; nothing of it is done by itself."""
    found = []
    for step in suggested_steps(known)[:MOST_SUGGESTED]:
        month = step.month.label
        at = (step.month.ordinal - known.series.start.ordinal) * known.series.per_year // 12
        value = float(known.series.values[at])
        words = {
            StepKind.GAP: f"{month} is missing: {step.way}",
            StepKind.DOUBLED: f"{month} stands more than once: their {step.way}",
            StepKind.LEAVE_OUT: f"{month} is far off the others, {formats.amount(value, known.unit)}: leave it out",
        }[step.kind]
        found.append(Suggestion(kind=step.kind.value, month=str(step.month), way=step.way, words=words))
    return tuple(found)


def read_step(form: Mapping[str, str], known: Known) -> Step:
    """Return the step a form says, tried on the series.

    Raises
    ------
    InvalidValue: a month that is none, or is not in the series; a step that cannot be taken.
    """
    try:
        kind = StepKind(form.get("do", ""))
    except ValueError:
        raise InvalidValue("Choose what the step does.") from None
    month = Month.parse(form.get("in", "").strip())
    note = " ".join(form.get("note", "").split())
    if len(note) > LONGEST_NOTE:
        raise InvalidValue(f"A reason has up to {LONGEST_NOTE} characters; these are {len(note)}.")
    ways = WAYS.get(kind, ("",))
    way = form.get("way", "")
    step = Step(kind, month, way if way in ways else ways[-1 if kind is StepKind.GAP else 0], note)
    doubled = known.history.doubled if known.history is not None else {}
    try:
        taken_steps(known.series, [step], doubled)
    except WideforkError as fault:
        raise InvalidValue(str(fault)) from fault
    return step
