"""The sheet of sections, lines and members over the visible columns, as plain data."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import product

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Grain
from widefork.core.errors import ChangeRefused
from widefork.core.graph.plan import STATEMENTS
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, MemberKey
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.workspace import Snapshot

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Column:
    """A period as a table column."""

    key: str
    label: str
    is_actual: bool
    is_edge: bool
    month: str


@dataclass(frozen=True)
class Cell:
    """A figure in the sheet. ``moved`` is what the latest edit did to it; ``root`` its value in the root case."""

    id: str
    text: str
    column: Column
    is_editable: bool
    differs: bool
    root: str
    before: str
    moved: str


@dataclass(frozen=True)
class Row:
    """A line, or one member of it."""

    id: str
    name: str
    at: str
    label: str
    unit: str
    words: str
    note: str
    is_assumption: bool
    is_member: bool
    is_total: bool
    can_open: bool
    is_open: bool
    fold_url: str
    problem: str
    warning: str
    has_formula_editor: bool
    cells: tuple[Cell, ...]
    was_edited: bool


@dataclass(frozen=True)
class SheetSection:
    """A chapter. ``folded`` counts the lines not shown; ``fold_url`` shows or hides them."""

    name: str
    label: str
    note: str
    rows: tuple[Row, ...]
    folded: int
    is_open: bool
    fold_url: str


@dataclass(frozen=True)
class Sheet:
    """The whole sheet."""

    columns: tuple[Column, ...]
    sections: tuple[SheetSection, ...]
    assumptions: int
    column_width: int
    problems: tuple[tuple[str, str], ...] = field(default=())


def columns_of(view: View) -> tuple[Column, ...]:
    """Return the visible columns, with the actual-plan boundary marked."""
    timeline = view.snapshot.model.timeline
    columns = []
    was_actual = False
    for period in view.address.columns(timeline):
        actual = timeline.is_actual(period.last)
        columns.append(Column(period.key, period.label, actual, was_actual and not actual, str(period.first)))
        was_actual = actual
    return tuple(columns)


def build(view: View, opened: frozenset[str]) -> Sheet:
    """Return the sheet. ``opened`` names lines whose members, and sections whose calculated lines, are shown."""
    builder = _Builder(view, opened)
    model = view.snapshot.model
    sections = tuple(
        builder.section(section.name, section.label, section.note)
        for section in model.sections
        if section.name != STATEMENTS
    )
    longest = max((len(c.text) for s in sections for r in s.rows for c in r.cells), default=0)
    return Sheet(
        builder.columns,
        sections,
        sum(line.is_assumption for line in model.lines),
        46 if longest <= 8 else 56 if longest <= 9 else 70,
        tuple((model.line(name).label, problem.sentence) for name, problem in view.snapshot.plan.problems.items()),
    )


class _Builder:
    def __init__(self, view: View, opened: frozenset[str]) -> None:
        self.view, self.opened = view, opened
        self.snapshot = view.snapshot
        self.model = view.snapshot.model
        self.columns = columns_of(view)
        self.periods = view.address.columns(self.model.timeline)
        self.is_root = self.model.case(view.address.case).parent is None

    def section(self, name: str, label: str, note: str) -> SheetSection:
        lines = [line for line in self.model.lines if line.section == name]
        is_generated = any(line.is_generated for line in lines)
        shown = [line for line in lines if not is_generated or name in self.opened or line.is_assumption]
        rows = tuple(row for line in shown for row in self.rows(line))
        return SheetSection(
            name,
            label,
            note,
            rows,
            len(lines) - len(shown),
            is_generated and name in self.opened,
            self.toggle(name) if is_generated else "",
        )

    def toggle(self, name: str) -> str:
        opened = self.opened ^ {name}
        return self.view.address.url(open=",".join(sorted(opened)))

    def rows(self, line: Line) -> Iterator[Row]:
        is_open = line.name in self.opened
        yield self.row(line, (), is_open)
        if line.dimensions and is_open:
            for key in product(*(dimension.members for dimension in self.model.dimensions_of(line))):
                yield self.row(line, key, False)

    def row(self, line: Line, members: MemberKey, is_open: bool) -> Row:
        cells = tuple(self.cells(line, members))
        problem = self.snapshot.plan.problems.get(line.name)
        row_id = "-".join(
            (line.name, *(str(d.index(m)) for d, m in zip(self.model.dimensions_of(line), members, strict=False)))
        )
        return Row(
            row_id,
            line.name,
            "/".join(members),
            ", ".join(members) if members else self.short_label(line),
            line.unit if not members else "",
            self.words(line, members),
            line.note if not members else "",
            line.is_assumption,
            bool(members),
            bool(line.posts_to) and not members and not line.is_assumption,
            bool(line.dimensions) and not members,
            is_open,
            self.toggle(line.name) if line.dimensions and not members else "",
            problem.sentence if problem and not members else "",
            " ".join(w.sentence for w in self.snapshot.plan.warnings.get(line.name, ())) if not members else "",
            line.formula is not None and not line.is_generated and not members,
            cells,
            any(cell.moved for cell in cells) and line.is_assumption,
        )

    def short_label(self, line: Line) -> str:
        """A generated line's label without its schedule's name, which stands above it."""
        owner = next(section.label for section in self.model.sections if section.name == line.section)
        label = line.label.removeprefix(f"{owner}: ") if line.is_generated else line.label
        return label[:1].upper() + label[1:]

    def words(self, line: Line, members: MemberKey) -> str:
        if line.formula is not None:
            return line.formula if not members else ""
        if not members and line.dimensions and list(line.rules) != [()]:
            return f"by {', '.join(line.dimensions)}"
        rule = line.rules.get(members, line.rules.get(()))
        return (
            rule.words(lambda value: formats.amount(value, line.unit)) if rule and (members or () in line.rules) else ""
        )

    def cells(self, line: Line, members: MemberKey) -> Iterator[Cell]:
        values = self.values(self.snapshot, line.name, members)
        now = values[:, self.view.place]
        root = values[:, 0]
        before = self.values_before(line, members)
        changeable = self.view.address.grain is Grain.MONTH and self.is_changeable(line)
        for place, column in enumerate(self.columns):
            value = float(now[place])
            differs = not self.is_root and _apart(value, float(root[place]))
            old = float(before[place]) if before is not None else value
            moved = _apart(value, old)
            yield Cell(
                f"c-{line.name}-{'-'.join(members)}-{column.key}".replace(" ", "_"),
                formats.cell(value, line.unit),
                column,
                changeable and not column.is_actual,
                differs,
                formats.amount(float(root[place]), line.unit) if differs else "",
                formats.cell(old, line.unit) if moved else "",
                formats.signed(value - old, line.unit) if moved else "",
            )

    def is_changeable(self, line: Line) -> bool:
        if line.is_assumption:
            return True
        if self.is_root:
            return False
        try:
            self.snapshot.plan.check_changeable(line.name)
        except ChangeRefused:
            return False
        return True

    def values(self, snapshot: Snapshot, name: str, members: MemberKey) -> Values:
        return roll_up(snapshot.results, name, self.periods, members)

    def values_before(self, line: Line, members: MemberKey) -> Values | None:
        before = self.view.before
        if (
            before is None
            or line.name not in before.model.line_by_name
            or self.view.address.case not in before.case_names
        ):
            return None
        return self.values(before, line.name, members)[:, before.place(self.view.address.case)]


def _apart(one: float, other: float) -> bool:
    if np.isnan(one) or np.isnan(other):
        return bool(np.isnan(one) != np.isnan(other))
    return abs(one - other) > 1e-9 * max(1.0, abs(one), abs(other))
