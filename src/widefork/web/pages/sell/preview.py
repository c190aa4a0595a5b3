"""What a pattern's answers would write, tried on the model without touching it: lines, and their first three years."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from widefork.core.axes import Grain
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.finance.assemble import check_plan
from widefork.core.graph.model import Model
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, Section
from widefork.core.patterns import BY, PATTERNS, Pattern, PatternDraft, write_pattern
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, path, round_ticks
from widefork.web.shared.naming import name_from
from widefork.web.shared.rule_words import exact_phrase
from widefork.web.shared.settings import read_answer

YEARS, SIZE = 3, (470, 150)
LONGEST_LABEL = 60
Form = Mapping[str, str]


@dataclass(frozen=True, kw_only=True)
class LineRow:
    """A line that would be written, with its formula or rule in words and its yearly totals."""

    label: str
    unit: str
    words: str
    years: tuple[str, ...]
    is_given: bool


@dataclass(frozen=True, kw_only=True)
class Course:
    """One part's months as a path with its label at the end; ``on_scale`` where the ticks are its own too."""

    label: str
    path: str
    end: tuple[float, float]
    is_main: bool
    on_scale: bool


@dataclass(frozen=True, kw_only=True)
class Preview:
    """What would be written, and what would come of it."""

    rows: tuple[LineRow, ...]
    years: tuple[tuple[str, str], ...]
    courses: tuple[Course, ...]
    ticks: tuple[tuple[str, float], ...]
    notices: tuple[str, ...]
    posts: str


def read_answers(pattern: Pattern, form: Form, model: Model) -> dict[str, Any]:
    """Return the answers a form gives; what was left empty is not among them.

    Raises
    ------
    InvalidValue: what cannot be read, with the question.
    """
    answers: dict[str, Any] = {}
    for question in pattern.questions:
        if question.when is not None:
            key, words = question.when
            if form.get(key, pattern.question(key).default) not in words:
                continue
        value = read_answer(question, form, model)
        if value is not None:
            answers[question.key] = value
    if form.get(BY) and pattern.spreads:
        answers[BY] = form[BY]
    return answers


def draft_of(form: Form, model: Model, is_named: bool = True) -> PatternDraft:
    """Return what a form asks to be written.

    Parameters
    ----------
    model : with all its lines. is_named : a name is needed; else one stands in for it.

    Raises
    ------
    InvalidValue, UnknownName: what was expected, what came, with the question.
    """
    pattern = PATTERNS[form.get("pattern", "")]
    label = " ".join(form.get("label", "").split())
    if not label and not is_named:
        label = pattern.label
    if not label or len(label) > LONGEST_LABEL:
        raise InvalidValue(f"What is it called? Give it a name of 1 to {LONGEST_LABEL} letters, such as Well kits.")
    taken = {section.name for section in model.sections}
    prefix = name_from(label, taken)
    while any(line.name.startswith(f"{prefix}_") for line in model.lines):
        taken.add(prefix)
        prefix = name_from(label, taken)
    try:
        return write_pattern(pattern, model, prefix, label, read_answers(pattern, form, model))
    except InvalidModel as fault:
        questions = {question.key: question.label for question in pattern.questions}
        about = questions.get(getattr(fault, "place", ""), "")
        says_it = about and about.lower() in fault.sentence.lower()
        sentence = fault.sentence if says_it or not about else f"{about.capitalize()}: {fault.sentence}"
        raise InvalidValue(sentence) from fault


def preview_of(draft: PatternDraft, stored: Model) -> Preview:
    """Return what would come of a draft in the root case; raises what the model with it would raise."""
    model = replace(
        stored,
        sections=(*stored.sections, Section(draft.prefix, draft.label)),
        lines=(*stored.lines, *draft.lines),
        profiles=(*stored.profiles, *draft.profiles),
        schedules=(*stored.schedules, *draft.schedules),
        limits=(*stored.limits, *draft.limits),
        dimensions=(*stored.dimensions, *draft.dimensions),
        sketch=None,
    )
    plan = check_plan(model)
    results = evaluate(plan, [plan.model.changes_of(model.cases[0].name)])
    years = model.timeline.fiscal_years()[:YEARS]
    rows = []
    for line in [line for line in draft.lines if not line.is_fixed]:
        # As each line rolls up: a year's price is its mean, its margin that of the year, over members too.
        yearly = [formats.cell(float(amount), line.unit) for amount in roll_up(results, line.name, years)[:, 0]]
        words = line.formula or "; ".join(
            f"{', '.join(key)} {exact_phrase(rule, line.unit).removeprefix('flat ')}".strip()
            for key, rule in line.rules.items()
        )
        rows.append(
            LineRow(label=_short(line), unit=line.unit, words=words, years=tuple(yearly), is_given=line.is_given)
        )
    courses, ticks = _drawn(draft, results, model)
    posting = [line for line in draft.lines if line.posts_to]
    captions = dict.fromkeys(plan.model.line(line.posts_to).label for line in posting)
    return Preview(
        rows=tuple(rows),
        years=tuple((year.label, year.note) for year in years),
        courses=courses,
        ticks=ticks,
        notices=tuple(draft.notices),
        posts=", ".join(captions),
    )


def _short(line: Line) -> str:
    """A line's label without the section's, which all of them begin with."""
    return line.label.split(": ", 1)[-1]


def _drawn(draft: PatternDraft, results: Any, model: Model) -> tuple[tuple[Course, ...], tuple[tuple[str, float], ...]]:
    """The first part by its scale, with those in its unit; the others each by their own: their shapes beside it."""
    count = min(model.timeline.month_count, 12 * YEARS)
    periods = model.timeline.periods(Grain.MONTH)[:count]
    by_name = {line.name: line for line in draft.lines}
    shown = [by_name[draft.name(part)] for part in draft.pattern.shows if draft.name(part) in by_name]
    if not shown:
        return (), ()
    months = {line.name: np.nan_to_num(roll_up(results, line.name, periods)[:, 0]) for line in shown}
    unit = shown[0].unit
    width, height = SIZE
    x = Scale(low=0, high=max(1, count - 1), start=62, end=width - 12)
    courses: list[Course] = []
    for line in shown:
        alike = [months[other.name] for other in shown if other.unit == line.unit]
        levels = _levels(alike)
        y = Scale(low=levels[0], high=levels[-1], start=height - 14, end=12)
        points = [(x(place), y(float(value))) for place, value in enumerate(months[line.name])]
        courses.append(
            Course(
                label=_short(line), path=path(points), end=points[-1], is_main=not courses, on_scale=line.unit == unit
            )
        )
    levels = _levels([months[line.name] for line in shown if line.unit == unit])
    y = Scale(low=levels[0], high=levels[-1], start=height - 14, end=12)
    return tuple(courses), tuple((formats.amount(level, unit), y(level)) for level in levels)


def _levels(series: Sequence[Any]) -> tuple[float, ...]:
    low, high = min(float(values.min()) for values in series), max(float(values.max()) for values in series)
    return round_ticks(min(0.0, low), max(0.0, high), 3)
