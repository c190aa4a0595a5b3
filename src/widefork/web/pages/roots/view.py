"""How a figure came about, as plain data."""

from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.explain import Explanation, Kind, Part, explain, origin_of_error
from widefork.core.axes import Month
from widefork.core.errors import UnknownName
from widefork.core.graph.model import Model
from widefork.core.graph.plan import STATEMENTS
from widefork.core.lines import Line, MemberKey
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.finder import line_url
from widefork.web.shared.wording import change_words, no_total, total_words

DEEPEST_WAY = 12
ASSUMPTIONS_SHOWN = 40


@dataclass(frozen=True, kw_only=True)
class PartRow:
    """One thing a figure is made of.

    Parameters
    ----------
    share : the length of its bar, 0 to 1; 0 for none. is_less : it takes away from the figure.
    """

    label: str
    role: str
    text: str
    unit: str
    is_assumption: bool
    share: float
    url: str
    is_less: bool = False


@dataclass(frozen=True, kw_only=True)
class Roots:
    """The whole explanation.

    Parameters
    ----------
    way : the steps down to here, as (label, address). said : what kind of figure this is, in a sentence.
    """

    title: str
    where: str
    text: str
    unit: str
    kind: str
    said: str
    formula: str
    filled: str
    parts: tuple[PartRow, ...]
    way: tuple[tuple[str, str], ...]
    changes: tuple[str, ...]
    note: str
    drivers_url: str
    page_url: str
    behind: tuple[tuple[str, str], ...]
    dependents: tuple[tuple[str, str], ...]


def build(view: View, name: str, members: MemberKey, first: Month, last: Month, way: str) -> Roots:
    """Return the explanation of a value.

    Raises
    ------
    UnknownName: no such line or member. InvalidValue: a month outside the model.
    """
    snapshot, model = view.snapshot, view.snapshot.model
    line = model.line(name)
    if members and len(members) != len(line.dimensions):
        raise UnknownName("member", "/".join(members), [m for d in model.dimensions_of(line) for m in d])
    changes = model.changes_of(view.address.case)

    def show(part: str, value: float) -> str:
        return formats.amount(value, model.line_by_name[part].unit if part in model.line_by_name else "")

    found = explain(snapshot.results, view.place, changes, name, members, first, last, show)
    here = _step(name, members, first, last)
    steps = [step for step in way.split("~") if step and step != here][-DEEPEST_WAY:]
    trail = "~".join([*steps, here])
    return Roots(
        title=_with_members(line.label, members),
        where=f"{_range(first, last)} in {model.case(view.address.case).label}",
        text=formats.amount(found.value, line.unit),
        unit=line.unit,
        kind=found.kind.value,
        said=_said(view, found, model),
        formula=found.formula,
        filled=found.filled,
        parts=tuple(_part_row(view, part, found, trail) for part in found.parts),
        way=tuple(_way(view, steps)),
        changes=tuple(change_words(change, model) for change in found.changes),
        note=line.note,
        drivers_url=_drivers_url(view, line),
        page_url=view.address.url("roots", line=name, at="/".join(members), start=first, end=last, way="~".join(steps)),
        behind=_behind(view, name, found),
        dependents=tuple(
            (model.line(other).label, view.address.url("roots", line=other, start=last, end=last))
            for other in found.dependents
        ),
    )


def _drivers_url(view: View, line: Line) -> str:
    """Where the line stands in Drivers; empty for captions and totals, which stand in Statements only."""
    if line.source is not None and line.source.schedule == STATEMENTS:
        return ""
    return line_url(view.address, line)


def _step(name: str, members: MemberKey, first: Month, last: Month) -> str:
    return ":".join((name, "/".join(members), str(first), str(last)))


def _way(view: View, steps: list[str]) -> list[tuple[str, str]]:
    """The steps above, each with an address that keeps the steps above it."""
    model = view.snapshot.model
    rows = []
    for place, step in enumerate(steps):
        name, at, first, last = ([*step.split(":"), "", "", ""])[:4]
        if name in model.line_by_name:
            url = view.address.url("roots", line=name, at=at, start=first, end=last, way="~".join(steps[:place]))
            members = tuple(part for part in at.split("/") if part)
            rows.append((_with_members(model.line(name).label, members), url))
    return rows


def _with_members(label: str, members: MemberKey) -> str:
    return f"{label}, {', '.join(members)}" if members else label


def _range(first: Month, last: Month) -> str:
    return first.label if first == last else f"{first.label} to {last.label}"


def _part_row(view: View, part: Part, whole: Explanation, trail: str) -> PartRow:
    model = view.snapshot.model
    line = model.line(part.line)
    timeline = model.timeline
    inside = timeline.start <= part.first <= timeline.end
    terms = _terms(whole)
    is_term = _place(part) in terms
    adds_up = whole.kind in (Kind.MONTHS, Kind.MEMBERS) or is_term
    value = terms.get(_place(part), part.value)
    sizes = terms.values() if terms else [p.value for p in whole.parts]
    biggest = max((abs(size) for size in sizes if np.isfinite(size)), default=0.0)
    label = _with_members(line.label, part.members)
    if whole.kind is Kind.MONTHS:
        label = part.first.label
    elif part.line == whole.line and part.members != whole.members:
        label = ", ".join(part.members)
    role = part.role if part.first == whole.first or not part.role else f"{part.role}, {part.first.label}"
    url = view.address.url(
        "roots", line=part.line, at="/".join(part.members), start=part.first, end=part.last, way=trail
    )
    return PartRow(
        label=label,
        role=role,
        text=("+" if is_term and value > 0 else "") + formats.amount(value, line.unit),
        unit=line.unit,
        is_assumption=line.is_assumption,
        share=abs(value) / biggest if adds_up and biggest and np.isfinite(value) else 0.0,
        url=url if inside else "",
        is_less=value < 0,
    )


Place = tuple[str, MemberKey, Month]


def _place(part: Part) -> Place:
    return part.line, part.members, part.first


def _terms(whole: Explanation) -> dict[Place, float]:
    """Where the terms of a sum stand that are a part by themselves, with their signed shares."""
    if whole.kind is not Kind.FORMULA or len(whole.contributions) < 2:
        return {}
    alone = [(entry.parts[0], entry.amount) for entry in whole.contributions if len(entry.parts) == 1]
    return {_place(part): amount for part, amount in alone if abs(amount) == abs(part.value)}


def _said(view: View, found: Explanation, model: Model) -> str:
    line = model.line(found.line)
    if np.isnan(found.value):
        return _why_no_value(view, found, model)
    match found.kind:
        case Kind.ACTUAL:
            return "An actual: what really happened in this month. No case changes it."
        case Kind.ASSUMPTION:
            rule = line.rules.get(found.members, line.rules.get(()))
            words = rule.words(lambda value: formats.amount(value, line.unit)) if rule else "given"
            return f"An assumption: {words}."
        case Kind.MONTHS:
            return _sentence(total_words(line.rollup.over_time, line, model, "these months"))
        case Kind.MEMBERS:
            of = f"the members of {' and '.join(line.dimensions)}"
            return _sentence(total_words(line.rollup.over_members, line, model, of))
        case Kind.ABSENT:
            return "This combination does not exist, so it is 0."
        case Kind.RATIO:
            return "A ratio: rolled up above and below the line first, then divided."
    return "Calculated."


def _sentence(words: str) -> str:
    return f"{words[:1].upper()}{words[1:]}."


def _why_no_value(view: View, found: Explanation, model: Model) -> str:
    if found.sentence:
        return found.sentence
    why = no_total(model.line(found.line), found.members, found.first, found.last, model.timeline)
    if why:
        return why
    origin = origin_of_error(view.snapshot.results, view.place, found.line, found.members, found.last)
    if origin is None:
        return "No value."
    problem = view.snapshot.plan.problems.get(origin.line)
    if problem:
        return f"No value, because of {model.line(origin.line).label}: {problem.sentence}"
    label = _with_members(model.line(origin.line).label, origin.members)
    if origin.line in view.snapshot.results.unsolved:
        month = model.timeline.months[view.snapshot.results.unsolved[origin.line]]
        return f"No value: {label} is solved within each month, and did not settle in {month.label}."
    return f"No value: it begins at {label} in {origin.first.label}, where something is divided by 0."


def _behind(view: View, name: str, found: Explanation) -> tuple[tuple[str, str], ...]:
    """The assumptions at the very bottom, for the way straight down."""
    if found.kind in (Kind.ASSUMPTION, Kind.ACTUAL):
        return ()
    model = view.snapshot.model
    names = view.snapshot.plan.assumptions_behind(name)[:ASSUMPTIONS_SHOWN]
    month = found.last
    return tuple((model.line(n).label, view.address.url("roots", line=n, start=month, end=month)) for n in names)
