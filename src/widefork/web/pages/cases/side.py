"""Side by side, as plain data: lines and members down, cases and periods across, every value to type or paste."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.figures import answer
from widefork.core.axes import Period
from widefork.core.changes import Layer, plan_months
from widefork.core.errors import ChangeRefused
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, MemberKey
from widefork.web.pages.cases.reading import Reading
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.frame import answer_of

MOST_ROWS = 150
CHANGED, ASSUMED = "", "all"
WHOLE = "plan"


@dataclass(frozen=True, kw_only=True)
class SideColumn:
    """A period of a case."""

    case: str
    case_label: str
    style: int
    label: str
    note: str
    period: Period
    begins: bool


@dataclass(frozen=True, kw_only=True)
class SideCell:
    """A value; ``kind`` is base, own or inherited. ``shut`` says why it cannot be typed over; empty where it can.

    ``past`` is whole or part where its months are actual, or some of them.
    """

    text: str
    kind: str
    shut: str
    past: str


@dataclass(frozen=True, kw_only=True)
class SideRow:
    """A line, or one of its members; a total of members is for reading."""

    line: str
    members: MemberKey
    label: str
    unit: str
    is_member: bool
    is_total: bool
    cells: tuple[SideCell, ...]


@dataclass(frozen=True, kw_only=True)
class Side:
    """The whole view. ``moved`` are figures a block moved: label, and for each case before and after."""

    columns: tuple[SideColumn, ...]
    groups: tuple[tuple[str, tuple[SideRow, ...]], ...]
    sections: tuple[tuple[str, str], ...]
    section: str
    find: str
    cases: tuple[tuple[str, str, int, bool], ...]
    per: str
    grouped: str
    moved: tuple[tuple[str, tuple[tuple[str, str], ...]], ...]
    moved_cases: tuple[tuple[str, int], ...]
    left_out: int
    grain: str


def columns_of(reading: Reading, shown: Sequence[str], per: str, grouped: str) -> tuple[SideColumn, ...]:
    """Return the columns: of the cases chosen, the first three where none is."""
    model, address = reading.model, reading.view.address
    cases = [case for case in model.cases if case.name in shown] or list(model.cases[:3])
    timeline = model.timeline
    periods: Sequence[Period] = address.columns(timeline)
    if per == WHOLE:
        periods = [Period(WHOLE, "the plan", timeline.start, timeline.end)]
    pairs = [(case, period) for case in cases for period in periods]
    if grouped == "period":
        pairs = [(case, period) for period in periods for case in cases]
    found = []
    for place, (case, period) in enumerate(pairs):
        before = pairs[place - 1] if place else None
        is_new = before is None or (before[1] != period if grouped == "period" else before[0] != case)
        found.append(
            SideColumn(
                case=case.name,
                case_label=case.label,
                style=style_of(reading.view.snapshot.place(case.name)),
                label=period.label,
                note=period.note if period.is_cut else "",
                period=period,
                begins=is_new,
            )
        )
    return tuple(found)


def build_side(reading: Reading, section: str, find: str, shown: Sequence[str], per: str, grouped: str) -> Side:
    """Return the view of the lines of a section, of those any case changes, and of those whose name holds a word."""
    model = reading.model
    columns = columns_of(reading, shown, per, grouped)
    lines = _lines(reading, section, find)
    titles = {one.name: one.label for one in model.sections}
    groups: dict[str, list[SideRow]] = {}
    count = 0
    for line in lines:
        keys = [key for key in model.keys_of(line) if key] if line.dimensions else []
        if count + 1 + len(keys) > MOST_ROWS:
            break
        rows = [_row(reading, line, (), columns, is_total=bool(keys))]
        rows += [_row(reading, line, key, columns, is_total=False) for key in keys]
        groups.setdefault(titles[line.section], []).extend(rows)
        count += len(rows)
    drawn = {row.line for rows in groups.values() for row in rows}
    chosen = {column.case for column in columns}
    names = list(dict.fromkeys(column.case for column in columns))
    return Side(
        columns=columns,
        groups=tuple((label, tuple(rows)) for label, rows in groups.items()),
        sections=tuple((one.name, one.label) for one in reading.view.snapshot.stored.model.sections),
        section=section,
        find=find,
        cases=tuple((c.name, c.label, style_of(n), c.name in chosen) for n, c in enumerate(model.cases)),
        per=per,
        grouped=grouped,
        moved=_moved(reading, names),
        moved_cases=tuple((model.case(n).label, style_of(reading.view.snapshot.place(n))) for n in names),
        left_out=len(lines) - len(drawn),
        grain=reading.view.address.grain.value,
    )


def _lines(reading: Reading, section: str, find: str) -> list[Line]:
    changed = {
        change.line for case in reading.model.cases for layer in _stack(reading, case.name) for change in layer.changes
    }
    word = find.casefold().strip()

    def is_shown(line: Line) -> bool:
        if not line.is_assumption and line.name not in changed:
            return False
        if word and word in line.label.casefold():
            return True
        return line.name in changed if section == CHANGED else section in (ASSUMED, line.section)

    return [line for line in reading.model.lines if is_shown(line)]


def _stack(reading: Reading, case: str) -> tuple[Layer, ...]:
    return reading.family.layers_of(case)


def _row(reading: Reading, line: Line, members: MemberKey, columns: Sequence[SideColumn], is_total: bool) -> SideRow:
    periods = tuple(dict.fromkeys(column.period for column in columns))
    values = roll_up(reading.view.snapshot.results, line.name, periods, members)
    shut = "a total; give its members" if is_total else why_shut(reading, line)
    cells = []
    for column in columns:
        value = float(values[periods.index(column.period), reading.view.snapshot.place(column.case)])
        is_root = reading.model.case(column.case).parent is None
        is_past = reading.model.timeline.is_actual(column.period.last)
        why = "history" if is_past else shut
        if not why and is_root and not line.is_assumption:
            why = "calculated; a case below can adjust it"
        kind = "base" if is_root else "own" if _is_own(reading, column, line, members) else "inherited"
        has_past = reading.model.timeline.is_actual(column.period.first)
        past = "whole" if is_past else "part" if has_past else ""
        cells.append(SideCell(text=formats.line_cell(value, line), kind=kind, shut=why, past=past))
    label = " / ".join(members) if members else line.label
    return SideRow(
        line=line.name,
        members=members,
        label=label,
        unit="" if members else line.unit,
        is_member=bool(members),
        is_total=is_total,
        cells=tuple(cells),
    )


def why_shut(reading: Reading, line: Line) -> str:
    """Return why no case can change a line; empty where one can."""
    try:
        reading.view.snapshot.plan.check_changeable(line.name)
    except ChangeRefused as fault:
        return fault.sentence
    return ""


def _is_own(reading: Reading, column: SideColumn, line: Line, members: MemberKey) -> bool:
    """Whether a case itself changes a row in a period."""
    timeline = reading.model.timeline
    span = timeline.span(column.period.first, column.period.last)
    for layer in _stack(reading, column.case):
        for change in layer.changes if layer.case == column.case else ():
            if change.line == line.name and change.is_about(line.dimensions, members):
                months = plan_months(change, timeline)
                if months.start < span.stop and span.start < months.stop:
                    return True
    return False


def _moved(reading: Reading, names: Sequence[str]) -> tuple[tuple[str, tuple[tuple[str, str], ...]], ...]:
    """What the latest edit moved, of the figures that are pinned."""
    view, before = reading.view, reading.view.before
    if before is None:
        return ()
    rows = []
    for figure in (figure for figure in reading.model.figures if figure.is_pinned and figure in before.model.figures):
        line = reading.model.line(figure.line)
        was, now = answer(figure, before.results).amounts, answer_of(figure, view.snapshot).amounts
        cells = []
        for name in names:
            after = float(now[view.snapshot.place(name)])
            earlier = float(was[before.place(name)]) if name in before.case_names else np.nan
            is_same = earlier == after or (np.isnan(earlier) and np.isnan(after))
            texts = [formats.figure_text(figure, line, amount) for amount in (earlier, after)]
            cells.append(("" if is_same else texts[0], texts[1]))
        rows.append((figure.label, tuple(cells)))
    return tuple(rows) if any(was for _, row in rows for was, _ in row) else ()
