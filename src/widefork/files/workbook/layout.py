"""Which sheet and row everything stands in: sheets in the order of work, the same columns on all of them."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from itertools import groupby, product

from widefork.core.finance.statements import CAPTIONS, LAYOUTS, Statement
from widefork.core.graph.model import Model
from widefork.core.graph.plan import STATEMENTS, Plan
from widefork.core.graph.spreading import Spreading
from widefork.core.lines import Line, MemberKey
from widefork.files.workbook.pieces import At
from widefork.files.workbook.steps import CaseStep, amounts_of, steps_by_line

HEAD = 4
"""Rows above the first line of a sheet: title, what it holds, and the months twice (by date, by fiscal year)."""
LABELS = 5
"""Columns before the months: line, member, unit, rule or formula in words, reason."""
LONGEST_NAME = 31
"""Characters a sheet's name may have."""
CONTENTS, TIME, INPUTS, ASSUMPTIONS = "Contents", "Time", "Inputs", "Assumptions"
PEOPLE, TERMS = "People", "Terms"
INCOME, CASH, BALANCE, RATIOS = "Income statement", "Cash flow", "Balance sheet", "Ratios"
CHECKS, CASES, FIGURES, YEARS = "Checks", "Cases", "Figures", "Fiscal years"
CHARTS, CURVES, ROLL_UPS = "Charts", "Curves", "Roll-ups"
BEFORE, AFTER = (CONTENTS, TIME, INPUTS), (CHECKS, CASES, FIGURES, YEARS, CHARTS, CURVES, ROLL_UPS)
"""Sheets that hold no lines of the plan: those before all others, and those behind them."""
_OF_LINES = (ASSUMPTIONS, PEOPLE, TERMS, INCOME, CASH, BALANCE, RATIOS)
_TEAMS = "people"
_BY_STATEMENT = {
    Statement.INCOME: INCOME, Statement.CASH_FLOW: CASH, Statement.RECEIPTS: CASH, Statement.BALANCE: BALANCE,
    Statement.NOTE: RATIOS,
}  # fmt: skip
_METHODS = {Statement.RECEIPTS: "From receipts and payments", Statement.CASH_FLOW: "From profit"}
_CAPTIONS = {caption.name: caption for caption in CAPTIONS}


class Holds(StrEnum):
    """What a row holds."""

    HEADING = "a heading"
    LINE = "the line"
    RULED = "as its rule or formula has it, before any step"
    AMOUNTS = "amounts of a step by month"
    STEP = "after a step"
    BY_CASE = "values of one case"
    PIECE = "a piece of the formula above"


@dataclass(frozen=True)
class Row:
    """A row of a sheet. ``step`` : of rows that hold one; ``case`` : of those that hold a case's values."""

    at: At
    holds: Holds
    name: str
    key: MemberKey = ()
    step: CaseStep | None = None
    case: str = ""


@dataclass
class Sheet:
    """A sheet of lines with its rows in order."""

    name: str
    title: str
    rows: list[Row] = field(default_factory=list)

    def add(
        self, holds: Holds, name: str, key: MemberKey = (), step: CaseStep | None = None, case: str = ""
    ) -> Row:  # fmt: skip
        """Add a row below the others; return it."""
        row = Row(At(self.name, HEAD + len(self.rows)), holds, name, key, step, case)
        self.rows.append(row)
        return row

    def by_line(self) -> Iterable[tuple[str, list[Row]]]:
        """Return the rows that belong together: a line's members, and behind them what leads to each."""
        return ((name, list(rows)) for name, rows in groupby(self.rows, key=lambda row: row.name.split("·")[0]))


@dataclass(frozen=True)
class Layout:
    """Sheets in order; where each line stands, by name and key; and where what leads to it begins."""

    sheets: tuple[Sheet, ...]
    lines: Mapping[tuple[str, MemberKey], At]


def lay_out(plan: Plan, spreading: Spreading, not_in_cells: Iterable[str] = ()) -> Layout:
    """Return where everything stands. ``not_in_cells`` : lines whose values are written case by case."""
    model, steps, by_case = plan.model, steps_by_line(plan.model), set(not_in_cells)
    pieces: dict[str, list[str]] = {}
    for name in plan.computed:
        if name not in model.line_by_name:
            pieces.setdefault(name.split("·")[0], []).append(name)
    lines: dict[tuple[str, MemberKey], At] = {}
    sheets = []
    for sheet, own in _sorted_in(plan):
        heading = ""
        for line in own:
            if _heading(line, sheet.name, model) != heading:
                heading = _heading(line, sheet.name, model)
                sheet.add(Holds.HEADING, f"·{heading}")
            keys = list(product(*(dimension.members for dimension in model.dimensions_of(line))))
            for key in keys:
                lines[line.name, key] = sheet.add(Holds.LINE, line.name, key).at
            for key in keys:
                if key not in line.absent:
                    _lead_to(line, key, sheet, model, steps.get(line.name, []), line.name in by_case)
            for piece in pieces.get(line.name, []) if line.name not in by_case else []:
                dimensions = [d for d in model.dimensions if d.name in spreading.of_line(piece)]
                for key in product(*(dimension.members for dimension in dimensions)):
                    lines[piece, key] = sheet.add(Holds.PIECE, piece, key).at
        sheets.append(sheet)
    return Layout(tuple(sheets), lines)


def _lead_to(
    line: Line, key: MemberKey, sheet: Sheet, model: Model, steps: Sequence[CaseStep], is_by_case: bool
) -> None:  # fmt: skip
    """The rows a line's value comes from, where it is not one formula."""
    if is_by_case:
        for case in model.cases:
            sheet.add(Holds.BY_CASE, line.name, key, case=case.name)
        return
    own = [step for step in steps if step.change.is_about(line.dimensions, key)]
    if own:
        sheet.add(Holds.RULED, line.name, key)
    for step in own:
        if amounts_of(step, model) is not None:
            sheet.add(Holds.AMOUNTS, line.name, key, step)
        sheet.add(Holds.STEP, line.name, key, step)


def _sorted_in(plan: Plan) -> list[tuple[Sheet, list[Line]]]:
    """Every sheet with its lines, in the order of work."""
    sheets: dict[str, tuple[Sheet, list[Line]]] = {}
    taken: dict[str, str] = {}
    for line in plan.model.lines:
        name, title = _sheet_of(line, plan.model, taken)
        sheets.setdefault(name, (Sheet(name, title), []))[1].append(line)
    for name in (INCOME, CASH, BALANCE):
        if name in sheets:
            sheets[name][1].sort(key=_place_in_statement)
    order = (ASSUMPTIONS, *taken.values(), *_OF_LINES[1:])
    return [sheets[name] for name in order if name in sheets]


def _place_in_statement(line: Line) -> tuple[int, int]:
    caption = _CAPTIONS[line.name]
    rows = LAYOUTS["classic"].rows[caption.statement]
    turn = (Statement.INCOME, Statement.RECEIPTS, Statement.CASH_FLOW, Statement.BALANCE).index(caption.statement)
    return turn, rows.index(line.name) if line.name in rows else len(rows)


def _heading(line: Line, sheet: str, model: Model) -> str:
    if sheet == CASH:
        return _METHODS[_CAPTIONS[line.name].statement]
    if sheet in (ASSUMPTIONS, PEOPLE, TERMS):
        return next((each.label for each in model.sections if each.name == line.section), "")
    return ""


def _sheet_of(line: Line, model: Model, taken: dict[str, str]) -> tuple[str, str]:
    """A line's sheet and its title; ``taken`` : names given to sections so far."""
    if line.source is None:
        if line.is_given:
            return ASSUMPTIONS, "What is assumed, apart from what follows from it"
        section = next(each for each in model.sections if each.name == line.section)
        if section.name not in taken:
            fixed = {*BEFORE, *AFTER, *_OF_LINES}
            label = f"{section.label} (section)" if section.label in fixed else section.label
            taken[section.name] = sheet_name(label, {*fixed, *taken.values()})
        return taken[section.name], f"{section.label}: {section.note}" if section.note else section.label
    if line.source.schedule != STATEMENTS:
        kind = next((each.kind for each in model.schedules if each.name == line.source.schedule), "")
        if kind == _TEAMS:
            return PEOPLE, "What is wanted of teams, who is there, what they cost"
        return TERMS, "What opens, moves and closes in each schedule"
    name = _BY_STATEMENT[_CAPTIONS[line.name].statement] if line.name in _CAPTIONS else RATIOS
    return name, name


def sheet_name(label: str, taken: Iterable[str]) -> str:
    """Return a name for a sheet: of 31 characters at most, without those that may not be in one, none twice."""
    known = {name.lower() for name in taken}
    stem = re.sub(r"[\[\]:*?/\\'\x00-\x1f]", " ", label).strip()[:LONGEST_NAME].strip() or "Sheet"
    name, count = stem, 1
    while name.lower() in known or name.lower() == "history":  # a name spreadsheets keep for themselves
        count += 1
        name = f"{stem[: LONGEST_NAME - len(str(count)) - 1]} {count}"
    return name
