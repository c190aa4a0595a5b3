"""The sheet of sections, lines and members over the visible columns, as plain data."""

from collections.abc import Iterable, Iterator
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Grain
from widefork.core.changes import Change
from widefork.core.errors import ChangeRefused
from widefork.core.finance.settlement import SETTLED
from widefork.core.graph.model import Model
from widefork.core.graph.plan import STATEMENTS
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, MemberKey, Section
from widefork.core.rules import RULES, write_rule
from widefork.web.pages.drivers.sheet.cells import Asked, Cell, Column, Row, SectionsWritten, Sheet, SheetSection
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.wording import change_words, no_total, steps_in_words
from widefork.web.shared.workspace import Snapshot

Values = NDArray[np.float64]
ReadRows = dict[tuple[str, MemberKey], Values]
KeptRows = dict[tuple[str, MemberKey], tuple[Line, tuple[Any, ...], Row]]


ONLY_THIS_MONTH = {"one_off", "monthly", "seasonal", "totals"}
"""Rules whose months are given one by one, so that what is typed usually means just the one."""

FILLED_ROWS = 60
"""So many rows are written out at once; sections further down come when they are scrolled to."""

UNJUSTIFIED = "unjustified"
ROW_HEIGHT = 20
MOST_SAID = 3


def columns_of(view: View) -> tuple[Column, ...]:
    """Return the visible columns, with the actual-plan boundary marked."""
    timeline = view.snapshot.model.timeline
    columns = []
    was_actual = False
    for period in view.address.columns(timeline):
        actual = timeline.is_actual(period.last)
        columns.append(
            Column(
                key=period.key,
                label=period.label,
                note=period.note,
                is_actual=actual,
                is_edge=was_actual and not actual,
                month=str(period.first),
            )
        )
        was_actual = actual
    return tuple(columns)


def build(view: View, asked: Asked) -> Sheet:
    """Return the sheet, its first sections filled, and those that are asked for."""
    builder = Builder(view, asked)
    model = view.snapshot.model
    sections = []
    rows = 0
    for section in _chapters(model, asked):
        lines = builder.shown_lines(section.name)
        if asked.only and not lines:
            continue
        count = sum(1 + builder.open_members(line) for line in lines)
        wanted = section.name in asked.shown if asked.shown is not None else rows < FILLED_ROWS
        is_needed = bool({asked.focus, asked.shaped.split("@")[0]} & {line.name for line in lines})
        rows += count
        sections.append(builder.section(section.name, wanted or is_needed or not lines))
    longest = builder.longest([line for line in model.lines if line.section != STATEMENTS])
    toggled = {True: "", False: "1"}
    return Sheet(
        columns=builder.columns,
        sections=tuple(sections),
        assumptions=sum(line.is_assumption and not line.is_generated for line in model.lines),
        unjustified=unjustified_words(model.lines),
        column_width=46 if longest <= 9 else 56 if longest <= 10 else 70,
        asked=asked,
        unjustified_url=view.address.url(only="" if asked.only else UNJUSTIFIED),
        unlock_url=view.address.url(unlocked=toggled[asked.is_unlocked]),
        has_actuals=bool(model.timeline.actual_count),
        problems=tuple(
            (model.line(name).label, problem.sentence) for name, problem in view.snapshot.plan.problems.items()
        ),
        html=builder.html,
    )


def build_section(view: View, asked: Asked, name: str) -> Sheet:
    """Return a sheet with one section alone, filled."""
    sheet = build(
        view,
        Asked(
            opened=asked.opened,
            shaped=asked.shaped,
            kind=asked.kind,
            only=asked.only,
            is_unlocked=asked.is_unlocked,
            shown=frozenset({name}),
        ),
    )
    return Sheet(
        columns=sheet.columns,
        sections=tuple(section for section in sheet.sections if section.name == name),
        assumptions=sheet.assumptions,
        unjustified=sheet.unjustified,
        column_width=sheet.column_width,
        asked=asked,
        unjustified_url=sheet.unjustified_url,
        unlock_url=sheet.unlock_url,
        has_actuals=sheet.has_actuals,
    )


def _chapters(model: Model, asked: Asked) -> list[Section]:
    """The sections of the sheet; what is paid in its month has nothing to edit, and shows when it is asked for."""
    return [
        section
        for section in model.sections
        if section.name != STATEMENTS and (section.name != SETTLED or SETTLED in asked.opened)
    ]


def is_unjustified(line: Line) -> bool:
    """Whether nobody said why an assumption is what it is, or between what it may lie."""
    return line.is_assumption and not line.is_generated and not (line.note and line.plausible)


def unjustified_words(lines: Iterable[Line]) -> str:
    """Return how many assumptions nobody gave a reason for; where all have one, how many lack a range."""
    lacking = [line for line in lines if is_unjustified(line)]
    without_reason = sum(not line.note for line in lacking)
    if without_reason:
        return f"{without_reason} unexplained"
    return f"{len(lacking)} without a range" if lacking else "all explained"


class Builder:
    """Builds sections, rows and cells of one view."""

    def __init__(self, view: View, asked: Asked) -> None:
        self.view, self.asked, self.opened = view, asked, asked.opened
        self.snapshot = view.snapshot
        self.model = view.snapshot.model
        self.columns = columns_of(view)
        self.periods = view.address.columns(self.model.timeline)
        self._read: tuple[ReadRows, ReadRows] = (
            {} if view.before is None else view.before.kept(("columns", self.periods), dict),
            view.snapshot.kept(("columns", self.periods), dict),
        )
        same_cases = view.before is not None and view.before.case_names == view.snapshot.case_names
        self._alike: frozenset[str] = frozenset()
        if same_cases and view.before is not None and view.before.model.dimensions == self.model.dimensions:
            ratios = {line.name for line in self.model.lines if line.rollup.numerator or line.rollup.denominator}
            self._alike = view.snapshot.results.alike(view.before.results) - ratios
        case = self.model.case(view.address.case)
        self.is_root = case.parent is None
        self._lines: dict[str, list[Line]] = {}
        for line in self.model.lines:
            self._lines.setdefault(line.section, []).append(line)
        self._changes: dict[str, tuple[tuple[str, Change], ...]] = {}
        for word, change in steps_in_words(self.model, case.name):
            self._changes[change.line] = (*self._changes.get(change.line, ()), (word, change))
        holds_for = (
            self.model.dimensions,
            self.model.units,
            self.model.sections,
            self.model.timeline,
            tuple(c.label for c in self.model.cases),
        )
        what = (replace(view.address, since=None), replace(asked, shown=None))
        self.kept: KeptRows = view.snapshot.carried.get(("rows", *what), holds_for, dict)
        self.html: SectionsWritten = view.snapshot.carried.get(("sections", *what), holds_for, dict)

    def lines_of(self, name: str) -> list[Line]:
        """The lines of a section."""
        return self._lines.get(name, [])

    def shown_lines(self, name: str) -> list[Line]:
        """The lines of a section that are shown as things stand."""
        lines = self.lines_of(name)
        if self.asked.only:
            return [line for line in lines if is_unjustified(line)]
        is_generated = any(line.is_generated for line in lines)
        return [line for line in lines if not is_generated or name in self.opened or line.is_assumption]

    def open_members(self, line: Line) -> int:
        """How many members of a line unfold under it."""
        return len(self.model.keys_of(line)) if line.dimensions and line.name in self.opened else 0

    def section(self, name: str, is_filled: bool) -> SheetSection:
        """Return a section; one that is not filled has no rows, only their height."""
        section = next(section for section in self.model.sections if section.name == name)
        lines, shown = self.lines_of(name), self.shown_lines(name)
        is_generated = any(line.is_generated for line in lines)
        count = sum(1 + self.open_members(line) for line in shown)
        return SheetSection(
            name=name,
            label=section.label,
            note=section.note,
            rows=tuple(row for line in shown for row in self.rows(line)) if is_filled else (),
            folded=0 if self.asked.only else len(lines) - len(shown),
            is_open=is_generated and name in self.opened,
            fold_url=self.toggle(name) if is_generated else "",
            is_own=not is_generated,
            is_filled=is_filled,
            height=count * ROW_HEIGHT,
        )

    def longest(self, lines: list[Line]) -> int:
        """How many letters the longest figure of some lines takes at most, whichever months are shown."""
        before: dict[str, tuple[Line, int]] = self.view.before.kept("letters", dict) if self.view.before else {}
        found: dict[str, tuple[Line, int]] = self.snapshot.kept("letters", dict)
        if not found:
            found |= {
                line.name: before[line.name] for line in lines
                if line.name in self._alike and line.name in before and before[line.name][0] is line
            }  # fmt: skip
            left = [line for line in lines if line.name not in found]
            for line, most in zip(left, self.snapshot.results.largest(left), strict=True):
                found[line.name] = (line, len(formats.line_cell(-most, line)))
        return max((letters for _, letters in found.values()), default=0)

    def toggle(self, name: str) -> str:
        """The address with a line or schedule opened, or folded again."""
        opened = self.opened ^ {name}
        return self.view.address.url(open=",".join(sorted(opened)))

    def rows(self, line: Line) -> Iterator[Row]:
        """A line, and its members where they are unfolded."""
        is_open = line.name in self.opened
        yield self.row(line, (), is_open)
        if line.dimensions and is_open:
            for key in self.model.keys_of(line):
                yield self.row(line, key, False)

    def row(self, line: Line, members: MemberKey, is_open: bool) -> Row:
        """Return one row: the one there was, where nothing it says has changed since."""
        now = self.values(self.snapshot, line.name, members)
        before = self.values_before(line, members)
        plan = self.snapshot.plan
        said = (
            now.tobytes(),
            None if before is None else before.tobytes(),
            is_open,
            self.changes_on(line),
            plan.problems.get(line.name),
            plan.warnings.get(line.name),
            line.name in plan.own_past,
            self.is_touched(line),
        )
        known = self.kept.get((line.name, members))
        if known is not None and known[0] is line and known[1] == said:
            return known[2]
        row = self.new_row(line, members, is_open, now, before)
        self.kept[line.name, members] = (line, said, row)
        return row

    def changes_on(self, line: Line) -> tuple[tuple[str, Change], ...]:
        """What the steps of the active case, inherited ones too, and the sketch do to a line, and whose they are."""
        return self._changes.get(line.name, ())

    def new_row(self, line: Line, members: MemberKey, is_open: bool, now: Values, before: Values | None) -> Row:
        """Return one row, written out."""
        cells = tuple(self.cells(line, members, now, before))
        problem = self.snapshot.plan.problems.get(line.name)
        row_id = "-".join(
            (line.name, *(str(d.index(m)) for d, m in zip(self.model.dimensions_of(line), members, strict=False)))
        )
        place = f"{line.name}@{'/'.join(members)}" if members else line.name
        is_shaped = self.asked.shaped == place and line.is_assumption
        return Row(
            id=row_id,
            name=line.name,
            at="/".join(members),
            label=", ".join(members) if members else self.short_label(line),
            unit=line.unit if not members else "",
            words=self.words(line, members),
            note=line.note if not members else "",
            is_assumption=line.is_assumption,
            is_member=bool(members),
            is_total=bool(line.posts_to) and not members and not line.is_assumption,
            can_open=bool(line.dimensions) and not members,
            is_open=is_open,
            fold_url=self.toggle(line.name) if line.dimensions and not members else "",
            shape_url=self.view.address.url(shape="" if is_shaped else place, kind="") if line.is_assumption else "",
            is_shaped=is_shaped,
            reach=self.reach(line, members),
            problem=problem.sentence if problem and not members else "",
            warning=" ".join(w.sentence for w in self.snapshot.plan.warnings.get(line.name, ())) if not members else "",
            has_formula_editor=line.formula is not None and not line.is_generated and not members,
            has_panel=not line.is_generated and not members,
            look=line.look,
            cells=cells,
            was_edited=any(cell.moved for cell in cells) and self.is_touched(line),
        )

    def is_touched(self, line: Line) -> bool:
        """Whether the latest edit, or the sketch, is about the line itself: it then says by how much."""
        sketch = self.model.sketch
        touched = sketch is not None and any(change.line == line.name for change in sketch.changes)
        return touched or line.is_assumption

    def short_label(self, line: Line) -> str:
        """A generated line's label without its schedule's name, which stands above it."""
        owner = next(section.label for section in self.model.sections if section.name == line.section)
        return line.label.removeprefix(f"{owner}: ").capitalize() if line.is_generated else line.label

    def reach(self, line: Line, members: MemberKey) -> str:
        """How far what is typed into a month of a row usually holds."""
        if not line.is_assumption or (line.is_flow and line.unit == "heads"):
            return "only"  # people coming and going are single events
        document = write_rule(RULES, line.rules.get(members) or next(iter(line.rules.values())))
        kind = next(iter(document)) if isinstance(document, dict) else "flat"
        return "only" if kind in ONLY_THIS_MONTH else "on"

    def words(self, line: Line, members: MemberKey) -> str:
        """What this case and the sketch do to a row, and then its rule as a phrase or its formula."""
        if line.formula is not None:
            return "" if members else self.done_to(line, members) + line.formula
        if not members and list(line.rules) != [()]:
            return f"by {', '.join(line.dimensions)}"
        rule = line.rules.get(members, line.rules.get(()))
        if rule is None or not (members or () in line.rules):
            return ""
        return self.done_to(line, members) + rule.words(lambda value: formats.amount(value, line.unit))

    def done_to(self, line: Line, members: MemberKey) -> str:
        """What the steps of the active case, its moves among them, and the sketch change of a row, in words."""
        said = [
            f"{word} {change_words(replace(change, members=()) if members else change, self.model)}"
            for word, change in self.changes_on(line)
            if change.is_about(line.dimensions, members)
        ]
        return f"{'; '.join(said[-MOST_SAID:])}; else " if said else ""

    def cells(self, line: Line, members: MemberKey, values: Values, before: Values | None) -> Iterator[Cell]:
        """The figures of a row."""
        now = values[:, self.view.place]
        root = values[:, 0]
        timeline = self.view.snapshot.model.timeline
        changeable = self.view.address.grain is Grain.MONTH and self.is_changeable(line)
        for place, column in enumerate(self.columns):
            value = float(now[place])
            differs = not self.is_root and _apart(value, float(root[place]))
            old = float(before[place]) if before is not None else value
            moved = _apart(value, old)
            period = self.periods[place]
            why = no_total(line, members, period.first, period.last, timeline) if np.isnan(value) else ""
            yield Cell(
                id=f"c-{line.name}-{'-'.join(members)}-{column.key}".replace(" ", "_"),
                text="" if why else formats.line_cell(value, line),
                typed=formats.typed(value, line.unit) if np.isfinite(value) else "",
                column=column,
                is_editable=changeable and (not column.is_actual or (self.asked.is_unlocked and not line.is_generated)),
                differs=differs,
                root=formats.amount(float(root[place]), line.unit) if differs else "",
                before=formats.line_cell(old, line) if moved else "",
                moved=formats.signed(value - old, line.unit) if moved else "",
                why=why,
            )

    def is_changeable(self, line: Line) -> bool:
        """Whether values of a line can be typed in this case."""
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
        """A line over the visible columns, shape (columns, cases); read once for a snapshot, now or before."""
        read = self._read[snapshot is self.snapshot]
        found = read.get((name, members))
        if found is None:
            earlier = self._read[0].get((name, members)) if name in self._alike else None
            found = roll_up(snapshot.results, name, self.periods, members) if earlier is None else earlier
            read[name, members] = found
        return found

    def values_before(self, line: Line, members: MemberKey) -> Values | None:
        """A line over the visible columns before the latest edit, shape (columns,); None where there is no before."""
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
